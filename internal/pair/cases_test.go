package pair

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
)

// smallCase is a handful of old and new pages, and what a person would say of the first old one.
type smallCase struct {
	name string
	old  []string // "title /path", or "/path" alone
	new  []string
	want string // the path of a new page, "gone", or "doubtful": it must not be said surely
}

// smallCases are made by hand, a few for each way in which pairing goes wrong.
func smallCases() []smallCase {
	return []smallCase{
		// Below even odds nothing is proposed.
		{"one common word", []string{"Harbour dogs /dogs"}, []string{"Harbour lights /lights", "Fares /fares"}, "gone"},
		{"a folder in common", []string{"/guides/kayak"}, []string{"Seabirds /guides/seabirds", "Tides /guides/tides"}, "gone"},
		{"two that fit as well", []string{"Kvitsund /kvitsund"}, []string{"Kvitsund /ports/kvitsund", "Kvitsund /timetables/kvitsund"}, "doubtful"},
		{"three that fit as well", []string{"Overview /overview"}, []string{"Overview /a/overview", "Overview /b/overview", "Overview /c/overview"}, "doubtful"},
		{"zwei, die passen", []string{"Inseln /inseln"}, []string{"Inseln /karte/inseln", "Inseln /fotos/inseln"}, "doubtful"},
		// Numbers of models and versions tell things apart.
		{"models", []string{"Sensor max6642 /max6642"}, []string{"Sensor max6620 /max6620", "Sensor max6697 /max6697"}, "gone"},
		{"models, the right one is there", []string{"Sensor max6642 /max6642"}, []string{"Sensor max6620 /s/a", "Sensor max6642 /s/b"}, "/s/b"},
		{"a letter more", []string{"Driver ixgb /ixgb", "Driver ixgbe /ixgbe"}, []string{"Driver ixgbe /net/ixgbe"}, "gone"},
		{"both are there", []string{"Driver ixgb /ixgb", "Driver ixgbe /ixgbe"}, []string{"Driver ixgbe /net/ixgbe", "Driver ixgb /net/ixgb"}, "/net/ixgb"},
		{"versions", []string{"Notes for version 2.4 /notes-2-4"}, []string{"Notes for version 2.6 /notes/2.6"}, "gone"},
		{"the same version", []string{"Notes for version 2.4 /notes-2-4"}, []string{"Notes for version 2.6 /n/26", "Notes for version 2.4 /n/24"}, "/n/24"},
		{"versions in paths", []string{"/notes/2.4.html"}, []string{"/archive/notes-2-6", "/archive/notes-2-8"}, "gone"},
		{"boats by number", []string{"MS Kvitsund 2 /boat2"}, []string{"MS Kvitsund 3 /boats/3"}, "doubtful"},
		{"years", []string{"Timetable 2019 /timetable-2019"}, []string{"Timetable 2024 /timetables/2024"}, "gone"},
		{"the year stays", []string{"Regatta 2019 /regatta-2019"}, []string{"Regatta 2018 /r/18", "Regatta 2019 /r/19"}, "/r/19"},
		{"Baureihen", []string{"Motor Typ B200 /b200"}, []string{"Motor Typ B250 /motoren/b250"}, "gone"},
		{"modèles", []string{"Moteur type M42 /m42"}, []string{"Moteur type M43 /moteurs/m43"}, "gone"},
		{"a date that wasn't there", []string{"Report 14 for passengers /r14"},
			[]string{"Report 14 for passengers (June 2021) /r/a", "Report 13 for passengers (May 2021) /r/b"}, "/r/a"},
		// The distinctive word is nowhere.
		{"another ferry", []string{"The ferry Hildafjord /hildafjord"}, []string{"The ferry Grimsay /boats/grimsay"}, "gone"},
		{"en annen ferge", []string{"Fergen Hildafjord /hildafjord"}, []string{"Fergen Grimsay /baater/grimsay"}, "gone"},
		{"une autre île", []string{"Plage de Nordvoe /nordvoe"}, []string{"Plage de Storskjar /plages/storskjar"}, "gone"},
		{"the target belongs to another", []string{"Walks in winter /winter", "Walks /walks"}, []string{"Walks /guides/walks"}, "doubtful"},
		// Numbers that tell a place among others.
		{"numbers of sections", []string{"9.1.5. Landing at Kvitsund /s9-1-5"},
			[]string{"9.1.5. Tides /t915", "10.2.1. Landing at Kvitsund /t1021"}, "/t1021"},
		{"chapters", []string{"Chapter 3. Fares /ch3"}, []string{"Chapter 3. Tides /k3", "Chapter 4. Fares /k4"}, "/k4"},
		{"Kapitel", []string{"Kapitel 2. Fahrpreise /kap2"}, []string{"Kapitel 2. Gezeiten /k2", "Kapitel 5. Fahrpreise /k5"}, "/k5"},
		{"a number at the end", []string{"Landing /landing-2"}, []string{"Landing /guides/landing", "Tides /guides/tides-2"}, "/guides/landing"},
		{"topics", []string{"14. Seabirds /t14"}, []string{"14. Tides /n14", "12. Seabirds /n12"}, "/n12"},
		{"a section behind a book's name", []string{"Handbook: 9.1.5. Landing at Kvitsund /s915"},
			[]string{"Handbook: 9.1.5. Tides /t915", "Handbook: 10.2.1. Landing at Kvitsund /t1021"}, "/t1021"},
		{"the number of a chapter, where all else is the same", []string{"Chapter 14. Ferries /boats"},
			[]string{"Ferries /x", "Chapter 14. Ferries /y"}, "doubtful"},
		{"a day is no section", []string{"14. Juli Regatta /regatta-14"}, []string{"14. Juli Regatta /r/14", "15. Juli Regatta /r/15"}, "/r/14"},
		{"numbers alone", []string{"/item-14"}, []string{"/thing-14", "/thing-15"}, "doubtful"},
		// A title that is the same, and unique.
		{"the same title", []string{"Lost luggage /service/57"}, []string{"Lost luggage /help/luggage", "Luggage /help/trunks", "Lost /help/lost"}, "/help/luggage"},
		{"a path at the end of another", []string{"/parisc/debugging.html"}, []string{"/arch/parisc/debugging.html", "/debugging/tools"}, "/arch/parisc/debugging.html"},
		{"a last segment that stays under another title", []string{"Kayak for beginners /how-to/paddling.html"},
			[]string{"Learn to steer a kayak /water/paddling.html", "Fares /fares.html", "Tides /water/tides.html"}, "/water/paddling.html"},
		{"ein letzter Teil, der bleibt", []string{"Mit Rad und Hund an Bord /service/mitnahme.html"},
			[]string{"Was darf mit? /reise/mitnahme", "Häfen /reise/haefen", "Inseln /reise/inseln"}, "/reise/mitnahme"},
		{"x.html and x/index.html", []string{"Seabirds /seabirds.html"}, []string{"Seabirds /seabirds/index.html", "Birds /birds/"}, "/seabirds/index.html"},
		{"x.html and x/index.html, without titles", []string{"/guides/puffins.html"}, []string{"/guides/puffins/index.html", "/guides/seals/index.html"}, "/guides/puffins/index.html"},
		{"the same in Greek", []string{"Δρομολόγια πλοίων /12"}, []string{"Δρομολόγια πλοίων /dromologia", "Λιμάνια /limania"}, "/dromologia"},
		{"the same in Japanese", []string{"運賃のご案内 /fare"}, []string{"運賃のご案内 /ja/unchin", "時刻表 /ja/jikoku"}, "/ja/unchin"},
		{"the same in Cyrillic", []string{"Расписание паромов /raspisanie"}, []string{"Расписание паромов /a", "Цены /b"}, "/a"},
		// Titles cut off, and names of sites.
		{"cut off", []string{"Struct template_of_the_lamp... /lamp17"}, []string{"Struct template_of_the_lamp_house /c/house", "Struct rope /c/rope"}, "/c/house"},
		{"cut off with an ellipsis", []string{"Travelling with bicycles and tra… /bikes"}, []string{"Travelling with bicycles and trailers /t/bicycles", "Travelling light /t/light"}, "/t/bicycles"},
		{"behind a bar", []string{"Jobs | Skerrywick Ferries /jobs.asp", "Fares | Skerrywick Ferries /f.asp", "Tides | Skerrywick Ferries /t.asp"},
			[]string{"Jobs - SkerryLine /work", "Fares - SkerryLine /fares", "Tides - SkerryLine /tides"}, "/work"},
		{"in front", []string{"Skerrywick: Kennels /k", "Skerrywick: Cabins /c", "Skerrywick: Galley /g"}, []string{"Kennels /on-board/kennels", "Cabins /on-board/cabins"}, "/on-board/kennels"},
		{"a dash in the name itself", []string{"Kvitsund - the old town /kvitsund"}, []string{"Kvitsund - the new town /new-town", "Kvitsund - the old town /old-town"}, "/old-town"},
		// Compounds and joins.
		{"a hyphen", []string{"Reise-Tagebuch /reise-tagebuch.html"}, []string{"Reisetagebuch /produkte/reisetagebuch", "Notizbuch /produkte/notizbuch"}, "/produkte/reisetagebuch"},
		{"a part of a compound", []string{"Glas-Schreibfeder /schreibfeder"}, []string{"Glasfeder /produkte/glasfeder", "Tinte /produkte/tinte"}, "doubtful"},
		{"e-mail", []string{"E-Mail-Adressen /e-mail"}, []string{"Emailadressen /kontakt/email", "Telefon /kontakt/telefon"}, "/kontakt/email"},
		{"camel case", []string{"readFileSync /api/readFileSync"}, []string{"read-file-sync /docs/read-file-sync", "write-file /docs/write-file"}, "/docs/read-file-sync"},
		{"snake case", []string{"ferry_open_gate /api"}, []string{"FerryOpenGate /docs/1", "FerryCloseGate /docs/2"}, "/docs/1"},
		{"another order", []string{"Kvitsund harbour walk /w"}, []string{"Walk: Kvitsund harbour /guides/w", "Walk: Nordvoe harbour /guides/n"}, "/guides/w"},
		{"plural", []string{"Timetable /tt"}, []string{"Timetables /timetables", "Tidal tables /tides"}, "/timetables"},
		{"umlauts written out", []string{"/faehren.html"}, []string{"Fähren /schiffe/fähren", "Fahrpreise /preise"}, "/schiffe/fähren"},
		{"å written out", []string{"Ferger til Ålesund /aalesund"}, []string{"Ferger til Aalesund /ruter/alesund", "Ferger til Bergen /ruter/bergen"}, "/ruter/alesund"},
		{"a sharp s", []string{"Straßenkarte /strassenkarte"}, []string{"Strassenkarte /karten/strasse", "Seekarte /karten/see"}, "/karten/strasse"},
		// A script that makes all pages says nothing.
		{"index.php", []string{"Puffins /index.php?id=401"}, []string{"Index /index", "Puffins /guides/puffins"}, "/guides/puffins"},
		{"index.php without titles", []string{"/index.php?id=401"}, []string{"Index /index", "Contents /contents"}, "gone"},
		{"item.aspx", []string{"Seals /item.aspx?n=77"}, []string{"Items /items", "Seals /guides/seals"}, "/guides/seals"},
		// Languages nobody told.
		{"German among English", []string{"Die Fähren und das Wetter /faehren"}, []string{"The ferries and the weather /weather", "Die Fähren und das Wetter heute /wetter"}, "/wetter"},
		{"German, and nothing but English", []string{"Unterwegs mit der Fähre für Kinder /kinder"}, []string{"On the ferry with children /children", "On the ferry with dogs /dogs"}, "doubtful"},
		{"French and Spanish", []string{"Les îles et la plage /plage"}, []string{"Las islas y la playa /playa", "Les îles et leurs plages /plages"}, "/plages"},
		// Handfuls.
		{"a word in the path", []string{"/ferry-times.html"}, []string{"Timetables /timetables", "Prices /prices", "Jobs /jobs"}, "doubtful"},
		{"one for two", []string{"Walk around the harbour (print) /walk-print.htm", "Walk around the harbour /walk.htm"},
			[]string{"A walk around the harbour /guides/walk-harbour", "Jobs on board /jobs"}, "/guides/walk-harbour"},
		{"one page each", []string{"Kayak tours /kayak.htm"}, []string{"Kayak tours /tours/kayak"}, "/tours/kayak"},
		{"one page each, nothing alike", []string{"Kayak tours /kayak.htm"}, []string{"Jobs /jobs"}, "gone"},
		{"the home page is no default", []string{"Welcome aboard /welcome-aboard.htm"}, []string{"Skerrywick /", "Fares /fares"}, "gone"},
		{"home to home", []string{"Skerrywick Ferries, home /"}, []string{"Welcome / ", "Fares /fares"}, "/"},
		{"a typing error", []string{"Sumer boat to Kvitsund /sumer"}, []string{"Summer boat to Kvitsund /boats/summer", "Winter boat to Nordvoe /boats/winter"}, "/boats/summer"},
		{"half a title", []string{"Boats and tides /b"}, []string{"Boats and bicycles /x", "Trains and tides /y"}, "doubtful"},
		{"half an address", []string{"/boats-and-tides"}, []string{"/x/boats-and-bicycles", "/y/trains-and-tides"}, "doubtful"},
		{"a wide title", []string{"News /news"}, []string{"News from the harbour /harbour", "News from the office /office"}, "doubtful"},
		{"a title that goes on behind a colon", []string{"Seabirds /s"}, []string{"Seabirds: when to come /x", "Fares /fares"}, "/x"},
		{"a title that ended with a dash", []string{"Fahrpreise — gültig ab Mai /p"}, []string{"Fahrpreise /preise", "Häfen /h"}, "/preise"},
		{"several titles go on", []string{"Seabirds /s"}, []string{"Seabirds: puffins /x", "Seabirds: terns /y"}, "doubtful"},
		{"the same word, another thing", []string{"Bank /bank"}, []string{"Bank holidays /holidays", "Fares /fares"}, "doubtful"},
		{"only signs differ", []string{"C++ on board /cpp"}, []string{"C# on board /x", "C++ on board /y"}, "/y"},
		{"only signs differ, and it isn't there", []string{"C++ on board /cpp"}, []string{"C# on board /x"}, "doubtful"},
		{"singular for many", []string{"Port of Kvitsund /port"}, []string{"Ports /ports", "Fares /fares"}, "doubtful"},
	}
}

