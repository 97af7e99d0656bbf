package cli

import (
	"bytes"
	"errors"
	"fmt"
	"path"
	"path/filepath"
	"slices"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/block"
	"young-compass/internal/deploy"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/publish"
	"young-compass/internal/safefile"
	"young-compass/internal/sitefile"
)

// published reads the plan and works out what it tells search engines. ok is false where errors stand, which are
// printed.
func (a *app) published() (p *plan.Plan, pages []publish.Page, found []finding.Finding, ok bool, err error) {
	p, found, err = a.judged()
	if err != nil {
		return nil, nil, nil, false, err
	}
	if finding.Worst(found, finding.Error) {
		a.say("nothing written while there are errors")
		return nil, nil, nil, false, a.print(report{findings: found})
	}
	pages, more := publish.Pages(p)
	return p, pages, append(found, more...), true, nil
}

func (a *app) emitSitemapCommand() *cobra.Command {
	var o publish.SitemapOptions
	var directory, by string
	c := &cobra.Command{
		Use:   "sitemap",
		Short: "Write the site's sitemaps",
		Long: `Reads files only. Writes the addresses of all live pages that may be listed, with their
translations, into sitemap.xml (sitemaps 0.9); several sitemaps with an index of them
where one doesn't hold all. The column modified of pages.csv gives the dates, images
the images. A host of a language gets its own, in a folder of its name.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if o.Max < 0 || o.Max > sitefile.MaxEntries {
				return fmt.Errorf("--max: say a number from 1 to %d", sitefile.MaxEntries)
			}
			switch o.By = publish.By(by); o.By {
			case publish.ByNothing, publish.ByKind, publish.ByLanguage:
			default:
				return fmt.Errorf("--by: %s is none; say kind or language", address.Printable(by))
			}
			return a.emitSitemap(o, directory)
		},
	}
	c.Flags().StringVar(&directory, "directory", "", "the folder to write to (out/sitemap in the project)")
	c.Flags().IntVar(&o.Max, "max", 0, "put `N` addresses into one sitemap, at most")
	c.Flags().BoolVar(&o.Gzip, "gzip", false, "pack the sitemaps")
	c.Flags().StringVar(&by, "by", "", "divide them by `WHAT`: kind or language")
	return c
}

func (a *app) emitSitemap(o publish.SitemapOptions, directory string) error {
	p, pages, found, ok, err := a.published()
	if !ok || err != nil {
		return err
	}
	own := directory == ""
	if own {
		directory = a.siteFolder("sitemap")
	}
	r := report{columns: []string{"file", "bytes"}, name: "files", text: told}
	items := []map[string]any{}
	wrote := map[string]bool{}
	var set []safefile.File
	list, more, err := publish.Sitemaps(p, pages, o, func(name string, data []byte) error {
		wrote[name] = true
		r.rows = append(r.rows, []string{name, fmt.Sprint(len(data))})
		items = append(items, map[string]any{"file": name, "bytes": len(data)})
		set = append(set, safefile.File{Path: filepath.Join(directory, filepath.FromSlash(name)), Data: data})
		return nil
	})
	if err != nil {
		return err
	}
	if own && len(list) > 0 {
		options, err := o.File(directory)
		if err != nil {
			return unfinished{err}
		}
		set = append(set, options)
	}
	if len(list) == 0 {
		a.say("nothing written: no page may be listed yet; gather the pages, and accept their addresses with design --write")
	} else if err := a.writeAll(set...); err != nil {
		return err
	}
	for _, name := range publish.Leftovers(directory, wrote) {
		a.say("%s is of another run, and nothing names it any more", address.Printable(filepath.Join(directory, name)))
	}
	entries, handIn := 0, []string{}
	for _, s := range list {
		entries += s.Entries
		handIn = append(handIn, s.Address)
		a.say("hand in %s", s.Address)
	}
	r.items, r.findings, r.more = items, append(found, more...), map[string]any{"hand_in": handIn}
	r.counts = []count{{"listed", "addresses listed", entries}, {"hidden", "live pages not to be listed", len(pages) - entries}}
	return a.print(r)
}

func (a *app) siteFolder(name string) string { return filepath.Join(a.project, "out", name) }

func (a *app) emitHeadCommand() *cobra.Command {
	var directory, as string
	c := &cobra.Command{
		Use:   "head",
		Short: "Write the canonical and language links of each page's head",
		Long: `Reads files only. Writes what the head of each live page is to hold: its canonical
link, and links to its translations. --as html writes a file for each page, csv and
json one file for a template. For headers instead, see emit nginx --links.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error { return a.emitHead(publish.HeadForm(as), directory) },
	}
	c.Flags().StringVar(&directory, "directory", "", "the folder to write to (out/head in the project)")
	c.Flags().StringVar(&as, "as", "html", "write them as `FORM`: html, csv or json")
	return c
}

