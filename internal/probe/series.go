package probe

import (
	"fmt"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// judgeSeries looks at the pages of lists that name the page behind or before them: whether it is there, names itself as
// its canonical address, and names the page in return.
func (v *Survey) judgeSeries(s *Section) {
	for _, a := range v.Web.Sorted() {
		p := v.Web[a]
		if !p.HTML || p.Status != 200 || v.explained[a] || v.Web.Resolve(a).End != a {
			continue
		}
		v.series(s, a, "next", p.Signals.Next, "previous", func(b address.Address) string { return v.Web[b].Signals.Prev })
		v.series(s, a, "previous", p.Signals.Prev, "next", func(b address.Address) string { return v.Web[b].Signals.Next })
	}
}

// series judges what a page names as its next or previous one. back is what that names in return.
func (v *Survey) series(s *Section, a address.Address, which, link, other string, back func(address.Address) string) {
	if link == "" {
		return
	}
	told := func(what string) {
		s.add(finding.SeriesBroken, finding.Warning, a, fmt.Sprintf("it names %s as its %s page, %s", address.Printable(link),
			which, what), "crawlers lose their way through the list", "let each page of a list name its neighbours, and itself as canonical")
	}
	to, err := address.Reference(v.Web[a].Base(), link)
	if err != nil {
		told("which is no address")
		return
	}
	to.Fragment = ""
	p := v.Web[to]
	switch {
	case p == nil || p.Failure != "" || v.explained[to]:
		return
	case p.To != (address.Address{}):
		told("which redirects")
		return
	case p.Status != 200:
		told(fmt.Sprintf("which answers %d", p.Status))
		return
	case v.Web.Resolve(to).End != to:
		told("which names another page as its canonical one")
		return
	}
	if answer := back(to); answer != "" {
		if home, err := address.Reference(p.Base(), answer); err == nil && v.Web.Resolve(home).End == a {
			return
		}
		told(fmt.Sprintf("which names %s as its %s one", address.Printable(answer), other))
		return
	}
	told(fmt.Sprintf("which names no %s one", other))
}
