package planfile

import (
	"errors"
	"net/netip"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/template"
)

// Headers are response headers for some addresses of the site.
type Headers struct {
	For    address.Places   // fixed places
	Reader *template.Reader // or those that a template reads; nil: For
	Having []string         // parameters of which the request must carry one; empty: any request
	Except address.Places
	Fields []Header
	Where  finding.Place
}

// Header is a response header. Its value may take over variables of the
// template for which it is written; it isn't an address, so that nothing in it
// is encoded.
type Header struct {
	Name  string
	Value []template.Piece
}

// Expand returns the value with those of its variables.
func (h Header) Expand(values template.Values) string {
	var b strings.Builder
	for _, piece := range h.Value {
		b.WriteString(piece.Literal)
		if piece.Name != "" {
			b.WriteString(values[piece.Name][0])
		}
	}
	return b.String()
}

// Serve says by which internal address a server makes the pages of some
// addresses.
type Serve struct {
	*route.Pattern
	Except address.Places
	Where  finding.Place
}

// Front is the script to which everything goes that is no file.
type Front struct {
	To     string
	Except address.Places
	Where  finding.Place
}

// Maintenance closes the site for all but some.
type Maintenance struct {
	RetryAfter int            // seconds
	Admit      []netip.Prefix // the networks that the site stays open for
	Except     address.Places // what stays open for all
	Where      finding.Place
}

// Admits reports whether the site stays open for a visitor.
func (m *Maintenance) Admits(client netip.Addr) bool { return Within(m.Admit, client) }

// Within reports whether an IP address is in one of the networks.
func Within(networks []netip.Prefix, a netip.Addr) bool {
	a = a.Unmap()
	return slices.ContainsFunc(networks, func(n netip.Prefix) bool { return n.Contains(a) })
}

// readPlaces reads a list of places.
func readPlaces(v value) address.Places {
	var list []string
	for _, item := range v.list() {
		s := item.text()
		if !strings.HasPrefix(s, "/") && !strings.HasPrefix(s, ".") || strings.ContainsAny(s, "?#*{}") || s == "." {
			item.fail("write /folder/, .suffix or /one/path", "%q names no files", address.Printable(s))
		}
		if s[0] == '/' {
			normal, err := address.Path(s)
			if err != nil || address.MergeSlashes(normal) != normal {
				item.fail("write it with single slashes", "%q is not a path", address.Printable(s))
			}
			s = normal
		}
		list = append(list, s)
	}
	return address.NewPlaces(list)
}

// readNetworks reads a list of IP addresses and networks.
func readNetworks(v value) []netip.Prefix {
	var list []netip.Prefix
	for _, item := range v.list() {
		s := item.text()
		n, err := netip.ParsePrefix(s)
		if a, bare := netip.ParseAddr(s); bare == nil && a.Zone() == "" {
			n, err = a.Prefix(a.BitLen())
		}
		if err != nil {
			item.fail("write an IP address such as 192.0.2.7, or a network such as 192.0.2.0/24", "%q is not a network",
				address.Printable(s))
		}
		list = append(list, n.Masked())
	}
	return list
}

