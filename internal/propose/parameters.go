package propose

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/parameter"
)

// using is how a parameter is used.
type using struct {
	addresses, visits int
	listed            int // addresses of pages
	values            map[string]bool
	more              bool                // more values than are kept
	selects           int                 // pages that differ from another of the same path by it
	byPath            map[string][]string // of listed addresses: path -> the first pages
	ways              map[string]int      // of each page on each path: its listed addresses with the parameter
	always            int                 // how many of these have no address without it
	number            int                 // values that are numbers
	long              int                 // values as sessions have them
	same, differ      int                 // answers of as many bytes as without it, or of others
	examples          []string
}

// The bounds of what is kept of one parameter.
const (
	maxValues = 2000
	maxPaths  = 5000
)

// findParameters finds what parameters are for.
func (d *draft) findParameters(s *survey) parameter.List {
	use := s.countParameters()
	var list parameter.List
	var covered []string // beginnings of names that a line says already
	for _, name := range slices.Sorted(maps.Keys(use)) {
		u := use[name]
		if name == s.languages.parameter || !plainName(name) {
			continue
		}
		usual, known := parameter.UsualOf(name)
		class, why, doubt := s.classOf(name, u, usual, known)
		if class == "" && doubt == "" {
			continue
		}
		written := name
		if known && strings.HasSuffix(usual.Name, "*") && class == usual.Class {
			if slices.Contains(covered, usual.Name) {
				continue
			}
			covered = append(covered, usual.Name)
			written = usual.Name
		}
		if class == "" {
			class = parameter.Identity
		}
		d.item("parameters."+string(class), quoted(written), doubt, u.examples, "%s", why)
		if doubt == "" {
			list.All = append(list.All, parameter.Parameter{Name: written, Class: class})
		}
	}
	return list
}

// plainName reports whether a name can be written in a plan.
func plainName(name string) bool {
	return name != "" && len(name) <= 60 && !strings.ContainsAny(name, "*&=#?% \"'<>[]{}\\") &&
		address.Printable(name) == name
}

// pathParameters returns the parameters in a path, with ";" in front of their names.
//
//	/shop;jsessionid=0A3F/boots    ;jsessionid = 0A3F
func pathParameters(path string) (list []address.Param) {
	for segment := range strings.SplitSeq(path, "/") {
		_, params, _ := strings.Cut(segment, ";")
		for item := range strings.SplitSeq(params, ";") {
			if name, value, ok := strings.Cut(item, "="); ok && name != "" {
				list = append(list, address.Param{Raw: ";" + item, Name: ";" + strings.ToLower(name), Value: "=" + value})
			}
		}
	}
	return list
}

func newUsing() *using {
	return &using{values: map[string]bool{}, byPath: map[string][]string{}, ways: map[string]int{}}
}

// countParameters counts how each parameter is used.
func (s *survey) countParameters() map[string]*using {
	use := map[string]*using{}
	for _, p := range s.e.Proved { // that a probe met, and nobody else
		use[p.Name] = newUsing()
	}
	ways := map[string]int{}     // listed addresses of each page on each path
	bytes := map[string]int{}    // of answers without parameters of unknown use: address -> size
	queried := map[string]bool{} // paths that are met with parameters
	for i := range s.e.Seen {
		if at := &s.e.Seen[i].Address; at.Query != "" {
			queried[at.Path] = true
		}
	}
	for i := range s.e.Seen {
		if seen := &s.e.Seen[i]; seen.Bytes > 0 && queried[seen.Address.Path] {
			bytes[seen.Address.Host+seen.Address.Local()] = seen.Bytes
		}
	}
	for i := range s.e.Seen {
		seen := &s.e.Seen[i]
		if seen.Address.Host != "" && !s.hosts.site[seen.Address.Host] {
			continue
		}
		session := strings.IndexByte(seen.Address.Path, ';') >= 0
		if !session && !queried[seen.Address.Path] {
			continue
		}
		params := address.SplitQuery(seen.Address.Query)
		if session {
			params = append(pathParameters(seen.Address.Path), params...)
		}
		way := seen.Address.Path + " " + seen.Language + " " + cmp.Or(seen.Page, seen.Title)
		if isListed := seen.Says&listed != 0 && (seen.Says&Elsewhere == 0 || seen.Page != ""); isListed {
			ways[way]++
		}
		for n, q := range params {
			if q.Name == "" || q.Raw == "" {
				continue
			}
			u := use[q.Name]
			if u == nil {
				u = newUsing()
				use[q.Name] = u
			}
			u.addresses++
			u.visits += seen.Visits
			u.note(strings.TrimPrefix(q.Value, "="))
			u.examples = show(u.examples, seen.Address)
			if seen.Says&listed != 0 && seen.Says&Elsewhere == 0 {
				u.listed++
			}
			if seen.Says&listed != 0 && (seen.Says&Elsewhere == 0 || seen.Page != "") {
				if len(u.ways) < maxPaths {
					u.ways[way]++
				}
				others := seen.Address.Path
				for m, o := range params {
					if m != n && len(params) < 20 {
						others += "&" + o.Raw
					}
				}
				page := cmp.Or(seen.Page, q.Value)
				if have := u.byPath[others]; len(have) < 2 && len(u.byPath) < maxPaths && !slices.Contains(have, page) {
					u.byPath[others] = append(have, page)
					if len(have) == 1 {
						u.selects++
					}
				}
			}
			if seen.Bytes != 0 && !strings.HasPrefix(q.Name, ";") {
				bare := seen.Address
				bare.Query = address.JoinWithout(params, func(o address.Param) bool { return o.Name == q.Name })
				if without, ok := bytes[bare.Host+bare.Local()]; ok {
					if seen.Bytes == without {
						u.same++
					} else {
						u.differ++
					}
				}
			}
		}
	}
	for _, u := range use {
		for way, n := range u.ways {
			if ways[way] == n {
				u.always++
			}
		}
	}
	return use
}

