package probe

import (
	"fmt"
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/publish"
)

// The kinds of questions that a site can be asked.
const (
	Redirects  = "redirects"
	Hosts      = "hosts"
	Canonicals = "canonicals"
	Parameters = "parameters"
	Languages  = "languages"
	Secure     = "https"
	Index      = "index"
)

// Kinds returns all, in the order in which they are answered.
func Kinds() []string {
	return []string{Redirects, Hosts, Canonicals, Parameters, Languages, Secure, Index}
}

// Count is one figure of a section.
type Count struct {
	Name, Words string
	N           int
}

// Section is the answer to one kind of questions: what was found, and what was seen, which is in one of the fields
// below, by the kind.
type Section struct {
	Kind     string
	Counts   []Count
	Findings []finding.Finding
	told     map[finding.Code]int // how often each was to be added

	Spelled      Spelled       // of Hosts
	Groups       []Group       // of Canonicals; those without a canonical address first
	Parameters   []Parameter   // by name
	Translations Translations  // of Languages
	Certificates []Certificate // of Secure
	Sitemaps     []Sitemap     // of Index
}

// Group is pages that show the same text.
type Group struct {
	First     address.Address
	Addresses int
	Likeness  float64         // of the two that are least alike, from 0 to 1
	Canonical address.Address // zero: they name none together
	Code      finding.Code    // what was found of the group; empty: nothing
	OnePath   bool            // they differ by parameters alone
}

// Spelled is where the spellings of pages end on the hosts of a site.
type Spelled struct {
	Origins []address.Address // what Ends is of, in this order
	Rows    []SpelledRow
}

// SpelledRow is one spelling of a page on all hosts.
type SpelledRow struct {
	Page     string // its path; empty in all rows of a page but the first
	Spelling string
	Ends     []End
}

// End is where one address ends.
type End struct {
	Hops    int
	Status  int
	Failed  bool // without an answer
	Away    bool // on a host that isn't the site's
	Differs bool // from what the plan says
}

// Translations is which pages name translations, and how.
type Translations struct {
	Languages []string // what Marks is of, in this order, as the pages write them: those most named
	Rows      []TranslationsRow
}

// TranslationsRow is the translations that a page names.
type TranslationsRow struct {
	Page     address.Address
	Language string   // what the page says that it is in
	Marks    []string // empty: not named; yes, self, or in a word what is wrong
}

// maxTold is how many findings of one code are told.
const maxTold = 10_000

// add adds a finding about an address.
func (s *Section) add(code finding.Code, severity finding.Severity, at address.Address, what, why, advice string,
	related ...address.Address) *finding.Finding {
	f := finding.Finding{Code: code, Severity: severity, Where: finding.Place{URL: at.String()}, What: what, Why: why,
		Advice: advice}
	for _, a := range related {
		f.Related = append(f.Related, finding.Place{URL: a.String()})
	}
	if s.told == nil {
		s.told = map[finding.Code]int{}
	}
	if s.told[code]++; s.told[code] > maxTold {
		return &f
	}
	s.Findings = append(s.Findings, f)
	return &s.Findings[len(s.Findings)-1]
}

// leftOut says how many findings were not told.
func (s *Section) leftOut(origin address.Address) {
	for code, n := range s.told {
		if n > maxTold {
			s.Findings = append(s.Findings, finding.Finding{Code: finding.FindingsLeftOut, Severity: finding.Error,
				Where: finding.Place{URL: origin.String()}, What: fmt.Sprintf("%d more findings: %s", n-maxTold, code),
				Advice: "mend the cause of those that are told, and probe again"})
		}
	}
}

// maxEvidence is how many addresses a finding about many shows.
const maxEvidence = 10

// many adds one finding for all addresses with the same trouble.
func (s *Section) many(code finding.Code, severity finding.Severity, at []address.Address, what, why, advice string) {
	if len(at) == 0 {
		return
	}
	at = slices.Clone(at)
	slices.SortFunc(at, address.Compare)
	f := s.add(code, severity, at[0], what, why, advice, at[1:min(len(at), maxEvidence)]...)
	for _, a := range at[:min(len(at), maxEvidence)] {
		f.Evidence = append(f.Evidence, a.String())
	}
}

// Judge answers all questions that need no further asking. Findings that are but
// consequences of others are left out.
func (v *Survey) Judge() map[string]*Section {
	sections := map[string]*Section{}
	v.tracked = map[address.Address]bool{}
	v.said = map[address.Address]*publish.Page{}
	pages, _ := publish.Pages(v.Plan)
	for i := range pages {
		v.said[pages[i].Address] = &pages[i]
	}
	for _, kind := range []string{Canonicals, Parameters, Languages, Secure, Index} {
		sections[kind] = &Section{Kind: kind}
	}
	v.judgeIndex(sections[Index])
	v.judgeCanonicals(sections[Canonicals])
	v.judgeParameters(sections[Parameters])
	v.judgeLanguages(sections[Languages])
	v.judgeSecure(sections[Secure])
	v.judgeSitemaps(sections[Index])
	for _, s := range sections {
		s.leftOut(v.Plan.Site.Origin)
		finding.Sort(s.Findings)
	}
	return sections
}
