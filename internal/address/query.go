package address

import (
	"slices"
	"strings"
)

// Param is one item of a query. Raw bytes are kept: "k" and "k=" differ, and
// nothing is decoded, since servers and applications don't agree on how.
type Param struct {
	Raw   string // as it stands between two "&"
	Name  string // up to the first "="
	Value string // "=" and what follows; empty when there is no "="
}

// SplitQuery splits a query at "&", empty items included.
func SplitQuery(query string) []Param {
	if query == "" {
		return nil
	}
	items := strings.Split(query, "&")
	params := make([]Param, len(items))
	for i, item := range items {
		params[i] = ParseParam(item)
	}
	return params
}

// ParseParam reads one item of a query.
func ParseParam(item string) Param {
	if i := strings.IndexByte(item, '='); i >= 0 {
		return Param{Raw: item, Name: item[:i], Value: item[i:]}
	}
	return Param{Raw: item, Name: item}
}

// JoinQuery joins items with "&", leaving out empty ones.
func JoinQuery(params []Param) string {
	var b strings.Builder
	for _, p := range params {
		if p.Raw == "" {
			continue
		}
		if b.Len() > 0 {
			b.WriteByte('&')
		}
		b.WriteString(p.Raw)
	}
	return b.String()
}

// First returns the first item of that name.
func First(params []Param, name string) (Param, bool) {
	for _, p := range params {
		if p.Name == name && p.Raw != "" {
			return p, true
		}
	}
	return Param{}, false
}

// JoinWithout joins items with "&", leaving out empty ones and those for which leave is true; leave may be nil.
func JoinWithout(params []Param, leave func(Param) bool) string {
	if leave != nil {
		params = slices.DeleteFunc(slices.Clone(params), leave)
	}
	return JoinQuery(params)
}
