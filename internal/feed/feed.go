// Package feed reads RSS 2.0 and Atom (RFC 4287): what a content system says of
// its entries, with the draft marks of RFC 5023.
package feed

import (
	"cmp"
	"encoding/xml"
	"errors"
	"io"
	"slices"
	"strings"
	"time"

	"golang.org/x/net/html"

	"young-compass/internal/finding"
	"young-compass/internal/xmltext"
)

// Item is an item of a feed.
type Item struct {
	ID         string // Atom's id, or the guid of RSS
	Title      string // plain text
	Link       string
	Language   string
	Categories []string
	Date       string // of publication, YYYY-MM-DD; empty when there is none that can be read
	Draft      bool
	Reply      bool   // it answers another entry, as comments do (RFC 4685)
	Status     string // as an extension says it: publish, draft, trash
	Kind       string // as an extension says it: post, page, attachment
	Slug       string // the name in its address, as an extension says it
	Line       int
}

// NoPage says why an entry is no page of a site; empty for one that is.
func (e *Item) NoPage() string {
	kind := strings.ToLower(e.Kind)
	switch {
	case e.Reply || kind == "comment":
		return "a reply to another entry"
	case kind == "attachment":
		return "an attachment"
	case slices.Contains([]string{"template", "settings", "setting", "layout", "revision", "menu", "nav_menu_item",
		"navigation", "style", "stylesheet"}, kind):
		return "a template or a setting"
	case kind != "" && e.Link == "" && e.Title == "":
		return "an entry without a page"
	}
	return ""
}

// maxCategories bounds what is kept of one entry.
const maxCategories = 200

// Read reads a feed, passing on each entry. Errors are a *finding.Input, those
// of the file itself, or of each.
func Read(file string, r io.Reader, each func(Item) error) error {
	x := xmltext.New(file, r)
	root, language := "", ""
	for {
		token, err := x.Next()
		if errors.Is(err, io.EOF) {
			if root == "" {
				return notFeed(file)
			}
			return nil
		}
		if err != nil {
			return err
		}
		start, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		switch name := start.Name.Local; {
		case root == "":
			if name != "rss" && name != "feed" && name != "RDF" {
				return notFeed(file)
			}
			root, language = name, xmltext.Attribute(start, "lang")
		case name == "channel":
			// its children follow
		case name == "item" || name == "entry":
			e := Item{Language: language, Line: x.Line()}
			if own := xmltext.Attribute(start, "lang"); own != "" {
				e.Language = own
			}
			if err := e.read(x, name); err != nil {
				return err
			}
			if err := each(e); err != nil {
				return err
			}
		case name == "language":
			if language, err = x.Text(); err != nil {
				return err
			}
		default:
			if err := x.Skip(); err != nil {
				return err
			}
		}
	}
}

func notFeed(file string) error {
	return finding.Unreadable(finding.Place{File: file}, "this is not a feed: its root element is neither rss nor feed",
		"export it as RSS 2.0 or Atom")
}

// namespaces are those of the elements that are read: of RSS, Atom, its
// publishing protocol, RSS 1.0 and Dublin Core.
func namespaces() []string {
	return []string{"", "http://www.w3.org/2005/Atom", "http://www.w3.org/2007/app", "http://purl.org/rss/1.0/",
		"http://purl.org/dc/elements/1.1/", "dc", "app"}
}

// read reads the children of an entry.
func (e *Item) read(x *xmltext.Reader, element string) error {
	updated := ""
	for {
		token, err := x.Next()
		if err != nil {
			return err
		}
		if end, ok := token.(xml.EndElement); ok && end.Name.Local == element {
			if e.Date == "" {
				e.Date = updated
			}
			return nil
		}
		start, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		name := start.Name.Local
		if name == "control" { // app:control holds app:draft
			continue
		}
		extension := !slices.Contains(namespaces(), start.Name.Space)
		if name == "in-reply-to" {
			e.Reply = true
		}
		href := xmltext.Attribute(start, "href")
		rel := xmltext.Attribute(start, "rel")
		term := xmltext.Attribute(start, "term")
		text, err := x.Text()
		if err != nil {
			return err
		}
		if extension { // another vocabulary's title isn't the entry's
			e.extend(name, text)
			continue
		}
		switch name {
		case "id", "guid":
			e.ID = text
		case "title":
			e.Title = plain(text)
		case "link":
			switch {
			case href == "" && text != "":
				e.Link = text
			case href != "" && (rel == "" || rel == "alternate") && e.Link == "":
				e.Link = href
			}
		case "category":
			if term != "" {
				text = term
			}
			if scheme := xmltext.Attribute(start, "scheme"); strings.HasSuffix(scheme, "kind") {
				e.Kind = text[strings.LastIndexAny(text, "#/")+1:]
				continue
			}
			if text != "" && len(e.Categories) < maxCategories {
				e.Categories = append(e.Categories, text)
			}
		case "pubDate", "published", "date":
			e.Date = day(text)
		case "updated":
			updated = day(text)
		case "draft":
			e.Draft = strings.EqualFold(text, "yes")
		case "language":
			e.Language = text
		}
	}
}

// extend takes up what an extension says, by the local name of its element, whatever its vocabulary.
func (e *Item) extend(name, text string) {
	name = strings.ToLower(strings.TrimPrefix(strings.ReplaceAll(name, "-", "_"), "post_"))
	switch name {
	case "status", "state":
		e.Status = cmp.Or(e.Status, text)
	case "type", "kind":
		e.Kind = cmp.Or(e.Kind, text)
	case "slug", "name":
		e.Slug = cmp.Or(e.Slug, text)
	}
}

// plain returns the text of a title, which may be HTML.
func plain(s string) string {
	if !strings.ContainsAny(s, "<&") {
		return strings.Join(strings.Fields(s), " ")
	}
	var b strings.Builder
	for z := html.NewTokenizer(strings.NewReader(s)); ; {
		switch z.Next() {
		case html.ErrorToken:
			return strings.Join(strings.Fields(b.String()), " ")
		case html.TextToken:
			b.Write(z.Text())
		}
	}
}

// day returns the date of a time as RFC 5322 or RFC 3339 write it, in its own
// zone.
func day(s string) string {
	for _, layout := range []string{time.RFC1123Z, time.RFC1123, "Mon, 2 Jan 2006 15:04:05 -0700",
		"Mon, 2 Jan 2006 15:04:05 MST", "2 Jan 2006 15:04:05 -0700",
		"2 Jan 2006 15:04:05 MST", "Mon, 2 Jan 2006 15:04 -0700", time.RFC3339, "2006-01-02T15:04Z07:00", time.DateTime,
		time.DateOnly} {
		if t, err := time.Parse(layout, s); err == nil {
			return t.Format(time.DateOnly)
		}
	}
	return ""
}
