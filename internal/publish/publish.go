// Package publish works out what a site's plan tells search engines: which pages they may list, and the canonical address
// and the translations that each page names in its head. What sitemaps, heads and headers say comes from here, so that
// they never contradict each other.
package publish

import (
	"cmp"
	"fmt"
	"runtime"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/language"
	"young-compass/internal/page"
	"young-compass/internal/plan"
	"young-compass/internal/route"
	"young-compass/internal/sitefile"
)

// Page is a live page with what it tells search engines.
type Page struct {
	*inventory.Page
	Address    address.Address      // where it is served
	Canonical  string               // the address that it names as its canonical one
	Listed     bool                 // it may be in an index: it is its own canonical page, and nothing says noindex
	Alternates []sitefile.Alternate // its translations with itself, and x-default; nil where there are none
}

// maxTranslations bounds the translations of a page: each names all of them, and a reader looks at no more.
const maxTranslations = page.MaxAlternates

// Pages returns the live pages of a plan in the order of their addresses, and findings about those that are left out.
func Pages(p *plan.Plan) ([]Page, []finding.Finding) {
	type share struct {
		pages []Page
		found []finding.Finding
	}
	shares := make([]share, runtime.GOMAXPROCS(0))
	route.Parallel(len(p.Pages.Pages), func(part, from, to int) {
		s, answerer := &shares[part], p.Answerer()
		s.pages = make([]Page, 0, to-from)
		for i := from; i < to; i++ {
			switch page, problem := pageOf(p, answerer, &p.Pages.Pages[i]); {
			case problem != nil:
				s.found = append(s.found, *problem)
			case page.Page != nil:
				s.pages = append(s.pages, page)
			}
		}
	})
	var pages []Page
	var found []finding.Finding
	for _, s := range shares {
		pages, found = append(pages, s.pages...), append(found, s.found...)
	}
	found = append(found, translate(p, pages)...)
	return inOrder(pages), found
}

// pageOf returns what a page says without its translations; nothing of one that isn't live. A problem leaves it out.
func pageOf(p *plan.Plan, answerer *plan.Answerer, of *inventory.Page) (page Page, problem *finding.Finding) {
	leftOut := func(why, advice string) (Page, *finding.Finding) {
		f := LeftOut(p, of, why, advice)
		return Page{}, &f
	}
	if of.State != inventory.Live {
		return Page{}, nil
	}
	a, ok := p.CurrentAddress(of.Ref)
	if !ok {
		return leftOut("it has no address", "run design --write")
	}
	answer, err := answerer.Answer(plan.Request{Method: "GET", Address: a})
	switch {
	case err != nil:
		return leftOut(err.Error(), "mend the plan")
	case answer.Outcome == plan.Closed:
		return leftOut("the site is closed for maintenance", "take maintenance out of the plan")
	case answer.Outcome != plan.Served || answer.Page != of.Ref:
		return leftOut(fmt.Sprintf("the plan answers otherwise at %s", a), "see trace "+a.String())
	}
	return Page{Page: of, Address: a, Canonical: answer.Canonical,
		Listed: answer.Canonical == a.String() && !hides(of.Robots) && !hiddenBy(answer.Headers)}, nil
}

// hides reports whether what a page or a header tells robots keeps it out of an index.
func hides(robots string) bool { return robots != "" && page.Says(robots, "noindex") }

// inOrder returns pages in the order of their addresses. Numbers are sorted, since pages are large.
func inOrder(pages []Page) []Page {
	order := make([]int32, len(pages))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(i, j int32) int { return address.Compare(pages[i].Address, pages[j].Address) })
	sorted := make([]Page, len(pages))
	for at, i := range order {
		sorted[at] = pages[i]
	}
	return sorted
}

// LeftOut is the finding about a page, or something of it, that isn't told to search engines.
func LeftOut(p *plan.Plan, of *inventory.Page, why, advice string) finding.Finding {
	return finding.Finding{Code: finding.LeftOut, Severity: finding.Warning,
		Where: finding.Place{File: p.Pages.File, Line: of.Line},
		What:  fmt.Sprintf("%s: %s", of.Ref, address.Printable(why)), Advice: advice}
}

func hiddenBy(fields []plan.Field) bool {
	return slices.ContainsFunc(fields, func(f plan.Field) bool {
		return strings.EqualFold(f.Name, "X-Robots-Tag") && hides(f.Value)
	})
}

// translate gives the pages of each key that may be in an index their translations.
func translate(p *plan.Plan, pages []Page) (found []finding.Finding) {
	order := make([]int, 0, len(pages))
	for i := range pages {
		if pages[i].Listed {
			order = append(order, i)
		}
	}
	slices.SortFunc(order, func(i, j int) int { return pages[i].Ref.Compare(pages[j].Ref) })
	for len(order) > 0 {
		n := 1
		for n < len(order) && pages[order[n]].Key == pages[order[0]].Key {
			n++
		}
		cluster := order[:n]
		order = order[n:]
		if n < 2 {
			continue
		}
		if n > maxTranslations {
			found = append(found, LeftOut(p, pages[cluster[0]].Page,
				fmt.Sprintf("it has %d translations, more than %d: none is named", n, maxTranslations),
				"give other pages other keys"))
			continue
		}
		alternates := make([]sitefile.Alternate, 0, n+1)
		everyone := ""
		for _, i := range cluster {
			alternates = append(alternates, sitefile.Alternate{Language: tagOf(p, pages[i].Language), Location: pages[i].Canonical})
			if strings.EqualFold(pages[i].Language, cmp.Or(p.Languages.XDefault, p.Languages.Default)) {
				everyone = pages[i].Canonical
			}
		}
		if everyone != "" {
			alternates = append(alternates, sitefile.Alternate{Language: language.Default, Location: everyone})
		}
		for _, i := range cluster {
			pages[i].Alternates = alternates
		}
	}
	return found
}

// tagOf returns a language as the plan writes it.
func tagOf(p *plan.Plan, tag string) string {
	for _, l := range p.Languages.Others {
		if strings.EqualFold(l.Tag, tag) {
			return l.Tag
		}
	}
	return tag
}
