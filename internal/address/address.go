// Package address holds web addresses in the one form in which they are
// compared: the normal form of RFC 3986 sections 6.2.2 and 6.2.3, with the host
// in the ASCII form of UTS 46.
package address

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/net/idna"
)

// MaxLength is the longest address, in bytes, that is read. Servers commonly
// refuse request lines above 8 KB.
const MaxLength = 8000

// Address is an absolute http or https URL in normal form. Two addresses are
// the same exactly when they are equal with ==.
type Address struct {
	Scheme   string // "http" or "https"
	Host     string // lower-case ASCII, with ":port" unless it is the scheme's own
	Path     string // begins with "/"
	Query    string // without "?"; kept byte for byte
	Fragment string // without "#"; only the target of a redirect may carry one
}

// ErrPath reports a path that no request can have.
var ErrPath = errors.New("a % that is not followed by two hexadecimal digits")

// Parse reads an absolute http(s) URL and returns its normal form. Letters
// beyond ASCII and spaces are percent-encoded as a browser does. It refuses
// other schemes, user information, control characters and backslashes before
// the path, since each of them can mislead a person about where a link goes.
func Parse(s string) (Address, error) {
	if a, ok := parseNormal(s); ok {
		return a, nil
	}
	if a, _, ok := normalise(s); ok {
		return a, nil
	}
	return parse(s)
}

// parse is Parse for addresses of every kind.
func parse(s string) (Address, error) {
	if err := plain(s); err != nil {
		return Address{}, err
	}
	scheme, rest, ok := strings.Cut(s, "://")
	port := ":80"
	switch scheme = lower(scheme); {
	case ok && scheme == "http":
	case ok && scheme == "https":
		port = ":443"
	default:
		return Address{}, fmt.Errorf("%s is not an http or https address", Printable(s))
	}
	end := 0
	for end < len(rest) && rest[end] != '/' && rest[end] != '?' && rest[end] != '#' {
		end++
	}
	host, err := Host(rest[:end])
	if err != nil {
		return Address{}, err
	}
	a := Address{Scheme: scheme, Host: strings.TrimSuffix(host, port)}
	return a.withReference(rest[end:])
}

// Resolve reads s as an absolute URL, or, when it begins with a single slash,
// as a path (with query and fragment) on base.
func Resolve(base Address, s string) (Address, error) {
	if strings.HasPrefix(s, "/") && !strings.HasPrefix(s, "//") {
		if a, ok := localNormal(base, s); ok {
			return a, nil
		}
		if err := plain(s); err != nil {
			return Address{}, err
		}
		return Address{Scheme: base.Scheme, Host: base.Host}.withReference(s)
	}
	return Parse(s)
}

