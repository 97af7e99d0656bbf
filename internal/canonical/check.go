package canonical

import (
	"fmt"

	"young-compass/internal/address"
	"young-compass/internal/crawl"
	"young-compass/internal/finding"
	"young-compass/internal/language"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
)

// Checker finds what is wrong with canonical links.
type Checker struct {
	Web  Web
	Plan *plan.Plan
	// Copies are addresses on other hosts that may show the site's texts.
	Copies map[address.Address]*crawl.Page
}

// Page returns what is wrong with the canonical links of one page, the one thing
// that is the cause of others.
func (c Checker) Page(p *crawl.Page) *finding.Finding {
	if !p.HTML || p.Status != 200 || !c.Plan.Site.Has(p.Address.Host) {
		return nil
	}
	report := func(code finding.Code, severity finding.Severity, what, why, advice string,
		related ...address.Address) *finding.Finding {
		f := &finding.Finding{Code: code, Severity: severity, Where: finding.Place{URL: p.Address.String()}, What: what,
			Why: why, Advice: advice}
		for _, a := range related {
			f.Related = append(f.Related, finding.Place{URL: a.String()})
		}
		return f
	}
	named := NamedBy(p)
	for _, n := range named {
		if n.Err != nil && !n.Outside {
			return report(finding.CanonicalUnreadable, finding.Error,
				fmt.Sprintf("its canonical link names %q: %v", address.Printable(n.Link), n.Err), "",
				"write the page's address there: "+c.line(p.Address))
		}
	}
	choice, ok := Choice(p)
	if !ok {
		return c.noChoice(p, named, report)
	}
	if choice.To != p.Address {
		if f := c.target(p, choice, report); f != nil {
			return f
		}
	}
	if choice.Relative() {
		return report(finding.CanonicalRelative, finding.Warning,
			fmt.Sprintf("its canonical link %q is not written out with scheme and host",
				address.Printable(choice.Link)),
			"on another host, or in a copy, it names another address", "write "+c.line(choice.To))
	}
	return nil
}

// maxShown is how many addresses a finding shows.
const maxShown = 10

type reporter func(code finding.Code, severity finding.Severity, what, why, advice string,
	related ...address.Address) *finding.Finding

// noChoice judges a page that names no canonical address, or several.
func (c Checker) noChoice(p *crawl.Page, named []Named, report reporter) *finding.Finding {
	var inside []address.Address
	for _, n := range named {
		if !n.Outside {
			inside = append(inside, n.To)
		}
	}
	switch {
	case len(inside) > 1:
		f := report(finding.SeveralCanonicals, finding.Error,
			fmt.Sprintf("it names %d different canonical addresses", len(inside)),
			"search engines then believe none of them", "leave one of them, in the head or in the header", inside...)
		for _, a := range inside[:min(len(inside), maxShown)] {
			f.Evidence = append(f.Evidence, a.String())
		}
		return f
	case len(named) > 0:
		return report(finding.CanonicalOutsideHead, finding.Error, "its canonical link is not in the head of the page",
			"only in the head it counts; something in front of it ended the head, or a text brought it",
			"move it into the head: "+c.line(named[0].To))
	case p.NoIndex():
		return nil
	}
	return report(finding.NoCanonical, finding.Warning, "it names no canonical address",
		"every address that shows it may then be taken for it", "write into its head "+c.line(c.planned(p.Address)))
}

// line is a canonical link to copy.
func (c Checker) line(a address.Address) string {
	return fmt.Sprintf(`<link rel="canonical" href="%s">`, a)
}

// planned returns the canonical address that the plan gives an address, or else
// the address.
func (c Checker) planned(a address.Address) address.Address {
	answer, err := c.Plan.Answer(plan.Request{Method: "GET", Address: a})
	if err != nil || answer.Canonical == "" {
		return a
	}
	planned, err := address.Parse(answer.Canonical)
	if err != nil {
		return a
	}
	return planned
}

// target judges the other address that a page names.
func (c Checker) target(p *crawl.Page, n Named, report reporter) *finding.Finding {
	to := n.To
	own := "name the page's own address: " + c.line(c.planned(p.Address))
	if !c.Plan.Site.Has(to.Host) {
		return report(finding.CanonicalForeign, finding.Warning,
			fmt.Sprintf("it names %s on another host as its canonical address", to),
			"search engines then show that site instead", "leave it if the text is theirs; else "+own, to)
	}
	secure := to
	secure.Scheme = "https"
	if to.Scheme == "http" && p.Address.Scheme == "https" {
		return report(finding.CanonicalInsecure, finding.Error, fmt.Sprintf("it names %s, on http", to),
			"the page is on https; the link names an address that leads back", "write "+c.line(secure), to)
	}
	if c.firstPage(p.Address, to) {
		return report(finding.CanonicalFirstPage, finding.Error,
			"it is a later page of a list, and names the first one as its canonical address",
			"what stands on later pages alone is then never found",
			"let each page of a list name itself: "+c.line(p.Address), to)
	}
	t := c.Web[to]
	switch {
	case t == nil:
		return nil
	case t.To != (address.Address{}):
		end := c.Web.Resolve(to).End
		return report(finding.CanonicalRedirects, finding.Error, fmt.Sprintf("it names %s, which redirects", to),
			"the link names an address that shows nothing", "name where that leads: "+c.line(end), to)
	case t.Status != 200:
		return report(finding.CanonicalNotFound, finding.Error,
			fmt.Sprintf("it names %s, which answers %s", to, statusOf(t)),
			"the page may leave the index with the address it names", own, to)
	case t.NoIndex():
		return report(finding.CanonicalNoindex, finding.Error, fmt.Sprintf("it names %s, which says noindex", to),
			"neither of both is shown then", own, to)
	case t.Blocked:
		return report(finding.CanonicalBlocked, finding.Error, fmt.Sprintf("it names %s, which robots.txt blocks", to),
			"a search engine never sees what stands there", "let robots.txt allow it, or "+own, to)
	case !language.Same(p.Signals.Language, t.Signals.Language) && p.Signals.Language != "" && t.Signals.Language != "":
		return report(finding.CanonicalLanguage, finding.Error,
			fmt.Sprintf("it is in %s and names %s, which is in %s", address.Printable(p.Signals.Language), to,
				address.Printable(t.Signals.Language)),
			"pages in other languages are translations, not duplicates: this one would not be shown", own, to)
	}
	if next, ok := Choice(t); ok && next.To != to && next.To != p.Address {
		end := c.Web.Resolve(to).End
		return report(finding.CanonicalChain, finding.Error, fmt.Sprintf("it names %s, which names %s", to, next.To),
			"search engines don't follow chains of canonical links", "name the last one: "+c.line(end), to, next.To)
	} else if ok && next.To == p.Address {
		return report(finding.CanonicalCircle, finding.Error, fmt.Sprintf("it names %s, which names it", to),
			"neither is then the canonical one", "let both name one of them", to)
	}
	return nil
}

func statusOf(p *crawl.Page) string {
	if p.Status == 0 {
		return "not at all"
	}
	return fmt.Sprint(p.Status)
}

// firstPage reports whether an address is a later page of a list whose first
// page is the other.
func (c Checker) firstPage(a, to address.Address) bool {
	if a.Path != to.Path || a.Host != to.Host {
		return false
	}
	for _, q := range address.SplitQuery(a.Query) {
		if c.Plan.Parameters.ClassOf(q.Name, a.Path) != parameter.Pagination || q.Value == "=1" {
			continue
		}
		other, ok := address.First(address.SplitQuery(to.Query), q.Name)
		return !ok || other.Value == "=1"
	}
	return false
}
