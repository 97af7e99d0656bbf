package demo

import (
	"fmt"
	"hash/fnv"
	"html"
	"maps"
	"net/http"
	"slices"
	"strings"

	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/publish"
)

// Hosts that aren't the site's: where it is made ready, and one that copies it.
const (
	StagingHost = "staging.skerrywick.example"
	CopyHost    = "island-tips.example"
)

// perPage is how many entries a list shows at a time.
const perPage = 10

// NeglectSeed chooses the pages with troubles that docs/demo.md names.
const NeglectSeed = 6

// Live is the new site as a plan describes it, with all that a page says of
// itself. Its troubles, if it has any, are overrides by address.
type Live struct {
	plan    *plan.Plan
	pages   map[inventory.Ref]*document
	extra   map[string]*document // by address: shown there whatever the plan says
	sitemap []string
	robots  string
	hosts   map[string]string // other hosts that show the site: the address of what they show
}

// document is a page as it is shown.
type document struct {
	title, language   string
	canonicals        []string
	outside           []string // canonical links in the body
	alternates        []alternate
	robots            string
	prev, next        string
	links, images     []string
	paragraphs        []string
	key               string // of the page, or of the list's first part
	address, security string
}

type alternate struct{ language, link string }

// NewSite answers as a plan says.
func NewSite(p *plan.Plan) http.Handler { return NewLive(p) }

// NewLive returns the site that a plan describes, without troubles.
func NewLive(p *plan.Plan) *Live {
	l := &Live{plan: p, pages: map[inventory.Ref]*document{}, extra: map[string]*document{}, hosts: map[string]string{},
		robots: "User-agent: *\nDisallow: /search\nSitemap: " + p.Site.Origin.Base() + "/sitemap.xml\n"}
	pages, _ := publish.Pages(p)
	for _, page := range pages {
		d := &document{title: page.Title, language: page.Language, key: page.Key, address: page.Address.String(),
			canonicals: []string{page.Canonical}, paragraphs: prose(page.Ref.String(), 6), security: "max-age=31536000"}
		for _, other := range page.Alternates {
			d.alternates = append(d.alternates, alternate{other.Language, other.Location})
		}
		l.pages[page.Ref] = d
		l.sitemap = append(l.sitemap, d.address)
	}
	slices.Sort(l.sitemap)
	for ref, d := range l.pages {
		d.links = l.leads(ref)
		l.cut(ref, d)
	}
	return l
}

// leads returns where a page leads: to the home page and the sections, the home
// page to the pages of no section, a section to its pages.
func (l *Live) leads(ref inventory.Ref) []string {
	var list []string
	for other, d := range l.pages {
		kind := l.plan.Pages.Find(other).Kind
		below := ref.Key == "section-"+kind+"s" || ref.Key == "section-fleet" && kind == "vessel" ||
			ref.Key == "home" && kind != "port" && kind != "route" && kind != "vessel" && kind != "notice" &&
				kind != "timetable"
		if other.Language == ref.Language && (other.Key == "home" || kind == "section" || below) ||
			other.Key == ref.Key {
			list = append(list, d.address)
		}
	}
	slices.Sort(list)
	return list
}

// cut shows a long list of a section in parts.
func (l *Live) cut(ref inventory.Ref, d *document) {
	if ref.Key != "section-notices" || len(d.links) <= perPage {
		return
	}
	parts := slices.Collect(slices.Chunk(d.links, perPage))
	base := d.address
	at := func(n int) string {
		if n == 0 {
			return base
		}
		return fmt.Sprintf("%s?page=%d", base, n+1)
	}
	for n, links := range parts {
		part := d
		if n > 0 {
			part = &document{title: fmt.Sprintf("%s, %d", d.title, n+1), language: d.language, key: d.key,
				address: at(n), canonicals: []string{at(n)}, paragraphs: prose(at(n), 3), security: d.security}
			l.extra[at(n)] = part
		}
		part.links = links
		if n > 0 {
			part.prev = at(n - 1)
		}
		if n < len(parts)-1 {
			part.next = at(n + 1)
			part.links = append(slices.Clone(links), part.next)
		}
	}
}

// prose makes up a few paragraphs that no other page has.
func prose(seed string, paragraphs int) []string {
	words := strings.Fields("ferry quay morning island harbour winter crossing ticket cabin deck bridge north " +
		"south wind tide lamp captain rope " +
		"sheep stone church meadow bay seal puffin coffee bread timetable pier lighthouse anchor sail market " +
		"school bicycle luggage child dog " +
		"leaves reaches crosses passes meets carries waits opens closes turns early late slowly often seldom " +
		"every second third great small old new")
	h := fnv.New64a()
	_, _ = h.Write([]byte(seed))
	state := h.Sum64()
	next := func() int {
		state = state*6364136223846793005 + 1442695040888963407
		return int(state >> 33)
	}
	list := make([]string, paragraphs)
	for i := range list {
		sentence := make([]string, 24+next()%12)
		for j := range sentence {
			sentence[j] = words[next()%len(words)]
		}
		list[i] = strings.ToUpper(sentence[0][:1]) + strings.Join(sentence, " ")[1:] + "."
	}
	return list
}

