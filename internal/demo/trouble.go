package demo

import (
	"math/rand/v2"
	"slices"
	"strings"

	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
)

// Trouble is something that goes wrong on the pages of a site.
type Trouble struct {
	Name  string       // in words
	Code  finding.Code // of the finding that it gives
	plant func(*planting) []string
}

// Planted is where a trouble was put: the addresses of its finding, the first
// of them where it is found.
type Planted struct {
	Trouble
	At []string
}

// planting chooses pages for troubles, no page twice.
type planting struct {
	*Live
	random *rand.Rand
	taken  map[string]bool // keys of pages
}

// Neglected returns the site with these troubles, at pages that the seed
// chooses, and where they are. Nil means all.
func Neglected(p *plan.Plan, seed uint64, troubles []Trouble) (*Live, []Planted) {
	if troubles == nil {
		troubles = Troubles()
	}
	t := &planting{NewLive(p), rand.New(rand.NewPCG(seed, 2026)), map[string]bool{"home": true}}
	var planted []Planted
	for _, trouble := range troubles {
		planted = append(planted, Planted{trouble, trouble.plant(t)})
	}
	return t.Live, planted
}

// pick returns a page that has no trouble yet, of a kind, or of any but lists;
// with translations if there are to be any.
func (t *planting) pick(kind string, translated bool) *document {
	var list []inventory.Ref
	for ref, d := range t.pages {
		page := t.plan.Pages.Find(ref)
		if t.taken[ref.Key] || page.Kind == "section" || kind != "" && page.Kind != kind || ref.Language != "en" ||
			translated != (len(d.alternates) > 0) || strings.Contains(d.address, "?") {
			continue
		}
		list = append(list, ref)
	}
	slices.SortFunc(list, func(a, b inventory.Ref) int { return strings.Compare(a.String(), b.String()) })
	ref := list[t.random.IntN(len(list))]
	t.taken[ref.Key] = true
	return t.pages[ref]
}

// former returns a former address of a page.
func (t *planting) former(d *document) string {
	for _, e := range t.plan.Book.Entries {
		if e.Page.Key == d.key && e.Page.Language == d.language && e.Address.Query == "" &&
			t.plan.Site.Rebase(e.Address).String() != d.address {
			a := t.plan.Site.Rebase(e.Address)
			if answer, err := t.plan.Answer(plan.Request{Method: "GET", Address: a}); err == nil &&
				answer.Outcome == plan.Moved {
				return a.String()
			}
		}
	}
	return strings.Replace(d.address, "https://", "https://www.", 1) // the listed host leads to the origin
}

// twin returns the page in another language.
func (t *planting) twin(d *document, language string) *document {
	return t.pages[inventory.Ref{Key: d.key, Language: language}]
}

// with shows a page at its address with a parameter too, canonical for itself
// there, and links there.
func (t *planting) with(parameter string) []string {
	d := t.pick("", true)
	other := *d
	other.address = d.address + "?" + parameter
	other.canonicals = []string{other.address}
	t.extra[other.address] = &other
	d.links = append(d.links, other.address)
	return []string{other.address, d.address}
}