// readRule reads one of the rules: a redirect by pattern (to:), an internal
// address (serve:) or response headers (headers:).
func (c *Settings) readRule(v value) {
	switch f := v.fields("from", "to", "class", "status", "query", "serve", "for", "having", "headers", "except"); {
	case f["headers"].node != nil:
		c.readHeaders(v)
	case f["serve"].node != nil:
		f = v.fields("from", "serve", "class", "except")
		s := Serve{Pattern: c.readPattern(v, f, "serve"), Where: v.place()}
		if !strings.HasPrefix(s.To, "/") {
			f["serve"].fail("write a path of this server, such as /page.php?slug={slug}",
				"%q is not an internal address",
				address.Printable(s.To))
		}
		if strings.Contains(s.To, "#") {
			f["serve"].fail("leave out what begins with #: only browsers read it",
				"an internal address has no fragment")
		}
		if len(s.Reader.Query()) > 0 {
			f["from"].fail("write the path alone; the parameters reach the internal address as they are",
				"an internal address is chosen by the path")
		}
		if e, ok := f["except"]; ok {
			s.Except = readPlaces(e)
		}
		c.Serves = append(c.Serves, s)
	default:
		f = v.fields("from", "to", "class", "status", "query", "except")
		r := Rule{Pattern: c.readPattern(v, f, "to"), Where: v.place()}
		if s, ok := f["status"]; ok {
			r.Status = s.number(301, 410)
			if !resolve.ValidStatus(r.Status) || r.Status == 410 {
				s.fail("write 301, 302, 303, 307 or 308", "%d is not a status of a redirect", r.Status)
			}
		}
		if q, ok := f["query"]; ok {
			r.Drop = q.oneOf("keep", "drop") == "drop"
		}
		if e, ok := f["except"]; ok {
			r.Except = readPlaces(e)
		}
		c.Rules = append(c.Rules, r)
	}
}

// readClasses reads the classes of a rule's variables.
func readClasses(f map[string]value) map[string]template.Class {
	classes := map[string]template.Class{}
	if class, ok := f["class"]; ok {
		for _, e := range class.entries() {
			parsed, err := template.ParseClass(e.value.text())
			if err != nil {
				e.value.fail("see docs/plan.md", "%v", err)
			}
			classes[e.key] = parsed
		}
	}
	return classes
}

func (c *Settings) readPattern(v value, f map[string]value, target string) *route.Pattern {
	from, to := f["from"], f[target]
	if from.node == nil || to.node == nil {
		v.fail(`write {from: "/press{/rest*}", to: "https://..."}`, "a rule needs from and %s", target)
	}
	pattern, err := route.NewPattern(from.text(), to.text(), readClasses(f), c.Site)
	var bad *route.PatternError
	if errors.As(err, &bad) {
		at, ok := map[string]value{"from": from, "to": to, "class": f["class"]}[bad.Part]
		if !ok {
			at = v
		}
		at.fail(bad.Advice, "%s", bad.What)
	}
	return pattern
}

// ownedByServers are the headers that a server writes itself, or that would
// change what an answer is.
func ownedByServers() []string {
	return []string{"connection", "content-encoding", "content-length", "content-type", "date", "host", "keep-alive",
		"location", "proxy-authenticate",
		"retry-after", "server", "set-cookie", "te", "trailer", "transfer-encoding", "upgrade", "www-authenticate"}
}

func (c *Settings) readHeaders(v value) {
	f := v.fields("for", "class", "having", "headers", "except")
	h := Headers{Where: v.place()}
	at, ok := f["for"]
	switch {
	case !ok:
		v.fail(`write {for: "/search", headers: {X-Robots-Tag: noindex}}`,
			"headers need for:, the addresses they are for")
	case at.isList():
		h.For = readPlaces(at)
	default:
		t, err := template.Parse(at.text())
		if err == nil {
			h.Reader, err = template.NewReader(t, readClasses(f))
		}
		if err != nil {
			at.fail("use /words, {x} and {/x*}, or a list such as [/search, /reports/, .pdf]", "%v", err)
		}
		if len(h.Reader.Query()) > 0 {
			at.fail("write the path alone, and having: [sort] for requests with such a parameter",
				"the addresses of headers are told by their path")
		}
	}
	if having, ok := f["having"]; ok {
		for _, item := range having.list() {
			if !parameterName(item.text()) {
				item.fail("write it as in an address; only its end may be *", "%q is not a name of a parameter",
					address.Printable(item.text()))
			}
			h.Having = append(h.Having, item.text())
		}
	}
	if e, ok := f["except"]; ok {
		h.Except = readPlaces(e)
	}
	for _, e := range f["headers"].entries() {
		h.Fields = append(h.Fields, readHeader(e, h.Reader))
	}
	c.Headers = append(c.Headers, h)
}