// parsedCase makes a page of "title /path".
func parsedCase(t *testing.T, text string) Page {
	t.Helper()
	cut := strings.LastIndex(text, " /")
	title, path := "", text
	if cut >= 0 {
		title, path = text[:cut], strings.TrimSpace(text[cut+1:])
	}
	a, err := address.Parse("https://skerrywick.example" + path)
	require.NoError(t, err)
	return Page{Address: a, Written: path, Title: title}
}

func TestSmallCases(t *testing.T) {
	all, doubtful := 0, 0
	for _, c := range smallCases() {
		var before, after []Page
		for _, text := range c.old {
			before = append(before, parsedCase(t, text))
		}
		for _, text := range c.new {
			after = append(after, parsedCase(t, text))
		}
		m := Pair(before, after, nil)[0]
		said := fmt.Sprintf("gone %.2f %v;", m.Gone, m.GoneWhy)
		for _, candidate := range m.Candidates {
			said += fmt.Sprintf(" %s %.2f %v;", after[candidate.New].Written, candidate.Confidence, candidate.Reasons)
		}
		all++
		switch c.want {
		case "doubtful":
			doubtful++
			assert.True(t, m.Doubtful(0.9), "%s: %s", c.name, said)
		case "gone":
			assert.Nil(t, m.Best(), "%s: %s", c.name, said)
		default:
			if assert.NotNil(t, m.Best(), "%s: %s", c.name, said) {
				assert.Equal(t, c.want, after[m.Best().New].Written, "%s: %s", c.name, said)
			}
		}
	}
	assert.GreaterOrEqual(t, all, 60)
	assert.GreaterOrEqual(t, doubtful, 15)
}

