package crawl

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/page"
)

// Asker asks for addresses, without following redirects; fetch.Client is one.
type Asker interface {
	Get(context.Context, address.Address) (fetch.Reply, error)
}

// Page is what was met at an address.
type Page struct {
	Address   address.Address
	Status    int             `json:",omitempty"` // 0: the server was not asked, or didn't answer
	Failure   fetch.Failure   `json:",omitempty"` // why it didn't
	Problem   string          `json:",omitempty"` // the same in words
	Location  string          `json:",omitempty"` // as sent
	To        address.Address `json:",omitzero"`  // where it redirects, on http or https; else the zero value
	HTML      bool            `json:",omitempty"`
	Truncated bool            `json:",omitempty"` // there was more than is read
	Blocked   bool            `json:",omitempty"` // robots.txt forbids it
	Header    Header          `json:",omitzero"`
	Signals   page.Signals    `json:",omitzero"`
	Why       string          `json:",omitempty"` // why nothing was read
}

// Header is what the header of an answer says.
type Header struct {
	Canonical  string           `json:",omitempty"` // of Link (RFC 8288, RFC 6596)
	Alternates []page.Alternate `json:",omitempty"` // of Link
	Robots     string           `json:",omitempty"` // of X-Robots-Tag, in small letters
	Language   string           `json:",omitempty"` // of Content-Language
	Type       string           `json:",omitempty"` // of Content-Type
	Security   string           `json:",omitempty"` // of Strict-Transport-Security
	Exposed    []string         `json:",omitempty"` // names of cookies set without Secure
}

// Robots returns what page and header say to crawlers together.
func (p Page) Robots() string {
	return strings.Trim(p.Signals.Robots+", "+p.Header.Robots, ", ")
}

// NoIndex reports whether the page asks not to be in an index.
func (p Page) NoIndex() bool { return page.Says(p.Robots(), "noindex") }

// Base returns the address that links on the page are relative to.
func (p Page) Base() address.Address {
	if p.Signals.Base != "" {
		if b, err := address.Reference(p.Address, p.Signals.Base); err == nil {
			return b
		}
	}
	return p.Address
}

// Read reads what an asker got for an address.
func Read(a address.Address, reply fetch.Reply, err error) Page {
	p := Page{Address: a}
	if err != nil {
		p.Failure, p.Problem, p.Why = fetch.FailureOf(err), err.Error(), "no answer"
		if p.Failure == fetch.Certificate {
			p.Problem = fetch.CertificateProblem(err)
		}
		return p
	}
	p.Status, p.Truncated, p.Header = reply.Status, reply.Truncated, readHeader(reply.Header)
	if reply.Status >= 300 && reply.Status < 400 && reply.Location != "" {
		p.Location = reply.Location
		if to, err := address.Reference(a, reply.Location); err == nil {
			p.To = to
		}
		return p
	}
	if reply.Status != 200 {
		p.Why = fmt.Sprintf("answered %d", reply.Status)
		return p
	}
	kind, _, _ := strings.Cut(p.Header.Type, ";")
	if kind = strings.ToLower(strings.TrimSpace(kind)); kind != "" && kind != "text/html" &&
		kind != "application/xhtml+xml" {
		p.Why = "no HTML page"
		return p
	}
	p.Signals, p.HTML = page.Parse(reply.Body, p.Header.Type), true
	return p
}

// maxHeader bounds what is kept of a field, in bytes.
const maxHeader = 4 << 10

func readHeader(h http.Header) Header {
	field := func(name string) string {
		s := strings.Join(h.Values(name), ", ")
		return s[:min(len(s), maxHeader)]
	}
	out := Header{Robots: strings.ToLower(field("X-Robots-Tag")), Language: field("Content-Language"),
		Type: field("Content-Type"), Security: field("Strict-Transport-Security")}
	for _, l := range readLinks(field("Link")) {
		switch {
		case l.rel("canonical") && out.Canonical == "":
			out.Canonical = l.target
		case l.rel("alternate") && l.params["hreflang"] != "":
			out.Alternates = append(out.Alternates, page.Alternate{Language: l.params["hreflang"], Link: l.target})
		}
	}
	for _, line := range h.Values("Set-Cookie") {
		if c, err := http.ParseSetCookie(line); err == nil && !c.Secure {
			out.Exposed = append(out.Exposed, c.Name)
		}
	}
	return out
}

// link is a link of a Link header.
type link struct {
	target string
	params map[string]string // by name in small letters; the first of a name
}

func (l link) rel(name string) bool {
	for rel := range strings.FieldsSeq(strings.ToLower(l.params["rel"])) {
		if rel == name {
			return true
		}
	}
	return false
}

// readLinks reads a Link header (RFC 8288 section 3). What it can't read ends
// it.
func readLinks(s string) (links []link) {
	for {
		s = strings.TrimLeft(s, ", \t")
		target, rest, ok := strings.Cut(strings.TrimPrefix(s, "<"), ">")
		if !ok || s[0] != '<' {
			return links
		}
		l := link{strings.TrimSpace(target), map[string]string{}}
		for s = strings.TrimLeft(rest, " \t"); strings.HasPrefix(s, ";"); s = strings.TrimLeft(s, " \t") {
			var name, value string
			name, value, s = readParameter(strings.TrimLeft(s, "; \t"))
			if _, twice := l.params[name]; !twice && name != "" {
				l.params[name] = value
			}
		}
		links = append(links, l)
	}
}

// readParameter reads name=value or name="value".
func readParameter(s string) (name, value, rest string) {
	end := strings.IndexAny(s, "=;,")
	if end < 0 {
		return strings.ToLower(strings.TrimSpace(s)), "", ""
	}
	name = strings.ToLower(strings.TrimSpace(s[:end]))
	if s[end] != '=' {
		return name, "", s[end:]
	}
	s = strings.TrimLeft(s[end+1:], " \t")
	if !strings.HasPrefix(s, `"`) {
		end = strings.IndexAny(s, ";,")
		if end < 0 {
			end = len(s)
		}
		return name, strings.TrimSpace(s[:end]), s[end:]
	}
	var b strings.Builder
	for i := 1; i < len(s); i++ {
		switch {
		case s[i] == '\\' && i+1 < len(s):
			i++
			b.WriteByte(s[i])
		case s[i] == '"':
			return name, b.String(), s[i+1:]
		default:
			b.WriteByte(s[i])
		}
	}
	return name, b.String(), ""
}

// Live asks for pages as they are now.
type Live struct{ Asker Asker }

// Visit returns what is at an address. An error means that the work was
// interrupted.
func (l Live) Visit(ctx context.Context, a address.Address) (Page, error) {
	reply, err := l.Asker.Get(ctx, a)
	if ctx.Err() != nil {
		return Page{}, ctx.Err()
	}
	return Read(a, reply, err), nil
}
