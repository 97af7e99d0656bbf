package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/probe"
	"young-compass/internal/term"
)

func (a *app) explainCommand() *cobra.Command {
	p := &probing{app: a, ask: asking{parallel: 8}}
	c := &cobra.Command{
		Use:   "explain URL",
		Short: "Say what one address says of itself, where that ends, and what to change",
		Long: `Asks the site: for one address and for those that it names. Prints every signal,
how they resolve, step by step, what the plan says, and the lines to write where
that differs.`,
		Args: cobra.ExactArgs(1),
		RunE: func(command *cobra.Command, urls []string) error {
			if err := p.open(); err != nil {
				return err
			}
			at, err := address.Resolve(p.plan.Site.Origin, urls[0])
			if err != nil {
				return err
			}
			if !p.plan.Site.Has(at.Host) {
				return fmt.Errorf("%s is not one of the site's hosts", at.Host)
			}
			s := probe.Surveyor{Plan: p.plan, Client: p.client, Agent: product}
			e, err := s.Explain(p.ctx, at)
			if err != nil {
				return unfinished{err}
			}
			return a.print(explained(e))
		},
	}
	p.ask.flags(c)
	return c
}

// explained is what is printed of an explanation.
func explained(e *probe.Explanation) report {
	r := report{name: "explanation", items: e, findings: e.Findings, columns: []string{"what", "name", "says"}}
	for _, part := range []struct {
		what string
		list []probe.Signal
	}{{"step", e.Steps}, {"signal", e.Signals}, {"change", e.Change}} {
		for _, s := range part.list {
			r.rows = append(r.rows, []string{part.what, s.Name, s.Says})
		}
	}
	r.text = func(w io.Writer, style term.Style) error {
		var b strings.Builder
		fmt.Fprintf(&b, "%s\n", style.Bold(address.Printable(e.Asked)))
		part := func(title string, list []probe.Signal) {
			for i, s := range list {
				if i == 0 {
					fmt.Fprintf(&b, "  %s\n", title)
				}
				fmt.Fprintf(&b, "    %-28s %s\n", address.Printable(s.Name), address.Printable(s.Says))
			}
		}
		part("it says", e.Signals)
		part("so it resolves", e.Steps)
		fmt.Fprintf(&b, "  %-30s %s\n", "it ends at", address.Printable(e.Ends))
		fmt.Fprintf(&b, "  %-30s %s\n", "the plan says", address.Printable(e.Planned))
		part("change", e.Change)
		_, err := io.WriteString(w, b.String()+"\n")
		return err
	}
	return r
}
