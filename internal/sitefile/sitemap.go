// Package sitefile reads and writes the files in which a site speaks to search engines:
// sitemaps (sitemaps 0.9) and robots.txt (RFC 9309).
package sitefile

import (
	"encoding/xml"
	"errors"
	"io"
	"strings"

	"young-compass/internal/finding"
	"young-compass/internal/xmltext"
)

// URL is an entry of a sitemap, its texts as they stand there.
type URL struct {
	Location   string
	Modified   string // W3C date and time
	Images     []string
	Alternates []Alternate
	Line       int
}

// Alternate is the address of the same page for another language or region.
type Alternate struct{ Language, Location string }

// Sitemap is what a file said that isn't an entry.
type Sitemap struct {
	Parts []string // of an index: the addresses of its sitemaps
}

// maxLinks bounds the images and alternates of one entry.
const maxLinks = 2000

// ReadSitemap reads a sitemap or an index of sitemaps, passing on each entry.
// Errors are a *finding.Input, those of the file itself, or of each.
func ReadSitemap(file string, r io.Reader, each func(URL) error) (Sitemap, error) {
	var s Sitemap
	x := xmltext.New(file, r)
	root := false
	for {
		token, err := x.Next()
		if errors.Is(err, io.EOF) {
			if !root {
				return s, notSitemap(file)
			}
			return s, nil
		}
		if err != nil {
			return s, err
		}
		start, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		switch name := start.Name.Local; {
		case !root:
			if root = name == "urlset" || name == "sitemapindex"; !root {
				return s, notSitemap(file)
			}
		case name == "url":
			u, err := readURL(x)
			if err != nil {
				return s, err
			}
			if err := each(u); err != nil {
				return s, err
			}
		case name == "sitemap":
			u, err := readURL(x)
			if err != nil {
				return s, err
			}
			s.Parts = append(s.Parts, u.Location)
		default:
			if err := x.Skip(); err != nil {
				return s, err
			}
		}
	}
}

func notSitemap(file string) error {
	return finding.Unreadable(finding.Place{File: file},
		"this is not a sitemap: its root element is neither urlset nor sitemapindex", "see sitemaps 0.9")
}

// readURL reads the children of <url> or <sitemap>.
func readURL(x *xmltext.Reader) (URL, error) {
	u := URL{Line: x.Line()}
	var into *string
	for {
		token, err := x.Next()
		if err != nil {
			return u, err
		}
		switch token := token.(type) {
		case xml.EndElement:
			if token.Name.Local == "url" || token.Name.Local == "sitemap" {
				return u, nil
			}
		case xml.StartElement:
			into = nil
			image := strings.Contains(token.Name.Space, "image")
			switch token.Name.Local {
			case "loc":
				if into = &u.Location; image {
					var loc string
					into = &loc
				}
			case "lastmod":
				into = &u.Modified
			case "link":
				if xmltext.Attribute(token, "rel") == "alternate" && len(u.Alternates) < maxLinks {
					u.Alternates = append(u.Alternates, Alternate{xmltext.Attribute(token, "hreflang"),
						xmltext.Attribute(token, "href")})
				}
			}
			if into == nil {
				continue
			}
			if *into, err = x.Text(); err != nil {
				return u, err
			}
			if image && len(u.Images) < maxLinks {
				u.Images = append(u.Images, *into)
			}
		}
	}
}
