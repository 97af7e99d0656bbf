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
		{"Ωρωπός", "el", "oropos"},
		{"Расписание", "ru", "raspisanie"},
		{"  100 %  sure -- really?! ", "en", "100-sure-really"},
		{"2026", "en", "2026"},
		{"!!!", "en", ""},
		{"", "en", ""},
	} {
		assert.Equal(t, c.want, Make(c.title, c.language), "%s (%s)", c.title, c.language)
	}
}

func TestMakeIsOneReadableSegment(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		title, language := rapid.String().Draw(t, "title"), rapid.SampledFrom([]string{"en", "de", "nb", "x"}).Draw(t, "language")
		s := Make(title, language)
		assert.Regexp(t, `^(?:[a-z0-9]+(?:-[a-z0-9]+)*)?$`, s, title)
		assert.Equal(t, s, Make(s, language), "making it again changes nothing")
	})
}
