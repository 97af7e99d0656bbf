package publish

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/sitefile"
)

// By is what sitemaps are divided by.
type By string

// The ways to divide them.
const (
	ByNothing  By = ""
	ByKind     By = "kind"
	ByLanguage By = "language"
)

// SitemapOptions say how sitemaps are written.
type SitemapOptions struct {
	Max  int  `json:"max"` // entries of one; 0: as many as a sitemap may have
	Gzip bool `json:"gzip"`
	By   By   `json:"by"`
}

// Sitemap is what one host hands in.
type Sitemap struct {
	Host    string
	File    string // the sitemap, or the index of several
	Address string // where it is to stand
	Entries int
}

// Sitemaps writes the sitemaps of the pages that may be listed. Each host has its own (sitemaps 0.9, "location"): those of
// the origin have no folder, those of a language's host lie in a folder of its name. Dates come from the column modified,
// images from images; those that none can be made of are left out, and told.
func Sitemaps(p *plan.Plan, pages []Page, o SitemapOptions, write func(name string, data []byte) error) (
	list []Sitemap, found []finding.Finding, err error) {
	listed := make([]*Page, 0, len(pages))
	for i := range pages {
		if pages[i].Listed {
			listed = append(listed, &pages[i])
		}
	}
	groupOf := func(page *Page) string {
		switch o.By {
		case ByKind:
			return plainName(page.Kind)
		case ByLanguage:
			return plainName(strings.ToLower(page.Language))
		}
		return ""
	}
	origin := p.Site.Origin.Host
	slices.SortStableFunc(listed, func(a, b *Page) int {
		if a.Address.Host != b.Address.Host {
			switch origin {
			case a.Address.Host:
				return -1
			case b.Address.Host:
				return 1
			}
			return strings.Compare(a.Address.Host, b.Address.Host)
		}
		return strings.Compare(groupOf(a), groupOf(b))
	})
	for len(listed) > 0 {
		host := listed[0].Address.Host
		folder := ""
		if host != origin {
			folder = host + "/"
		}
		s := Sitemap{Host: host}
		parts := sitefile.Parts{Base: listed[0].Address.Base() + "/", Max: o.Max, Gzip: o.Gzip,
			Write: func(name string, data []byte) error { return write(folder+name, data) }}
		for len(listed) > 0 && listed[0].Address.Host == host {
			page := listed[0]
			listed = listed[1:]
			if len(page.Canonical) > sitefile.MaxLocation {
				found = append(found, LeftOut(p, page.Page, "its address is longer than a sitemap may have", "shorten it"))
				continue
			}
			u := sitefile.URL{Location: page.Canonical, Alternates: page.Alternates}
			if said := page.Field("modified"); said != "" {
				var ok bool
				if u.Modified, ok = sitefile.Date(said); !ok {
					found = append(found, LeftOut(p, page.Page, fmt.Sprintf("its column modified says %s, which is no whole date", said),
						"write it as 2026-11-23"))
				}
			}
			for text := range strings.FieldsSeq(page.Field("images")) {
				image, why := imageAt(p, text)
				switch {
				case why != "":
					found = append(found, LeftOut(p, page.Page, fmt.Sprintf("the image %s %s", text, why), "mend the column images"))
				case len(u.Images) < maxImages:
					u.Images = append(u.Images, image)
				}
			}
			if err := parts.Add(groupOf(page), u); err != nil {
				return nil, nil, err
			}
			s.Entries++
		}
		some, err := parts.Finish()
		if err != nil {
			return nil, nil, err
		}
		if some {
			s.File, s.Address = folder+sitefile.Index, parts.Base+sitefile.Index
			list = append(list, s)
		}
	}
	return list, found, nil
}

// maxImages is how many images an entry may have.
const maxImages = 1000

// plainName returns a name that is safe in an address and a file's name.
func plainName(s string) string {
	return strings.Map(func(r rune) rune {
		if r == '-' || '0' <= r && r <= '9' || 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' {
			return r
		}
		return '-'
	}, s)
}

// imageAt returns the address at which the plan shows an image in the end, or why it has none.
func imageAt(p *plan.Plan, text string) (to, why string) {
	a, err := address.Resolve(p.Site.Origin, text)
	if err != nil {
		return "", "has no address"
	}
	a.Fragment = ""
	t, err := p.Trace(plan.Request{Method: "GET", Address: a})
	switch {
	case err != nil:
		return "", "leads round in a circle"
	case (t.Answer.Outcome == plan.Gone || t.Answer.Outcome == plan.Unknown) && t.Answer.Internal == "":
		return "", fmt.Sprintf("is answered %d", t.Answer.Status)
	}
	return t.Final.Address.String(), ""
}
