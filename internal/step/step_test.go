package step_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/coverage"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/step"
	"young-compass/internal/table"
	"young-compass/internal/visits"
)

var today = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// whole is the evidence of a site on which all is done.
func whole(t testing.TB, p *plan.Plan) *step.Evidence {
	e := &step.Evidence{Plan: p, Sum: "1", Now: today, Proofs: map[string]step.Proof{}, Coverage: &coverage.Coverage{},
		Written: map[string]step.Written{"sitemap": {When: today, Where: "out/sitemap/sitemap.xml", Same: true}},
		Told:    map[string]step.Told{}}
	for _, kind := range probe.Kinds() {
		e.Proofs[kind] = step.Proof{When: today, Proof: probe.Proof{Origin: p.Site.Origin.String(), Plan: "1",
			Counts: map[string]int{"hsts": 31_536_000}}}
	}
	for _, id := range step.Outside() {
		told, err := step.NewTold(id, "2026-11-23", "", "")
		require.NoError(t, err)
		e.Told[id] = told
	}
	return e
}

// but returns the steps of all jobs that aren't done, as id and state.
func but(t testing.TB, e *step.Evidence) (list []string) {
	for _, job := range step.Jobs() {
		steps, err := step.Judge(e, job)
		require.NoError(t, err)
		for _, s := range steps {
			if word := s.ID + " " + string(s.State); s.State != step.Done && !slices.Contains(list, word) {
				list = append(list, word)
			}
		}
	}
	return list
}

// Each trouble of the demo, put back alone, turns its own step to failing, and no other.
func TestEachTroubleTurnsItsStep(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: a site is surveyed for each trouble")
	}
	p := demotest.Accepted(t, t.TempDir())
	for i := range p.Pages.Pages {
		page := &p.Pages.Pages[i]
		require.NotEmpty(t, page.Title)
	}
	sections := func(troubles []demo.Trouble) (*step.Evidence, string) {
		site, _ := demo.Neglected(p, 3, troubles)
		v, _ := demotest.Survey(t, p, site)
		e := whole(t, p)
		for kind, s := range v.Judge() {
			e.Proofs[kind] = step.Proof{When: today, Proof: probe.ProofOf(s, p.Site.Origin, "1", nil, 0)}
		}
		return e, fmt.Sprint(e.Proofs)
	}
	e, _ := sections([]demo.Trouble{})
	require.Empty(t, but(t, e))
	steps := map[string]string{"canonical-": "canonicals", "no-canonical": "canonicals", "several-canonicals": "canonicals",
		"parameter-": "parameters", "near-duplicate": "texts", "copied": "texts", "alternate-": "alternates",
		"wrong-language-code": "codes", "mixed-content": "mixed", "live-noindex": "noindex", "noindex-blocked": "noindex",
		"sitemap-": "sitemap", "staging-open": "staging"}
	for _, trouble := range demo.Troubles() {
		want := ""
		for start, id := range steps {
			if strings.HasPrefix(string(trouble.Code), start) {
				want = id
			}
		}
		e, proofs := sections([]demo.Trouble{trouble})
		assert.Equal(t, []string{want + " failing"}, but(t, e), "%s (%s): %.3000s", trouble.Name, trouble.Code, proofs)
	}
}

