package report_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/coverage"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/project"
	"young-compass/internal/report"
	"young-compass/internal/step"
	"young-compass/internal/visits"
)

func today() time.Time { return time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC) }

// evidence is what is known of a plan, before anybody asked its site.
func evidence(p *plan.Plan) *step.Evidence {
	return &step.Evidence{Plan: p, Sum: "1", Now: today(), Judged: judge.Plan(p), Proofs: map[string]step.Proof{},
		Written: map[string]step.Written{}, Told: map[string]step.Told{}}
}

func made(t *testing.T, in report.Input, only ...string) *report.Report {
	t.Helper()
	r, err := report.Make(in, only)
	require.NoError(t, err)
	return r
}

func html(t *testing.T, r *report.Report) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, r.HTML(&b))
	return b.String()
}

func section(t *testing.T, r *report.Report, id string) *report.Section {
	t.Helper()
	for _, s := range r.Sections {
		if s.ID == id {
			return s
		}
	}
	require.Fail(t, "no section "+id)
	return nil
}

// small writes a project by hand: fares moved twice, ports is where it was, and /lost leads nowhere.
func small(t *testing.T, redirects string) *plan.Plan {
	t.Helper()
	dir := t.TempDir()
	for name, content := range map[string]string{
		project.PlanFile: "site: {origin: \"https://skerrywick.example\"}\nlanguages: {default: en, others: {de: {prefix: de}}}\n" +
			"kinds: {page: {address: \"/{slug}\"}}\n",
		project.PagesFile: "key,language,kind,title,state\nfares,en,page,Fares,live\nfares,de,page,Preise,live\nports,en,page,Ports,live\n" +
			"gone,en,page,Gone,gone\n",
		project.AddressesFile: "address,page,state,since\nhttps://skerrywick.example/fares,fares@en,current,2026-11-01\n" +
			"https://skerrywick.example/de/preise,fares@de,current,2026-11-01\n" +
			"https://skerrywick.example/prices.htm,fares@en,former,2026-10-01\n" +
			"https://skerrywick.example/ports,ports@en,current,2026-11-01\n" +
			"https://skerrywick.example/gone.htm,gone@en,former,2026-11-01\n",
		project.RedirectsFile: redirects,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644))
	}
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	return p
}

func TestAnswersOfTheDemo(t *testing.T) {
	e := evidence(demotest.Accepted(t, t.TempDir()))
	r := made(t, report.Input{Evidence: e})
	assert.Equal(t, "https://skerrywick.example", r.Title)
	require.Len(t, r.Answers, 3)
	assert.Equal(t, report.Yes, r.Answers[0].Verdict)
	assert.Equal(t, report.Unknown, r.Answers[1].Verdict, "nobody asked the site")
	assert.Contains(t, r.Answers[1].Seen, "young-compass probe")
	assert.Equal(t, report.Unknown, r.Answers[2].Verdict, "there are no logs")
	assert.Contains(t, r.Answers[2].Text, "young-compass gather")
	require.Len(t, r.Next, 3)
	assert.Len(t, r.Sections, len(report.IDs()))
	for _, id := range []string{"canonicals", "parameters", "hosts", "https", "index"} {
		assert.Equal(t, "young-compass probe "+id, section(t, r, id).Missing)
	}
	assert.Equal(t, "young-compass gather access.log", section(t, r, "coverage").Missing)
	assert.Contains(t, section(t, r, "readability").Lead, "From 57 to 100 of 100")
	assert.Equal(t, "181 live pages, of which 181 had another address before.", section(t, r, "tree").Lead)
}

// One lost address is enough for a no, one chain for a not yet.
func TestAnswersAreWorkedOut(t *testing.T) {
	for _, c := range []struct {
		redirects, figure string
		verdict           report.Verdict
		text              string
	}{
		{"from,to,status\n", "2 of 2 by the plan", report.Yes, "1 lead to their page in one hop, 1 say that the page is gone"},
		{"from,to,status\n/lost,/nowhere,301\n", "2 of 3 by the plan", report.No, "1 lead to nothing"},
		{"from,to,status\n/a,/b,301\n/b,fares@en,301\n", "4 of 4 by the plan", report.Yes, "3 lead to their page in one hop"},
		{"from,to,status\n/a,/b,301\n/b,/a,301\n", "2 of 4 by the plan", report.No, "2 lead to nothing"},
	} {
		t.Run(c.redirects, func(t *testing.T) {
			r := made(t, report.Input{Evidence: evidence(small(t, c.redirects))})
			assert.Equal(t, c.verdict, r.Answers[0].Verdict)
			assert.Equal(t, c.figure, r.Answers[0].Figure)
			assert.Contains(t, r.Answers[0].Text, c.text)
		})
	}
}

