package probe

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
)

// Table returns what was seen, but for redirects, as a table for people; origin is the site's.
func (s *Section) Table(origin address.Address) (columns []string, rows [][]string) {
	switch s.Kind {
	case Hosts:
		columns = []string{"page", "spelling"}
		for _, a := range s.Spelled.Origins {
			columns = append(columns, shortOrigin(a, origin.Host))
		}
		for _, r := range s.Spelled.Rows {
			row := []string{r.Page, r.Spelling}
			for _, e := range r.Ends {
				row = append(row, endCell(e))
			}
			rows = append(rows, row)
		}
	case Canonicals:
		columns = []string{"address", "addresses", "alike", "canonical", "why there is none"}
		for _, g := range s.Groups {
			rows = append(rows, groupRow(g))
		}
	case Parameters:
		columns = []string{"parameter", "addresses", "visits", "indexable", "class", "evidence says",
			"trials that agree"}
		for i := range s.Parameters {
			p, agree := &s.Parameters[i], ""
			if p.Proposed != "" {
				agree = fmt.Sprintf("%d of %d", p.Agree, p.Told)
			}
			rows = append(rows, []string{address.Printable(p.Name), fmt.Sprint(len(p.Addresses)), fmt.Sprint(p.Visits),
				fmt.Sprint(p.Indexable), cmp.Or(string(p.Class), "-"), cmp.Or(string(p.Proposed), "-"), agree})
		}
	case Languages:
		columns = append([]string{"page", "lang"}, s.Translations.Languages...)
		for _, r := range s.Translations.Rows {
			rows = append(rows, append([]string{strings.TrimPrefix(r.Page.String(), origin.Base()), r.Language},
				r.Marks...))
		}
	case Secure:
		columns = []string{"host", "certificate", "issuer", "valid until", "chain", "protocol"}
		for _, c := range s.Certificates {
			rows = append(rows, certificateRow(c))
		}
	case Index:
		columns = []string{"sitemap", "answer", "entries", "bytes", "in robots.txt"}
		for _, m := range s.Sitemaps {
			named := "no"
			if m.Named {
				named = "yes"
			}
			rows = append(rows, []string{m.Address.String(), fmt.Sprint(m.Status), fmt.Sprint(m.Entries),
				fmt.Sprint(m.Size), named})
		}
	}
	return columns, rows
}

// shortOrigin names a scheme and host in a few letters: "http", "https www.".
func shortOrigin(a address.Address, origin string) string {
	switch host, ok := strings.CutSuffix(a.Host, origin); {
	case ok && host == "":
		return a.Scheme
	case ok:
		return a.Scheme + " " + host
	}
	return a.Scheme + " " + a.Host
}

// endCell says in a few letters where an address ends, and in how many hops: "1 hop 200", "2 hops 404 !".
func endCell(e End) string {
	text := fmt.Sprint(e.Status)
	switch {
	case e.Failed:
		text = "none"
	case e.Away:
		text = "away"
	}
	switch e.Hops {
	case 0:
	case 1:
		text = "1 hop " + text
	default:
		text = fmt.Sprintf("%d hops %s", e.Hops, text)
	}
	if e.Differs {
		text += " !"
	}
	return text
}

func groupRow(g Group) []string {
	end, why := "", string(g.Code)
	switch {
	case g.Canonical != (address.Address{}):
		end = g.Canonical.String()
	case g.OnePath:
		why = cmp.Or(why, "they differ by parameters alone")
	default:
		why = cmp.Or(why, "see the findings of its pages")
	}
	return []string{g.First.String(), fmt.Sprint(g.Addresses), fmt.Sprintf("%.0f %%", 100*g.Likeness), end, why}
}

func certificateRow(c Certificate) []string {
	state, until := strings.Join(c.Names[:min(1, len(c.Names))], ""), c.To.UTC().Format(time.DateOnly)
	if len(c.Names) > 1 {
		state += fmt.Sprintf(" and %d more", len(c.Names)-1)
	}
	switch {
	case c.Failure == fetch.Certificate:
		state, until = "not valid: "+c.Problem, ""
	case c.Failure != "":
		state, until = string(c.Failure), ""
	}
	return []string{c.Host, state, c.Issuer, until, fmt.Sprint(c.Chain), c.Protocol}
}