func (a *app) emitHead(as publish.HeadForm, directory string) error {
	if !slices.Contains(publish.HeadForms(), as) {
		return fmt.Errorf("--as: %s is none; say html, csv or json", address.Printable(string(as)))
	}
	_, pages, found, ok, err := a.published()
	if !ok || err != nil {
		return err
	}
	if directory == "" {
		directory = a.siteFolder("head")
	}
	items := []map[string]any{}
	var set []safefile.File
	links, err := publish.Heads(pages, as, func(name string, data []byte) error {
		items = append(items, map[string]any{"file": name, "bytes": len(data)})
		set = append(set, safefile.File{Path: filepath.Join(directory, name), Data: data})
		return nil
	})
	if err != nil {
		return unfinished{err}
	}
	all, err := a.writeSet(set...)
	if err != nil {
		return err
	}
	written := 0
	for _, became := range all {
		if became.Written {
			written++
		}
	}
	a.say("%s: %d files, %d of them written", directory, len(items), written)
	return a.print(report{name: "files", items: items, findings: found, text: told,
		counts: []count{{"pages", "pages", len(pages)}, {"links", "links in their heads", links}}})
}

// robotsRun is a run of emit robots.
type robotsRun struct {
	installing
	directory, sitemap, host string
}

func (a *app) emitRobotsCommand() *cobra.Command {
	var e robotsRun
	c := &cobra.Command{
		Use:   "robots",
		Short: "Write the site's robots.txt, or put the plan's lines into one",
		Long: `Reads files only. Writes a robots.txt that names the sitemaps and keeps crawlers from
what site.blocked of the plan lists. --install puts these lines into a file that is
there already: lines that name another sitemap of the site become comments, every
other line stays as it is, and the old file stays beside it under a dated name.
--undo takes out exactly what was put in.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if err := e.usable(); err != nil {
				return err
			}
			if e.undo != "" {
				return a.robotsUndo(e)
			}
			return a.emitRobots(e)
		},
	}
	f := c.Flags()
	f.StringVar(&e.directory, "directory", "", "the folder to write to (out/robots in the project)")
	e.flags(f, "lines")
	f.StringVar(&e.host, "host", "", "with --install: the file is that of this `HOST` of a language; else of the origin")
	f.StringVar(&e.sitemap, "sitemap", "", "the sitemap is at `URL`, not where emit sitemap has it")
	return c
}

func (a *app) emitRobots(e robotsRun) error {
	p, pages, found, ok, err := a.published()
	if !ok || err != nil {
		return err
	}
	if e.host == "" {
		e.host = p.Site.Origin.Host
	} else if !p.Site.IsLanguageHost(e.host) && e.host != p.Site.Origin.Host {
		return fmt.Errorf("--host: %s is neither the origin nor a language's host", address.Printable(e.host))
	}
	lines := func(host string) sitefile.RobotsLines { return publish.RobotsLines(p, pages, host) }
	if e.sitemap != "" {
		at, err := address.Resolve(p.Site.Origin, e.sitemap)
		if err != nil {
			return fmt.Errorf("--sitemap: %w", err)
		}
		lines = func(host string) sitefile.RobotsLines {
			l := publish.RobotsLines(p, pages, host)
			if l.Sitemaps = nil; host == e.host {
				l.Sitemaps = []string{at.String()}
			}
			return l
		}
	}
	if e.install != "" {
		return a.robotsInstall(e, p, pages, lines(e.host), found)
	}
	if e.directory == "" {
		e.directory = a.siteFolder("robots")
	}
	r := report{columns: []string{"file", "bytes"}, name: "files", text: told}
	items := []map[string]any{}
	for _, host := range append([]string{p.Site.Origin.Host}, p.Site.LanguageHosts...) {
		text, err := lines(host).Put(nil)
		if err != nil {
			return err
		}
		if len(text) == 0 {
			a.say("the plan has nothing for the robots.txt of %s: neither a sitemap nor site.blocked", host)
			continue
		}
		name := "robots.txt"
		if host != p.Site.Origin.Host {
			name = path.Join(host, name)
		}
		more, err := blockedIn(p, pages, text, host, name)
		if err != nil {
			return err
		}
		found = append(found, more...)
		if err := a.write(filepath.Join(e.directory, filepath.FromSlash(name)), text); err != nil {
			return err
		}
		r.rows = append(r.rows, []string{name, fmt.Sprint(len(text))})
		items = append(items, map[string]any{"file": name, "bytes": len(text)})
	}
	r.items, r.findings = items, found
	return a.print(r)
}

func blockedIn(p *plan.Plan, pages []publish.Page, text []byte, host, file string) ([]finding.Finding, error) {
	robots, err := sitefile.ReadRobots(bytes.NewReader(text))
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", file, err)
	}
	return publish.Blocked(p, pages, robots, host, file), nil
}

// robotsFile reads a robots.txt; one that isn't there yet is empty.
func robotsFile(file string, links bool) (path string, text []byte, err error) {
	if path, err = real(file, links); err != nil {
		return "", nil, err
	}
	text, err = safefile.Read(path, maxRobotsFile)
	return path, text, err
}

// maxRobotsFile bounds what is taken for a robots.txt, in bytes.
const maxRobotsFile = 1 << 20

func (a *app) robotsInstall(e robotsRun, p *plan.Plan, pages []publish.Page, lines sitefile.RobotsLines,
	found []finding.Finding) error {
	file, before, err := robotsFile(e.install, e.links)
	if err != nil {
		return err
	}
	after, err := lines.Put(before)
	if err != nil {
		return robotsError(file, err)
	}
	more, err := blockedIn(p, pages, after, e.host, file)
	if err != nil {
		return err
	}
	r := report{columns: []string{"file", "bytes"}, name: "files", text: told, findings: append(found, more...)}
	done, err := a.robotsReplace(e, file, before, after, "Put these lines into")
	if done {
		r.rows = [][]string{{file, fmt.Sprint(len(after))}}
		r.items = []map[string]any{{"file": file, "bytes": len(after)}}
	}
	if err != nil {
		return err
	}
	return a.print(r)
}

// robotsReplace shows a change, asks, and makes it. It reports whether it did.
func (a *app) robotsReplace(e robotsRun, file string, before, after []byte, question string) (bool, error) {
	a.show(deploy.Difference(string(before), string(after)))
	if bytes.Equal(before, after) {
		a.say("%s: unchanged", file)
	}
	if e.dry || bytes.Equal(before, after) {
		return false, nil
	}
	if !e.yes {
		if err := a.confirm(fmt.Sprintf("%s %s?", question, file)); err != nil {
			return false, err
		}
	}
	return true, a.write(file, after)
}

func robotsError(file string, err error) error {
	var edited *block.EditedError
	if errors.As(err, &edited) {
		return editedByHand(file, edited)
	}
	return fmt.Errorf("%s: %w", file, err)
}

func (a *app) robotsUndo(e robotsRun) error {
	file, before, err := robotsFile(e.undo, e.links)
	if err != nil {
		return err
	}
	after, err := sitefile.TakeOut(before)
	if err != nil {
		return robotsError(file, err)
	}
	if !sitefile.HasLines(before) {
		return fmt.Errorf("%s: nothing was installed here", file)
	}
	done, err := a.robotsReplace(e, file, before, after, "Take these lines out of")
	if !done || err != nil {
		return err
	}
	a.say("what was installed is taken out of %s", file)
	return nil
}
