package plan

import (
	"fmt"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/redirect"
)

// World returns what a list of redirects stands in.
func (p *Plan) World() redirect.World {
	return redirect.World{Site: p.Site, Fold: p.Paths.Lower, Known: p.Known, Spell: p.spelled, Served: p.isServed, End: p.end}
}

// isServed reports whether an address is a live page's own.
func (p *Plan) isServed(a address.Address) bool {
	if !p.Site.Has(a.Host) {
		return false
	}
	answer, err := p.Answer(Request{Method: "GET", Address: p.Site.Rebase(a)})
	return err == nil && answer.Outcome == Served && answer.Page != inventory.Ref{}
}

// Ends returns the world in which a map is made flat: an address ends where the
// plan leads it.
func (p *Plan) Ends() redirect.World {
	w := p.World()
	w.Spell = p.end
	return w
}

// end returns where the plan leads an address.
func (p *Plan) end(a address.Address) address.Address {
	t, err := p.Trace(Request{Method: "GET", Address: a})
	if err != nil || len(t.Hops) == 0 {
		return p.Site.Rebase(a)
	}
	end, err := address.Parse(t.Hops[len(t.Hops)-1].To)
	if err != nil {
		return p.Site.Rebase(a)
	}
	return end
}

// spelled returns what the site's own rules alone make of an address.
func (p *Plan) spelled(a address.Address) address.Address {
	a = p.Site.Rebase(a)
	if !p.Site.Has(a.Host) || p.IsFile(a.Path) {
		return a
	}
	params := address.SplitQuery(a.Query)
	a.Query = joinParams(params, p.noiseAt(a.Path))
	if e := p.entryAt(a.Host, a.Path, params); e != nil && p.serves(*e) && p.Site.Rebase(e.Address).Path == a.Path {
		return a // a page may be spelled otherwise than the rules would
	}
	switch {
	case p.Site.IsHome(a.Host):
		a.Path = p.Shape(p.slashed(address.MergeSlashes(a.Path)))
	case len(redirect.Carried(params, p.Named(a.Path))) > 0: // an unknown item doesn't slide to another page
		a.Path = p.Spelling(a.Path)
	default:
		a.Path = p.SiteForm(a.Path)
	}
	return a
}

// entryAt returns the entry of the book that a request meets, or nil.
func (p *Plan) entryAt(host, path string, params []address.Param) *book.Entry {
	for _, n := range p.index.Match(host, path, params, p.index.Named(path)) {
		if e := p.entry(n); e != nil {
			return e
		}
	}
	return nil
}

// Judge checks a list of redirects, which was examined in the plan's World, as it
// would stand in this plan: it adds what is to be found with the inventory and
// the book to what was found
//
//   - dead-target: a row whose target is gone or that no page has
//   - live-source: a row whose source is the address of a live page
//   - home-target: a row to the home page from what isn't one
//   - cross-language: a row to a page in another language that has an equal in
//     the source's
//   - wrong-status: temporary to a page that moved for good, or permanent from
//     a page that is only away
func (p *Plan) Judge(rows *redirect.List, list *redirect.Examined) []finding.Finding {
	j := judge{Plan: p, list: list, found: list.Found}
	for i, row := range rows.All() {
		if row.Pattern == nil && !list.Later(i) {
			j.row(row)
		}
	}
	finding.Sort(j.found)
	return j.found
}

// judge is a list of redirects being judged.
type judge struct {
	*Plan
	list  *redirect.Examined
	found []finding.Finding
}

func (j *judge) add(row redirect.Row, code string, severity finding.Severity, what, advice string) {
	j.found = append(j.found, finding.Finding{Code: code, Severity: severity, Where: finding.Place{File: row.File, Line: row.Line}, What: what, Advice: advice})
}

