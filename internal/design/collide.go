package design

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
)

// meaning returns what an address shares with all others that a visitor, or
// the plan, could take for it: whatever its letters (where the plan folds them),
// its Unicode form and percent-encoding, its slashes, its extension and index
// file. The plan looks up by less, so that what differs here differs there.
func meaning(p *plan.Plan, a address.Address) string {
	path := a.Path
	if !plain(path) {
		path = norm.NFC.String(address.Decode(address.MergeSlashes(path)))
		if p.Paths.Lower {
			path = norm.NFC.String(strings.Map(unicode.ToLower, path))
		}
		for {
			shorter := strings.TrimRight(path, "/")
			name := shorter[strings.LastIndexByte(shorter, '/')+1:]
			for _, e := range address.PageExtensions() {
				if len(name) > len(e) && strings.EqualFold(name[len(name)-len(e):], e) {
					shorter = shorter[:len(shorter)-len(e)]
					break
				}
			}
			if slices.ContainsFunc(p.Paths.Index, func(index string) bool { return strings.EqualFold(index, name) }) {
				shorter = shorter[:strings.LastIndexByte(shorter, '/')+1]
			}
			if shorter == path {
				break
			}
			path = shorter
		}
	}
	if a.Query != "" {
		path += "?" + a.Query
	}
	if p.Site.IsLanguageHost(a.Host) {
		path = "//" + a.Host + path
	}
	return path
}

// plain reports whether a path has one spelling only.
func plain(path string) bool {
	for i := 0; i < len(path); i++ {
		c := path[i]
		if ('a' > c || c > 'z') && ('0' > c || c > '9') && c != '-' && c != '/' || c == '/' &&
			(i+1 == len(path) || path[i+1] == '/') {
			return false
		}
	}
	return true
}

// collide finds pages that would get one address, and addresses that belong to
// another page or that the plan answers otherwise; it solves what its rule can.
func (d *designer) collide(proposals []Proposal) {
	t := teller{designer: d, proposals: proposals, owners: make(map[string]int, len(proposals)),
		book: make(map[string]int, len(d.plan.Book.Entries)), next: map[string]int{}}
	for i, e := range d.plan.Book.Entries {
		k := meaning(d.plan, d.plan.Site.Rebase(e.Address))
		if have, ok := t.book[k]; !ok || t.older(i, have) {
			t.book[k] = i
		}
	}
	var losers []int
	for i := range proposals {
		k := meaning(d.plan, proposals[i].New)
		first, taken := t.owners[k]
		switch {
		case !taken && t.free(k, i):
			t.owners[k] = i
		case taken && t.before(i, first, k) && t.free(k, i):
			t.owners[k] = i
			losers = append(losers, first)
		default:
			losers = append(losers, i)
		}
	}
	slices.Sort(losers)
	losers = slices.DeleteFunc(losers, t.keepsWhatItHas)
	for _, i := range losers {
		t.solve(i)
	}
	for i, p := range proposals {
		for _, a := range p.More {
			k := meaning(d.plan, a)
			if other, taken := t.owners[k]; taken && other != i || !t.free(k, i) {
				t.report(i, a)
			}
			t.owners[k] = i
		}
	}
	if !finding.Worst(d.found, finding.Error) {
		t.checkAnswers()
	}
}

// teller tells addresses apart.
type teller struct {
	*designer
	proposals []Proposal
	owners    map[string]int // what an address means -> the proposal that has it
	book      map[string]int // -> the entry of the page that it belongs to
	next      map[string]int // by path: the number that nobody tried yet
}

// older reports whether an entry of the book goes before another of the same
// meaning: current ones, then those known longer.
func (t *teller) older(i, j int) bool {
	a, b := t.plan.Book.Entries[i], t.plan.Book.Entries[j]
	if (a.State == book.Current) != (b.State == book.Current) {
		return a.State == book.Current
	}
	return cmp.Or(strings.Compare(a.Since, b.Since), a.Page.Compare(b.Page)) < 0
}

