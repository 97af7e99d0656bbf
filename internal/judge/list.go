package judge

import (
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/redirect"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
)

// Redirects judges the redirects of a plan, which were examined in its World: it adds what is to be found with the
// inventory and the book to what was found
//
//   - dead-target: a row whose target is gone or that no page has
//   - live-source: a row whose source is the address of a live page
//   - home-target: a row to the home page from what isn't one
//   - cross-language: a row to a page in another language that has an equal in
//     the source's
//   - wrong-status: temporary to a page that moved for good, or permanent from
//     a page that is only away
func Redirects(p *plan.Plan, list *redirect.Examined) []finding.Finding {
	found := list.Found
	if len(p.Pages.Pages)+len(p.Book.Entries) > 0 {
		words := sync.OnceValue(func() map[ending][]*inventory.Page { return endings(p) })
		parts := make([][]finding.Finding, runtime.GOMAXPROCS(0))
		route.Parallel(p.Redirects.Len(), func(part, from, to int) {
			j := judge{Plan: p, walker: p.Rules().Walker(), words: words}
			for i := from; i < to; i++ {
				if !p.Redirects.IsPattern(i) && !list.Later(i) {
					j.row(i, p.Redirects.Row(i))
				}
			}
			parts[part] = j.found
		})
		found = slices.Concat(append([][]finding.Finding{found}, parts...)...)
	}
	finding.Sort(found)
	return found
}

// Mistaken returns what is wrong with a row of a plan's redirects that a person just wrote: it starts at a live page,
// or leads to what is none.
func Mistaken(p *plan.Plan, number int) []finding.Finding {
	j := judge{Plan: p, walker: p.Rules().Walker(),
		words: sync.OnceValue(func() map[ending][]*inventory.Page { return endings(p) })}
	if len(p.Pages.Pages)+len(p.Book.Entries) > 0 && !p.Redirects.IsPattern(number) {
		j.row(number, p.Redirects.Row(number))
	}
	return slices.DeleteFunc(j.found, func(f finding.Finding) bool {
		return f.Code != finding.LiveSource && f.Code != finding.DeadTarget
	})
}

// HomeTargets finds the rows of a list that lead to the home page from what isn't one, where no plan is known. An index
// file, and the root of a language, are taken for home pages.
func HomeTargets(list *redirect.List) []finding.Finding {
	var c collector
	for i := range list.Len() {
		row := list.Row(i)
		if row.Gone() || row.ToPage() || list.IsPattern(i) || !list.Site.Has(row.Target.Host) || row.Target.Path != "/" ||
			row.Target.Query != "" || likeHome(row.Path) && row.Query == "" {
			continue
		}
		c.add(finding.HomeTarget, finding.Warning, row.Place(), fmt.Sprintf("%s leads to the home page", row.From),
			"lead it to the page that replaced it; if there is none, say 410")
	}
	return c.found
}

// likeHome reports whether a path looks like that of a home page.
//
//	/    /index.html    /Default.aspx    /de/    /home
func likeHome(path string) bool {
	name, _, _ := strings.Cut(strings.Trim(address.Fold(path), "/"), ".")
	return name == "" || len(name) == 2 || name == "index" || name == "default" || name == "home" || name == "start"
}

// judge judges some of a list's redirects.
type judge struct {
	*plan.Plan
	collector
	walker *resolve.Walker
	words  func() map[ending][]*inventory.Page // live pages by the end of their address
}

// ending is the last word of an address, in a language.
type ending struct{ language, words string }

// endings returns the live pages of a plan by the ends of their addresses.
func endings(p *plan.Plan) map[ending][]*inventory.Page {
	words := map[ending][]*inventory.Page{}
	for i := range p.Pages.Pages {
		page := &p.Pages.Pages[i]
		if a, ok := p.CurrentAddress(page.Ref); ok && page.State == inventory.Live {
			key := ending{page.Language, lastSegment(p.Shape(a.Path))}
			words[key] = append(words[key], page)
		}
	}
	return words
}

func (j *judge) add(row redirect.Redirect, code finding.Code, severity finding.Severity, what, advice string) {
	j.collector.add(code, severity, row.Place(), what, advice)
}