// Each finding of a probe speaks against one step at most, and those that can be worse than a note against one.
func TestEachFindingHasItsStep(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for kind, codes := range map[string][]finding.Code{
		probe.Redirects: {finding.NoAnswer, finding.NotRedirected, finding.WrongTarget, finding.WrongStatus, finding.MoreHops,
			finding.FinalNotCanonical, finding.WrongAnswer, finding.ManyAddresses},
		probe.Hosts: {finding.NoAnswer, finding.NotRedirected, finding.WrongTarget, finding.WrongStatus, finding.MoreHops,
			finding.FinalNotCanonical, finding.WrongAnswer},
		probe.Canonicals: {finding.NoCanonical, finding.SeveralCanonicals, finding.CanonicalOutsideHead, finding.CanonicalUnreadable,
			finding.CanonicalRelative, finding.CanonicalRedirects, finding.CanonicalNotFound, finding.CanonicalNoindex,
			finding.CanonicalBlocked, finding.CanonicalInsecure, finding.CanonicalForeign, finding.CanonicalChain,
			finding.CanonicalCircle, finding.CanonicalLanguage, finding.CanonicalFirstPage, finding.CanonicalAgainstPlan,
			finding.DuplicateContent, finding.NearDuplicate, finding.Copied, finding.RedirectLoop, finding.RedirectUnreadable,
			finding.RedirectPrivate, finding.RedirectForeign, finding.EndlessLinks, finding.ExternalBroken, finding.NoAnswer,
			finding.LinkRedirected, finding.SeriesBroken},
		probe.Parameters: {finding.ParameterDuplicates, finding.ParameterOrder, finding.ParameterUnclassified, finding.ParameterClass},
		probe.Languages: {finding.WrongLanguageCode, finding.DoubtfulLanguageCode, finding.AlternateWithoutReturn,
			finding.AlternateWithoutSelf, finding.AlternateAlone, finding.LanguageTwice, finding.NoXDefault,
			finding.DefaultLanguageTwice, finding.AlternateRedirects, finding.AlternateNotFound, finding.AlternateNoindex,
			finding.AlternateNotCanonical, finding.AlternateLanguage, finding.AlternateUnreadable, finding.AlternateRelative,
			finding.AlternateOutsideHead, finding.AlternateInText, finding.LanguageDisagrees, finding.LanguageAgainstPlan,
			finding.AlternateMissing},
		probe.Secure: {finding.CertificateInvalid, finding.CertificateEnds, finding.NoHTTPS, finding.NoHTTPSRedirect,
			finding.HTTPSElsewhere, finding.HTTPSInSeveralHops, finding.HTTPSTemporary, finding.MixedContent, finding.InsecureForm,
			finding.InsecureCookie, finding.LinkInsecure, finding.FeedInsecure},
		probe.Index: {finding.NoindexBlocked, finding.LiveNoindex, finding.RobotsUnavailable, finding.RobotsTooLong,
			finding.StagingOpen, finding.SitemapUnreadable, finding.SitemapEntry, finding.SitemapTooLarge, finding.SitemapNotNamed,
			finding.SitemapForeign, finding.SitemapInsecure, finding.SitemapRedirects, finding.SitemapMissing,
			finding.SitemapNoindex, finding.SitemapBlocked, finding.SitemapNotCanonical, finding.SitemapDiffers, finding.BlockMissing},
	} {
		for _, code := range codes {
			e := whole(t, p)
			e.Installed = []step.Installed{{Form: "nginx", When: today}} // so that the rules are shown otherwise
			proof := e.Proofs[kind]
			proof.Findings = []finding.Finding{{Code: code, Severity: finding.Warning, What: "x"}}
			e.Proofs[kind] = proof
			assert.Len(t, but(t, e), 1, "%s, found by probe %s", code, kind)
		}
	}
}

// Evidence counts only if it is about this site, this plan, and the past.
func TestEvidenceMustBeUsable(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for name, change := range map[string]func(*step.Evidence, *step.Proof){
		"the plan changed since 2026-11-23; probe index tells": func(e *step.Evidence, p *step.Proof) { p.Plan = "2" },
		"what was asked is another site, https://x.example/; probe index tells": func(e *step.Evidence, p *step.Proof) {
			p.Origin = "https://x.example/"
		},
		"it was asked in the future, on 2027-01-01: look at the clock; probe index tells": func(e *step.Evidence, p *step.Proof) {
			p.When = time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
		},
	} {
		e := whole(t, p)
		proof := e.Proofs[probe.Index]
		change(e, &proof)
		e.Proofs[probe.Index] = proof
		list, err := step.Judge(e, step.Move)
		require.NoError(t, err)
		i := slices.IndexFunc(list, func(s step.Status) bool { return s.ID == "sitemap" })
		assert.Equal(t, step.Unknown, list[i].State)
		assert.Equal(t, name, list[i].Why)
	}
	e := whole(t, p)
	delete(e.Proofs, probe.Index)
	assert.Contains(t, but(t, e), "sitemap unknown")
	_, err := step.Judge(e, "tidying")
	require.EqualError(t, err, "tidying is no job")
}

