package slug

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestMake(t *testing.T) {
	for _, c := range []struct{ title, language, want string }{
		{"Skerrywick to Hildafjord", "en", "skerrywick-to-hildafjord"},
		{"Skerrywick – Hildafjord", "de", "skerrywick-hildafjord"},
		{"St Bride's Ness", "en", "st-brides-ness"},
		{"Skipper’s Pride", "en", "skippers-pride"},
		{"Sunset cruise & supper", "en", "sunset-cruise-and-supper"},
		{"Abendfahrt & Essen", "de", "abendfahrt-und-essen"},
		{"Kveldstur & middag", "nb", "kveldstur-og-middag"},
		{"Gods&kjøretøy", "nb", "gods-og-kjoretoy"},
		{"Äußere Schären", "de", "aeussere-schaeren"},
		{"Ärger", "de-CH", "aerger"},
		{"Ytre skjær på Åmøy", "nb", "ytre-skjaer-pa-amoy"},
		{"Seevo\u0308gel", "de", "seevoegel"},
		{"Sea Ötter", "en", "sea-otter"},
		{"Café au lait", "fr", "cafe-au-lait"},
		{"Cartable d'écolier", "fr", "cartable-d-ecolier"},
		{"L’île aujourd’hui", "fr-CH", "l-ile-aujourd-hui"},
		{"Gita all'isola", "it", "gita-all-isola"},
		{"Festa de l'Illa", "ca", "festa-de-l-illa"},
		{"Skipper's Pride", "en", "skippers-pride"},
		{"'s Avonds", "nl", "s-avonds"},
		{"Ωρωπός", "el", "oropos"},
		{"Расписание", "ru", "raspisanie"},
		{"フェリー", "ja", "hueri"},
		{"時刻表", "ja", "shi-ke-biao"},
		{"  100 %  sure -- really?! ", "en", "100-sure-really"},
		{"Day ticket €5", "en", "day-ticket-5-euros"},
		{"Tageskarte € 5", "de", "tageskarte-5-euro"},
		{"£20 off & more", "en", "20-pounds-off-and-more"},
		{"5€", "de", "5-euro"},
		{"Billets à 5 €", "fr", "billets-a-5-euros"},
		{"€", "en", "euros"},
		{"2 & 3", "en", "2-and-3"},
		{"2026", "en", "2026"},
		{"!!!", "en", ""},
		{"", "en", ""},
	} {
		assert.Equal(t, c.want, Make(c.title, c.language), "%s (%s)", c.title, c.language)
	}
}

func TestSettings(t *testing.T) {
	for _, c := range []struct {
		settings              Settings
		title, language, want string
	}{
		{Settings{Keep: true}, "Ytre Skjær på Åmøy & Öland", "nb", "ytre-skjær-på-åmøy-og-öland"},
		{Settings{Keep: true}, "Seevo\u0308gel", "de", "seevögel"},
		{Settings{Keep: true}, "Ωρωπός – 時刻表", "el", "ωρωπός-時刻表"},
		{Settings{Spelling: map[string]map[string]string{"nb": {"ø": "oe", "Å": "aa"}}}, "Åmøy", "nb", "aamoey"},
		{Settings{Spelling: map[string]map[string]string{"nb": {"ø": "oe"}}}, "Åmøy", "da", "amoy"},
		{Settings{Spelling: map[string]map[string]string{"": {"+": "plus"}}}, "A+ 5", "en", "a-5-plus"},
		{Settings{Spelling: map[string]map[string]string{"": {"%": "percent"}}}, "100 % sure", "en",
			"100-percent-sure"},
		{Settings{Spelling: map[string]map[string]string{"en": {"&": "n"}}}, "Fish & chips", "en", "fish-n-chips"},
		{Settings{Fillers: map[string][]string{"en": {"the", "of"}}}, "The Isle of the Gulls", "en", "isle-gulls"},
		{Settings{Fillers: map[string][]string{"en": {"the", "of"}}}, "Of the", "en", "of-the"},
		{Settings{Fillers: map[string][]string{"de": {"der"}}}, "Der Sund", "de-AT", "sund"},
		{Settings{Length: 12}, "Skerrywick to Hildafjord", "en", "skerrywick"},
		{Settings{Length: 13}, "Skerrywick to Hildafjord", "en", "skerrywick-to"},
		{Settings{Length: 4}, "Skerrywick", "en", "sker"},
		{Settings{Length: 4, Keep: true}, "ααα", "el", "αα"},
		{Settings{Length: 3, Keep: true}, "ααα", "el", "α"},
	} {
		assert.Equal(t, c.want, NewMaker(c.settings).Make(c.title, c.language), "%s (%s)", c.title, c.language)
	}
}

func TestMakeIsOneReadableSegment(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		title, language := rapid.String().Draw(t, "title"), rapid.SampledFrom([]string{"en", "de", "nb", "x"}).Draw(t,
			"language")
		s := Make(title, language)
		assert.Regexp(t, `^(?:[a-z0-9]+(?:-[a-z0-9]+)*)?$`, s, title)
		assert.Equal(t, s, Make(s, language), "making it again changes nothing")
		short := NewMaker(Settings{Length: 10}).Make(title, language)
		assert.LessOrEqual(t, len(short), 10)
		assert.Regexp(t, `^(?:[a-z0-9]+(?:-[a-z0-9]+)*)?$`, short, title)
	})
}

func FuzzMake(f *testing.F) {
	f.Add("Åmøy & € 5", "nb", 7, true)
	f.Fuzz(func(t *testing.T, title, language string, length int, keep bool) {
		m := NewMaker(Settings{Length: length, Keep: keep})
		if s := m.Make(title, language); length > 3 && len(s) > length {
			t.Error(s)
		}
	})
}

func BenchmarkMake(b *testing.B) {
	m := NewMaker(Settings{})
	for b.Loop() {
		m.Make("Skerrywick to Hildafjord by night", "en")
		m.Make("Ytre skjær på Åmøy", "nb")
	}
}