func (j *judge) row(number int, row redirect.Redirect) {
	if page, ok := j.LivePage(number); ok {
		j.liveSource(row, page)
	}
	host := row.Host
	if host == "" {
		host = j.Site.Origin.Host
	}
	source := j.EntryAt(host, row.Path, row.Query)
	if source != nil && !resolve.Temporary(row.Status) && !row.Gone() {
		if page := j.Pages.Find(source.Page); page != nil && page.State == inventory.Away {
			j.add(row, finding.WrongStatus, finding.Warning,
				fmt.Sprintf("%s leads away for good, but the page %s is only away", row.From, page.Ref), "write 302")
		}
	}
	if row.Gone() {
		return
	}
	if !row.ToPage() && !j.Site.Has(row.Target.Host) {
		return
	}
	target, alive := j.pageOf(row)
	if !alive && len(j.Pages.Pages) > 0 {
		j.add(row, finding.DeadTarget, finding.Error, fmt.Sprintf("%s leads to %s, where no page is", row.From, row.To),
			"lead it to the page that replaced it, or say 410")
	}
	if target == nil {
		return
	}
	if j.IsHomePage(target.Ref) && !j.fromHome(row, source) {
		advice := "lead it to the page that replaced it; if there is none, say 410"
		if better := j.sameWords(row, target.Language); better != nil {
			advice = "lead it to " + better.Ref.String() + " (" + better.Title + ")"
		}
		j.add(row, finding.HomeTarget, finding.Warning, fmt.Sprintf("%s leads to the home page", row.From), advice)
	}
	language := j.sourceLanguage(row, source)
	if language != target.Language {
		if equal := j.Pages.Find(inventory.Ref{Key: target.Key, Language: language}); equal != nil &&
			equal.State == inventory.Live {
			j.add(row, finding.CrossLanguage, finding.Warning,
				fmt.Sprintf("%s is in %s, and leads to %s", row.From, language, target.Ref),
				"lead it to "+equal.Ref.String())
		}
	}
	if source != nil && source.Page == target.Ref && source.State != book.Current && resolve.Temporary(row.Status) {
		j.add(row, finding.WrongStatus, finding.Warning,
			fmt.Sprintf("%s leads to %s for now, but the page moved for good", row.From, target.Ref),
			"write 301, or delete the row: the address book leads there already")
	}
}

// pageOf returns the live page to which a row leads, as far as it is known, and
// whether anything is there. What another row of the list redirects is that
// row's matter.
func (j *judge) pageOf(row redirect.Redirect) (page *inventory.Page, alive bool) {
	if row.ToPage() {
		page = j.Pages.Find(row.Page)
		if page == nil || page.State == inventory.Gone || page.State == inventory.Draft {
			return nil, false
		}
		return page, true
	}
	t := row.Target
	t.Fragment = ""
	w := j.walker
	if n := j.Rules().Decides(t.Host, t.Path, address.SplitQuery(t.Query), w.Named(t.Path)); n >= 0 &&
		n < j.Plan.Redirects.Len() {
		return nil, true
	}
	w.Start("GET", t)
	redirected := false
	end, err := w.Walk(func() bool {
		last := w.Steps[len(w.Steps)-1]
		redirected = last.By == resolve.ByPattern || last.By == resolve.BySource && last.Number < j.Plan.Redirects.Len()
		return redirected
	})
	switch {
	case err != nil, redirected:
		return nil, true // that row's matter, or a contradiction of the plan, which is reported there
	case end.Kind == resolve.AtGone, end.Kind == resolve.AtNothing:
		return nil, false
	case end.Kind == resolve.AtPage:
		if served := j.Served(end.Number); served != nil {
			return j.Pages.Find(served.Page), true
		}
	}
	return nil, true
}

// fromHome reports whether a row starts at a spelling of a home page.
func (j *judge) fromHome(row redirect.Redirect, source *book.Entry) bool {
	if source != nil {
		return j.IsHomePage(source.Page)
	}
	_, path := j.Languages.OfPath(j.SiteForm(row.Path))
	return path == "/"
}

// sourceLanguage returns the language of what was at a row's source: its
// page's, else that of its prefix; empty where neither tells.
func (j *judge) sourceLanguage(row redirect.Redirect, source *book.Entry) string {
	if source != nil {
		return source.Page.Language
	}
	if language, _ := j.Languages.OfPath(row.Path); language != j.Languages.Default {
		return language
	}
	return "" // an address of another site, perhaps
}

// sameWords returns the one live page in a language whose address ends with the
// words with which a row's source ends, or nil.
func (j *judge) sameWords(row redirect.Redirect, language string) *inventory.Page {
	words := lastSegment(address.Fold(j.Shape(row.Path)))
	if words == "" {
		return nil
	}
	if pages := j.words()[ending{language, words}]; len(pages) == 1 {
		return pages[0]
	}
	return nil
}

func lastSegment(path string) string {
	path = strings.TrimRight(path, "/")
	return path[strings.LastIndexByte(path, '/')+1:]
}