// A parameter's value that many pages have is a folder: it tells which of the pages with one title is meant.
func TestAParameterIsAFolder(t *testing.T) {
	var before, after []Page
	places := strings.Fields("Kvitsund Nordvoe Grimsay Hildafjord Storskjar Aamoy Osterholm Skerry")
	for k, topic := range []string{"tides", "fares", "walks"} {
		for n, place := range places {
			title := fmt.Sprintf("%s %s", place, topic)
			before = append(before, parsedCase(t, fmt.Sprintf("%s /i?sec=%d&page=%d", title, 14+k, 10*k+n)))
			after = append(after, parsedCase(t, fmt.Sprintf("%s /%s/%s", title, topic, strings.ToLower(place))))
		}
		before = append(before, parsedCase(t, fmt.Sprintf("Landing /i?sec=%d&page=%d", 14+k, 100+k)))
		after = append(after, parsedCase(t, fmt.Sprintf("Landing /%s/landing", topic)))
	}
	for i, m := range Pair(before, after, nil) {
		if assert.NotNil(t, m.Best(), "%s: %v", before[i].Written, m) {
			assert.Equal(t, after[i].Written, after[m.Best().New].Written, before[i].Written)
		}
	}
}

// What a person decided of some teaches the others, and is said.
func TestDecisionsTeach(t *testing.T) {
	var before, after []Page
	for _, place := range strings.Fields("Kvitsund Nordvoe Grimsay Hildafjord Storskjar") {
		before = append(before, parsedCase(t, place+" /old/"+place))
		for _, folder := range []string{"ports", "timetables"} {
			after = append(after, parsedCase(t, place+" /"+folder+"/"+strings.ToLower(place)))
		}
	}
	p := New(before, after, nil)
	for _, m := range p.Matches(nil) {
		assert.True(t, m.Doubtful(0.9))
	}
	matches := p.Matches(map[int]Decision{0: {New: 1}, 1: {New: 3}})
	for i, m := range matches[2:] {
		if assert.NotNil(t, m.Best(), "%v", m) {
			assert.Equal(t, 2*(i+2)+1, m.Best().New)
			assert.Contains(t, strings.Join(m.Best().Reasons, "; "), "old -> timetables as was decided for 2")
		}
	}
}