func TestVisitsThatAreLost(t *testing.T) {
	p := small(t, "from,to,status\n")
	e := evidence(p)
	for path, n := range map[string]int{"/fares": 6, "/prices.htm": 3, "/forgotten": 1} {
		a := p.Site.Origin
		a.Path = path
		e.Visits = append(e.Visits, visits.Visit{Address: a, Status: 200, Visitors: n})
	}
	of := coverage.Of(p, coverage.OfVisits(e.Visits))
	e.Coverage = &of
	r := made(t, report.Input{Evidence: e})
	assert.Equal(t, report.Partly, r.Answers[2].Verdict)
	assert.Equal(t, "90.0 %", r.Answers[2].Figure)
	tables := section(t, r, "coverage").Tables
	require.Len(t, tables, 2)
	assert.Equal(t, "/forgotten", tables[1].Rows[0][1].Text)
}

func TestLanguagesThatLackPages(t *testing.T) {
	s := section(t, made(t, report.Input{Evidence: evidence(small(t, "from,to,status\n"))}), "languages")
	assert.Contains(t, s.Lead, "1 of 2 pages are there in all of 2 languages")
	assert.Equal(t, []report.Cell{{Text: "page"}, {Text: "2"}, {Text: "1"}, {Text: "2"}, {Text: "1", State: report.Partly}},
		s.Tables[0].Rows[0])
	assert.Empty(t, s.Missing)
	assert.Contains(t, strings.Join(s.Notes, " "), "young-compass probe languages")
}

// What was observed of another site, or of an earlier plan, or in a run that was broken off, isn't taken for more.
func TestObservationsThatDontFit(t *testing.T) {
	p := small(t, "from,to,status\n")
	canonicals := &probe.Section{Kind: probe.Canonicals, Findings: []finding.Finding{{Code: finding.NoCanonical,
		Severity: finding.Warning, Where: finding.Place{URL: "https://skerrywick.example/fares"}, What: "it names none"}}}
	proof := func(sum string) step.Proof {
		return step.Proof{When: today(), Proof: probe.ProofOf(canonicals, p.Site.Origin, sum, []string{"127.0.0.1:80"}, 7)}
	}
	with := func(one step.Proof, stopped int) *report.Report {
		e := evidence(p)
		e.Proofs[probe.Canonicals] = one
		return made(t, report.Input{Evidence: e, Stopped: stopped})
	}
	other := proof("1")
	other.Origin = "https://other.example/"
	r := with(other, 0)
	assert.Contains(t, section(t, r, "canonicals").Lead, "another site, https://other.example")
	assert.Empty(t, section(t, r, "findings").Groups)

	r = with(proof("2"), 0)
	notes := strings.Join(section(t, r, "canonicals").Notes, " ")
	assert.Contains(t, notes, "Asked on 2026-11-23 at 127.0.0.1:80, a sample of 7.")
	assert.Contains(t, notes, "The plan changed since")
	assert.Contains(t, strings.Join(section(t, r, "findings").Notes, " "), "of an earlier plan")
	assert.Equal(t, report.No, r.Answers[1].Verdict)

	r = with(proof("1"), 40)
	assert.Contains(t, strings.Join(section(t, r, "canonicals").Notes, " "), "broken off after 40 addresses")
	assert.Contains(t, section(t, r, "parameters").Lead, "broken off after 40 addresses")
	assert.NotContains(t, section(t, r, "hosts").Lead, "broken off")
}

