package coverage_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/coverage"
	"young-compass/internal/plan"
	"young-compass/internal/project"
)

// withRedirects loads a project of these redirects.
func withRedirects(t *testing.T, settings, rows string) *plan.Plan {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{project.PlanFile: "site: {origin: https://skerrywick.example" + settings,
		project.RedirectsFile: "from,to,status,query\n" + rows} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	return p
}

func TestFolds(t *testing.T) {
	for rows, want := range map[string]string{
		"/b/2019/a.html,/n/a,301,\n/b/2019/b.html,/n/b,301,\n/b/2019/c-d.html,/n/c-d,301,\n":                                    "3 /b/2019/{v1}.html /n/{v1} v1=slug 0",
		"/b/a,/n/a,301,\n/b/b,/n/b,301,\n":                                                                                      "",
		"/b/1,/n/1,301,\n/b/2,/n/2,301,\n/b/30,/n/30,301,\n":                                                                    "3 /b/{v1} /n/{v1} v1=[0-9]{1,2} 110",
		"/b/1/x,/n/1/x,301,\n/b/2/x,/n/2/x,301,\n/b/3/x,/n/3/x,301,\n":                                                          "3 /b/{v1}/x /n/{v1}/x v1=[0-9]{1} 10",
		"/b/1/x,/n/1/x,302,drop\n/b/2/y,/n/2/y,302,drop\n/b/3/z,/n/3/z,302,drop\n/b/4/z,/n/4/z,302,\n":                          "3 /b/{v1}/{v2} /n/{v1}/{v2} v1=[0-9]{1} v2=slug 0",
		"/b/a.htm,https://media.example/a,301,\n/b/b.htm,https://media.example/b,301,\n/b/c.htm,https://media.example/c,301,\n": "3 /b/{v1}.htm https://media.example/{v1} v1=slug 0",
		"/b/a%20b,/n/a%20b,301,\n/b/c%20d,/n/c%20d,301,\n/b/e%20f,/n/e%20f,301,\n":                                              "",
		"/b/A_1,/n/A_1,301,\n/b/b.x,/n/b.x,301,\n/b/c~,/n/c~,301,\n":                                                            "3 /b/{v1} /n/{v1} v1=segment 0",
		"/a?x=1,/n/a,301,\n/b?x=1,/n/b,301,\n/c?x=1,/n/c,301,\n":                                                                "",
		"/b/a,p@en,301,\n/b/b,q@en,301,\n/b/c,r@en,301,\n":                                                                      "",
		"/a,/a,301,\n/b,/b,301,\n/c,/c,301,\n":                                                                                  "",
		"/b/{x}/k,/n/{x},302,\n/b/a/k,/n/k,301,\n/b/b/k,/n/k,301,\n":                                                            "",
		"/o/a,/n/a,301,\n/o/b,/n/b,301,\n/o/c,/n/c,301,\n/o/{z},/elsewhere/{z},301,\n":                                          "", // the pattern that is there goes first
	} {
		p := withRedirects(t, "}\n", rows)
		folds := coverage.Folds(p, nil)
		var list []string
		for _, f := range folds {
			list = append(list, fmt.Sprint(len(f.Rows), " ", f.From, " ", f.To, " ", f.Class, " ", f.Reads))
		}
		assert.Equal(t, want, strings.Join(list, "; "), rows)
	}
}