// A setting that was switched before the rules were there is told, and the rules are next.
func TestInterruptedOrder(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	e := whole(t, p)
	e.Proofs = map[string]step.Proof{}
	list, err := step.Judge(e, step.Structure)
	require.NoError(t, err)
	var setting step.Status
	for _, s := range list {
		if s.ID == "setting" {
			setting = s
		}
	}
	assert.Equal(t, step.Failing, setting.State)
	assert.Equal(t, "it was taken, and rules isn't done: visitors meet errors", setting.Why)
	require.NotNil(t, step.Next(list))
	assert.Equal(t, "rules", step.Next(list).ID)
	assert.Less(t, step.Percent(list), 50.0)

	e.Installed = []step.Installed{{Form: "htaccess", When: today, Where: "out/htaccess/installed-answers.txt", Changed: 3}}
	list, err = step.Judge(e, step.Structure)
	require.NoError(t, err)
	assert.Equal(t, "emit htaccess --install", step.Next(list).Command)
	e.Installed[0].Changed = 0
	assert.NotContains(t, but(t, e), "setting failing")
	e.Installed[0].Lost = true
	assert.Contains(t, but(t, e), "rules failing")
}

// The stages of HSTS follow each other.
func TestStagesOfHSTS(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for age, want := range map[int][]string{0: {"hsts-begun open", "hsts-day open", "hsts-year open"}, 59: {"hsts-begun open",
		"hsts-day open", "hsts-year open"}, 60: {"hsts-day open", "hsts-year open"}, 86_399: {"hsts-day open", "hsts-year open"},
		86_400: {"hsts-year open"}, 31_535_999: {"hsts-year open"}, 31_536_000: nil} {
		e := whole(t, p)
		e.Proofs[probe.Secure].Counts["hsts"] = age
		assert.Equal(t, want, but(t, e), age)
	}
}

// What is told is told: with its day, its mark, and the crawlers that came since.
func TestTold(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	e := whole(t, p)
	status := func(id string) step.Status {
		list, err := step.Judge(e, step.Move)
		require.NoError(t, err)
		return list[slices.IndexFunc(list, func(s step.Status) bool { return s.ID == id })]
	}
	assert.True(t, status("hand-in").Told)
	assert.Equal(t, "no logs were gathered", status("hand-in").Why)
	e.Visits = []visits.Visit{{Robots: 0, Last: "2026-12-01"}, {Robots: 3, Last: "2026-11-22"}}
	assert.Equal(t, "the logs show no crawler since", status("hand-in").Why)
	e.Visits = append(e.Visits, visits.Visit{Robots: 1, Last: "2026-11-23"}, visits.Visit{Robots: 1, Last: "2026-11-25"})
	assert.Equal(t, "crawlers asked for 2 addresses since, last on 2026-11-25", status("hand-in").Why)

	for mark, want := range map[string]string{"/media/proof.txt": "done its mark answers",
		"/proof-4711.html": "failing the plan doesn't serve its mark /proof-4711.html; add it to site.files"} {
		told, err := step.NewTold("registration", "2026-11-20", mark, "")
		require.NoError(t, err)
		e.Told["registration"] = told
		s := status("registration")
		assert.Equal(t, want, string(s.State)+" "+s.Why)
	}
	told, err := step.NewTold("registration", "2026-11-20", "/media/proof.txt", "")
	require.NoError(t, err)
	e.Told["registration"] = told
	proof := e.Proofs[probe.Redirects]
	proof.Findings = []finding.Finding{{Code: finding.WrongAnswer, Severity: finding.Error, What: "it ends with 404; the plan says 200",
		Where: finding.Place{URL: "https://skerrywick.example/media/proof.txt"}}}
	e.Proofs[probe.Redirects] = proof
	assert.Equal(t, []string{"registration failing"}, but(t, e))

	delete(e.Told, "registration")
	assert.Equal(t, step.Open, status("registration").State)
	future, err := step.NewTold("ask-again", "2027-01-01", "", "")
	require.NoError(t, err)
	e.Told["ask-again"] = future
	assert.Equal(t, step.Unknown, status("ask-again").State)
}

