package pair

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"path"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/page"
	"young-compass/internal/source"
)

// maxFiles bounds the files of a folder that are looked at.
const maxFiles = 1_000_000

// ReadFolder reads the HTML pages of a folder; their paths in it are their paths on the site at base. Other files and
// links are passed over. Errors are a *finding.Input, or those of the folder.
func ReadFolder(name string, folder fs.FS, base address.Address) ([]Page, []finding.Finding, error) {
	p := &reader{file: name, base: base}
	seen := 0
	err := fs.WalkDir(folder, ".", func(file string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if seen++; seen > maxFiles {
			return finding.Unreadable(finding.Place{File: name}, fmt.Sprintf("more than %d files", maxFiles),
				"name a smaller folder")
		}
		switch {
		case entry.IsDir() && strings.HasPrefix(entry.Name(), ".") && file != ".":
			return fs.SkipDir
		case !entry.Type().IsRegular():
			return nil
		}
		return p.html(folder, file)
	})
	if err != nil {
		return nil, nil, fmt.Errorf("reading the pages in %s: %w", name, err)
	}
	if len(p.pages)+len(p.found) == 0 {
		return nil, nil, finding.Unreadable(finding.Place{File: name}, "there is no HTML page in this folder",
			"name a folder of HTML pages, or one with young-compass.yaml")
	}
	return p.pages, p.found, nil
}

// html reads a file of a folder, if it is a page.
func (p *reader) html(folder fs.FS, file string) error {
	f, err := folder.Open(file)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	text := bufio.NewReaderSize(f, 4096)
	sample, err := text.Peek(4096)
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	if len(sample) == 0 || source.Detect(sample) != source.HTML {
		return nil
	}
	q, err := readPage(text)
	if err != nil {
		return fmt.Errorf("%s: %w", path.Join(p.file, file), err)
	}
	p.add(0, (&url.URL{Path: "/" + file}).EscapedPath(), q)
	return nil
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
