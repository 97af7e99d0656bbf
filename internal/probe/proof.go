package probe

import (
	"encoding/json"
	"fmt"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
)

// Proof is what the last round of one kind of questions showed, kept for package step.
type Proof struct {
	Origin   string            `json:"origin"` // of the plan
	Plan     string            `json:"plan"`   // a sum of it
	At       []string          `json:"at,omitempty"`
	Sample   int               `json:"sample,omitempty"`
	Counts   map[string]int    `json:"counts"`
	Findings []finding.Finding `json:"findings"`
	Columns  []string          `json:"columns,omitempty"` // of what was seen, as Section.Table says
	Rows     [][]string        `json:"rows,omitempty"`
	More     int               `json:"more,omitempty"` // rows that are left out

	Parameters []ProvedParameter `json:"parameters,omitempty"` // what they showed themselves to be for
}

// ProvedParameter is what trials showed of a parameter.
type ProvedParameter struct {
	Name  string          `json:"name"`
	Class parameter.Class `json:"class"`
	Agree int             `json:"agree"`
	Told  int             `json:"told"`
}

// maxProved bounds the findings and the rows of a proof.
const maxProved = 1000

// proofName is how what is kept for a kind begins; nobody else can name anything so.
const proofName = "last probe: "

// ProofName returns the name under which the proof of a kind is kept.
func ProofName(kind string) string { return proofName + kind }

// IsProof reports whether something is kept under the name of a proof.
func IsProof(name string) bool { return strings.HasPrefix(name, proofName) }

// ProofOf returns what a section shows; the worst findings, if there are many.
func ProofOf(s *Section, origin address.Address, plan string, at []string, sample int) Proof {
	p := Proof{Origin: origin.String(), Plan: plan, At: at, Sample: sample, Counts: map[string]int{}, Findings: s.Findings}
	finding.Sort(p.Findings)
	p.Findings = p.Findings[:min(len(p.Findings), maxProved)]
	p.Columns, p.Rows = s.Table(origin)
	if len(p.Rows) > maxProved {
		p.Rows, p.More = p.Rows[:maxProved], len(p.Rows)-maxProved
	}
	for _, c := range s.Counts {
		p.Counts[c.Name] = c.N
	}
	for _, q := range s.Parameters {
		if q.Proposed != "" && len(p.Parameters) < maxProved {
			p.Parameters = append(p.Parameters, ProvedParameter{q.Name, q.Proposed, q.Agree, q.Told})
		}
	}
	return p
}

// Encode returns the proof as it is kept.
func (p Proof) Encode() ([]byte, error) { return json.Marshal(p) }

// DecodeProof reads what Encode wrote.
func DecodeProof(data []byte) (p Proof, err error) {
	if err := json.Unmarshal(data, &p); err != nil {
		return p, fmt.Errorf("reading what a probe showed: %w", err)
	}
	return p, nil
}
