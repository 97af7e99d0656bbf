package relink

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/page"
	"young-compass/internal/safefile"
)

// Document is a file with what becomes of its links.
type Document struct {
	Path    string
	Row     bool // it is a value of a database, and its path says of which row
	Form    Form
	Before  []byte
	After   []byte // Before itself where nothing changes
	Links   []Link
	More    map[Sort]int // further links of which there is something to say, where there are very many
	Problem string       // why it is left alone

	Large  bool                                     // it is too long to be held: Before and After are empty
	sums   [2]safefile.Sum                          // of both, where it is
	relink func(to io.Writer, from io.Reader) error // does it again
}

// Sort is what links have in common that are only counted.
type Sort struct {
	Reason Reason
	Form   Form
}

// Changed reports whether a link of the document changes.
func (d *Document) Changed() bool {
	return d.sums[0] != d.sums[1] || !bytes.Equal(d.Before, d.After)
}

// MaxFile is how many bytes of a file are held. A longer one is read piece by piece if it is a dump or a text; else
// it is named and left alone.
const MaxFile = 64 << 20

// maxLinks is how many links of a large document are told.
const maxLinks = 100_000

// Files calls each with every file of a path, in the order of their names. base is the address at which the path
// stands: of a folder, or of a file; nil where nobody said. form is empty where each file shows its own.
func (l *Linker) Files(name string, form Form, base *address.Address, each func(Document) error) error {
	info, err := os.Stat(name)
	if err != nil {
		return err
	}
	if !info.IsDir() {
		folder, err := os.OpenRoot(filepath.Dir(name))
		if err != nil {
			return err
		}
		defer func() { _ = folder.Close() }()
		d, ok, err := l.file(folder, filepath.Base(name), name, form, base)
		if err != nil || !ok {
			return err
		}
		return each(d)
	}
	folder, err := os.OpenRoot(name) // what lies outside can't be reached through it
	if err != nil {
		return err
	}
	defer func() { _ = folder.Close() }()
	return fs.WalkDir(folder.FS(), ".", func(file string, entry fs.DirEntry, err error) error {
		shown := filepath.Join(name, filepath.FromSlash(file))
		switch {
		case err != nil:
			return each(Document{Path: shown, Problem: reason(err)})
		case entry.IsDir():
			if strings.HasPrefix(entry.Name(), ".") && file != "." {
				return fs.SkipDir
			}
			return nil
		case entry.Type()&fs.ModeSymlink != 0:
			return each(Document{Path: shown, Problem: symbolic})
		case !entry.Type().IsRegular(), strings.HasSuffix(file, ".bak"):
			return nil
		}
		var at *address.Address
		if base != nil {
			a := *base
			if a.Path, err = address.Path(path.Join(base.Path, (&url.URL{Path: file}).EscapedPath())); err != nil {
				return each(Document{Path: shown, Problem: "its name makes no address: " + err.Error()})
			}
			a.Query = ""
			at = &a
		}
		d, ok, err := l.file(folder, file, shown, form, at)
		if err != nil {
			return each(Document{Path: shown, Problem: reason(err)})
		}
		if !ok {
			return nil
		}
		return each(d)
	})
}

// symbolic is why a symbolic link is left alone.
const symbolic = "a symbolic link, which is not followed"

// reason is an error without the name of the file.
func reason(err error) string {
	var of *fs.PathError
	if errors.As(err, &of) {
		return of.Err.Error()
	}
	return err.Error()
}

// file reads a file of a folder; false where it holds no text.
func (l *Linker) file(folder *os.Root, file, shown string, form Form, at *address.Address) (Document, bool, error) {
	d := Document{Path: shown}
	f, err := folder.Open(file)
	if err != nil {
		return d, false, err
	}
	defer func() { _ = f.Close() }()
	info, err := f.Stat()
	if err != nil {
		return d, false, err
	}
	if d.Form = form; info.Size() > MaxFile {
		return l.large(d, f, file, at)
	}
	d.Before, err = io.ReadAll(io.LimitReader(f, MaxFile))
	if err != nil {
		return d, false, err
	}
	if form == "" {
		if form = formOf(file, d.Before); form == "" {
			return d, false, nil
		}
	}
	return l.Document(shown, d.Before, form, at), true, nil
}