// A page is said to be gone with what speaks for it, and never surely because nothing was found alone.
func TestWhyGone(t *testing.T) {
	var before, after []Page
	for i, place := range strings.Fields("Kvitsund Nordvoe Grimsay Hildafjord Storskjar Aamoy Osterholm Skerry") {
		before = append(before, parsedCase(t, "Regatta at "+place+" /regatta/"+place), parsedCase(t, "Fares to "+place+" /f/"+place))
		after = append(after, parsedCase(t, fmt.Sprintf("Fares to %s /fares/%d", place, i)))
	}
	before = append(before, parsedCase(t, "intelfb /fb/intelfb"), parsedCase(t, "/fb/matrox.htm"))
	matches := Pair(before, after, nil)
	first, named, bare := matches[0], matches[len(matches)-2], matches[len(matches)-1]
	assert.Nil(t, first.Best())
	assert.Contains(t, strings.Join(first.GoneWhy, "; "), "others in regatta are gone too")
	assert.Nil(t, named.Best())
	assert.LessOrEqual(t, named.Gone, absent)
	assert.Equal(t, []string{`no page of the new site has "intelfb"`}, named.GoneWhy)
	assert.LessOrEqual(t, bare.Gone, addressed)
}

// A family that was renamed as one isn't surely gone, though none of it is found.
func TestFamiliesAreNotSurelyGoneTogether(t *testing.T) {
	var before, after []Page
	for n := range 26 {
		before = append(before, parsedCase(t, fmt.Sprintf("Sailing Stats for Skerry 3.%d /old/stats%d", n, n)))
		after = append(after, parsedCase(t, fmt.Sprintf("Sailings counted for 3.%d (Nov %d, 2018) /counted/%d", n, 1+n, 900+n)))
	}
	for i, place := range makeWords(rand.New(rand.NewPCG(4, 2026)), 60) {
		before = append(before, parsedCase(t, fmt.Sprintf("%s harbour /ports/%s", place, place)))
		after = append(after, parsedCase(t, fmt.Sprintf("%s harbour /harbours/%d", place, i)))
	}
	for i, m := range Pair(before, after, nil)[:26] {
		if m.Best() == nil {
			assert.Less(t, m.Gone, 0.9, before[i].Title)
		} else {
			assert.Equal(t, i, m.Best().New)
		}
	}
}

