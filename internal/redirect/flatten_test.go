package redirect

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
)

func TestFlatten(t *testing.T) {
	for lines, want := range map[string]string{
		"/a,/b,301\n/b,/c,302\n/c,/d,301":                   "/a,/d,302\n/b,/d,302\n/c,/d,301",
		"/a,/b,301\n/b,,410":                                "/a,,410\n/b,,410",
		"/a,/b#x,308\n/b,page@en,301":                       "/a,page@en#x,308\n/b,page@en,301",
		"/a,/b#x,301\n/b,/c#y,301":                          "/a,/c#y,301\n/b,/c#y,301",
		"/a,/b,301\n/a,/b,301\n/z,/b,301":                   "/a,/b,301\n/z,/b,301",
		"/a?k=1,/i?k=1&q=2,301\n/i?k=1,/b?q=3,301":          "/a?k=1,/b?q=3,301\n/i?k=1,/b?q=3,301",
		"/a,/i?k=1&z=2,301\n/i?k=1,/b?q=3,301":              "/a,/b?q=3&z=2,301\n/i?k=1,/b?q=3,301",
		"/a,http://www.skerrywick.example/b,301":            "/a,/b,301",
		"/a,https://other.example/b,307":                    "/a,https://other.example/b,307",
		"/a,http://www.skerrywick.example/b,303\n/b,/c,301": "/a,/c,303\n/b,/c,301",
		"http://www.skerrywick.example/a,/b,301\n/b,/c,301": "http://www.skerrywick.example/a,/c,301\n/b,/c,301",
		"/p/{x},/q/{x},301\n/q/{x},/r/{x},302":              "/p/{x},/r/{x},302\n/q/{x},/r/{x},302",
		"/p/{x},/q/{x},301\n/q/1,/z,301":                    "/p/1,/z,301\n/p/{x},/q/{x},301\n/q/1,/z,301",
		"/p/{x}/{y},/q/{x},301\n/q/1,/z,301":                "/p/1/{y},/z,301\n/p/{x}/{y},/q/{x},301\n/q/1,/z,301",
		"/p/{x},/q,301\n/q,/z,302":                          "/p/{x},/z,302\n/q,/z,302",
		"/a,/p/1,301\n/p/{x},/z/{x},307":                    "/a,/z/1,307\n/p/{x},/z/{x},307",
		"/a,/b,301\n/b,https://other.example/?u=1#f,301\n": "/a,https://other.example/?u=1#f,301\n" +
			"/b,https://other.example/?u=1#f,301",
	} {
		t.Run(lines, func(t *testing.T) {
			list := read(t, strings.Split(lines, "\n")...)
			flat, found := Flatten(list, small(list), Straight)
			assert.False(t, finding.Worst(found, finding.Error), lines)
			assert.Equal(t, "from,to,status\n"+want+"\n", string(flat.Encode()), lines)
		})
	}
	list := read(t, "/p/{x},https://skerrywick-nb.example/q/{x},301", "/q/{x},/r/{x},301")
	world := small(list)
	world.Rules.Site.LanguageHosts = []string{"skerrywick-nb.example"}
	flat, found := Flatten(list, world, Straight)
	assert.Empty(t, found)
	assert.Equal(t, string(list.Encode()), string(flat.Encode()), "patterns aren't met on a host of one language")
	list = read(t, "/a,/i,301", "/i,/b,301", "/i?k=1,/c,301")
	flat, found = Flatten(list, small(list), Straight)
	assert.Equal(t, map[string]int{string(finding.ParameterOnWay): 1}, finding.Count(found))
	assert.Equal(t, "from,to,status\n/a,/b,301\n/i,/b,301\n/i?k=1,/c,301\n", string(flat.Encode()))
	exact, found := Flatten(list, small(list), Exact)
	assert.Empty(t, found)
	assert.Equal(t, "from,to,status\n/a,/i,301\n/i,/b,301\n/i?k=1,/c,301\n", string(exact.Encode()),
		"a request for /a?k=1 goes to /c")
	for _, lines := range []string{"/a,/b,301\n/b,/a,301", "/a,/a,301", "/a,/b,301\n/a,/c,301",
		"/p/{x},/q/{x},301\n/q/1,page@en,301\n/q/{x},/p/{x},301"} {
		list := read(t, strings.Split(lines, "\n")...)
		flat, found := Flatten(list, small(list), Straight)
		assert.Nil(t, flat, lines)
		assert.NotEmpty(t, found, lines)
	}
	list = read(t, "/x,/a,301", "/a,/b,301", "/b,/a,301", "/y,/z,301", "/c,/d,301", "/c,/e,301", "/d,/f,301",
		"/s,/s,301")
	fine, refused := Part(list, small(list))
	assert.Equal(t, "from,to,status\n/y,/z,301\n/d,/f,301\n", string(fine.Encode()),
		"what a row of a conflict leads to is not a part of it")
	assert.Equal(t, 6, refused.Len())
}