// note counts a value.
func (u *using) note(value string) {
	if u.values[value] {
		return
	}
	if len(u.values) >= maxValues {
		u.more = true
		return
	}
	u.values[value] = true
	if value != "" && strings.Trim(value, "0123456789") == "" {
		u.number++
	}
	if digits := strings.ContainsAny(value, "0123456789"); len(value) >= 16 && digits &&
		strings.Trim(strings.ToLower(value), "0123456789abcdefghijklmnopqrstuvwxyz-_.") == "" {
		u.long++
	}
}

// classOf returns what a parameter is for, why, and what is doubtful; nothing where it is too seldom to matter.
func (s *survey) classOf(name string, u *using, usual parameter.Usual, known bool) (class parameter.Class, why,
	doubt string) {
	times := many(u.addresses, "address") + ", " + many(u.visits, "visit")
	if u.addresses == 0 {
		times = "the probe met it"
	}
	if known && !usual.Vague && (usual.Class == parameter.Noise || usual.Class == parameter.Tracking) {
		return usual.Class, usual.What + " are called so; " + times, ""
	}
	for _, p := range s.e.Proved {
		if p.Name == name && p.Class != "" && p.Agree >= least && p.Agree*5 >= p.Told*4 {
			return p.Class, fmt.Sprintf("the probe says so (%d of %d trials); %s", p.Agree, p.Told, times), ""
		}
	}
	numbers := u.number*10 >= len(u.values)*9
	fits := known && (usual.Class != parameter.Pagination || numbers)
	selects := u.selects > 0 || u.always >= least && u.always*5 >= len(u.ways)*4
	switch {
	case fits && usual.Class == parameter.Pagination && u.addresses > 0 && u.selects*3 <= max(u.listed, 3):
		return parameter.Pagination, usual.What + " are called so, and its values are numbers; " + times, ""
	case fits && !usual.Vague:
		return usual.Class, usual.What + ", by its name; " + times, ""
	case selects && u.differ >= u.same:
		return parameter.Identity, fmt.Sprintf("it tells pages apart: %s, %s", many(max(len(u.ways), u.listed), "address"),
			many(len(u.values), "value")), ""
	case u.same >= least && u.differ == 0 && u.long*10 >= len(u.values)*9:
		return parameter.Noise, fmt.Sprintf("its values are as sessions have them (%d), and answers are as long as without it; %s", len(u.values), times), ""
	case u.same >= least && u.differ == 0 && known:
		return usual.Class, fmt.Sprintf("%s, by its name; answers are as long as without it (%d); %s", usual.What, u.same,
			times), ""
	case u.same >= 5 && u.differ == 0:
		return parameter.Tracking, fmt.Sprintf("answers are as long as without it (%d); %s", u.same, times), ""
	case u.long*10 >= len(u.values)*9 && len(u.values) >= 5 && u.listed == 0:
		return parameter.Noise, fmt.Sprintf("its values are as sessions have them (%d); %s", len(u.values), times),
			"is " + name + " a session? Then it is redirected away"
	case u.addresses == 0:
		return "", times, "what is " + name + " for? Give it a class: identity, pagination, display, tracking or noise"
	case u.addresses < 2 && u.visits < 5:
		return "", "", ""
	case known:
		return usual.Class, usual.What + ", perhaps, by its name; " + times, "is " + name + " for " +
			string(usual.Class) + "? On other sites it is something else"
	case u.differ > u.same:
		return parameter.Identity, fmt.Sprintf("answers are longer or shorter than without it (%d of %d); %s", u.differ,
				u.differ+u.same, times),
			"does " + name + " select what a page shows?"
	}
	return "", times, cmp.Or("what is " + name + " for? Give it a class: identity, pagination, display, tracking or noise")
}
