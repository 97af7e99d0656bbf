package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/spelling"
	"young-compass/internal/term"
)

// codeEntry is an entry of the catalogue of findings, as JSON.
type codeEntry struct {
	Code     finding.Code     `json:"code"`
	Severity finding.Severity `json:"severity"`
	What     string           `json:"what"`
	Why      string           `json:"why"`
	Mend     string           `json:"mend"`
	Example  []string         `json:"example"`
	Part     string           `json:"part"`
}

func (a *app) findingsCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "findings [CODE]",
		Short: "Say what the code of a finding means, why it matters and what to do",
		Long: `Reads nothing. Says of a code what was found, why it matters, and what to do; without
a code, names all of them.`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			all := finding.Catalogue()
			if len(args) > 0 {
				d, ok := finding.Find(args[0])
				if !ok {
					return fmt.Errorf("findings: no finding has the code %s%s; young-compass findings names all",
						address.Printable(args[0]), nearest(args[0], all))
				}
				all = []finding.Description{d}
			}
			return a.print(findingsReport(all, len(args) > 0))
		},
	}
}

// nearest asks whether another code was meant, as part of a message; it is empty where none is near.
func nearest(word string, all []finding.Description) string {
	var known []string
	for _, d := range all {
		known = append(known, string(d.Code))
	}
	if near := spelling.Nearest(strings.ToLower(word), known); near != "" {
		return " (did you mean " + near + "?)"
	}
	return ""
}

func findingsReport(all []finding.Description, one bool) report {
	r := report{name: "codes", columns: []string{"code", "severity", "what"}}
	var items []codeEntry
	for _, d := range all {
		items = append(items, codeEntry(d))
		r.rows = append(r.rows, []string{string(d.Code), string(d.Severity), d.What})
	}
	r.items = items
	if one {
		r.text = func(w io.Writer, style term.Style) error { return explainCode(w, style, all[0]) }
		return r
	}
	r.text = func(w io.Writer, style term.Style) error {
		for i := 0; i < len(all); {
			part, from := all[i].Part, i
			for ; i < len(all) && all[i].Part == part; i++ {
			}
			if from > 0 {
				_, _ = fmt.Fprintln(w)
			}
			_, _ = fmt.Fprintln(w, style.Bold(part))
			if err := term.Table(w, style, r.columns, r.rows[from:i]); err != nil {
				return err
			}
		}
		_, err := fmt.Fprintln(w)
		return err
	}
	r.counts = []count{{"codes", "codes", len(all)}}
	return r
}

func explainCode(w io.Writer, style term.Style, d finding.Description) error {
	_, err := fmt.Fprintf(w, "%s  %s, %s\n\n  %s\n\n  %s  %s\n  %s   %s\n  %s\n", style.Bold(string(d.Code)),
		style.Severity(d.Severity), d.Part, d.What, style.Bold("why"), d.Why, style.Bold("do"), d.Mend,
		style.Bold("for example"))
	if err != nil {
		return err
	}
	for _, line := range d.Example {
		if _, err := fmt.Fprintf(w, "    %s\n", line); err != nil {
			return err
		}
	}
	return nil
}
