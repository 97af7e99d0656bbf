package step

import (
	"fmt"

	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/probe"
)

// The jobs.
const (
	Structure  = "structure"
	Move       = "move"
	HTTPS      = "https"
	Duplicates = "duplicates"
	Languages  = "languages"
)

// Jobs returns the names of all jobs.
func Jobs() []string { return []string{Structure, Move, HTTPS, Duplicates, Languages} }

// Steps of which others speak.
const (
	rules    = "rules"
	noindex  = "noindex"
	sitemap  = "sitemap"
	handIn   = "hand-in"
	visit    = "ask-again"
	register = "registration"
)

// jobs returns the steps of each job in their order.
func jobs() map[string][]string {
	return map[string][]string{
		Structure: {"plan", "addresses", rules, "setting", "answers", "permanent", "spellings", "reachable", "links",
			"canonicals", noindex, "sitemap-file", "robots", sitemap, handIn},
		Move: {"plan", "addresses", "coverage", rules, "answers", "permanent", "spellings", "reachable", "links",
			"canonicals", "alternates", noindex, "sitemap-file", "robots", sitemap, register, handIn, visit},
		HTTPS: {"plan", "origin", "addresses", "certificate", rules, "to-https", "answers", "permanent", "mixed", "insecure-links", "cookies",
			"canonicals", "sitemap-file", "robots", sitemap, "hsts-begun", "hsts-day", "hsts-year", register, handIn},
		Duplicates: {"plan", "addresses", rules, "spellings", "canonicals", "texts", "parameters", noindex, "block", "staging", "sitemap-file",
			sitemap, handIn},
		Languages: {"plan", "languages", "addresses", rules, "html-lang", "codes", "alternates", "x-default", "canonicals",
			"sitemap-file", sitemap, handIn},
	}
}

// The lengths of the stages of HSTS, in seconds.
const (
	minute = 60
	day    = 24 * 60 * minute
	year   = 365 * day
)