// visit follows a source hop by hop, as a visitor does.
func visit(rows *List, source route.Source) (at address.Address, gone bool, statuses []int) {
	index := route.NewIndex(skerrywick(), true, rows.Source)
	for i := range rows.Len() {
		index.Add(rows.Source(i))
	}
	at = address.Address{Scheme: "https", Host: source.Host, Path: source.Path, Query: source.Query}
	if at.Host == "" {
		at.Host = skerrywick().Origin.Host
	}
	for range 50 {
		if !skerrywick().Has(at.Host) {
			return at, false, statuses
		}
		params := address.SplitQuery(at.Query)
		hit := -1
		next := at
		for _, n := range index.Match(at.Host, at.Path, params, index.Named(at.Path)) {
			row := rows.Row(n)
			if row.Gone() {
				return at, true, append(statuses, 410)
			}
			leave := row.Names()
			own := address.SplitQuery(row.Target.Query)
			for _, q := range own {
				leave = append(leave, q.Name)
			}
			next = row.Target
			for _, q := range params {
				if !row.Drop && !slices.Contains(leave, q.Name) {
					own = append(own, q)
				}
			}
			next.Query = address.JoinQuery(own)
			next = skerrywick().Rebase(next)
			same := at
			same.Fragment = next.Fragment
			if next != same { // else it is no step
				hit = n
				break
			}
		}
		status := 301
		for i, row := range rows.All() { // patterns, in their order
			if hit >= 0 || row.Pattern == nil {
				continue
			}
			values, ok := row.Pattern.Reader.ReadPath(at.Path, true)
			if !ok || len(route.Carried(params, index.Named(at.Path))) > 0 {
				continue
			}
			to, err := address.Resolve(skerrywick().Origin, row.Pattern.Target.Expand(values))
			if err != nil {
				continue
			}
			own := address.SplitQuery(to.Query)
			for _, q := range params {
				if _, named := address.First(own, q.Name); !named {
					own = append(own, q)
				}
			}
			to.Query = address.JoinQuery(own)
			if to.Fragment == "" {
				to.Fragment = at.Fragment
			}
			same := at
			same.Fragment = to.Fragment
			if to = skerrywick().Rebase(to); to != same {
				hit, next = i, to
			}
		}
		switch {
		case hit >= 0:
			status = max(rows.Row(hit).Status, 301)
		case skerrywick().Rebase(at) != at:
			next = skerrywick().Rebase(at)
		default:
			return at, false, statuses
		}
		if next.Fragment == "" {
			next.Fragment = at.Fragment
		}
		at, statuses = next, append(statuses, status)
	}
	return at, false, nil
}

// For every source, the flat map answers in one hop, with the composed status,
// what the map answered at the end of its hops.
func TestFlattenKeepsEveryEnd(t *testing.T) {
	random := rand.New(rand.NewPCG(8, 2026))
	pick := func(list ...string) string { return list[random.IntN(len(list))] }
	used, wanted := 0, 3000
	if testing.Short() {
		wanted = 300
	}
	for used < wanted {
		var lines []string
		for range 1 + random.IntN(6) {
			from := pick("", "", "http://www.skerrywick.example", "https://skerrywick.example") +
				pick("/a", "/b", "/c", "/d") + pick("", "", "?k=1", "?k=2")
			to := pick("", "", "http://www.skerrywick.example", "https://skerrywick.example", "https://other.example") +
				pick("/a", "/b", "/c", "/e", "/f") + pick("", "", "?k=1", "?k=2", "?z=3") + pick("", "#x")
			status := pick("301", "302", "303", "307", "308", "", "410")
			if status == "410" {
				to = ""
			}
			lines = append(lines, from+","+to+","+status)
		}
		if random.IntN(3) == 0 { // patterns too; none of them reads what it writes
			for range 1 + random.IntN(2) {
				lines = append(lines, pick("/p/{x}", "/q/{x}", "/p/{x}/more")+","+pick("/{x}", "/r/{x}", "/q/{x}", "/a",
					"https://other.example/{x}")+","+pick("301", "302", "308"))
			}
		}
		rows := read(t, lines...)
		flat, found := Flatten(rows, small(rows), Straight)
		if flat == nil || slices.ContainsFunc(found,
			func(f finding.Finding) bool { return strings.Contains(f.What, "stays as it is") }) {
			continue
		}
		used++
		sources := []route.Source{{Path: "/p/a"}, {Path: "/p/b"}, {Path: "/q/c"}, {Path: "/p/z"}, {Path: "/p/z/more"}}
		for _, row := range rows.All() {
			if row.Pattern == nil {
				sources = append(sources, row.Source)
			}
		}
		for _, source := range sources { // in one hop, where there is any
			at, gone, statuses := visit(rows, source)
			flatAt, flatGone, hops := visit(flat, source)
			label := fmt.Sprintf("%v in\n%s\ngave\n%s", source, strings.Join(lines, "\n"), flat.Encode())
			require.Equal(t, gone, flatGone, label)
			if !gone {
				require.Equal(t, at.String(), flatAt.String(), label)
			}
			spelled := 0
			if source.Host != "" && source.Host != skerrywick().Origin.Host {
				spelled = 1 // or the site's own rules before it
			}
			require.LessOrEqual(t, len(hops), 1+spelled, label)
			if len(statuses) > 0 && !gone {
				require.Equal(t, resolve.Compose(statuses...), resolve.Compose(hops...), label)
			}
		}
		for _, row := range flat.All() {
			if row.Pattern != nil {
				continue
			}
			wantAt, wantGone, statuses := visit(rows, row.Source)
			require.NotNil(t, statuses, "%s", strings.Join(lines, "\n"))
			label := fmt.Sprintf("%s in\n%s\ngave\n%s", row.From, strings.Join(lines, "\n"), flat.Encode())
			require.Equal(t, wantGone, row.Gone(), label)
			if wantGone {
				continue
			}
			require.Equal(t, wantAt.String(), row.Target.String(), label)
			if len(statuses) > 1 && row.Target.Host != "" { // a step of the site's own rules is permanent
				require.Equal(t, resolve.Compose(statuses...), max(row.Status, 301), label)
			}
		}
	}
}
