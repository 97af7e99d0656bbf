// Package proposetest invents whole sites for tests: what their administrators have in files, and the truth about them.
// Its sites share no code with what guesses them.
package proposetest

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"strings"
)

// Page is a page of an invented site, in one language.
type Page struct {
	Kind, Language, Title string
	Old                   string   // its address today
	Spelled               []string // other addresses that visitors use
	Date                  string
}

// Site is an invented site.
type Site struct {
	Name       string
	Files      map[string]string // what the administrator has
	Sources    []string          // of them, what is gathered
	Origin     string            // that it is to have
	Hosts      []string          // all hosts that are the site's
	Languages  map[string]string // tag -> the prefix or host that its new addresses have; the default's is empty
	Parameters map[string]string // name -> class
	Stay       []string          // paths that must stay
	Pages      []Page
}

// words make titles.
func words() map[string][2][]string {
	return map[string][2][]string{
		"en": {{"Brass", "Oiled", "Heavy", "Small", "Folding", "Northern", "Old", "Spare", "Winter", "Double"},
			{"lantern", "anchor", "compass", "rope ladder", "sail needle", "cleat", "tide clock", "barometer", "oilskin coat",
				"deck brush", "signal flag", "bilge pump"}},
		"de": {{"Messing", "Geölte", "Schwere", "Kleine", "Klappbare", "Nördliche", "Alte", "Zweite", "Winterfeste",
			"Doppelte"},
			{"Laterne", "Ankerkette", "Kompassrose", "Strickleiter", "Segelnadel", "Klampe", "Gezeitenuhr", "Wetterkarte",
				"Öljacke", "Deckbürste", "Signalflagge", "Pumpe"}},
		"fr": {{"Grande", "Petite", "Lourde", "Vieille", "Double", "Seconde", "Légère", "Pliante", "Blanche", "Fine"},
			{"lanterne", "ancre", "boussole", "échelle de corde", "aiguille à voile", "horloge des marées", "carte",
				"veste cirée", "brosse de pont", "pompe", "bouée", "corde"}},
	}
}

// maker makes what a site has.
type maker struct {
	*rand.Rand
	used map[string]bool
	log  strings.Builder
	day  int
}

func newMaker(seed uint64) *maker {
	return &maker{Rand: rand.New(rand.NewPCG(seed, 7)), used: map[string]bool{}}
}

// title returns a title that no page of a language has yet.
func (m *maker) title(language string, n int) string {
	w := words()[language]
	t := w[0][n%len(w[0])] + " " + w[1][n/len(w[0])%len(w[1])]
	if round := n / len(w[0]) / len(w[1]); round > 0 {
		t += fmt.Sprintf(" %s", []string{"", "mark two", "de luxe", "Nova"}[round])
	}
	return t
}

// slug writes a title as addresses of a tidy site have it.
func slug(title string) string {
	return strings.NewReplacer(" ", "-", "ö", "oe", "ä", "ae", "ü", "ue", "é", "e", "è", "e", "ê", "e", "à", "a", "ç",
		"c").Replace(strings.ToLower(title))
}

// visit writes lines of an access log.
func (m *maker) visit(target string, status, size, times int) {
	agents := []string{"Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/128.0",
		"Mozilla/5.0 (iPhone; CPU iPhone OS 17_0 like Mac OS X) Safari/604.1"}
	for range times {
		m.day = m.day%28 + 1
		fmt.Fprintf(&m.log, "192.0.2.%d - - [%02d/Oct/2026:%02d:%02d:00 +0000] \"GET %s HTTP/1.1\" %d %d \"-\" \"%s\"\n",
			1+m.IntN(200), m.day,
			m.IntN(24), m.IntN(60), target, status, size, agents[m.IntN(2)])
	}
}

// hex returns letters as sessions have them.
func (m *maker) hex(n int) string {
	const digits = "0123456789ABCDEF"
	b := make([]byte, n)
	for i := range b {
		b[i] = digits[m.IntN(16)]
	}
	return string(b)
}

// local returns an address without scheme and host.
func local(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		panic(err)
	}
	return u.RequestURI()
}

// Sites returns the three sites.
func Sites(seed uint64) []Site {
	return []Site{Chandler(seed), Almanac(seed), Seeds(seed)}
}