// catalogue returns all steps. No two of them are spoken against by the same finding of the same probe.
func catalogue() []Step {
	return []Step{
		{ID: "plan", What: "the plan has no errors", Command: "redirects check", look: planStands},
		{ID: "origin", What: "the plan's origin is on https", look: originSecure},
		{ID: "languages", What: "the plan names the site's languages", look: languagesNamed},
		{ID: "addresses", What: "every live page has the address that the plan gives", Needs: []string{"plan"}, Command: "design --write",
			look: addressesAccepted},
		{ID: "coverage", What: "every address that people ask for is answered", Needs: []string{"addresses"},
			Command: "redirects coverage", look: covered},
		{ID: rules, What: "the server has the plan's rules", Needs: []string{"plan", "addresses"}, look: rulesInstalled},
		{ID: "setting", What: "the content system's setting for addresses is switched", Needs: []string{rules}, Outside: true, harms: true},
		{ID: "answers", What: "every known address leads where the plan says", Needs: []string{rules}, proof: probe.Redirects,
			codes: []finding.Code{finding.NoAnswer, finding.NotRedirected, finding.WrongTarget, finding.MoreHops, finding.WrongAnswer,
				finding.ManyAddresses, finding.FinalNotCanonical}},
		{ID: "permanent", What: "redirects are as lasting as the plan says, after a trial", Needs: []string{"answers"},
			proof: probe.Redirects, codes: []finding.Code{finding.WrongStatus}, state: Open},
		{ID: "spellings", What: "every spelling of an address leads to the plan's", Needs: []string{rules},
			proof: probe.Hosts, codes: []finding.Code{finding.NoAnswer, finding.NotRedirected, finding.WrongTarget, finding.MoreHops,
				finding.WrongAnswer, finding.WrongStatus, finding.FinalNotCanonical}},
		{ID: "reachable", What: "pages answer, and redirects lead nobody astray", Needs: []string{rules}, proof: probe.Canonicals,
			codes: []finding.Code{finding.NoAnswer, finding.RedirectLoop, finding.RedirectUnreadable, finding.RedirectPrivate,
				finding.RedirectForeign, finding.EndlessLinks, finding.ExternalBroken}},
		{ID: "links", What: "the site's own links lead to final addresses", Needs: []string{"answers"}, proof: probe.Canonicals,
			Command: "relink", codes: []finding.Code{finding.LinkRedirected}},
		{ID: "canonicals", What: "every page names its one canonical address", Needs: []string{rules}, proof: probe.Canonicals,
			codes: []finding.Code{finding.NoCanonical, finding.SeveralCanonicals, finding.CanonicalOutsideHead,
				finding.CanonicalUnreadable, finding.CanonicalRelative, finding.CanonicalRedirects, finding.CanonicalNotFound,
				finding.CanonicalNoindex, finding.CanonicalBlocked, finding.CanonicalInsecure, finding.CanonicalForeign,
				finding.CanonicalChain, finding.CanonicalCircle, finding.CanonicalLanguage, finding.CanonicalFirstPage,
				finding.CanonicalAgainstPlan, finding.SeriesBroken}},
		{ID: "texts", What: "no text is there at several addresses", proof: probe.Canonicals,
			codes: []finding.Code{finding.DuplicateContent, finding.NearDuplicate, finding.Copied, finding.CopiedWithCredit}},
		{ID: "parameters", What: "parameters make no pages of their own", proof: probe.Parameters,
			codes: []finding.Code{finding.ParameterDuplicates, finding.ParameterOrder, finding.ParameterUnclassified,
				finding.ParameterClass, finding.ParameterUnused}},

		{ID: "certificate", What: "every host has a valid certificate", proof: probe.Secure,
			codes: []finding.Code{finding.CertificateInvalid, finding.CertificateEnds, finding.NoHTTPS}},
		{ID: "to-https", What: "http leads to https, in one hop and for good", Needs: []string{"certificate", rules},
			proof: probe.Secure, codes: []finding.Code{finding.NoHTTPSRedirect, finding.HTTPSElsewhere, finding.HTTPSInSeveralHops,
				finding.HTTPSTemporary}},
		{ID: "mixed", What: "pages load nothing by http, and send no form there", Needs: []string{"certificate"},
			proof: probe.Secure, codes: []finding.Code{finding.MixedContent, finding.InsecureForm}},
		{ID: "insecure-links", What: "no link, and no feed, is on http", Needs: []string{"to-https"}, proof: probe.Secure,
			Command: "relink", codes: []finding.Code{finding.LinkInsecure, finding.FeedInsecure}},
		{ID: "cookies", What: "cookies of login pages go out on https alone", Needs: []string{"certificate"}, proof: probe.Secure,
			codes: []finding.Code{finding.InsecureCookie}},
		{ID: "hsts-begun", What: "browsers insist on https, for minutes", Needs: []string{"to-https", "mixed"},
			proof: probe.Secure, look: insistsFor(minute)},
		{ID: "hsts-day", What: "... for a day", Needs: []string{"hsts-begun"}, proof: probe.Secure, look: insistsFor(day)},
		{ID: "hsts-year", What: "... for a year", Needs: []string{"hsts-day", "insecure-links"}, proof: probe.Secure,
			look: insistsFor(year)},

		{ID: "html-lang", What: "every page says which language it is in", proof: probe.Languages,
			codes: []finding.Code{finding.LanguageDisagrees, finding.LanguageAgainstPlan}},
		{ID: "codes", What: "languages have right codes", proof: probe.Languages,
			codes: []finding.Code{finding.WrongLanguageCode, finding.DoubtfulLanguageCode}},
		{ID: "alternates", What: "pages name all their translations, and are named back", Needs: []string{"addresses"},
			proof: probe.Languages, codes: []finding.Code{finding.AlternateWithoutReturn, finding.AlternateWithoutSelf,
				finding.AlternateAlone, finding.AlternateRedirects, finding.AlternateNotFound, finding.AlternateNoindex,
				finding.AlternateNotCanonical, finding.AlternateLanguage, finding.AlternateUnreadable, finding.AlternateRelative,
				finding.AlternateOutsideHead, finding.AlternateInText, finding.AlternateMissing, finding.AlternatesTooMany,
				finding.LanguageTwice}},
		{ID: "x-default", What: "one page is for all other languages", proof: probe.Languages, notes: true,
			codes: []finding.Code{finding.NoXDefault, finding.DefaultLanguageTwice}},

		{ID: noindex, What: "live pages may be listed; crawlers see each noindex", proof: probe.Index,
			codes: []finding.Code{finding.NoindexBlocked, finding.LiveNoindex}},
		{ID: "block", What: "robots.txt blocks what the plan blocks", Needs: []string{noindex}, proof: probe.Index,
			Command: "emit robots --install", codes: []finding.Code{finding.BlockMissing}},
		{ID: "staging", What: "nobody else sees the site in the making", proof: probe.Index,
			codes: []finding.Code{finding.StagingOpen}},
		{ID: "sitemap-file", What: "the sitemap is written from the plan as it is", Needs: []string{"addresses"},
			Command: "emit sitemap", look: sitemapWritten},
		{ID: "robots", What: "robots.txt answers, and names the sitemap", proof: probe.Index, Command: "emit robots --install",
			codes: []finding.Code{finding.RobotsUnavailable, finding.RobotsTooLong, finding.SitemapNotNamed}},
		{ID: sitemap, What: "the live sitemap lists what it should, and no more",
			Needs: []string{"sitemap-file"}, proof: probe.Index, codes: []finding.Code{finding.SitemapUnreadable, finding.SitemapEntry,
				finding.SitemapTooLarge, finding.SitemapForeign, finding.SitemapInsecure, finding.SitemapRedirects,
				finding.SitemapMissing, finding.SitemapNoindex, finding.SitemapBlocked, finding.SitemapNotCanonical,
				finding.NotInSitemap, finding.SitemapDiffers}},

		{ID: register, What: "search services know the new address, beside the old one", Outside: true},
		{ID: handIn, What: "the sitemap is handed in to search services", Needs: []string{sitemap}, Outside: true},
		{ID: visit, What: "search services are asked for a new visit", Needs: []string{sitemap}, Outside: true},
	}
}

