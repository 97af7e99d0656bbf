package publish

import (
	"cmp"
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
			return cmp.Or(first(b.Address.Host == origin)-first(a.Address.Host == origin), strings.Compare(a.Address.Host, b.Address.Host))
		}
		return strings.Compare(groupOf(a), groupOf(b))
	})
	images := pictures{plan: p, answerer: p.Answerer()}
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
				image, why := images.address(text)
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
		name, err := parts.Finish()
		if err != nil {
			return nil, nil, err
		}
		if name != "" {
			s.File, s.Address = folder+name, parts.Base+name
			list = append(list, s)
		}
	}
	return list, found, nil
}

// maxImages is how many images an entry may have.
const maxImages = 1000

func first(b bool) int {
	if b {
		return 1
	}
	return 0
}

// plainName returns a name that is safe in an address and a file's name.
func plainName(s string) string {
	return strings.Map(func(r rune) rune {
		if r == '-' || '0' <= r && r <= '9' || 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' {
			return r
		}
		return '-'
	}, s)
}

// pictures finds out where images stand in the end.
type pictures struct {
	plan     *plan.Plan
	answerer *plan.Answerer
}

// address returns the address of an image, or why it has none.
func (x *pictures) address(text string) (to, why string) {
	a, err := address.Resolve(x.plan.Site.Origin, text)
	if err != nil {
		return "", "has no address"
	}
	a.Fragment = ""
	for range maxHops {
		answer, err := x.answerer.Answer(plan.Request{Method: "GET", Address: a})
		if err != nil {
			return "", "leads round in a circle"
		}
		switch answer.Outcome {
		case plan.Moved:
			next, err := address.Parse(answer.To)
			if err != nil {
				return "", "leads to what is no address"
			}
			a = next
			continue
		case plan.Gone, plan.Unknown:
			if answer.Internal == "" {
				return "", fmt.Sprintf("is answered %d", answer.Status)
			}
		}
		return a.String(), ""
	}
	return "", "is redirected too often"
}

// maxHops is how many redirects are followed from an image.
const maxHops = 20