func (j *judge) row(row redirect.Row) {
	if e := j.liveSource(row); e != nil {
		j.add(row, "live-source", finding.Warning, fmt.Sprintf("%s is the address of the live page %s, so this redirect is ignored", row.From, e.Page), "delete the row, or give the page another address first")
	}
	host := row.Host
	if host == "" {
		host = j.Site.Origin.Host
	}
	source := j.entryAt(host, row.Path, address.SplitQuery(row.Query))
	if source != nil && !redirect.Temporary(row.Status) && !row.Gone() {
		if page := j.Pages.Find(source.Page); page != nil && page.State == inventory.Away {
			j.add(row, "wrong-status", finding.Warning, fmt.Sprintf("%s leads away for good, but the page %s is only away", row.From, page.Ref), "write 302")
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
		j.add(row, "dead-target", finding.Error, fmt.Sprintf("%s leads to %s, where no page is", row.From, row.To), "lead it to the page that replaced it, or say 410")
	}
	if target == nil {
		return
	}
	if j.IsHome(target.Ref) && !j.fromHome(row, source) {
		advice := "lead it to the page that replaced it; if there is none, say 410"
		if better := j.sameWords(row, target.Language); better != nil {
			advice = "lead it to " + better.Ref.String() + " (" + better.Title + ")"
		}
		j.add(row, "home-target", finding.Warning, fmt.Sprintf("%s leads to the home page", row.From), advice)
	}
	language := j.sourceLanguage(row, source)
	if language != target.Language {
		if equal := j.Pages.Find(inventory.Ref{Key: target.Key, Language: language}); equal != nil && equal.State == inventory.Live {
			j.add(row, "cross-language", finding.Warning, fmt.Sprintf("%s is in %s, and leads to %s", row.From, language, target.Ref), "lead it to "+equal.Ref.String())
		}
	}
	if source != nil && source.Page == target.Ref && source.State != book.Current && redirect.Temporary(row.Status) {
		j.add(row, "wrong-status", finding.Warning, fmt.Sprintf("%s leads to %s for now, but the page moved for good", row.From, target.Ref), "write 301, or delete the row: the address book leads there already")
	}
}

// pageOf returns the live page to which a row leads, as far as it is known, and
// whether anything is there. What another row of the list redirects is that
// row's matter.
func (j *judge) pageOf(row redirect.Row) (page *inventory.Page, alive bool) {
	if row.ToPage() {
		page = j.Pages.Find(row.Page)
		if page == nil || page.State == inventory.Gone || page.State == inventory.Draft {
			return nil, false
		}
		return page, true
	}
	t := row.Target
	t.Fragment = ""
	if j.list.Redirects(t) {
		return nil, true
	}
	trace, err := j.Trace(Request{Method: "GET", Address: t})
	switch {
	case err != nil:
		return nil, true // a contradiction of the plan, which is reported there
	case trace.Answer.Outcome == Gone || trace.Answer.Outcome == Unknown:
		return nil, false
	}
	return j.Pages.Find(trace.Answer.Page), true
}

// IsHome reports whether a page is a home page: its address is the root of the
// site, or of a language.
func (p *Plan) IsHome(r inventory.Ref) bool {
	a, ok := p.CurrentAddress(r)
	if !ok || a.Query != "" {
		return false
	}
	path := strings.Trim(a.Path, "/")
	return path == "" || path == p.Languages.Prefix(r.Language) && path != ""
}

// fromHome reports whether a row starts at a spelling of a home page.
func (j *judge) fromHome(row redirect.Row, source *book.Entry) bool {
	if source != nil {
		return j.IsHome(source.Page)
	}
	_, path := j.Languages.OfPath(j.SiteForm(row.Path))
	return path == "/"
}

// sourceLanguage returns the language of what was at a row's source: its
// page's, else that of its prefix; empty where neither tells.
func (j *judge) sourceLanguage(row redirect.Row, source *book.Entry) string {
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
func (j *judge) sameWords(row redirect.Row, language string) *inventory.Page {
	words := lastSegment(address.Fold(j.Shape(row.Path)))
	if words == "" {
		return nil
	}
	var found *inventory.Page
	for i := range j.Pages.Pages {
		page := &j.Pages.Pages[i]
		if page.Language != language || page.State != inventory.Live {
			continue
		}
		if a, ok := j.CurrentAddress(page.Ref); ok && lastSegment(j.Shape(a.Path)) == words {
			if found != nil {
				return nil
			}
			found = page
		}
	}
	return found
}

func lastSegment(path string) string {
	path = strings.TrimRight(path, "/")
	return path[strings.LastIndexByte(path, '/')+1:]
}
