package server

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/parameter"
	"young-compass/internal/template"
)

// excepts numbers the places that some rules leave out.
func (d *decider) excepts() {
	note := func(list address.Places) {
		if len(list.List()) > 0 && d.exceptOf(list) < 0 {
			d.Excepts = append(d.Excepts, list)
		}
	}
	for _, q := range d.Program.Patterns {
		note(q.Except)
	}
	for _, h := range d.Plan.Headers {
		note(h.Except)
	}
	for _, s := range d.Plan.Serves {
		note(s.Except)
	}
	if d.Plan.Front != nil {
		note(d.Plan.Front.Except)
	}
}

func (d *decider) exceptOf(list address.Places) int {
	return slices.IndexFunc(d.Excepts, func(o address.Places) bool { return slices.Equal(o.List(), list.List()) })
}

// flags returns an expression that matches the flags of a path when the path is in none of the places of list.
func (d *decider) flags(list address.Places) string {
	n, all := d.exceptOf(list), len(d.Excepts)
	if n < 0 {
		return anyFlags(all)
	}
	return anyFlags(n) + "0" + anyFlags(all-n-1)
}

// anyFlags is an expression for so many flags.
func anyFlags(n int) string {
	const most = 1000 // which RE2 repeats
	switch {
	case n > most:
		return anyFlags(most) + anyFlags(n-most)
	case n > 2:
		return fmt.Sprintf("[01]{%d}", n)
	}
	return strings.Repeat("[01]", n)
}

func (d *decider) patterns() {
	for _, q := range d.Program.Patterns {
		if d.scopeUnclear(q) {
			d.found = append(d.found, NotExpressible(d.who.Name, q.Where,
				"a target that may be where a noise parameter is noise, or not",
				"let the target begin with that section, or give the parameter no for:"))
			continue
		}
		variants, err := Variants(q)
		if err != nil {
			d.found = append(d.found, NotExpressible(d.who.Name, q.Where, err.Error(), "narrow the pattern"))
			continue
		}
		kind := Move
		if d.Folds && d.Program.OnSite(q) && !encoded(q) && !d.readAgain(q) {
			kind = MoveFold // the path takes small letters
		}
		if strings.HasSuffix(q.Target.String(), "&") && d.who.LosesAmpersand {
			d.found = append(d.found, NotExpressible(d.who.Name, q.Where,
				"a target that ends in &, which httpd takes away", "encode it"))
			continue
		}
		d.codes.Add(q.Status)
		for _, v := range variants {
			expression, numbers := v.Expressions(d.Plan)
			if len(numbers) > 8 {
				d.found = append(d.found, NotExpressible(d.who.Name, q.Where,
					"more than eight variables in one pattern", "join some of them"))
				continue
			}
			action := Action{Kind: kind, Status: q.Status, Set: d.sets.Number(q.Strip, q.Drop)}
			value := Text{{Literal: action.String()}}
			d.Matchers = append(d.Matchers, Matcher{Expression: d.flags(q.Except) + "[0-9]+:" + expression,
				Value: append(value, v.Text(d.Plan.Site.Origin.Base(), numbers)...), Where: q.Where})
		}
	}
}

// readAgain reports whether another pattern may read what a pattern writes: its letters must stay until then.
//
//	/p/{x} to /n/{x}, /n/{x} to https://far.example/?n={x}
func (d *decider) readAgain(q compile.Pattern) bool {
	to, ok := d.written(q)
	return slices.ContainsFunc(d.Program.Patterns, func(o compile.Pattern) bool {
		return o.Where != q.Where && (!ok || !template.Disjoint(o.Reader, to, d.Plan.Paths.Lower))
	})
}

// written returns a reader of the paths that a pattern writes on the site; ok is false where there is none.
func (d *decider) written(q compile.Pattern) (to *template.Reader, ok bool) {
	text := q.Target.String()
	if i := strings.Index(text, "://"); i > 0 {
		i += 3 + strings.IndexByte(text[i+3:]+"/", '/')
		text = cmp.Or(text[min(i, len(text)):], "/")
	}
	path, _, _ := strings.Cut(strings.SplitN(strings.SplitN(text, "{?", 2)[0], "?", 2)[0], "#")
	t, err := template.Parse(path)
	if err != nil {
		return nil, false
	}
	to, err = template.NewReader(t, q.Reader.Classes())
	return to, err == nil
}

// encoded reports whether the path of a pattern's target has encoded bytes, such as %C3. A server that makes such a
// path lower case would spoil their hex digits.
func encoded(q compile.Pattern) bool {
	pieces, _ := q.Target.Pieces()
	for _, piece := range pieces {
		path, _, end := strings.Cut(piece.Literal, "?")
		if strings.Contains(path, "%") {
			return true
		}
		if end {
			break
		}
	}
	return false
}

// scopeUnclear reports whether it depends on the values of a pattern's variables which noise parameters apply, where it
// starts or where it leads.
//
//	noise: [{name: view, for: /en}]  and  /{section}/x -> /y    unclear: section may be en
func (d *decider) scopeUnclear(q compile.Pattern) bool {
	unclear := func(literal string, whole bool) bool {
		path, _, cut := strings.Cut(literal, "?")
		return !whole && !cut && slices.ContainsFunc(d.Plan.Parameters.All, func(n parameter.Parameter) bool {
			return n.Class == parameter.Noise && address.Fold(path) != n.For+"/" &&
				strings.HasPrefix(n.For+"/", address.Fold(path))
		})
	}
	from := q.Reader.Elements()
	if unclear(from[0].Literal, len(from) == 1) {
		return true
	}
	pieces, ok := q.Target.Pieces()
	if !ok || !strings.HasPrefix(pieces[0].Literal, "/") && !d.Program.OnSite(q) {
		return false
	}
	return unclear(strings.TrimPrefix(pieces[0].Literal, d.Plan.Site.Origin.Base()), len(pieces) == 1)
}