// Chandler is a shop for ships' gear on rented hosting: one script, query strings, three languages.
func Chandler(seed uint64) Site {
	m := newMaker(seed)
	const host = "http://www.halyard-chandlery.example"
	s := Site{Name: "chandler", Origin: host, Hosts: []string{"www.halyard-chandlery.example",
		"halyard-chandlery.example"},
		Languages: map[string]string{"en": "", "de": "de", "fr": "fr"},
		Parameters: map[string]string{"act": "identity", "item": "identity", "group": "identity", "name": "identity",
			"utm_*": "tracking", "gclid": "tracking", "SHOPSID": "noise", "sort": "display", "start": "pagination"},
		Stay: []string{"/basket.php", "/search.php"}, Files: map[string]string{}, Sources: []string{"export.csv",
			"access.log"}}
	var table strings.Builder
	table.WriteString("Artikel;Titel;Sprache;Status;URL\r\n")
	address := func(query, language string) string {
		if language != "en" {
			query += "&lang=" + language
		}
		return host + "/index.php?" + query
	}
	add := func(kind, id, query, language, title string) {
		p := Page{Kind: kind, Language: language, Title: title, Old: address(query, language)}
		p.Spelled = append(p.Spelled, p.Old+"&utm_source=letter")
		fmt.Fprintf(&table, "%s;%s;%s;aktiv;%s\r\n", id, title, language, p.Old)
		s.Pages = append(s.Pages, p)
	}
	fmt.Fprintf(&table, "home;Halyard Chandlery;en;aktiv;%s/\r\n", host)
	s.Pages = append(s.Pages, Page{Kind: "page", Language: "en", Title: "Halyard Chandlery", Old: host + "/"})
	for n := range 60 {
		for _, l := range []string{"en", "de", "fr"} {
			add("item", fmt.Sprintf("item-%d", 100+n), fmt.Sprintf("act=show&item=%d", 100+n), l, m.title(l, n))
		}
	}
	for n := range 8 {
		for _, l := range []string{"en", "de", "fr"} {
			add("group", fmt.Sprintf("group-%d", 1+n), fmt.Sprintf("act=list&group=%d", 1+n), l, strings.Fields(m.title(l,
				n*10))[1]+" "+map[string]string{"en": "range", "de": "Sortiment", "fr": "gamme"}[l])
		}
	}
	for n, name := range []string{"contact", "delivery", "terms", "about", "opening"} {
		for _, l := range []string{"en", "de", "fr"} {
			titles := map[string][]string{"en": {"Contact", "Delivery and returns", "Terms of sale", "About our shop",
				"Opening hours"},
				"de": {"Kontakt", "Lieferung und Rückgabe", "Geschäftsbedingungen", "Über uns", "Öffnungszeiten"},
				"fr": {"Nous écrire", "Livraison et retours", "Conditions de vente", "À propos de nous", "Horaires"}}
			add("page", "info-"+name, "act=info&name="+name, l, titles[l][n])
		}
	}
	for i, p := range s.Pages {
		size := 5000 + 13*i
		at := local(p.Old)
		m.visit(at, 200, size, 1+m.IntN(4))
		if p.Language == "en" && p.Old != host+"/" && m.IntN(2) == 0 {
			s.Pages[i].Spelled = append(s.Pages[i].Spelled, p.Old+"&lang=en")
			m.visit(at+"&lang=en", 200, size, 1)
		}
		join := "&"
		if !strings.Contains(at, "?") {
			join = "?"
		}
		if m.IntN(3) == 0 {
			m.visit(at+join+"SHOPSID="+m.hex(26), 200, size, 1)
		}
		if m.IntN(3) == 0 {
			m.visit(at+join+[]string{"utm_source=letter", "gclid=" + m.hex(12), "utm_campaign=spring&utm_source=x"}[m.IntN(3)],
				200, size, 1+m.IntN(2))
		}
		if p.Kind == "group" {
			m.visit(at+"&sort=price", 200, size+7, 2)
			m.visit(at+"&start=20", 200, size+91, 2)
		}
	}
	m.visit("/basket.php", 200, 900, 12)
	m.visit("/basket.php?add=17", 302, 0, 5)
	m.visit("/search.php?q=anchor", 200, 1900, 9)
	m.visit("/search.php?q=rope", 200, 1700, 3)
	m.visit("/wp-login.php", 404, 300, 9)
	s.Files["export.csv"], s.Files["access.log"] = table.String(), m.log.String()
	return s
}

