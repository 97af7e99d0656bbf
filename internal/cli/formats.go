package cli

import (
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// The elements of a JUnit report, as continuous integration reads them: a test
// for each kind of finding, failed where there are some.
type (
	junitSuites struct {
		XMLName  xml.Name     `xml:"testsuites"`
		Tests    int          `xml:"tests,attr"`
		Failures int          `xml:"failures,attr"`
		Suites   []junitSuite `xml:"testsuite"`
	}
	junitSuite struct {
		Name     string      `xml:"name,attr"`
		Tests    int         `xml:"tests,attr"`
		Failures int         `xml:"failures,attr"`
		Cases    []junitCase `xml:"testcase"`
	}
	junitCase struct {
		Name    string        `xml:"name,attr"`
		Class   string        `xml:"classname,attr"`
		Failure *junitFailure `xml:"failure,omitempty"`
		Output  string        `xml:"system-out,omitempty"`
	}
	junitFailure struct {
		Type    string `xml:"type,attr"`
		Message string `xml:"message,attr"`
		Text    string `xml:",chardata"`
	}
)

// printJUnit writes findings as JUnit XML. Those below the limit are tests that
// pass.
func printJUnit(w io.Writer, found []finding.Finding, limit finding.Severity) error {
	suite := junitSuite{Name: product}
	for _, f := range found {
		c := junitCase{Name: address.Printable(f.Where.String()), Class: f.Code}
		if f.Severity.AtLeast(limit) {
			c.Failure = &junitFailure{string(f.Severity), address.Printable(f.What), address.Printable(f.Advice)}
			suite.Failures++
		} else {
			c.Output = f.String()
		}
		suite.Cases = append(suite.Cases, c)
	}
	if len(suite.Cases) == 0 {
		suite.Cases = append(suite.Cases, junitCase{Name: "nothing found", Class: product})
	}
	suite.Tests = len(suite.Cases)
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(junitSuites{Tests: suite.Tests, Failures: suite.Failures, Suites: []junitSuite{suite}}); err != nil {
		return err
	}
	_, err := fmt.Fprintln(w)
	return err
}

// The objects of a SARIF log (OASIS SARIF 2.1.0), as far as they are used.
type (
	sarifLog struct {
		Schema  string     `json:"$schema"`
		Version string     `json:"version"`
		Runs    []sarifRun `json:"runs"`
	}
	sarifRun struct {
		Tool struct {
			Driver sarifDriver `json:"driver"`
		} `json:"tool"`
		Results []sarifResult `json:"results"`
	}
	sarifDriver struct {
		Name    string      `json:"name"`
		Version string      `json:"version"`
		Rules   []sarifRule `json:"rules"`
	}
	sarifRule struct {
		ID string `json:"id"`
	}
	sarifResult struct {
		RuleID    string          `json:"ruleId"`
		RuleIndex int             `json:"ruleIndex"`
		Level     string          `json:"level"`
		Message   sarifMessage    `json:"message"`
		Locations []sarifLocation `json:"locations"`
		Related   []sarifLocation `json:"relatedLocations,omitempty"`
	}
	sarifMessage struct {
		Text string `json:"text"`
	}
	sarifLocation struct {
		Physical sarifPhysical `json:"physicalLocation"`
	}
	sarifPhysical struct {
		Artifact sarifArtifact `json:"artifactLocation"`
		Region   *sarifRegion  `json:"region,omitempty"`
	}
	sarifArtifact struct {
		URI string `json:"uri"`
	}
	sarifRegion struct {
		Line   int `json:"startLine"`
		Column int `json:"startColumn,omitempty"`
	}
)

// sarifPlace writes a place as SARIF does; an address is an artifact too.
func sarifPlace(p finding.Place) sarifLocation {
	l := sarifLocation{sarifPhysical{Artifact: sarifArtifact{p.File}}}
	if p.File == "" {
		l.Physical.Artifact.URI = p.URL
	}
	if p.Line > 0 {
		l.Physical.Region = &sarifRegion{p.Line, p.Column}
	}
	return l
}

// printSARIF writes findings as a SARIF log.
func printSARIF(w io.Writer, found []finding.Finding) error {
	run := sarifRun{Results: []sarifResult{}}
	run.Tool.Driver = sarifDriver{Name: product, Version: version(), Rules: []sarifRule{}}
	var codes []string
	for _, f := range found {
		if !slices.Contains(codes, f.Code) {
			codes = append(codes, f.Code)
		}
	}
	slices.Sort(codes)
	for _, code := range codes {
		run.Tool.Driver.Rules = append(run.Tool.Driver.Rules, sarifRule{code})
	}
	for _, f := range found {
		text := f.What
		if f.Advice != "" {
			text += "; " + f.Advice
		}
		r := sarifResult{RuleID: f.Code, RuleIndex: slices.Index(codes, f.Code), Level: string(f.Severity), Message: sarifMessage{address.Printable(text)}, Locations: []sarifLocation{sarifPlace(f.Where)}}
		for _, p := range f.Related {
			r.Related = append(r.Related, sarifPlace(p))
		}
		run.Results = append(run.Results, r)
	}
	e := json.NewEncoder(w)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(sarifLog{"https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json", "2.1.0", []sarifRun{run}})
}