// Reference resolves a link as it stands on the page at base (RFC 3986 section
// 5.2, strict). Links to anything but http and https are errors, as in Parse.
//
// Browsers read a backslash before the query as a slash (WHATWG, URL, section 4.4), and so does Reference.
func Reference(base Address, link string) (Address, error) {
	if i := strings.IndexByte(link, '\\'); i >= 0 {
		end := len(link)
		if n := strings.IndexAny(link, "?#"); n >= 0 {
			end = n
		}
		link = strings.ReplaceAll(link[:end], `\`, "/") + link[end:]
	}
	if colon := strings.IndexAny(link, ":/?#"); colon >= 0 && link[colon] == ':' {
		return Parse(link)
	}
	if strings.HasPrefix(link, "//") {
		return Parse(base.Scheme + ":" + link)
	}
	if err := plain(link); err != nil {
		return Address{}, err
	}
	on := Address{Scheme: base.Scheme, Host: base.Host}
	switch {
	case link == "" || link[0] == '#':
		base.Fragment = encodeIllegal(strings.TrimPrefix(link, "#"))
		return base, nil
	case link[0] == '/':
		return on.withReference(link)
	case link[0] == '?':
		return on.withReference(base.Path + link)
	}
	folder := base.Path[:strings.LastIndexByte(base.Path, '/')+1]
	return on.withReference(folder + link)
}

// withReference fills path, query and fragment from what follows the host.
func (a Address) withReference(ref string) (Address, error) {
	ref, fragment, _ := strings.Cut(ref, "#")
	path, query, _ := strings.Cut(ref, "?")
	path, err := Path(path)
	if err != nil {
		return Address{}, err
	}
	a.Path, a.Query, a.Fragment = path, encodeIllegal(query), encodeIllegal(fragment)
	return a, nil
}

// plain refuses what must never reach a server file or a terminal.
func plain(s string) error {
	if len(s) > MaxLength {
		return fmt.Errorf("an address of %d bytes; at most %d are read", len(s), MaxLength)
	}
	ascii := true
	for i := 0; i < len(s); i++ {
		if s[i] < 0x20 || s[i] == 0x7f {
			return fmt.Errorf("a control character (0x%02x) at byte %d", s[i], i+1)
		}
		ascii = ascii && s[i] < 0x80
	}
	if !ascii && !utf8.ValidString(s) {
		return errors.New("bytes that are not UTF-8")
	}
	return nil
}

// Path returns the normal form of a path (RFC 3986 sections 6.2.2.1 to
// 6.2.2.3): upper-case hexadecimal digits, unreserved characters decoded,
// everything a path can't hold encoded, dot segments removed, at least "/".
// Repeated slashes stay. A path already normal is returned as it is.
func Path(raw string) (string, error) {
	if raw == "" {
		return "/", nil
	}
	if raw[0] != '/' {
		return "", fmt.Errorf("%s does not begin with /", Printable(raw))
	}
	if normalPath(raw) {
		return raw, nil
	}
	b := make([]byte, 0, len(raw)+16)
	for i := 0; i < len(raw); i++ {
		c := raw[i]
		if c == '%' {
			if i+2 >= len(raw) || !isHex(raw[i+1]) || !isHex(raw[i+2]) {
				return "", ErrPath
			}
			c = unhex(raw[i+1])<<4 | unhex(raw[i+2])
			i += 2
			if Unreserved(c) {
				b = append(b, c)
			} else {
				b = appendEncoded(b, c)
			}
			continue
		}
		if pathByte(c) {
			b = append(b, c)
		} else {
			b = appendEncoded(b, c)
		}
	}
	if bytes.Contains(b, []byte("/.")) {
		b = removeDotSegments(b)
	}
	return string(b), nil
}

func normalPath(s string) bool {
	end, ok := pathEnd(s, 0)
	return ok && end == len(s)
}

// removeDotSegments is the algorithm of RFC 3986 section 5.2.4 for a path that
// begins with a slash. It works in place.
func removeDotSegments(path []byte) []byte {
	out := path[:0]
	for i := 0; i < len(path); {
		end := i + 1
		for end < len(path) && path[end] != '/' {
			end++
		}
		segment := path[i:end] // with its slash in front
		switch last := end == len(path); {
		case string(segment) == "/.":
			if last {
				out = append(out, '/')
			}
		case string(segment) == "/..":
			if n := bytes.LastIndexByte(out, '/'); n >= 0 {
				out = out[:n]
			}
			if last {
				out = append(out, '/')
			}
		default:
			out = append(out, segment...)
		}
		i = end
	}
	return out
}

// Unsafe reports whether a path holds an encoded slash, backslash or control
// character. Servers disagree about what such a path
// means, so it matches no rule and is never reflected.
func Unsafe(path string) bool {
	for i := strings.IndexByte(path, '%'); i >= 0 && i+2 < len(path); {
		switch c := unhex(path[i+1])<<4 | unhex(path[i+2]); {
		case !isHex(path[i+1]) || !isHex(path[i+2]):
		case c == '/' || c == '\\' || c < 0x20 || c == 0x7f:
			return true
		}
		next := strings.IndexByte(path[i+1:], '%')
		if next < 0 {
			break
		}
		i += 1 + next
	}
	return false
}

// MergeSlashes returns the path with every run of slashes made one.
func MergeSlashes(path string) string {
	if !strings.Contains(path, "//") {
		return path
	}
	b := make([]byte, 0, len(path))
	for i := 0; i < len(path); i++ {
		if path[i] == '/' && i > 0 && path[i-1] == '/' {
			continue
		}
		b = append(b, path[i])
	}
	return string(b)
}

// Fold returns a path in normal form with the letters A-Z made small. The
// digits of percent-encoded bytes are left alone.
func Fold(path string) string {
	if !HasCapitals(path) {
		return path
	}
	b := []byte(path)
	for i := 0; i < len(b); i++ {
		switch {
		case b[i] == '%':
			i += 2
		case 'A' <= b[i] && b[i] <= 'Z':
			b[i] += 'a' - 'A'
		}
	}
	return string(b)
}

// HasCapitals reports whether Fold would change the path.
func HasCapitals(path string) bool {
	rare := [4]uint64{1 << '%', (1<<26 - 1) << ('A' - 64)}
	for i := 0; i < len(path); i++ {
		c := path[i]
		if rare[c>>6]>>(c&63)&1 == 0 {
			continue
		}
		if c != '%' {
			return true
		}
		i += 2
	}
	return false
}

// Decode returns the bytes that a path in normal form stands for: what a web
// server compares its rules with.
func Decode(path string) string {
	if strings.IndexByte(path, '%') < 0 {
		return path
	}
	b := make([]byte, 0, len(path))
	for i := 0; i < len(path); i++ {
		if path[i] == '%' && i+2 < len(path) && isHex(path[i+1]) && isHex(path[i+2]) {
			b = append(b, unhex(path[i+1])<<4|unhex(path[i+2]))
			i += 2
			continue
		}
		b = append(b, path[i])
	}
	return string(b)
}

// DecodeMarks returns a path in normal form with the marks that a path may hold
// as they are (RFC 3986: sub-delims, ":" and "@") decoded. The RFC lets a
// server tell the two spellings apart; web servers don't.
func DecodeMarks(path string) string {
	if strings.IndexByte(path, '%') < 0 {
		return path
	}
	b := make([]byte, 0, len(path))
	for i := 0; i < len(path); i++ {
		if path[i] == '%' && i+2 < len(path) {
			if c := unhex(path[i+1])<<4 | unhex(path[i+2]); c != '/' && pathByte(c) {
				b = append(b, c)
				i += 2
				continue
			}
		}
		b = append(b, path[i])
	}
	return string(b)
}

// String returns the address as it goes into a request, a file or a header.
func (a Address) String() string {
	switch {
	case a.Query == "" && a.Fragment == "":
		return a.Scheme + "://" + a.Host + a.Path
	case a.Fragment == "":
		return a.Scheme + "://" + a.Host + a.Path + "?" + a.Query
	case a.Query == "":
		return a.Scheme + "://" + a.Host + a.Path + "#" + a.Fragment
	}
	return a.Scheme + "://" + a.Host + a.Path + "?" + a.Query + "#" + a.Fragment
}

// Origin returns the address's scheme and host alone.
func (a Address) Origin() Address { return Address{Scheme: a.Scheme, Host: a.Host, Path: "/"} }

// Base returns scheme and host as text, without a slash behind them.
func (a Address) Base() string { return a.Scheme + "://" + a.Host }

// Local returns path, query and fragment, without scheme and host.
func (a Address) Local() string {
	return strings.TrimPrefix(a.String(), a.Base())
}

// Readable returns the form shown to people: encoded letters and digits of any
// script are decoded, everything else stays as it is.
func (a Address) Readable() string {
	if strings.Contains(a.Host, "xn--") {
		if unicodeHost, err := idna.Display.ToUnicode(a.Host); err == nil {
			a.Host = unicodeHost
		}
	}
	if strings.IndexByte(a.Path, '%') >= 0 {
		a.Path = readable(a.Path)
	}
	return Printable(a.String())
}

func readable(path string) string {
	var b strings.Builder
	for i := 0; i < len(path); {
		end := i
		for end+2 < len(path) && path[end] == '%' {
			end += 3
		}
		if end == i {
			b.WriteByte(path[i])
			i++
			continue
		}
		for decoded := Decode(path[i:end]); decoded != ""; {
			r, size := utf8.DecodeRuneInString(decoded)
			if r != utf8.RuneError && r >= 0x80 && (unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r)) {
				b.WriteRune(r)
			} else {
				b.WriteString(path[i : i+3*size])
			}
			decoded, i = decoded[size:], i+3*size
		}
	}
	return b.String()
}

// Printable returns s with control characters, bidirectional overrides and
// bytes that are not UTF-8 shown as escapes, so that it can't alter a terminal
// or disguise what it says.
func Printable(s string) string {
	clean := 0
	for clean < len(s) && s[clean] >= ' ' && s[clean] < 0x7f {
		clean++
	}
	if clean == len(s) {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); {
		r, size := utf8.DecodeRuneInString(s[i:])
		switch {
		case r == utf8.RuneError && size <= 1:
			fmt.Fprintf(&b, `\x%02x`, s[i])
		case unicode.IsControl(r):
			fmt.Fprintf(&b, `\x%02x`, r)
		case unicode.Is(unicode.Cf, r) || r == '\u2028' || r == '\u2029':
			fmt.Fprintf(&b, `\u%04x`, r)
		default:
			b.WriteRune(r)
		}
		i += size
	}
	return b.String()
}

// Hidden reports whether a character does something where it is shown, instead of being seen: control characters but
// line ends and tabs, what turns the direction of text (Unicode standard annex 9), separators of lines, and marks that
// carry text nobody sees. Joiners and soft hyphens, which words need, aren't hidden.
func Hidden(r rune) bool {
	switch {
	case r < ' ':
		return r != '\n' && r != '\t'
	case r < 0x7f:
		return false
	}
	return r < 0xa0 || r == 0x61c || r == 0x200e || r == 0x200f || r >= 0x2028 && r <= 0x202e ||
		r >= 0x2060 && r <= 0x206f || r == 0xfeff || r >= 0xfff9 && r <= 0xfffb || r >= 0xe0000 && r <= 0xe0fff
}

// Visible returns a text for a file that other programs open: characters that Hidden reports are written as their
// numbers, and so are bytes that are no UTF-8.
func Visible(s string) string {
	if !strings.ContainsFunc(s, Hidden) && utf8.ValidString(s) {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); {
		r, size := utf8.DecodeRuneInString(s[i:])
		switch {
		case r == utf8.RuneError && size <= 1:
			fmt.Fprintf(&b, `\x%02x`, s[i])
		case Hidden(r) && r < 0xa0:
			fmt.Fprintf(&b, `\x%02x`, r)
		case Hidden(r):
			fmt.Fprintf(&b, `\u%04x`, r)
		default:
			b.WriteRune(r)
		}
		i += size
	}
	return b.String()
}

// The bytes that stay as they are, as bits: low for those below 64, high for
// those from 64 to 127.
const (
	digitsAndSigns = (1<<10-1)<<'0' | 1<<'-' | 1<<'.'
	letters        = (1<<26-1)<<('A'-64) | (1<<26-1)<<('a'-64) | 1<<('_'-64) | 1<<('~'-64)
	lowMarks       = 1<<'!' | 1<<'$' | 1<<'&' | 1<<'\'' | 1<<'(' | 1<<')' | 1<<'*' | 1<<'+' | 1<<',' | 1<<';' |
		1<<'=' | 1<<':'
	lowPath   = digitsAndSigns | lowMarks | 1<<'/'
	highPath  = letters | 1<<('@'-64)
	lowQuery  = lowPath | 1<<'?' | 1<<'%'
	highQuery = highPath | 1<<('['-64) | 1<<(']'-64) | 1<<('{'-64) | 1<<('}'-64) | 1<<('|'-64) |
		1<<('\\'-64) | 1<<('^'-64) | 1<<('`'-64)
)

func in(c byte, low, high uint64) bool {
	return c < 64 && low>>c&1 == 1 || c >= 64 && c < 128 && high>>(c-64)&1 == 1
}

// Unreserved reports whether c is an unreserved character of RFC 3986.
func Unreserved(c byte) bool { return in(c, digitsAndSigns, letters) }

// pathByte reports whether a path may hold c as it is (pchar or slash).
func pathByte(c byte) bool { return in(c, lowPath, highPath) }

// queryByte reports whether a query or fragment keeps c as it is: what the RFC
// allows there, and what browsers send all the same.
func queryByte(c byte) bool { return in(c, lowQuery, highQuery) }

// encodeIllegal encodes in a query or fragment what RFC 3986 doesn't allow
// there; what it allows stays byte for byte.
func encodeIllegal(s string) string {
	first := 0
	for first < len(s) && queryByte(s[first]) {
		first++
	}
	if first == len(s) {
		return s
	}
	b := append(make([]byte, 0, len(s)+16), s[:first]...)
	for i := first; i < len(s); i++ {
		if queryByte(s[i]) {
			b = append(b, s[i])
		} else {
			b = appendEncoded(b, s[i])
		}
	}
	return string(b)
}

func appendEncoded(b []byte, c byte) []byte {
	const digits = "0123456789ABCDEF"
	return append(b, '%', digits[c>>4], digits[c&15])
}

func isHex(c byte) bool      { return isUpperHex(c) || 'a' <= c && c <= 'f' }
func isUpperHex(c byte) bool { return '0' <= c && c <= '9' || 'A' <= c && c <= 'F' }

func unhex(c byte) byte {
	switch {
	case c >= 'a':
		return c - 'a' + 10
	case c >= 'A':
		return c - 'A' + 10
	}
	return c - '0'
}

// lower folds A-Z only.
func lower(s string) string {
	for i := 0; i < len(s); i++ {
		if 'A' <= s[i] && s[i] <= 'Z' {
			b := []byte(s)
			for ; i < len(b); i++ {
				if 'A' <= b[i] && b[i] <= 'Z' {
					b[i] += 'a' - 'A'
				}
			}
			return string(b)
		}
	}
	return s
}

// Compare orders addresses as their texts are ordered by scheme, host, path and
// query.
func Compare(a, b Address) int {
	for _, c := range [...][2]string{{a.Scheme, b.Scheme}, {a.Host, b.Host}, {a.Path, b.Path}, {a.Query, b.Query}} {
		if c[0] != c[1] {
			return strings.Compare(c[0], c[1])
		}
	}
	return strings.Compare(a.Fragment, b.Fragment)
}