// Document returns a text with what becomes of its links. form is empty where its content shows it, at nil where it
// says itself where it stands.
func (l *Linker) Document(name string, text []byte, form Form, at *address.Address) Document {
	if form == "" {
		form = cmp.Or(formOf("", text), Text)
	}
	d := Document{Path: name, Form: form, Before: text}
	d.After, d.Links = l.Relink(text, form, l.placed(d, at))
	return d
}

// large reads a file that is too long to be held.
func (l *Linker) large(d Document, f io.ReadSeeker, file string, at *address.Address) (Document, bool, error) {
	if d.Form == "" {
		sample := make([]byte, 8<<10)
		if _, err := io.ReadFull(f, sample); err != nil {
			return d, false, err
		}
		if d.Form = formOf(file, sample); d.Form == "" {
			return d, false, nil
		}
		if _, err := f.Seek(0, io.SeekStart); err != nil {
			return d, false, err
		}
	}
	if d.Form != SQL && d.Form != Text {
		d.Problem = fmt.Sprintf("it has more than %d MiB", MaxFile>>20)
		return d, true, nil
	}
	d.Large, d.More = true, map[Sort]int{}
	place := l.placed(d, at)
	before, after := sha256.New(), sha256.New()
	err := l.Stream(after, io.TeeReader(f, before), d.Form, place, func(link Link) {
		if len(d.Links) < maxLinks {
			d.Links = append(d.Links, link)
		} else {
			d.More[Sort{link.Reason, link.Form}]++
		}
	})
	d.sums = [2]safefile.Sum{safefile.Sum(before.Sum(nil)), safefile.Sum(after.Sum(nil))}
	form := d.Form
	d.relink = func(to io.Writer, from io.Reader) error { return l.Stream(to, from, form, place, func(Link) {}) }
	return d, err == nil, err
}

// placed returns where a document stands: where somebody said, else where it says itself.
func (l *Linker) placed(d Document, at *address.Address) Place {
	if at != nil {
		place := l.Place(*at)
		if place.base != place.to && l.written[sum(d.Before)] {
			place.base = place.to
		}
		return place
	}
	if d.Form == HTML {
		if own := page.Parse(d.Before, "").Canonical(); own != "" {
			if a, err := address.Parse(own); err == nil {
				return l.Place(bare(a))
			}
		}
	}
	return Place{base: l.plan.Site.Origin, to: l.plan.Site.Origin, nowhere: true}
}

// formOf tells the form of a file by its name, else by its content; empty where it holds no text.
func formOf(name string, text []byte) Form {
	sample := text[:min(len(text), 8<<10)]
	if isSerialised(bytes.TrimSpace(text)) { // in which there may be any bytes
		return PHP
	}
	switch strings.ToLower(path.Ext(name)) {
	case ".html", ".htm", ".xhtml", ".php", ".tpl", ".twig":
		return HTML
	case ".css", ".scss":
		return CSS
	case ".json", ".jsonld", ".webmanifest", ".map":
		return JSON
	case ".xml", ".rss", ".atom", ".svg":
		return XML
	case ".md", ".markdown":
		return Markdown
	case ".sql":
		return SQL
	case ".js", ".mjs", ".txt", ".ts":
		return Text
	}
	if bytes.IndexByte(sample, 0) >= 0 && !isUTF16(sample) {
		return ""
	}
	start := bytes.TrimLeft(bytes.TrimPrefix(sample, []byte("\ufeff")), " \t\r\n")
	switch {
	case bytes.HasPrefix(start, []byte("<?xml")):
		return XML
	case bytes.HasPrefix(start, []byte("<")):
		return HTML
	case bytes.HasPrefix(start, []byte("{")), bytes.HasPrefix(start, []byte("[")):
		return JSON
	case bytes.Contains(sample, []byte(" dump")) && bytes.HasPrefix(start, []byte("-")),
		bytes.Contains(sample, []byte("INSERT INTO")), bytes.Contains(sample, []byte("CREATE TABLE")):
		return SQL
	}
	return Text
}

func isUTF16(b []byte) bool {
	return bytes.HasPrefix(b, []byte("\xff\xfe")) || bytes.HasPrefix(b, []byte("\xfe\xff"))
}
