package pair

import (
	"fmt"
	"io"
	"io/fs"
	"net/url"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/page"
	"young-compass/internal/source"
)

// ReadFolder reads the HTML pages of a folder; their paths in it are their paths on the site at base. Other files and
// links are passed over. Errors are a *finding.Input, or those of the folder.
func ReadFolder(name string, folder fs.FS, base address.Address) ([]Page, []finding.Finding, error) {
	p := &reader{file: name, base: base}
	err := source.Pages(name, folder, func(file string, text io.Reader) error {
		q, err := readPage(text)
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		p.add(0, (&url.URL{Path: "/" + file}).EscapedPath(), q)
		return nil
	}, nil)
	if err != nil {
		return nil, nil, fmt.Errorf("reading the pages in %s: %w", name, err)
	}
	if len(p.pages)+len(p.found) == 0 {
		return nil, nil, finding.Unreadable(finding.Place{File: name}, "there is no HTML page in this folder",
			"name a folder of HTML pages, or one with young-compass.yaml")
	}
	return p.pages, p.found, nil
}

// readPage reads what counts of an HTML page; its address is still missing.
func readPage(r io.Reader) (Page, error) {
	signals, words, err := page.ReadText(r, "", maxText)
	if err != nil {
		return Page{}, err
	}
	q := Page{Title: signals.Title, Language: signals.Language, Text: words}
	if len(signals.Headings) > 0 {
		q.Heading = signals.Headings[0]
	}
	return q, nil
}
