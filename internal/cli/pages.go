package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/project"
)

func (a *app) pagesCommand() *cobra.Command {
	c := &cobra.Command{Use: "pages", Short: "Correct the inventory", Args: cobra.ArbitraryArgs, RunE: group}
	c.AddCommand(&cobra.Command{
		Use:   "join PAGE OTHER...",
		Short: "Make one page of several",
		Long: `Reads and writes the project's files only. Where gather took one page for several,
such as those that a crawl found at many addresses: PAGE stays, the addresses of the
others become its variants, and redirects to them lead to it. A page is named by its
key and its language: fares@en.`,
		Args: cobra.MinimumNArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			end, err := a.alone(c)
			if err != nil {
				return err
			}
			defer end()
			var refs []inventory.Ref
			for _, text := range args {
				ref, ok := inventory.ParseRef(text)
				if !ok {
					return fmt.Errorf("%s names no page; write its key and its language, such as fares@en", address.Printable(text))
				}
				refs = append(refs, ref)
			}
			p, found, err := a.load()
			if err != nil {
				return err
			}
			if bad := only(found, finding.BadRow); len(bad) > 0 {
				return a.print(report{findings: bad})
			}
			joined, err := project.Join(p, refs[0], refs[1:]...)
			if err != nil {
				return fmt.Errorf("pages join: %w", err)
			}
			if err := joined.Write(a.change); err != nil {
				return err
			}
			return a.print(report{text: told, counts: []count{{"pages", "pages made one", len(refs)},
				{"addresses", "addresses became its variants", joined.Addresses}, {"redirects", "redirects were led to it",
					joined.Rows}}})
		},
	})
	return c
}