func planStands(e *Evidence, s *Status) {
	s.Where, s.State = e.Plan.File, Done
	for _, f := range e.Judged {
		if f.Severity == finding.Error {
			s.State, s.Why = Failing, f.String()
			return
		}
	}
}

func originSecure(e *Evidence, s *Status) {
	s.Where, s.State = e.Plan.File, Done
	if e.Plan.Site.Origin.Scheme != "https" {
		s.State, s.Why = Open, "set site.origin to https://"+e.Plan.Site.Origin.Host
	}
}

func languagesNamed(e *Evidence, s *Status) {
	s.Where, s.State = e.Plan.File, Done
	if len(e.Plan.Languages.Others) == 0 {
		s.State, s.Why = Open, "the plan has one language; name the others in languages.others"
	}
}

func addressesAccepted(e *Evidence, s *Status) {
	s.Where, s.State = e.Plan.Book.File, Done
	var open []string
	for i := range e.Plan.Pages.Pages {
		p := &e.Plan.Pages.Pages[i]
		if _, ok := e.Plan.CurrentAddress(p.Ref); p.State == inventory.Live && !ok {
			open = append(open, p.Ref.String()+" has none")
		}
	}
	for _, ref := range e.Moving {
		open = append(open, ref.String()+" is to get another one")
	}
	switch {
	case len(e.Plan.Pages.Pages) == 0:
		s.State, s.Why, s.Command = Open, "no pages are known", "gather"
	case len(open) == 1:
		s.State, s.Why = Open, open[0]
	case len(open) > 1:
		s.State, s.Why = Open, fmt.Sprintf("%s (and %d more)", open[0], len(open)-1)
	}
}

// enough is what share of visits is to be answered, in percent.
const enough = 99

func covered(e *Evidence, s *Status) {
	if e.Coverage == nil {
		s.Why, s.Command = "no logs were gathered", "gather"
		return
	}
	byVisits, _ := e.Coverage.Percent()
	s.Where, s.State = "visits.csv", Done
	s.Why = fmt.Sprintf("%.1f %% of %d visits", byVisits, e.Coverage.Visits)
	if byVisits < enough {
		s.State = Open
		if len(e.Coverage.Lost) > 0 {
			s.Why += ", not such as those for " + e.Coverage.Lost[0].Address.Readable()
		}
	}
}

// rulesInstalled judges by what was installed, or else by what the site answers.
func rulesInstalled(e *Evidence, s *Status) {
	for _, i := range e.Installed {
		if i.Lost {
			s.State, s.When, s.Where, s.Command = Failing, i.When, i.Where, "emit "+i.Form+" --install"
			s.Why = "what was installed there was edited, or taken out, by hand"
			return
		}
		if i.Changed == 0 {
			s.State, s.When, s.Where = Done, i.When, i.Where
			return
		}
	}
	known, spelled := e.alone("answers"), e.alone("spellings")
	switch {
	case known.State == Done && spelled.State == Done:
		s.State, s.When, s.Where, s.Why = Done, known.When, known.Where, "the site answers as the plan says"
	case len(e.Installed) > 0:
		i := e.Installed[0]
		s.State, s.When, s.Where = Open, i.When, i.Where
		s.Why = fmt.Sprintf("the plan answers otherwise at %d addresses by now", i.Changed)
		s.Command = "emit " + i.Form + " --install"
	default:
		s.State, s.Why, s.Command = Open, "nothing was installed, and nothing shows that the site has them", "emit"
	}
}

// insistsFor returns a look for whether browsers are told to insist on https for so many seconds.
func insistsFor(seconds int) func(*Evidence, *Status) {
	return func(e *Evidence, s *Status) {
		p, ok := e.usable(s)
		if !ok {
			return
		}
		s.State = Done
		if age := p.Counts["hsts"]; age < seconds {
			s.State = Open
			s.Why = fmt.Sprintf("Strict-Transport-Security: max-age=%d now; make it %d", age, seconds)
		}
	}
}

func sitemapWritten(e *Evidence, s *Status) {
	w, ok := e.Written["sitemap"]
	if !ok {
		s.State, s.Why = Open, "it wasn't written yet"
		return
	}
	s.When, s.Where, s.State = w.When, w.Where, Done
	if !w.Same {
		s.State, s.Why = Open, "the plan gives another one by now"
	}
}
