package source

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"
	"strings"

	"young-compass/internal/finding"
)

// maxFiles bounds the files of a folder that are looked at.
const maxFiles = 1_000_000

// Pages calls page with each HTML page of a folder, by its path in it, in the order of their names; and other, which
// may be nil, with every other file and why it is none. Links are none, since they may lead outside; folders whose names
// begin with a point are passed over. Errors are a *finding.Input, those of the folder, or those of page.
func Pages(name string, folder fs.FS, page func(file string, text io.Reader) error, other func(file, why string)) error {
	if other == nil {
		other = func(string, string) {}
	}
	seen := 0
	return fs.WalkDir(folder, ".", func(file string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if seen++; seen > maxFiles {
			return finding.Unreadable(finding.Place{File: name}, fmt.Sprintf("more than %d files", maxFiles),
				"name a smaller folder")
		}
		switch {
		case entry.IsDir():
			if strings.HasPrefix(entry.Name(), ".") && file != "." {
				return fs.SkipDir
			}
			return nil
		case !entry.Type().IsRegular():
			other(file, "a link, or no file")
			return nil
		}
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
		if len(sample) == 0 || Detect(sample) != HTML || !looksLikePage(sample) {
			other(file, "no HTML page")
			return nil
		}
		return page(file, text)
	})
}

// looksLikePage reports whether a text has an element of a page's beginning.
func looksLikePage(sample []byte) bool {
	text := strings.ToLower(string(sample))
	return slices.ContainsFunc([]string{"<!doctype html", "<html", "<head", "<title", "<body", "<h1"},
		func(s string) bool { return strings.Contains(text, s) })
}
