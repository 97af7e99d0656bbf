// Package source reads what an inventory can be made from, whatever form it has: it tells the form, unpacks, and knows
// by which names columns go elsewhere.
package source

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/klauspost/compress/zstd"

	"young-compass/internal/accesslog"
	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/folderfile"
	"young-compass/internal/inventory"
)

// Form is the kind of a source.
type Form string

// The forms of sources, those whose word counts most first.
const (
	Table   Form = "table"   // CSV, TSV, a workbook, JSON or JSON lines
	List    Form = "list"    // addresses, one a line
	Feed    Form = "feed"    // RSS 2.0 or Atom
	HTML    Form = "html"    // a page, or a folder of pages
	Site    Form = "site"    // a crawl
	Sitemap Form = "sitemap" // or an index of sitemaps
	Log     Form = "log"     // an access log
	Robots  Form = "robots"  // robots.txt
	Folder  Form = "rules"   // a per-folder file of Apache httpd
)

// Forms returns the forms that a source can be told to have.
func Forms() []Form { return []Form{Table, List, Feed, HTML, Sitemap, Log, Robots, Folder} }

// Told parts FORM:NAME, as a person writes it, where FORM is one of some forms; else the form is empty.
//
//	html:old-site    html, old-site
//	old-site         "", old-site
func Told[F ~string](s string, forms []F) (form F, name string) {
	if before, after, ok := strings.Cut(s, ":"); ok && slices.Contains(forms, F(before)) {
		return F(before), after
	}
	return "", s
}

// Rank orders the forms by how much their word counts; equals share a number.
func (f Form) Rank() int {
	switch f {
	case Table:
		return 5
	case Feed:
		return 4
	case HTML, Site:
		return 3
	case Sitemap, List, Folder:
		return 2
	case Log, Robots:
		return 1
	}
	return 0
}

// SampleSize is how much of a source Detect wants to see, in bytes.
const SampleSize = 64 << 10

// Detect tells the form of a source from the beginning of its content.
func Detect(sample []byte) Form {
	text := bytes.TrimLeft(bytes.TrimPrefix(sample, []byte("\ufeff")), " \t\r\n")
	if folderfile.Matches(text) {
		return Folder
	}
	for _, start := range []string{"\xff\xfe<\x00", "\xfe\xff\x00<", "<\x00", "\x00<"} { // UTF-16
		if bytes.HasPrefix(sample, []byte(start)) {
			text = bytes.ReplaceAll(sample, []byte{0}, nil)
		}
	}
	if i := bytes.IndexByte(text, '<'); i == 0 || i > 0 && i <= 2 && text[0] >= 0xfe {
		switch root := strings.ToLower(rootElement(text[i:])); root {
		case "urlset", "sitemapindex":
			return Sitemap
		case "rss", "feed", "rdf":
			return Feed
		default:
			return HTML
		}
	}
	first, rest, _ := bytes.Cut(text, []byte("\n"))
	for range 20 { // a log may begin in the middle of a line
		if line := bytes.TrimSpace(first); len(line) > 0 {
			if accesslog.Matches(line) {
				return Log
			}
		}
		if len(rest) == 0 {
			break
		}
		first, rest, _ = bytes.Cut(rest, []byte("\n"))
	}
	if robots(text) {
		return Robots
	}
	first, _, _ = bytes.Cut(text, []byte("\n"))
	if _, err := address.Parse(string(bytes.TrimSpace(first))); err == nil && !bytes.ContainsAny(first, ";\t\"") {
		return List
	}
	return Table
}

// robots reports whether a text is a robots.txt: the first line that is no comment names a crawler or a sitemap.
func robots(text []byte) bool {
	for len(text) > 0 {
		var line []byte
		line, text, _ = bytes.Cut(text, []byte("\n"))
		if line, _, _ = bytes.Cut(line, []byte("#")); len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		key, _, ok := bytes.Cut(line, []byte(":"))
		return ok && (strings.EqualFold(string(bytes.TrimSpace(key)), "user-agent") ||
			strings.EqualFold(string(bytes.TrimSpace(key)), "sitemap"))
	}
	return false
}

// rootElement returns the name of the first element of a text in XML or HTML,
// without its prefix.
func rootElement(text []byte) string {
	for {
		open := bytes.IndexByte(text, '<')
		if open < 0 || open+1 >= len(text) {
			return ""
		}
		text = text[open+1:]
		if bytes.HasPrefix(text, []byte("!--")) {
			_, after, ok := bytes.Cut(text, []byte("-->"))
			if !ok {
				return ""
			}
			text = after
			continue
		}
		if text[0] == '?' || text[0] == '!' {
			continue
		}
		end := bytes.IndexAny(text, " \t\r\n/>")
		if end < 0 {
			end = len(text)
		}
		name := string(text[:end])
		return name[strings.LastIndexByte(name, ':')+1:]
	}
}