// Troubles returns all, in the order in which docs/demo.md lists them.
func Troubles() []Trouble {
	return []Trouble{
		{"a page without a canonical link", finding.NoCanonical, func(t *planting) []string {
			d := t.pick("", true)
			d.canonicals = nil
			return []string{d.address}
		}},
		{"a canonical link to an address that redirects", finding.CanonicalRedirects, func(t *planting) []string {
			d := t.pick("", true)
			d.canonicals = []string{t.former(d)}
			return []string{d.address}
		}},
		{"a canonical link on http", finding.CanonicalInsecure, func(t *planting) []string {
			d := t.pick("", true)
			d.canonicals = []string{strings.Replace(d.address, "https:", "http:", 1)}
			return []string{d.address}
		}},
		{"two canonical links", finding.SeveralCanonicals, func(t *planting) []string {
			d, other := t.pick("", true), t.pick("", true)
			d.canonicals = append(d.canonicals, other.address)
			return []string{d.address}
		}},
		{"a canonical link in the body", finding.CanonicalOutsideHead, func(t *planting) []string {
			d := t.pick("", true)
			d.outside, d.canonicals = d.canonicals, nil
			return []string{d.address}
		}},
		{"the second page of a list that names the first", finding.CanonicalFirstPage, func(t *planting) []string {
			first := t.pages[inventory.Ref{Key: "section-notices", Language: "en"}]
			t.extra[first.next].canonicals = []string{first.address}
			return []string{first.next}
		}},
		{"a chain of canonical links", finding.CanonicalChain, func(t *planting) []string {
			a, b, c := t.pick("notice", true), t.pick("notice", true), t.pick("notice", true)
			a.canonicals, b.canonicals = []string{b.address}, []string{c.address}
			b.paragraphs, a.paragraphs = c.paragraphs, c.paragraphs
			return []string{a.address}
		}},
		{"a canonical link to another language", finding.CanonicalLanguage, func(t *planting) []string {
			d := t.pick("", true)
			d.canonicals = []string{t.twin(d, "de").address}
			return []string{d.address}
		}},
		{"a campaign parameter that makes a page of its own", finding.ParameterDuplicates,
			func(t *planting) []string { return t.with("utm_source=letter") }},
		{"a session that makes a page of its own", finding.ParameterDuplicates,
			func(t *planting) []string { return t.with("sid=8f3a") }},
		{"an order of a list that makes a page of its own", finding.ParameterDuplicates,
			func(t *planting) []string { return t.with("sort=name") }},
		{"two pages with nearly the same text", finding.NearDuplicate, func(t *planting) []string {
			a, b := t.pick("port", true), t.pick("vessel", true)
			b.paragraphs = append([]string{strings.Replace(a.paragraphs[0], " ", " also ", 1)}, a.paragraphs[1:]...)
			both := []string{a.address, b.address}
			slices.Sort(both)
			return both
		}},
		{"a translation that doesn't link back", finding.AlternateWithoutReturn, func(t *planting) []string {
			d := t.pick("", true)
			twin := t.twin(d, "nb")
			if twin == nil {
				twin = t.twin(d, "de")
			}
			twin.alternates = slices.DeleteFunc(twin.alternates,
				func(a alternate) bool {
					return a.link == d.address && a.language == "en" ||
						a.language == "x-default"
				})
			return []string{d.address}
		}},
		{"a language code with a region that there isn't", finding.WrongLanguageCode,
			func(t *planting) []string { return t.code("en", "en-UK") }},
		{"a language code with an underscore", finding.WrongLanguageCode,
			func(t *planting) []string { return t.code("de", "de_CH") }},
		{"a translation at an address that redirects", finding.AlternateRedirects, func(t *planting) []string {
			d := t.pick("", true)
			twin := t.twin(d, "de")
			for i := range d.alternates {
				if d.alternates[i].language == "de" {
					d.alternates[i].link = strings.Replace(twin.address, "https://", "https://www.", 1)
				}
			}
			return []string{d.address}
		}},
		{"a page that says noindex, and that robots.txt blocks", finding.NoindexBlocked, func(t *planting) []string {
			d := t.pick("", true)
			d.robots = "noindex"
			t.Live.robots = strings.Replace(t.Live.robots, "Disallow: /search\n",
				"Disallow: /search\nDisallow: "+strings.TrimPrefix(d.address, t.plan.Site.Origin.Base())+"$\n", 1)
			t.unlist(d.address)
			return []string{d.address}
		}},
		{"a live page that says noindex", finding.LiveNoindex, func(t *planting) []string {
			d := t.pick("", true)
			d.robots = "noindex"
			return []string{d.address}
		}},
		{"a sitemap with an address on http", finding.SitemapInsecure, func(t *planting) []string {
			d := t.pick("", true)
			at := strings.Replace(d.address, "https:", "http:", 1)
			t.relist(d.address, at)
			return []string{at}
		}},
		{"a sitemap with an address that redirects", finding.SitemapRedirects, func(t *planting) []string {
			d := t.pick("", true)
			at := t.former(d)
			t.relist(d.address, at)
			return []string{at}
		}},
		{"a sitemap with a page that is gone", finding.SitemapMissing, func(t *planting) []string {
			for _, page := range t.plan.Pages.Pages {
				a, ok := t.plan.CurrentAddress(page.Ref)
				if answer, err := t.plan.Answer(plan.Request{Method: "GET", Address: a}); ok && err == nil &&
					answer.Outcome == plan.Gone {
					t.sitemap = append(t.sitemap, a.String())
					return []string{a.String()}
				}
			}
			return nil
		}},
		{"an image on http", finding.MixedContent, func(t *planting) []string {
			d := t.pick("", true)
			d.images = []string{"http://media.skerrywick.example/quay.jpg"}
			return []string{d.address}
		}},
		{"a staging host that is open", finding.StagingOpen, func(t *planting) []string {
			t.hosts[StagingHost] = t.pages[inventory.Ref{Key: "home", Language: "en"}].address
			return []string{"https://" + StagingHost + "/"}
		}},
		{"another host that copies a page", "copied", func(t *planting) []string {
			d := t.pick("", true)
			other := *d
			other.canonicals, other.alternates, other.links = nil, nil, nil
			t.extra["https://"+CopyHost+"/"] = &other
			return []string{"https://" + CopyHost + "/", d.address}
		}},
	}
}

// code writes a language otherwise on all pages of a cluster.
func (t *planting) code(right, wrong string) []string {
	d := t.pick("", true)
	at := t.twin(d, right)
	for _, language := range []string{"en", "de", "nb"} {
		if twin := t.twin(d, language); twin != nil {
			for i := range twin.alternates {
				if twin.alternates[i].language == right {
					twin.alternates[i].language = wrong
				}
			}
		}
	}
	return []string{at.address}
}

func (t *planting) unlist(address string) {
	t.sitemap = slices.DeleteFunc(t.sitemap, func(a string) bool { return a == address })
}

func (t *planting) relist(address, as string) {
	t.unlist(address)
	t.sitemap = append(t.sitemap, as)
}