// A yes needs all of the site to have been asked, with the plan as it is.
func TestAYesIsOfThePlanAsItIs(t *testing.T) {
	p := small(t, "from,to,status\n")
	for _, c := range []struct {
		sum         string
		sample      int
		kinds       []string
		verdict     report.Verdict
		ofRedirects string
	}{
		{"1", 0, []string{probe.Redirects, probe.Hosts, probe.Canonicals, probe.Parameters}, report.Yes, "2 of 2"},
		{"2", 0, []string{probe.Redirects, probe.Hosts, probe.Canonicals, probe.Parameters}, report.Unknown, "2 of 2 by the plan"},
		{"1", 5, []string{probe.Hosts, probe.Canonicals, probe.Parameters}, report.Partly, "2 of 2 by the plan"},
		{"1", 0, []string{probe.Hosts, probe.Canonicals}, report.Partly, "2 of 2 by the plan"},
		{"1", 0, nil, report.Unknown, "2 of 2 by the plan"},
	} {
		e := evidence(p)
		for _, kind := range c.kinds {
			e.Proofs[kind] = step.Proof{When: today(), Proof: probe.ProofOf(&probe.Section{Kind: kind}, p.Site.Origin, c.sum, nil, c.sample)}
		}
		r := made(t, report.Input{Evidence: e})
		assert.Equal(t, c.verdict, r.Answers[1].Verdict, "%v", c)
		assert.Equal(t, c.ofRedirects, r.Answers[0].Figure, "%v", c)
	}
}

// Only what is wanted is there.
func TestSomeSections(t *testing.T) {
	r := made(t, report.Input{Evidence: evidence(small(t, "from,to,status\n")), Title: "Ferries"}, "tree", "findings")
	require.Len(t, r.Sections, 2)
	page := html(t, r)
	assert.Contains(t, page, "<title>Ferries</title>")
	assert.NotContains(t, page, `<section id="coverage"`)
	assert.NotContains(t, page, "http-equiv=\"refresh")
}

// Long tables and long lists of findings are whole in files beside the page, 200 rows and 100 places on it.
func TestFilesBesideThePage(t *testing.T) {
	for _, n := range []int{99, 100, 101, 199, 200, 201} {
		t.Run(fmt.Sprint(n), func(t *testing.T) {
			var rows strings.Builder
			rows.WriteString("from,to,status\n")
			for i := range n - 2 { // two more are in the book
				fmt.Fprintf(&rows, "/old-%d,fares@en,301\n", i)
			}
			e := evidence(small(t, rows.String()))
			for i := range n {
				e.Judged = append(e.Judged, finding.Finding{Code: finding.DeadTarget, Severity: finding.Error,
					Where: finding.Place{File: "redirects.csv", Line: i + 2}, What: "=1+1"})
			}
			r := made(t, report.Input{Evidence: e})
			files, err := r.Beside("tables")
			require.NoError(t, err)
			names := map[string]int{}
			for _, f := range files {
				all, err := csv.NewReader(bytes.NewReader(f.Data)).ReadAll()
				require.NoError(t, err)
				names[f.Name] = len(all) - 1
			}
			want := map[string]int{}
			page := html(t, r)
			if n > 100 {
				want["findings.csv"] = n
				assert.Contains(t, page, `href="tables/findings.csv"`)
			}
			if n > 200 {
				want["redirects-2.csv"] = n
				assert.Contains(t, page, `href="tables/redirects-2.csv"`)
			}
			assert.Equal(t, want, names)
			for _, f := range files {
				assert.NotContains(t, string(f.Data), "\n=", "no spreadsheet reckons what a cell says")
			}
		})
	}
}

// What runs and what is loaded is what the policy allows: the page's own script and style.
func TestThePolicy(t *testing.T) {
	page := html(t, made(t, report.Input{Evidence: evidence(small(t, "from,to,status\n"))}))
	assert.Contains(t, page, `content="default-src &#39;none&#39;; style-src &#39;sha256-`)
	assert.NotContains(t, page, "unsafe-inline")
	for _, outside := range []string{"src=", " style=", " onclick", "@import", "url("} {
		assert.NotContains(t, page, outside)
	}
	assert.Equal(t, 1, strings.Count(page, "<script>"))
}

func TestFigures(t *testing.T) {
	files, err := made(t, report.Input{Evidence: evidence(small(t, "from,to,status\n"))}).Figures()
	require.NoError(t, err)
	var names []string
	for _, f := range files {
		names = append(names, f.Name)
		assert.NotEmpty(t, f.Data)
	}
	assert.Equal(t, []string{"readability.svg", "readability.png", "redirects.svg", "redirects.png", "hops.svg", "hops.png"}, names)
}
