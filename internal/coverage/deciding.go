package coverage

import (
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
)

// deciding tells which page an address means by those of its parameters that decide it, though the book doesn't have it
// with just these parameters.
//
//	/shop.php?cat=3&prod=17 is known; /shop.php?cat=9&prod=17 is the same product
type deciding struct {
	plan  *plan.Plan
	paths map[string]map[string]*decider // path -> name of a parameter
}

// decider is a parameter on a path, and the page that each of its values has in the book.
type decider struct {
	keys  map[string]string // value -> key; "" where it has several
	pages map[string]bool   // the keys
}

// leastDecided is how many pages a parameter must tell apart before it is believed to decide.
const leastDecided = 3

func newDeciding(p *plan.Plan) *deciding {
	d := &deciding{plan: p, paths: map[string]map[string]*decider{}}
	for _, e := range p.Book.Entries {
		if e.Address.Query == "" {
			continue
		}
		path := p.Key(e.Address.Path)
		if d.paths[path] == nil {
			d.paths[path] = map[string]*decider{}
		}
		for _, q := range address.SplitQuery(e.Address.Query) {
			if q.Name == "" || q.Name == p.Languages.Parameter {
				continue
			}
			one := d.paths[path][q.Name]
			if one == nil {
				one = &decider{keys: map[string]string{}, pages: map[string]bool{}}
				d.paths[path][q.Name] = one
			}
			if key, met := one.keys[q.Value]; met && key != e.Page.Key {
				one.keys[q.Value] = ""
			} else {
				one.keys[q.Value] = e.Page.Key
				one.pages[e.Page.Key] = true
			}
		}
	}
	return d
}

// decides reports whether each value of the parameter has one page.
func (o *decider) decides() bool {
	for _, key := range o.keys {
		if key == "" {
			return false
		}
	}
	return len(o.pages) >= leastDecided
}

// page returns the page that an address means, and the source of a redirect that leads all like it there; false where
// nothing, or more than one thing, decides it.
func (d *deciding) page(a address.Address) (ref inventory.Ref, from string, ok bool) {
	known := d.paths[d.plan.Key(a.Path)]
	if known == nil {
		return ref, "", false
	}
	params := address.SplitQuery(a.Query)
	key, name := "", ""
	for _, q := range params {
		one := known[q.Name]
		if one == nil || !one.decides() || one.keys[q.Value] == "" {
			continue
		}
		if key != "" && key != one.keys[q.Value] {
			return ref, "", false
		}
		key, name = one.keys[q.Value], q.Name
	}
	if key == "" {
		return ref, "", false
	}
	ref = inventory.Ref{Key: key, Language: d.plan.Languages.OfAddress(a)}
	if page := d.plan.Pages.Find(ref); page == nil || page.State != inventory.Live {
		return ref, "", false
	}
	return ref, d.pattern(a.Path, params, name), true
}

// pattern writes the source of a redirect: the deciding parameter and that of the language as they are, others with any
// value.
func (d *deciding) pattern(path string, params []address.Param, name string) string {
	var items []string
	var used []string
	for _, q := range params {
		class := d.plan.Parameters.ClassOf(q.Name, path)
		variable := strings.Map(func(r rune) rune {
			if 'a' <= r|0x20 && r|0x20 <= 'z' || '0' <= r && r <= '9' {
				return r
			}
			return -1
		}, q.Name)
		switch {
		case q.Name == name, q.Name == d.plan.Languages.Parameter:
			items = append(items, q.Raw)
		case class == parameter.Tracking || class == parameter.Noise || class == parameter.Display || q.Value == "" ||
			q.Value == "=" || variable == "" || slices.Contains(used, variable):
		default:
			used = append(used, variable)
			items = append(items, q.Name+"={"+variable+"}")
		}
	}
	return path + "?" + strings.Join(items, "&")
}