// The bounds of what is unpacked: this much is always read, more only while the
// packed text isn't many times smaller.
const (
	freeUnpacked = 8 << 20 // bytes
	maxRatio     = 200
)

// Unpack returns the text of a source, which may be packed with gzip or zstd,
// and a function to call when it has been read.
func Unpack(file string, r io.Reader) (*bufio.Reader, func(), error) {
	packed := &meter{r: r}
	raw := bufio.NewReaderSize(packed, SampleSize)
	start, err := raw.Peek(4)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, nil, fmt.Errorf("reading %s: %w", file, err)
	}
	broken := func(err error) error {
		return finding.Unreadable(finding.Place{File: file}, "it can't be unpacked: "+err.Error(), "fetch it again")
	}
	switch {
	case bytes.HasPrefix(start, []byte("\x1f\x8b")):
		z, err := gzip.NewReader(raw)
		if err != nil {
			return nil, nil, broken(err)
		}
		return bufio.NewReaderSize(&unpacked{file: file, packed: packed, r: z}, SampleSize), func() { _ = z.Close() },
			nil
	case bytes.HasPrefix(start, []byte("\x28\xb5\x2f\xfd")):
		z, err := zstd.NewReader(raw, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20))
		if err != nil {
			return nil, nil, broken(err)
		}
		return bufio.NewReaderSize(&unpacked{file: file, packed: packed, r: z}, SampleSize), z.Close, nil
	}
	return raw, func() {}, nil
}

// meter counts what is read.
type meter struct {
	r io.Reader
	n int64
}

func (m *meter) Read(p []byte) (int, error) {
	n, err := m.r.Read(p)
	m.n += int64(n)
	return n, err
}

// unpacked reads what was packed, within bounds.
type unpacked struct {
	file   string
	packed *meter
	r      io.Reader
	n      int64
}

func (u *unpacked) Read(p []byte) (int, error) {
	n, err := u.r.Read(p)
	u.n += int64(n)
	switch {
	case u.n > freeUnpacked && u.n/maxRatio > u.packed.n:
		return 0, finding.Unreadable(finding.Place{File: u.file},
			fmt.Sprintf("it unpacks to more than %d times its size", maxRatio),
			"unpack it yourself, if it is what it should be")
	case errors.Is(err, io.ErrUnexpectedEOF):
		return n, finding.Unreadable(finding.Place{File: u.file}, "it can't be unpacked: it breaks off",
			"fetch it again")
	case err != nil && !errors.Is(err, io.EOF):
		return n, finding.Unreadable(finding.Place{File: u.file}, "it can't be unpacked: "+err.Error(),
			"fetch it again")
	}
	return n, err
}

// Usual is a column that a table of pages needs or may have, with the names it
// usually goes by elsewhere.
type Usual struct {
	Column string
	Names  []string
}

// UsualNames are the columns that a source needs or may have.
func UsualNames() []Usual {
	return []Usual{
		{"key", []string{"id", "page id", "page_id", "identifier"}},
		{"title", []string{"name", "headline", "page title", "page_title", "title.text", "titel", "titre", "título",
			"titulo", "titolo", "tittel",
			"überschrift", "seitentitel", "bezeichnung"}},
		{"address", inventory.AddressNames()},
		{"language", []string{"lang", "locale", "sprache", "langue", "idioma", "lingua", "taal", "språk", "sprog"}},
		{"kind", []string{"type", "content type", "content_type", "typ", "seitentyp", "tipo", "art"}},
		{"state", []string{"status", "zustand", "statut", "état", "etat", "estado", "stato", "visibility", "sichtbarkeit"}},
		{"date", []string{"published", "publication date", "created", "datum", "veröffentlicht am", "fecha", "data", "dato"}},
	}
}

// Lines calls each with every line of a list that isn't empty. Errors are a
// *finding.Input, or those of r.
func Lines(file string, r io.Reader, each func(line int, text string)) error {
	lines := bufio.NewScanner(r)
	lines.Buffer(make([]byte, 64<<10), 1<<20)
	for line := 1; lines.Scan(); line++ {
		if text := strings.TrimSpace(strings.TrimPrefix(lines.Text(), "\ufeff")); text != "" {
			each(line, text)
		}
	}
	if errors.Is(lines.Err(), bufio.ErrTooLong) {
		return finding.Unreadable(finding.Place{File: file}, "a line of more than 1 MiB", "write one address a line")
	}
	return lines.Err()
}