// What is said not to be there is nowhere on the new site, and stands as the old page has it.
func TestWhyGoneIsTrue(t *testing.T) {
	before := []Page{pageAt(t, "de", "Grüne Tinte", "/tinte-grün"), pageAt(t, "de", "Möwenfeder", "/möwe"),
		pageAt(t, "de", "readFile", "/api/readFile")}
	after := []Page{pageAt(t, "de", "Papier", "/papier"), pageAt(t, "de", "Siegel", "/siegel")}
	whyOf := func() (list []string) {
		for _, m := range Pair(before, after, nil) {
			list = append(list, strings.Join(m.GoneWhy, "; "))
		}
		return list
	}
	assert.Equal(t, []string{`no page of the new site has "Grüne", "Tinte"`, `no page of the new site has "Möwenfeder"`,
		`no page of the new site has "read", "file"`}, whyOf())
	after[0].Text = "Für Tinte und Gruene Kreide, nicht für die Moewenfeder."
	list := whyOf()
	assert.Equal(t, `no title or address of the new site has "Grüne", "Tinte"`, list[0])
	assert.Equal(t, `no title or address of the new site has "Möwenfeder"`, list[1])
}

// Where very many pages have one title, those of the folder where the others of its folder went are still looked at.
func TestOneTitleInManyFolders(t *testing.T) {
	var before, after []Page
	names := makeWords(rand.New(rand.NewPCG(3, 2026)), 60*4)
	for k := range 60 {
		for n := range 3 {
			word := names[4*k+n]
			before = append(before, parsedCase(t, fmt.Sprintf("%s lights /i?sec=%d&page=%d", word, 14+k, 10*k+n)))
			after = append(after, parsedCase(t, fmt.Sprintf("%s lights /%s/%s", word, names[4*k+3], word)))
		}
		before = append(before, parsedCase(t, fmt.Sprintf("Debugging /i?sec=%d&page=%d", 14+k, 10*k+9)))
		after = append(after, parsedCase(t, fmt.Sprintf("Debugging /%s/debugging", names[4*k+3])))
	}
	right := 0
	for i, m := range Pair(before, after, nil) {
		if best := m.Best(); best != nil && best.New == i {
			right++
		}
	}
	assert.Equal(t, len(before), right)
}