// free reports whether an address doesn't belong to another page.
func (t *teller) free(meaning string, proposal int) bool {
	i, ok := t.book[meaning]
	return !ok || t.plan.Book.Entries[i].Page == t.proposals[proposal].Page.Ref
}

// before reports whether a page has the better right to an address than the one
// that claimed it before: it is fixed there by hand, or it had it first.
func (t *teller) before(i, owner int, meaning string) bool {
	a, b := t.proposals[i].Page, t.proposals[owner].Page
	if (a.Fixed != "") != (b.Fixed != "") {
		return a.Fixed != ""
	}
	entry, ok := t.book[meaning]
	return ok && t.plan.Book.Entries[entry].Page == a.Ref && t.plan.Book.Entries[entry].Page != b.Ref
}

// keepsWhatItHas lets a page stay where it was told apart before: at its own
// address with something behind it.
func (t *teller) keepsWhatItHas(i int) bool {
	p := &t.proposals[i]
	if p.IsNew() {
		return false
	}
	old := t.plan.Site.Rebase(*p.Old)
	stem := strings.TrimSuffix(p.New.Path, t.plan.Paths.Ending())
	if p.Page.Fixed != "" || old.Host != p.New.Host || old.Query != "" || !strings.HasPrefix(old.Path, stem+"-") {
		return false
	}
	tail := strings.TrimSuffix(strings.TrimPrefix(old.Path, stem+"-"), t.plan.Paths.Ending())
	rule := planfile.CollideNever
	switch {
	case tail == t.parentOf(p.Page):
		rule = planfile.CollideParent
	case tail == p.Page.Field("date"):
		rule = planfile.CollideDate
	case len(tail) < 5 && strings.Trim(tail, "0123456789") == "" && tail > "":
		rule = planfile.CollideNumber
	default:
		return false
	}
	return t.take(i, tail, rule)
}

// take gives a page its address with something behind it, if that is free.
func (t *teller) take(i int, tail string, rule planfile.Collide) bool {
	p := &t.proposals[i]
	a := p.New
	a.Path = strings.TrimSuffix(a.Path, t.plan.Paths.Ending()) + "-" + tail + t.plan.Paths.Ending()
	return t.takeAddress(i, a, rule)
}

func (t *teller) takeAddress(i int, a address.Address, rule planfile.Collide) bool {
	k := meaning(t.plan, a)
	if _, taken := t.owners[k]; taken || !t.free(k, i) || t.plan.IsFile(a.Path) {
		return false
	}
	t.owners[k] = i
	t.proposals[i].New, t.proposals[i].Solved = a, rule
	return true
}

// maxNumber is the last number that tells pages apart.
const maxNumber = 9999

// solve tells a page's address apart by the rule, or reports the collision.
func (t *teller) solve(i int) {
	page := t.proposals[i].Page
	if page.Fixed == "" && !t.proposals[i].Held {
		switch rule := t.options.Collide; rule {
		case planfile.CollideNumber:
			for n := max(2, t.next[t.proposals[i].New.Path]); n <= maxNumber; n++ {
				t.next[t.proposals[i].New.Path] = n + 1
				if t.take(i, strconv.Itoa(n), rule) {
					return
				}
			}
		case planfile.CollideParent:
			if tail := t.parentOf(page); tail != "" && t.take(i, tail, rule) {
				return
			}
		case planfile.CollideDate:
			if tail := t.normal.Make(page.Field("date"), ""); tail != "" && t.take(i, tail, rule) {
				return
			}
		case planfile.CollideAsk:
			if t.ask(i) {
				return
			}
		}
	}
	t.report(i, t.proposals[i].New)
}

// ask lets a person say the last words of a page's address, until they are
// free; nothing said leaves the collision.
func (t *teller) ask(i int) bool {
	p := &t.proposals[i]
	for t.options.Ask != nil {
		owner, title := t.ownerOf(p.New)
		text, err := t.options.Ask(Collision{p.Page, p.New, owner, title})
		if err != nil || text == "" {
			return false
		}
		a := p.New
		a.Path = strings.TrimSuffix(a.Path, t.plan.Paths.Ending())
		a.Path = a.Path[:strings.LastIndexByte(a.Path, '/')+1] + t.slugs.Make(text, p.Page.Language) +
			t.plan.Paths.Ending()
		if strings.HasPrefix(text, "/") {
			if a, err = address.Resolve(p.New.Origin(), text); err != nil {
				continue
			}
		}
		if t.takeAddress(i, a, planfile.CollideAsk) {
			p.Page.Fixed = a.Local()
			return true
		}
	}
	return false
}

