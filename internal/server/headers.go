package server

import (
	"fmt"
	"strconv"
	"strings"

	"young-compass/internal/plan"
	"young-compass/internal/planfile"
)

// headers works out the headers that rules add.
func (d *decider) headers() {
	exempt := "0"
	if d.exempts() {
		exempt = "{exempt}"
	}
	if m := d.Plan.Upkeep; m != nil {
		d.table("retry", "{code}", nil, is("503", T("%", strconv.Itoa(m.RetryAfter))))
		d.Headers = append(d.Headers, Field{"Retry-After", "retry"})
	}
	if d.trial {
		d.table("caching", "{code}", nil, on("^30", "max-age=60"))
		d.Headers = append(d.Headers, Field{"Cache-Control", "caching"})
	}
	scheme := "{scheme_asked}"
	if len(d.Plan.Proxies) > 0 {
		scheme = "{scheme}"
	}
	tables := map[string]*Table{}
	for _, h := range d.Plan.Headers {
		where := plan.Cause{File: d.Plan.File, Line: h.Where.Line, Rule: "headers"}
		arguments := []string{`\S*`}
		if len(h.Having) > 0 {
			arguments = nil
			for _, names := range Chunks(h.Having) {
				arguments = append(arguments, `(?:\S*&)?`+Names(names)+`(?:[=&]\S*)?`) // no space is in what was sent
			}
		}
		var paths []string
		numbers := map[string]int{}
		if h.Reader != nil {
			v, err := sources(h.Reader, where)
			if err != nil {
				d.found = append(d.found, NotExpressible(d.who.Name, where, err.Error(), "use narrower classes"))
				continue
			}
			paths = []string{""}
			paths[0], numbers = v.Expressions(d.Plan)
		} else if len(h.For.List()) > 0 {
			for _, list := range Chunks(h.For.List()) {
				paths = append(paths, "(?i:"+Within(list)+")")
			}
		}
		for _, field := range h.Fields {
			key := strings.ToLower(field.Name)
			t := tables[key]
			if t == nil {
				t = &Table{Name: fmt.Sprint("header", len(tables)+1),
					Source: T("{x0} {site}" + exempt + " " + scheme + " {p0} {args}")}
				tables[key] = t
				d.add(t)
				d.Headers = append(d.Headers, Field{field.Name, t.Name})
			}
			schemes := "https?"
			if planfile.SecureOnly(field.Name) {
				schemes = "https"
			}
			value := Variant{Target: field.Value}.Text("", numbers)
			if d.trial && planfile.SecureOnly(field.Name) {
				value = T("max-age=60") // browsers would insist on https for as long as it says
			}
			for _, argument := range arguments {
				for _, path := range paths {
					t.Rows = append(t.Rows, Case{Expression: "^" + d.flags(h.Except) + ` [ol]0 ` + schemes + ` ` +
						path + ` ` + argument +
						`\z`, Value: value, Where: where})
				}
			}
		}
	}
}
