package probe

import (
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/finding"
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

// Section is the answer to one kind of questions: a table, and what was found.
type Section struct {
	Kind     string
	Counts   []Count
	Columns  []string
	Rows     [][]string
	Findings []finding.Finding
}

// add adds a finding about an address.
func (s *Section) add(code finding.Code, severity finding.Severity, at address.Address, what, why, advice string,
	related ...address.Address) *finding.Finding {
	f := finding.Finding{Code: code, Severity: severity, Where: finding.Place{URL: at.String()}, What: what, Why: why,
		Advice: advice}
	for _, a := range related {
		f.Related = append(f.Related, finding.Place{URL: a.String()})
	}
	s.Findings = append(s.Findings, f)
	return &s.Findings[len(s.Findings)-1]
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
		finding.Sort(s.Findings)
	}
	return sections
}