// ServeHTTP answers as the plan says, but for the troubles.
func (l *Live) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	request, err := requestOf(r)
	if err != nil {
		http.Error(w, "400", http.StatusBadRequest)
		return
	}
	at := request.Address.String()
	if d := l.extra[at]; d != nil {
		l.write(w, d, request.Scheme)
		return
	}
	if shown, ok := l.hosts[request.Host]; ok {
		if d := l.shownAt(shown); request.Path == "/" && d != nil {
			l.write(w, d, request.Scheme)
			return
		}
	}
	a, err := l.plan.Answer(request)
	switch {
	case err != nil:
		http.Error(w, "500", http.StatusInternalServerError)
	case a.Outcome == plan.Foreign:
		http.Error(w, "421", http.StatusMisdirectedRequest)
	case a.Outcome == plan.Moved:
		w.Header()["Location"] = []string{a.To}
		w.WriteHeader(a.Status)
	case a.Outcome == plan.Served && request.Path == "/robots.txt":
		w.Header().Set("Content-Type", "text/plain")
		_, _ = fmt.Fprint(w, l.robots)
	case a.Outcome == plan.Served && request.Path == "/sitemap.xml":
		l.writeSitemap(w)
	case a.Outcome == plan.Served:
		if d := l.pages[a.Page]; d != nil {
			l.write(w, d.at(a.Canonical), request.Scheme)
			return
		}
		w.Header().Set("Content-Type", "text/plain") // a file
		_, _ = fmt.Fprintln(w, request.Path)
	default:
		http.Error(w, fmt.Sprint(a.Status), a.Status)
	}
}

// at returns the page as shown with parameters: its canonical is what the plan
// says, unless somebody meddled with it.
func (d *document) at(canonical string) *document {
	if len(d.canonicals) == 1 && d.canonicals[0] == d.address && canonical != "" {
		other := *d
		other.canonicals = []string{canonical}
		return &other
	}
	return d
}

func (l *Live) shownAt(address string) *document {
	for _, ref := range slices.SortedFunc(maps.Keys(l.pages),
		func(a, b inventory.Ref) int { return strings.Compare(a.String(), b.String()) }) {
		if l.pages[ref].address == address {
			return l.pages[ref]
		}
	}
	return nil
}

func (l *Live) writeSitemap(w http.ResponseWriter) {
	w.Header().Set("Content-Type", "application/xml")
	var b strings.Builder
	b.WriteString(`<?xml version="1.0" encoding="UTF-8"?>` + "\n" +
		`<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">` + "\n")
	for _, a := range l.sitemap {
		b.WriteString("<url><loc>" + html.EscapeString(a) + "</loc></url>\n")
	}
	b.WriteString("</urlset>\n")
	_, _ = w.Write([]byte(b.String()))
}

// write shows a page, in the frame that all pages have.
func (l *Live) write(w http.ResponseWriter, d *document, scheme string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if scheme == "https" && d.security != "" {
		w.Header().Set("Strict-Transport-Security", d.security)
	}
	var b strings.Builder
	tag := func(format string, args ...string) {
		escaped := make([]any, len(args))
		for i, a := range args {
			escaped[i] = html.EscapeString(a)
		}
		fmt.Fprintf(&b, format+"\n", escaped...)
	}
	tag(`<!doctype html><html lang="%s"><head><meta charset="utf-8"><title>%s</title>`, d.language, d.title)
	for _, c := range d.canonicals {
		tag(`<link rel="canonical" href="%s">`, c)
	}
	for _, a := range d.alternates {
		tag(`<link rel="alternate" hreflang="%s" href="%s">`, a.language, a.link)
	}
	for _, turn := range [][2]string{{"prev", d.prev}, {"next", d.next}} {
		if turn[1] != "" {
			tag(`<link rel="%s" href="%s">`, turn[0], turn[1])
		}
	}
	if d.robots != "" {
		tag(`<meta name="robots" content="%s">`, d.robots)
	}
	tag(`</head><body><header><p>Skerrywick Ferries: the islands, every day of the year</p></header>`)
	for _, c := range d.outside {
		tag(`<link rel="canonical" href="%s">`, c)
	}
	tag(`<h1>%s</h1>`, d.title)
	for _, p := range d.paragraphs {
		tag(`<p>%s</p>`, p)
	}
	for _, image := range d.images {
		tag(`<img src="%s" alt="">`, image)
	}
	tag(`<nav><ul>`)
	for _, link := range d.links {
		tag(`<li><a href="%s">%s</a></li>`, link, link)
	}
	tag(`</ul></nav><footer><p>Skerrywick Ferries, at the old quay in Hildafjord. Write to us about lost ` +
		`luggage.</p></footer></body></html>`)
	_, _ = w.Write([]byte(b.String()))
}