// Almanac is a dated journal in German and English, with a Swiss host.
func Almanac(seed uint64) Site {
	m := newMaker(seed)
	const home, swiss = "https://stundenglas.example", "https://stundenglas-ch.example"
	s := Site{Name: "almanac", Origin: home, Hosts: []string{"stundenglas.example", "www.stundenglas.example",
		"stundenglas-ch.example"},
		Languages:  map[string]string{"de": "", "en": "en", "de-CH": "stundenglas-ch.example"},
		Parameters: map[string]string{"mc_cid": "tracking", "fbclid": "tracking"}, Files: map[string]string{},
		Sources: []string{"feed.xml", "sitemap.xml", "access.log"}}
	var feed, sitemap strings.Builder
	feed.WriteString(`<?xml version="1.0"?><rss version="2.0"><channel><title>Stundenglas</title><link>` + home +
		`</link><language>de</language>`)
	sitemap.WriteString(`<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9" xmlns:xhtml="http://www.w3.org/1999/xhtml">`)
	list := func(versions map[string]string, order []string) {
		for _, l := range order {
			fmt.Fprintf(&sitemap, "<url><loc>%s</loc>", versions[l])
			if len(order) > 1 {
				for _, o := range order {
					fmt.Fprintf(&sitemap, `<xhtml:link rel="alternate" hreflang="%s" href="%s"/>`, o, versions[o])
				}
			}
			sitemap.WriteString("</url>\n")
		}
	}
	add := func(kind, language, title, at, date string) {
		s.Pages = append(s.Pages, Page{Kind: kind, Language: language, Title: title, Old: at, Date: date,
			Spelled: []string{at + "?mc_cid=" + m.hex(8)}})
	}
	list(map[string]string{"de": home + "/", "en": home + "/en/", "de-CH": swiss + "/"}, []string{"de", "en", "de-CH"})
	add("page", "de", "", home+"/", "")
	add("page", "en", "", home+"/en/", "")
	add("page", "de-CH", "", swiss+"/", "")
	for n := range 90 {
		date := fmt.Sprintf("%d-%02d-%02d", 2019+n%7, 1+n%12, 1+n%28)
		folder := fmt.Sprintf("/%s/%s/", date[:4], date[5:7])
		de, en := m.title("de", n), m.title("en", n)
		versions, order := map[string]string{"de": home + folder + slug(de) + "/"}, []string{"de"}
		add("post", "de", de, versions["de"], date)
		fmt.Fprintf(&feed, "<item><title>%s</title><link>%s</link><guid>%s</guid><pubDate>%s</pubDate></item>\n", de,
			versions["de"], versions["de"], rfc822(date))
		if n%2 == 0 {
			versions["en"], order = home+"/en"+folder+slug(en)+"/", append(order, "en")
			add("post", "en", en, versions["en"], date)
		}
		if n%3 == 0 {
			versions["de-CH"], order = swiss+folder+slug(de)+"/", append(order, "de-CH")
			add("post", "de-CH", "", versions["de-CH"], date)
		}
		list(versions, order)
	}
	for n, tag := range []string{"gezeiten", "wetter", "knoten", "lieder", "garne"} {
		en := []string{"tides", "weather", "knots", "songs", "yarns"}[n]
		versions := map[string]string{"de": home + "/thema/" + tag + "/", "en": home + "/en/topic/" + en + "/"}
		add("tag", "de", "", versions["de"], "")
		add("tag", "en", "", versions["en"], "")
		list(versions, []string{"de", "en"})
	}
	for n, name := range []string{"impressum", "ueber-uns", "kontakt"} {
		en := []string{"imprint", "about", "contact"}[n]
		versions := map[string]string{"de": home + "/" + name + "/", "en": home + "/en/" + en + "/"}
		add("page", "de", "", versions["de"], "")
		add("page", "en", "", versions["en"], "")
		list(versions, []string{"de", "en"})
	}
	for i, p := range s.Pages {
		if strings.HasPrefix(p.Old, home) {
			m.visit(local(p.Old), 200, 4000+11*i, 1+m.IntN(5))
			if m.IntN(4) == 0 {
				m.visit(local(p.Old)+"?fbclid="+m.hex(20), 200, 4000+11*i, 1)
				m.visit(local(p.Old)+"?mc_cid="+m.hex(8), 200, 4000+11*i, 1)
			}
		}
	}
	s.Files["feed.xml"] = feed.String() + "</channel></rss>"
	s.Files["sitemap.xml"] = sitemap.String() + "</urlset>"
	s.Files["access.log"] = m.log.String()
	return s
}