// Where only addresses are known, and say nothing of most pages, no page is said to be gone for that.
func TestAddressesThatSayNothing(t *testing.T) {
	for _, n := range []int{8, 30, 31, 500} {
		random := rand.New(rand.NewPCG(4, 2026))
		names := makeWords(random, 2*n)
		var before, after []Page
		for i := range n {
			before = append(before, parsedCase(t, fmt.Sprintf("/show.php?item=%d", 1000+7*i)))
			after = append(after, parsedCase(t, "/guides/"+names[2*i]+"-"+names[2*i+1]))
		}
		for _, m := range Pair(before, after, nil) {
			assert.Nil(t, m.Best())
			assert.Less(t, m.Gone, even, "%d pages", n)
			assert.Contains(t, m.GoneWhy, "of most others nothing was found either")
		}
	}
}

// A title that is the same on both sides is one, whatever else many titles of one side have in front.
func TestEqualTitlesStayEqual(t *testing.T) {
	names := makeWords(rand.New(rand.NewPCG(9, 2026)), 400)
	before := []Page{parsedCase(t, "Harbour guide: Skerrywick — Harbour guide /guide/index"), parsedCase(t, "Harbour guide: 2.1 Kvitsund /guide/k")}
	after := []Page{parsedCase(t, "Harbour guide: Skerrywick — Harbour guide /books/guide"), parsedCase(t, "Harbour guide: 3.4 Kvitsund /books/kvitsund")}
	for i := range 30 {
		before = append(before, parsedCase(t, fmt.Sprintf("Harbour guide: 2.%d %s /guide/%d", i+2, names[i], i)))
	}
	for i := range 300 {
		after = append(after, parsedCase(t, fmt.Sprintf("Islands: %d.%d %s /books/%d", 1+i%9, i, names[100+i], i)))
	}
	for i, m := range Pair(before, after, nil)[:2] {
		if assert.NotNil(t, m.Best(), "%v", m) {
			assert.Equal(t, i, m.Best().New)
			assert.Contains(t, m.Best().Reasons, "same title")
		}
	}
}

