package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"maps"
	"runtime"
	"slices"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/route"
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
		c := junitCase{Name: address.Printable(f.Where.String()), Class: string(f.Code)}
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
	if err := e.Encode(junitSuites{Tests: suite.Tests, Failures: suite.Failures,
		Suites: []junitSuite{suite}}); err != nil {
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
		ID      string       `json:"id"`
		Short   sarifMessage `json:"shortDescription"`
		Full    sarifMessage `json:"fullDescription"`
		Default struct {
			Level string `json:"level"`
		} `json:"defaultConfiguration"`
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

// printSARIF writes findings as a SARIF log, one after the other.
func printSARIF(w io.Writer, found []finding.Finding) error {
	run := sarifRun{Results: []sarifResult{}}
	run.Tool.Driver = sarifDriver{Name: product, Version: version(), Rules: []sarifRule{}}
	rules := map[finding.Code]int{} // of the codes that were found: their places in the list
	for _, f := range found {
		rules[f.Code] = 0
	}
	known := map[finding.Code]finding.Description{}
	for _, d := range finding.Catalogue() {
		known[d.Code] = d
	}
	for i, code := range slices.Sorted(maps.Keys(rules)) {
		rules[code] = i
		d := known[code]
		rule := sarifRule{ID: string(code), Short: sarifMessage{d.What}, Full: sarifMessage{d.Why}}
		rule.Default.Level = string(d.Severity)
		run.Tool.Driver.Rules = append(run.Tool.Driver.Rules, rule)
	}
	log := sarifLog{"https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json", "2.1.0",
		[]sarifRun{run}}
	frame, err := json.MarshalIndent(log, "", "  ")
	if err != nil {
		return err
	}
	const empty = `"results": []`
	head, tail, _ := strings.Cut(string(frame), empty)
	out := bufio.NewWriter(w)
	_, _ = out.WriteString(head + strings.TrimSuffix(empty, "[]"))
	if err := writeList(out, "      ", found,
		func(f finding.Finding) any { return sarifOf(f, rules[f.Code]) }); err != nil {
		return err
	}
	_, _ = out.WriteString(tail + "\n")
	return out.Flush()
}

// sarifOf writes a finding as SARIF does.
func sarifOf(f finding.Finding, rule int) sarifResult {
	text := f.What
	if f.Advice != "" {
		text += "; " + f.Advice
	}
	r := sarifResult{RuleID: string(f.Code), RuleIndex: rule, Level: string(f.Severity),
		Message:   sarifMessage{address.Printable(text)},
		Locations: []sarifLocation{sarifPlace(f.Where)}}
	for _, p := range f.Related {
		r.Related = append(r.Related, sarifPlace(p))
	}
	return r
}

// writeList writes a list as indented JSON, some items at a time, so that it is never in memory as a whole. before
// stands in front of the bracket that ends it.
func writeList[T any](out *bufio.Writer, before string, list []T, item func(T) any) error {
	if len(list) == 0 {
		_, err := out.WriteString("[]")
		return err
	}
	parts := make([]bytes.Buffer, runtime.GOMAXPROCS(0))
	failed := make([]error, len(parts))
	mark := "[\n"
	for some := range slices.Chunk(list, listedTogether) {
		route.Parallel(len(some), func(part, from, to int) {
			failed[part] = writeItems(&parts[part], before+"  ", some[from:to], item)
		})
		for i := range parts {
			if failed[i] != nil {
				return failed[i]
			}
			if parts[i].Len() > 0 {
				_, _ = out.WriteString(mark)
				_, _ = out.Write(bytes.TrimSuffix(parts[i].Bytes(), []byte(",\n")))
				mark = ",\n"
			}
			parts[i].Reset()
		}
	}
	_, err := out.WriteString("\n" + before + "]")
	return err
}

// listedTogether is how many items of a list are encoded before they are written.
const listedTogether = 4096

// writeItems writes items as indented JSON, each with before in front, and a comma and a line's end behind.
func writeItems[T any](b *bytes.Buffer, before string, list []T, item func(T) any) error {
	e := json.NewEncoder(b)
	e.SetIndent(before, "  ")
	e.SetEscapeHTML(false)
	for _, x := range list {
		b.WriteString(before)
		if err := e.Encode(item(x)); err != nil {
			return err
		}
		b.Truncate(b.Len() - len("\n"))
		b.WriteString(",\n")
	}
	return nil
}

// visibleJSON writes JSON in which characters that nobody sees, or that turn text round, are written as their numbers:
// they stand in strings alone.
type visibleJSON struct {
	w    io.Writer
	rest []byte // the beginning of a character whose end is still to come
}

// Write writes JSON, or a part of it.
func (v *visibleJSON) Write(p []byte) (int, error) {
	text := append(v.rest, p...)
	end := len(text)
	for cut := 1; cut < utf8.UTFMax && cut <= len(text); cut++ {
		if c := text[len(text)-cut]; utf8.RuneStart(c) {
			if !utf8.FullRune(text[len(text)-cut:]) {
				end -= cut
			}
			break
		}
	}
	v.rest = bytes.Clone(text[end:])
	text = text[:end]
	var b bytes.Buffer
	for len(text) > 0 {
		i := bytes.IndexFunc(text, address.Hidden)
		if i < 0 {
			b.Write(text)
			break
		}
		b.Write(text[:i])
		r, size := utf8.DecodeRune(text[i:])
		text = text[i+size:]
		for _, unit := range utf16.Encode([]rune{r}) {
			fmt.Fprintf(&b, `\u%04x`, unit)
		}
	}
	if _, err := v.w.Write(b.Bytes()); err != nil {
		return 0, err
	}
	return len(p), nil
}
