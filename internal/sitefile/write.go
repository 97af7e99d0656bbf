package sitefile

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"time"

	"github.com/klauspost/compress/gzip"
)

// The bounds of one sitemap, and of an index (sitemaps 0.9).
const (
	MaxEntries  = 50_000
	MaxSize     = 50 << 20 // in bytes, unpacked
	MaxLocation = 2047     // in characters
)

// Parts writes sitemaps: one, or as many as are needed and an index of them. The zero value of what is optional will do.
//
//	sitemap.xml                                    all fits into one
//	sitemap.xml, sitemap-1.xml, sitemap-2.xml      an index, and its parts
//	sitemap.xml, sitemap-port-1.xml, ...           parts by group
type Parts struct {
	Base  string // where they will stand: https://skerrywick.example/
	Max   int    // entries of one; 0: MaxEntries
	Gzip  bool   // packs them
	Write func(name string, data []byte) error

	group   string
	entries int
	body    bytes.Buffer
	number  map[string]int // by group: how many parts it has
	held    []byte         // the first part, which may be the only one
	names   []string
}

const (
	declaration = `<?xml version="1.0" encoding="UTF-8"?>` + "\n"
	setOpens    = `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"` +
		` xmlns:xhtml="http://www.w3.org/1999/xhtml"` +
		` xmlns:image="http://www.google.com/schemas/sitemap-image/1.1">` + "\n"
	setCloses = "</urlset>\n"
)

// Add adds an entry to the parts of a group; entries of one group follow each other. Errors are those of Write, and of an
// entry that no sitemap can hold.
func (p *Parts) Add(group string, u URL) error {
	before := p.body.Len()
	most := p.Max
	if most <= 0 || most > MaxEntries {
		most = MaxEntries
	}
	if p.entries > 0 && (p.group != group || p.entries == most) {
		if err := p.flush(); err != nil {
			return err
		}
		before = 0
	}
	p.group = group
	p.entry(u)
	const frame = len(declaration) + len(setOpens) + len(setCloses)
	if p.body.Len()+frame > MaxSize {
		entry := bytes.Clone(p.body.Bytes()[before:])
		p.body.Truncate(before)
		if before == 0 {
			return fmt.Errorf("the entry of %s alone has more than 50 MB", u.Location)
		}
		if err := p.flush(); err != nil {
			return err
		}
		p.group = group
		p.body.Write(entry)
	}
	p.entries++
	return nil
}

// entry writes an entry, its elements in the order of the schema.
func (p *Parts) entry(u URL) {
	p.body.WriteString("<url><loc>")
	p.escaped(u.Location)
	p.body.WriteString("</loc>")
	if u.Modified != "" {
		p.body.WriteString("<lastmod>")
		p.escaped(u.Modified)
		p.body.WriteString("</lastmod>")
	}
	for _, a := range u.Alternates {
		p.body.WriteString(`<xhtml:link rel="alternate" hreflang="`)
		p.escaped(a.Language)
		p.body.WriteString(`" href="`)
		p.escaped(a.Location)
		p.body.WriteString(`"/>`)
	}
	for _, image := range u.Images {
		p.body.WriteString("<image:image><image:loc>")
		p.escaped(image)
		p.body.WriteString("</image:loc></image:image>")
	}
	p.body.WriteString("</url>\n")
}

// escaped writes a text. Most have nothing to escape.
func (p *Parts) escaped(text string) {
	for i := 0; i < len(text); i++ {
		if c := text[i]; c < ' ' || c > '~' || c == '&' || c == '<' || c == '>' || c == '"' || c == '\'' {
			_ = xml.EscapeText(&p.body, []byte(text))
			return
		}
	}
	p.body.WriteString(text)
}

// flush ends a part.
func (p *Parts) flush() error {
	data := bytes.Join([][]byte{[]byte(declaration + setOpens), p.body.Bytes(), []byte(setCloses)}, nil)
	p.body.Reset()
	p.entries = 0
	if p.number == nil {
		p.number = map[string]int{}
	}
	p.number[p.group]++
	name := fmt.Sprintf("sitemap-%d.xml", p.number[p.group])
	if p.group != "" {
		name = fmt.Sprintf("sitemap-%s-%d.xml", p.group, p.number[p.group])
	}
	p.names = append(p.names, name)
	if len(p.names) == 1 {
		p.held = data
		return nil
	}
	if p.held != nil {
		if err := p.put(p.names[0], p.held); err != nil {
			return err
		}
		p.held = nil
	}
	return p.put(name, data)
}

// put writes a file, packed if that is asked for. Packed bytes have no time in them: the same entries give the same.
func (p *Parts) put(name string, data []byte) error {
	if !p.Gzip {
		return p.Write(name, data)
	}
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	if _, err := w.Write(data); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	return p.Write(name+".gz", packed.Bytes())
}

// Index is the file to hand in: the one sitemap, or the index of several.
const Index = "sitemap.xml"

// Finish writes what is left, and the index if there are several parts, or packed ones. It reports false where there was no
// entry, and nothing is written.
func (p *Parts) Finish() (bool, error) {
	if p.entries > 0 {
		if err := p.flush(); err != nil {
			return false, err
		}
	}
	switch {
	case len(p.names) == 0:
		return false, nil
	case len(p.names) == 1 && !p.Gzip:
		return true, p.Write(Index, p.held)
	case len(p.names) > MaxEntries:
		return false, errors.New("there are more sitemaps than an index can name (50,000)")
	}
	if p.held != nil {
		if err := p.put(p.names[0], p.held); err != nil {
			return false, err
		}
	}
	packed := ""
	if p.Gzip {
		packed = ".gz"
	}
	var b bytes.Buffer
	b.WriteString(declaration + `<sitemapindex xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">` + "\n")
	for _, part := range p.names {
		b.WriteString("<sitemap><loc>")
		_ = xml.EscapeText(&b, []byte(p.Base+part+packed))
		b.WriteString("</loc></sitemap>\n")
	}
	b.WriteString("</sitemapindex>\n")
	return true, p.Write(Index, b.Bytes())
}

// Dated reports whether a text is a date as sitemaps have them (W3C date and time).
//
//	2026    2026-11    2026-11-23    2026-11-23T08:15+01:00
func Dated(s string) bool {
	for _, layout := range []string{"2006", "2006-01", time.DateOnly} {
		if len(s) == len(layout) {
			_, err := time.Parse(layout, s)
			return err == nil
		}
	}
	for _, layout := range []string{"2006-01-02T15:04Z07:00", time.RFC3339} {
		if _, err := time.Parse(layout, s); err == nil {
			return true
		}
	}
	return false
}

// Date returns a date as the schema of sitemaps takes it: a day, or a day with a time to the second. It reports false for
// a year or a month alone, which the protocol allows and the schema doesn't, and for what is no date.
//
//	2026-11-23T08:15+01:00 -> 2026-11-23T08:15:00+01:00
func Date(s string) (date string, ok bool) {
	if len(s) < len(time.DateOnly) || !Dated(s) {
		return "", false
	}
	if t, err := time.Parse("2006-01-02T15:04Z07:00", s); err == nil {
		return t.Format(time.RFC3339), true
	}
	return s, true
}