// Pages that are named the same but for their section's name are told apart by it.
func TestTitlesThatDifferByTheirSection(t *testing.T) {
	var before, after []Page
	for k, section := range strings.Fields("Kayak Canoe Dinghy Raft") {
		for n, name := range strings.Fields("red blue green yellow") {
			before = append(before, parsedCase(t, fmt.Sprintf("%s: %s /item.php?id=%d", section, name, 100+10*k+n)))
			after = append(after, parsedCase(t, fmt.Sprintf("%s: %s /shop/p%d", section, name, (10*k+n)*7%41)))
		}
	}
	for i, m := range Pair(before, after, nil) {
		if assert.NotNil(t, m.Best()) {
			assert.Equal(t, i, m.Best().New)
			assert.GreaterOrEqual(t, m.Best().Confidence, 0.95)
		}
	}
}

// What many last segments have in front of their first word is no part of it, if enough have it.
func TestWhatIsInFrontOfManyNames(t *testing.T) {
	names := makeWords(rand.New(rand.NewPCG(10, 2026)), 80)
	for _, n := range []int{1, 7, 8, 40} {
		var before, after []Page
		for i := range n {
			before = append(before, parsedCase(t, fmt.Sprintf("/ref/class%s_%s.html", names[2*i], names[2*i+1])))
			after = append(after, parsedCase(t, fmt.Sprintf("/library/%s-%s-reference", names[2*i], names[2*i+1])))
		}
		surely := 0
		for i, m := range Pair(before, after, nil) {
			if assert.NotEmpty(t, m.Candidates, "%d pages: %v", n, m) {
				assert.Equal(t, i, m.Candidates[0].New, "%d pages: %v", n, m)
				surely += int(is(m.Candidates[0].Confidence >= 0.9))
			}
		}
		if n >= 8 {
			assert.GreaterOrEqual(t, surely*10, n*9, "%d pages", n)
		}
	}
}