func rfc822(date string) string {
	months := "JanFebMarAprMayJunJulAugSepOctNovDec"
	n := int(date[5]-'0')*10 + int(date[6]-'0')
	return fmt.Sprintf("%s %s %s 08:00:00 +0100", date[8:], months[3*n-3:3*n], date[:4])
}

// Seeds is a seed merchant's catalogue in three levels; its old server puts sessions into paths.
func Seeds(seed uint64) Site {
	m := newMaker(seed)
	const host = "http://fenwick-seeds.example"
	s := Site{Name: "seeds", Origin: host, Hosts: []string{"fenwick-seeds.example", "www.fenwick-seeds.example"},
		Languages: map[string]string{"en": ""},
		Parameters: map[string]string{";jsessionid": "noise", "msclkid": "tracking",
			"view": "display"}, Files: map[string]string{},
		Stay: []string{"/order.jsp"}, Sources: []string{"pages", "addresses.txt", "access.log", "robots.txt"}}
	add := func(kind, title, at string) {
		p := Page{Kind: kind, Language: "en", Title: title, Old: host + at}
		s.Pages = append(s.Pages, p)
		s.Files["pages"+strings.TrimSuffix(at, "/")+map[bool]string{true: "/index.html"}[strings.HasSuffix(at, "/")]] =
			fmt.Sprintf("<!doctype html><html lang=\"en\"><head><title>%s | Fenwick Seeds</title><link rel=canonical href=\"%s\"></head>"+
				"<body><h1>%s</h1><form action=\"/order.jsp\"><input name=q></form></body></html>", title, host+at, title)
	}
	add("page", "Fenwick Seeds", "/")
	for _, name := range []string{"About us", "Contact", "Sowing calendar", "Terms"} {
		add("page", name, "/"+slug(name)+".html")
	}
	for n, group := range []string{"vegetables", "flowers", "herbs"} {
		add("category", strings.ToUpper(group[:1])+group[1:], "/catalogue/"+group+"/")
		for k := range 4 {
			sub := []string{"beans", "leaves", "roots", "squashes", "annuals", "climbers", "bulbs", "meadow", "mint", "sage",
				"thyme", "basil"}[4*n+k]
			add("category", strings.ToUpper(sub[:1])+sub[1:], "/catalogue/"+group+"/"+sub+"/")
			for i := range 9 {
				title := m.title("en", 36*n+9*k+i)
				add("product", title, "/catalogue/"+group+"/"+sub+"/"+slug(title)+".html")
			}
		}
	}
	for n := range 14 {
		title := "How to " + []string{"sow", "water", "prune", "store", "thin", "stake",
			"harvest"}[n%7] + " " + []string{"in spring", "in autumn"}[n/7]
		add("guide", title, "/guides/"+slug(title)+".html")
	}
	for i, p := range s.Pages {
		size := 3000 + 17*i
		m.visit(local(p.Old), 200, size, 1+m.IntN(3))
		if m.IntN(2) == 0 {
			with := local(p.Old) + ";jsessionid=" + m.hex(32)
			m.visit(with, 200, size, 1)
			s.Pages[i].Spelled = append(s.Pages[i].Spelled, host+with)
		}
		if m.IntN(5) == 0 {
			m.visit(local(p.Old)+"?msclkid="+m.hex(16), 200, size, 1)
			m.visit(local(p.Old)+"?view=print", 200, size, 2)
			m.visit(local(p.Old)+"?view=large", 200, size, 2)
		}
	}
	m.visit("/order.jsp", 200, 700, 9)
	s.Files["access.log"] = m.log.String()
	s.Files["robots.txt"] = "User-agent: *\nDisallow: /order.jsp\nSitemap: " + host + "/sitemap.xml\n"
	var all strings.Builder
	for _, p := range s.Pages {
		all.WriteString(p.Old + "\n")
	}
	s.Files["addresses.txt"] = all.String()
	return s
}