// steps.csv is read back as it was written; rows that can't be read are told.
func TestToldFile(t *testing.T) {
	told, found, err := step.ReadTold("steps.csv", strings.NewReader("step,on,mark,note\nhand-in,2026-11-20,,both\n"+
		"tidying,2026-11-20,,\nrules,2026-11-20,,\nregistration,yesterday,,\nregistration,2026-11-20,proof.html,\nask-again,2026-11-21,,\n"))
	require.NoError(t, err)
	var said []string
	for _, f := range found {
		said = append(said, f.String())
	}
	assert.Equal(t, []string{
		`steps.csv:3: error bad-row: "tidying" is no step; there are setting, registration, hand-in, ask-again; mend the row, or delete it`,
		`steps.csv:4: error bad-row: the step rules is proven, not told: the server has the plan's rules; mend the row, or delete it`,
		`steps.csv:5: error bad-row: "yesterday" is not a date; write it as 2026-11-23; mend the row, or delete it`,
		`steps.csv:6: error bad-row: "proof.html" is no path of a mark; write one such as /proof-4711.html; mend the row, or delete it`,
	}, said)
	assert.Equal(t, "step,on,mark,note\nask-again,2026-11-21,,\nhand-in,2026-11-20,,both\n", string(step.EncodeTold(told)))
}

// What only files show.
func TestFilesShow(t *testing.T) {
	dir := t.TempDir()
	p := demotest.Accepted(t, dir)
	e := whole(t, p)
	e.Judged = []finding.Finding{{Code: finding.Loop, Severity: finding.Error, What: "x"}}
	assert.Equal(t, []string{"plan failing"}, but(t, e))
	e.Judged = nil
	e.Written = nil
	assert.Equal(t, []string{"sitemap-file open"}, but(t, e))
	e.Written = map[string]step.Written{"sitemap": {When: today}}
	assert.Equal(t, []string{"sitemap-file open"}, but(t, e))
	e = whole(t, p)
	e.Coverage = nil
	assert.Equal(t, []string{"coverage unknown"}, but(t, e))
	e.Coverage = &coverage.Coverage{Visits: 1000, AnsweredVisits: 989}
	assert.Equal(t, []string{"coverage open"}, but(t, e))
	e.Coverage.AnsweredVisits = 990
	assert.Empty(t, but(t, e))
	e.Moving = []inventory.Ref{{Key: "home", Language: "en"}, {Key: "home", Language: "de"}}
	assert.Equal(t, []string{"addresses open"}, but(t, e))
	list, err := step.Judge(e, step.Move)
	require.NoError(t, err)
	assert.Equal(t, "home@en is to get another one (and 1 more)", list[1].Why)
}

// Whatever marks and notes hold, what can be told is read back as it was told.
func TestWhatIsToldReadsBack(t *testing.T) {
	pieces := []string{"\x00", "\x1b[2J", "\x7f", "\u0085", "\u202e", "\ufeff", "\xff", "\r\n", "\n", "\t", " ", "\u00a0", `"`, ",", ";", "=1+1",
		"?", "#", "/", "a", "é"}
	random := rand.New(rand.NewPCG(18, 4))
	text := func() string {
		var b strings.Builder
		for range random.IntN(4) {
			b.WriteString(pieces[random.IntN(len(pieces))])
		}
		return b.String()
	}
	told := 0
	for range 3000 {
		mark := ""
		if random.IntN(2) == 0 {
			mark = "/p" + text()
		}
		one, err := step.NewTold("registration", "2026-11-20", mark, text())
		if err != nil {
			continue
		}
		told++
		written := step.EncodeTold(map[string]step.Told{one.Step: one})
		read, found, err := step.ReadTold("steps.csv", bytes.NewReader(written))
		require.NoError(t, err, "%q", written)
		require.Empty(t, found, "%q", written)
		require.Equal(t, one.Mark, read[one.Step].Mark)
		require.Equal(t, strings.TrimSpace(table.Clean(one.Note)), read[one.Step].Note)
		require.Equal(t, string(written), string(step.EncodeTold(read)))
	}
	require.Greater(t, told, 1000)
}