// Words put together behind a beginning that all have are found by their letters; a version in an address is one word.
func TestAddressesByTheirLetters(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 2026))
	names := makeWords(random, 200)
	var before, after []Page
	for i := range 60 {
		a, b, c := names[random.IntN(200)], names[random.IntN(200)], names[i]
		before = append(before, parsedCase(t, fmt.Sprintf("/ref/classkv_%s_%s_%s.html", c, a, b)))
		after = append(after, parsedCase(t, fmt.Sprintf("/library/kv%s%s%s-class-reference", c, a, b)))
	}
	for i := range 30 {
		before = append(before, parsedCase(t, fmt.Sprintf("/log/3_%d_%d.html", i/3, i%3)))
		after = append(after, parsedCase(t, fmt.Sprintf("/releases/release-3-%d-%d-of-%d", i/3, i%3, 2010+i/3)))
	}
	for i, m := range Pair(before, after, nil) {
		if assert.NotEmpty(t, m.Candidates, before[i].Written) {
			assert.Equal(t, i, m.Candidates[0].New, before[i].Written)
		}
		if i < 60 {
			assert.NotNil(t, m.Best(), before[i].Written)
		}
	}
}

// A title that was cut off before what tells it from others isn't gone for that.
func TestTitlesCutOffBeforeTheyDiffer(t *testing.T) {
	for _, n := range []int{9, 40, 501} {
		names := makeWords(rand.New(rand.NewPCG(6, 2026)), n)
		var before, after []Page
		for i, name := range names {
			before = append(before, parsedCase(t, fmt.Sprintf("Ferry to the isl... /p?n=%d", 500+i)))
			after = append(after, parsedCase(t, fmt.Sprintf("Ferry to the island of %s /%s", name, name)))
		}
		m := Pair(before, after, nil)[0]
		assert.Less(t, m.Gone, even, "%d pages", n)
		assert.Contains(t, m.GoneWhy, fmt.Sprintf("%d new pages have a title that begins like it", n))
	}
}

// A page whose text most of is on a new page, under whatever title, isn't said to be gone: perhaps it was translated.
func TestNotGoneWhereItsTextStays(t *testing.T) {
	words := makeWords(rand.New(rand.NewPCG(11, 2026)), 4000)
	text := func(from, n int) string { return strings.Join(words[from:from+n], " ") }
	for _, kept := range []int{20, 70} { // of a hundred words
		var before, after []Page
		for i := range 40 {
			p := parsedCase(t, fmt.Sprintf("%s %s /%d", words[i], words[50+i], i))
			p.Text = text(100+30*i, 30)
			if before = append(before, p); i < 10 { // most are gone
				after = append(after, p)
			}
		}
		old, new := parsedCase(t, "Open recent /recent"), parsedCase(t, "Zuletzt benutzte /zuletzt")
		old.Text, new.Text = text(2000, 100), text(2000, kept)+" "+text(3000, 100-kept)
		m := Pair(append(before, old), append(after, new), nil)[40]
		if kept == 70 {
			assert.Less(t, m.Gone, even, "%v", m)
		} else {
			assert.Nil(t, m.Best(), "%v", m)
			assert.Greater(t, m.Gone, even, "%v", m)
		}
	}
}

// Surely gone is a page only if no text is nearly half alike, whatever it is called.
func TestSurelyGoneByTheText(t *testing.T) {
	random := rand.New(rand.NewPCG(8, 2026))
	words := makeWords(random, 4000)
	text := func(from, n int) string { return strings.Join(words[from:from+n], " ") }
	var before, after []Page
	for i := range 20 {
		p := parsedCase(t, fmt.Sprintf("%s %s /%d", words[i], words[20+i], i))
		p.Text = text(100+60*i, 60)
		before, after = append(before, p), append(after, p)
	}
	halfAlike, unlikeAll := parsedCase(t, "Whale watching /whales"), parsedCase(t, "Lost luggage /luggage")
	halfAlike.Text = text(100, 40) + " " + text(2000, 20)
	unlikeAll.Text = text(2100, 60)
	matches := Pair(append(before, halfAlike, unlikeAll), after, nil)
	assert.LessOrEqual(t, matches[20].Gone, absent, "%v", matches[20].GoneWhy)
	assert.Greater(t, matches[21].Gone, absent)
	assert.Contains(t, strings.Join(matches[21].GoneWhy, "; "), "no text is more than 0 % like its own")
}