// maxHeader bounds a header's value in bytes.
const maxHeader = 1000

// readHeader reads a header field: a token and visible characters (RFC 9110
// sections 5.1 and 5.5).
func readHeader(e entry, reader *template.Reader) Header {
	token := e.key != "" && strings.Trim(e.key, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-") == ""
	if !token || slices.Contains(ownedByServers(), strings.ToLower(e.key)) {
		e.at.fail("headers such as X-Robots-Tag, Link or Strict-Transport-Security can be added",
			"%q is not a header that a rule may add", address.Printable(e.key))
	}
	text := e.value.text()
	if text == "" || len(text) > maxHeader ||
		strings.ContainsFunc(text, func(r rune) bool { return r < ' ' || r > '~' || r == '\\' }) ||
		strings.TrimSpace(text) != text {
		e.value.fail("write visible ASCII characters, no backslash", "the value of %s can't be sent", e.key)
	}
	h := Header{Name: e.key}
	for text != "" {
		literal, rest, more := strings.Cut(text, "{")
		if literal != "" {
			h.Value = append(h.Value, template.Piece{Literal: literal})
		}
		name, rest, closed := strings.Cut(rest, "}")
		if !more {
			break
		}
		if !closed || name == "" || reader == nil || !slices.ContainsFunc(reader.Elements(),
			func(x template.Element) bool { return x.Name == name && !x.List && x.Class.Reflectable() }) {
			e.value.fail("write braces around single variables of for: only, of a class without signs",
				"{%s is not a variable that a header can take over", address.Printable(name))
		}
		h.Value, text = append(h.Value, template.Piece{Name: name}), rest
	}
	return h
}

func (c *Settings) readFront(v value) {
	f := v.fields("to", "except")
	to, ok := f["to"]
	if !ok {
		v.fail("write front-controller: {to: /index.php}", "it needs to:, the script")
	}
	front := &Front{To: to.text(), Where: v.place()}
	if normal, err := address.Path(front.To); err != nil || normal != front.To || !address.Reflectable(front.To) {
		to.fail("write a path such as /index.php", "%q is not a path of a script", address.Printable(front.To))
	}
	if e, ok := f["except"]; ok {
		front.Except = readPlaces(e)
	}
	c.Front = front
}

func (c *Settings) readMaintenance(v value) {
	f := v.fields("retry-after", "admit", "except")
	m := &Maintenance{RetryAfter: 3600, Where: v.place()}
	if n, ok := f["retry-after"]; ok {
		m.RetryAfter = n.number(1, 1<<24)
	}
	if a, ok := f["admit"]; ok {
		m.Admit = readNetworks(a)
	}
	if e, ok := f["except"]; ok {
		m.Except = readPlaces(e)
	}
	c.Upkeep = m
}

// SecureOnly reports whether a header is sent on https alone (RFC 6797 section
// 7.2).
func SecureOnly(name string) bool { return strings.EqualFold(name, "Strict-Transport-Security") }

// Reads reports whether headers are for a request, and with which values of variables.
func (h *Headers) Reads(r address.Address, fold bool) (values template.Values, ok bool) {
	if h.Except.Has(r.Path) {
		return nil, false
	}
	if h.Reader == nil {
		ok = h.For.Has(r.Path)
	} else {
		values, ok = h.Reader.ReadPath(route.PatternPath(r.Path), fold)
	}
	if ok && len(h.Having) > 0 {
		ok = slices.ContainsFunc(address.SplitQuery(r.Query), func(q address.Param) bool {
			return q.Raw != "" && slices.ContainsFunc(h.Having,
				func(name string) bool { return (&parameter.Parameter{Name: name}).Names(q.Name) })
		})
	}
	return values, ok
}
