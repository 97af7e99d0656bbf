package probe

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"

	"github.com/klauspost/compress/gzip"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/sitefile"
)

// leastSitemaps is how many sitemaps are read, however few addresses are asked for.
const leastSitemaps = 20

// readSitemaps reads the sitemaps that robots.txt names, or else /sitemap.xml.
func (s *Surveyor) readSitemaps(ctx context.Context, v *Survey) error {
	origin := s.Plan.Site.Origin
	var list []address.Address
	named := map[address.Address]bool{}
	for _, text := range v.Rules[origin].Sitemaps() {
		if a, err := address.Parse(text); err == nil && len(list) < maxSitemaps {
			named[a] = true
			list = append(list, a)
		}
	}
	usual := origin
	usual.Path = "/sitemap.xml"
	if len(list) == 0 {
		list = append(list, usual)
	}
	seen := map[address.Address]bool{}
	for len(list) > 0 && len(seen) < min(maxSitemaps, max(s.Max, leastSitemaps)) {
		a := list[0]
		list = list[1:]
		if seen[a] {
			continue
		}
		seen[a] = true
		m, parts := s.readSitemap(ctx, v, a)
		m.Named = named[a]
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if a == usual && !m.Named && m.Status != 200 {
			continue // there is none
		}
		v.Sitemaps = append(v.Sitemaps, m)
		for _, part := range parts {
			named[part] = m.Named
			list = append(list, part)
		}
	}
	return nil
}

func (s *Surveyor) readSitemap(ctx context.Context, v *Survey, a address.Address) (m Sitemap, parts []address.Address) {
	m.Address = a
	reply, err := s.Client.GetFile(ctx, a)
	for hops := 0; err == nil && reply.Status >= 300 && reply.Status < 400 && hops < 5; hops++ {
		to, bad := address.Reference(a, reply.Location)
		if bad != nil {
			break
		}
		reply, err = s.Client.GetFile(ctx, to)
	}
	m.Status, m.Failure = reply.Status, fetch.FailureOf(err)
	if err != nil || reply.Status != 200 {
		return m, nil
	}
	var r io.Reader = bytes.NewReader(reply.Body)
	if bytes.HasPrefix(reply.Body, []byte{0x1f, 0x8b}) {
		unpacked, err := gzip.NewReader(r)
		if err != nil {
			m.Problem = "it can't be unpacked"
			return m, nil
		}
		r = unpacked
	}
	counted := &counter{r: io.LimitReader(r, fetch.MaxFile+1)}
	file := a.String()
	content, err := sitefile.ReadSitemap(file, counted, func(u sitefile.URL) error {
		if m.Entries++; m.Entries > maxEntries {
			return errTooMany
		}
		at, err := address.Parse(u.Location)
		if err != nil {
			if len(m.Wrong) < maxWrong {
				u.Location = address.Printable(u.Location[:min(len(u.Location), maxSitemapName)])
				m.Wrong = append(m.Wrong, u)
			}
			return nil
		}
		at.Fragment = ""
		if _, twice := v.Listed[at]; !twice {
			v.Listed[at] = Listing{a, u.Line, u.Modified, u.Alternates}
		}
		if u.Modified != "" && !sitefile.Dated(u.Modified) && len(m.Wrong) < maxWrong {
			m.Wrong = append(m.Wrong, u)
		}
		return nil
	})
	m.Size = counted.n
	var input *finding.Input
	switch {
	case errors.As(err, &input):
		m.Problem = fmt.Sprintf("line %d: %s", input.Finding.Where.Line, input.Finding.What)
	case err != nil:
		m.Problem = err.Error()
	}
	for _, text := range content.Parts {
		if part, err := address.Parse(text); err == nil && len(parts) < maxSitemaps && s.Plan.Site.Has(part.Host) {
			parts = append(parts, part)
		}
	}
	return m, parts
}

var errTooMany = errors.New("there are more than a million entries")

// counter counts the bytes that are read.
type counter struct {
	r io.Reader
	n int
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += n
	return n, err
}