// parentOf returns what tells a page apart from those of the same name: its
// parent, the last of its section or region, else its kind.
func (t *teller) parentOf(page *inventory.Page) string {
	for _, name := range []string{"parent", "section", "region"} {
		first, _, _ := strings.Cut(page.Field(name), ";")
		if s := t.slugs.Make(first[strings.LastIndexByte(first, '/')+1:], page.Language); s != "" {
			return s
		}
	}
	return t.normal.Make(page.Kind, "")
}

// ownerOf returns the page that has an address.
func (t *teller) ownerOf(a address.Address) (inventory.Ref, string) {
	k := meaning(t.plan, a)
	if i, ok := t.owners[k]; ok {
		return t.proposals[i].Page.Ref, t.proposals[i].Page.Title
	}
	ref := t.plan.Book.Entries[t.book[k]].Page
	if page := t.plan.Pages.Find(ref); page != nil {
		return ref, page.Title
	}
	return ref, ""
}

// report says that a page can't have an address.
func (t *teller) report(i int, a address.Address) {
	page, k := t.proposals[i].Page, meaning(t.plan, a)
	if owner, ok := t.owners[k]; ok && owner != i {
		other := t.proposals[owner]
		f := t.add(finding.Collision, finding.Error, t.row(page),
			fmt.Sprintf("%s (%q) and %s (%q) would both get %s", other.Page.Ref, other.Page.Title, page.Ref, page.Title,
				shown(a, other.New)),
			"give one of them an address in the column fixed, or another title; --collide says how to tell all "+
				"such apart")
		f.Related = []finding.Place{t.row(other.Page)}
		return
	}
	e := t.plan.Book.Entries[t.book[k]]
	f := t.add(finding.Taken, finding.Error, t.row(page),
		fmt.Sprintf("%s would get %s, which has been an address of %s", page.Ref, a.Path, e.Page),
		"visitors with the old link expect the other page; give this one a fixed address, or change the "+
			"page in "+t.plan.Book.File)
	f.Related = []finding.Place{{File: t.plan.Book.File, Line: e.Line}}
}

// shown names an address, and the other spelling of it where they differ.
func shown(a, other address.Address) string {
	if a.Path == other.Path {
		return a.Path
	}
	return fmt.Sprintf("%s, which is the same as %s", a.Path, other.Path)
}

// checkAnswers finds addresses that the plan answers otherwise once they are
// accepted. An address of small letters, digits and hyphens that is one page's
// own is always served: no rule comes before a live page's address. What is
// left is asked one by one.
func (t *teller) checkAnswers() {
	var doubtful []Proposal
	for _, p := range t.proposals {
		if !plain(p.New.Path) || p.New.Query != "" || t.plan.IsFile(p.New.Path) {
			doubtful = append(doubtful, p)
		}
	}
	if len(doubtful) == 0 {
		return
	}
	accepted := plan.New(t.plan.Settings, t.plan.Pages, Accept(t.plan.Book, t.proposals, ""), t.plan.Redirects)
	for _, p := range doubtful {
		a, err := accepted.Answer(plan.Request{Method: "GET", Address: t.plan.Site.Rebase(p.New)})
		reserved := func(what string) {
			t.add(finding.Reserved, finding.Error, t.row(p.Page),
				fmt.Sprintf("%s would get %s, which %s", p.Page.Ref, p.New.Path, what), "give it a fixed address")
		}
		switch {
		case t.plan.IsFile(p.New.Path):
			reserved("is among the files that the server serves as they are")
		case err == nil && (a.Outcome != plan.Served || a.Page != p.Page.Ref):
			reserved(fmt.Sprintf("the plan answers otherwise (%s %s)", a.Outcome, a.To))
		}
	}
}