// Every address of a row is answered as before, whatever its letters, its slash, its parameters and its method.
func TestFoldedRowsAreAnsweredAsBefore(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 2026))
	folded, asked, worlds := 0, 0, 300
	if testing.Short() { // with the race detector
		worlds = 30
	}
	for range worlds {
		var rows strings.Builder
		seen := map[string]bool{}
		var sources []string
		word := func() string { return []string{"a", "b", "cd", "7", "2019", "x-y", "Q", "old", "new"}[random.IntN(9)] }
		for range 5 + random.IntN(40) {
			from := "/" + word() + "/" + word() + []string{"", ".html", ".php", "/" + word(), "/"}[random.IntN(5)]
			to := "/" + word() + "/" + word() + []string{"", "/" + word(), "/x"}[random.IntN(3)]
			status, drop := []string{"301", "", "302"}[random.IntN(3)], []string{"", "drop"}[random.IntN(2)]
			if random.IntN(4) > 0 { // an edit that others make too
				last := fmt.Sprint(word(), random.IntN(30))
				status, drop = []string{"301", ""}[random.IntN(2)], ""
				from, to = []string{"/old/", "/a/2019/", "/b/"}[random.IntN(3)]+last+[]string{"", ".html"}[random.IntN(2)], []string{"/new/", "/n/"}[random.IntN(2)]+last
			}
			if !seen[strings.ToLower(strings.TrimRight(from, "/"))] && from != to {
				seen[strings.ToLower(strings.TrimRight(from, "/"))] = true
				sources = append(sources, from)
				fmt.Fprintf(&rows, "%s,%s,%s,%s\n", from, to, status, drop)
			}
		}
		if random.IntN(3) == 0 {
			rows.WriteString("/" + word() + "/{x},/" + word() + "/{x},301,\n")
		}
		p := withRedirects(t, []string{"}\n", ", paths: {letters: keep, slash: keep, extension: keep}}\n", ", paths: {slash: always}}\n"}[random.IntN(3)]+
			"parameters: {identity: [id], noise: [sid]}\n", rows.String())
		folds := coverage.Folds(p, nil)
		if len(folds) == 0 {
			continue
		}
		list, err := coverage.Folded(p, folds)
		require.NoError(t, err)
		with := p.With(list)
		folded += p.Redirects.Len() - list.Len()
		for _, source := range sources {
			for _, url := range []string{source, strings.ToUpper(source), source + "/", source + "?x=1", source + "?sid=1&id=2", "/" + source} {
				for _, method := range []string{"GET", "POST"} {
					at, err := address.Resolve(p.Site.Origin, strings.Replace(url, "//", "/", 1))
					require.NoError(t, err)
					before, err := p.Answer(plan.Request{Method: method, Address: at})
					if err != nil {
						continue // it went round in a circle before
					}
					after, err := with.Answer(plan.Request{Method: method, Address: at})
					require.NoError(t, err, "%s\n%s", url, rows.String())
					if url == strings.ToUpper(source) && url != source && method == "POST" {
						continue // a pattern keeps capitals, which the site's rules make small with a status of their own
					}
					if at.Path == source || p.Paths.Lower && strings.EqualFold(at.Path, source) {
						assert.Equal(t, fmt.Sprint(before.Outcome, before.Status, before.To), fmt.Sprint(after.Outcome, after.Status, after.To), "%s\n%s\n%s", url,
							rows.String(), string(list.Encode()))
						asked++
					}
				}
			}
		}
	}
	t.Logf("%d rows folded, %d answers compared", folded, asked)
	assert.Greater(t, folded, worlds)
}

// Which known addresses a pattern would answer anew is said before a person takes it.
func TestFoldsSayWhatElseTheyRead(t *testing.T) {
	p := withRedirects(t, "}\n", "/b/a.html,/n/a,301,\n/b/b.html,/n/b,301,\n/b/c.html,/n/c,301,\n")
	at := func(path string, visits int) coverage.Known {
		a, err := address.Resolve(p.Site.Origin, path)
		require.NoError(t, err)
		return coverage.Known{Address: a, Visits: visits}
	}
	folds := coverage.Folds(p, []coverage.Known{at("/b/fog.html", 12), at("/b/a.html", 3), at("/b/mist.html", 1), at("/other.html", 9)})
	require.Len(t, folds, 1)
	assert.Len(t, folds[0].Others, 2)
	assert.Equal(t, 13, folds[0].Visits)
}
