// Package address holds web addresses in the one form in which they are
// compared: the normal form of RFC 3986 sections 6.2.2 and 6.2.3, with the host
// in the ASCII form of UTS 46.
package address

import (
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
	if err := plain(s); err != nil {
		return Address{}, err
	}
	scheme, rest, ok := strings.Cut(s, "://")
	scheme = strings.ToLower(scheme)
	if !ok || scheme != "http" && scheme != "https" {
		return Address{}, fmt.Errorf("%s is no http or https address", Printable(s))
	}
	end := strings.IndexAny(rest, "/?#")
	if end < 0 {
		end = len(rest)
	}
	host, err := Host(rest[:end])
	if err != nil {
		return Address{}, err
	}
	if port := map[string]string{"http": ":80", "https": ":443"}[scheme]; strings.HasSuffix(host, port) {
		host = strings.TrimSuffix(host, port)
	}
	a := Address{Scheme: scheme, Host: host}
	return a.withReference(rest[end:])
}

// Resolve reads s as an absolute URL, or, when it begins with a single slash,
// as a path (with query and fragment) on base.
func Resolve(base Address, s string) (Address, error) {
	if strings.HasPrefix(s, "/") && !strings.HasPrefix(s, "//") {
		if err := plain(s); err != nil {
			return Address{}, err
		}
		return Address{Scheme: base.Scheme, Host: base.Host}.withReference(s)
	}
	return Parse(s)
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
	for i := 0; i < len(s); i++ {
		if s[i] < 0x20 || s[i] == 0x7f {
			return fmt.Errorf("a control character (0x%02x) at byte %d", s[i], i+1)
		}
	}
	if !utf8.ValidString(s) {
		return errors.New("bytes that are not UTF-8")
	}
	return nil
}

// hostProfile maps as browsers do (UTS 46, non-transitional) and then holds
// the name to letters, digits and hyphens.
func hostProfile() *idna.Profile {
	return idna.New(idna.MapForLookup(), idna.Transitional(false), idna.BidiRule(), idna.StrictDomainName(true))
}

// Host returns the normal form of an authority, "name" or "name:port":
// lower-case ASCII by UTS 46, without a trailing dot. User information is an
// error.
func Host(authority string) (string, error) {
	if strings.ContainsAny(authority, "@\\") {
		return "", fmt.Errorf("%s holds user information or a backslash before the path", Printable(authority))
	}
	name, port := authority, ""
	if i := strings.LastIndexByte(authority, ':'); i >= 0 && !strings.HasSuffix(authority, "]") {
		name, port = authority[:i], authority[i+1:]
		if strings.Trim(port, "0123456789") != "" || len(port) > 5 {
			return "", fmt.Errorf("%s is no port", Printable(port))
		}
	}
	if strings.HasPrefix(name, "[") && strings.HasSuffix(name, "]") {
		name = strings.ToLower(name)
	} else {
		ascii := strings.TrimSuffix(lower(name), ".")
		if !plainHost(ascii) {
			var err error
			if ascii, err = hostProfile().ToASCII(strings.TrimSuffix(name, ".")); err != nil {
				return "", fmt.Errorf("%s is no host name: %w", Printable(name), err)
			}
			if strings.Contains("."+ascii, "..") || len(ascii) > 253 {
				return "", fmt.Errorf("%s is no host name: a part is empty, or all is too long", Printable(name))
			}
		}
		name = ascii
	}
	if name == "" {
		return "", errors.New("an address without a host")
	}
	if port != "" {
		name += ":" + port
	}
	return name, nil
}

// plainHost reports whether a lower-case name needs no mapping at all.
func plainHost(s string) bool {
	for _, label := range strings.Split(s, ".") {
		if label == "" || len(label) > 63 || label[0] == '-' || label[len(label)-1] == '-' || strings.HasPrefix(label, "xn--") {
			return false
		}
		for i := 0; i < len(label); i++ {
			if c := label[i]; c != '-' && !('a' <= c && c <= 'z') && !('0' <= c && c <= '9') {
				return false
			}
		}
	}
	return len(s) <= 253
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
	return removeDotSegments(string(b)), nil
}

func normalPath(s string) bool {
	for i := 0; i < len(s); i++ {
		c := s[i]
		switch {
		case c == '%':
			if i+2 >= len(s) || !isUpperHex(s[i+1]) || !isUpperHex(s[i+2]) || Unreserved(unhex(s[i+1])<<4|unhex(s[i+2])) {
				return false
			}
			i += 2
		case c == '.':
			if s[i-1] == '/' {
				return false // perhaps a dot segment; let the slow way decide
			}
		case !pathByte(c):
			return false
		}
	}
	return true
}

// removeDotSegments is the algorithm of RFC 3986 section 5.2.4 for a path that
// begins with a slash.
func removeDotSegments(path string) string {
	if !strings.Contains(path, "/.") {
		return path
	}
	var out []string
	segments := strings.Split(path[1:], "/")
	for i, segment := range segments {
		last := i == len(segments)-1
		switch segment {
		case ".", "..":
			if segment == ".." && len(out) > 0 {
				out = out[:len(out)-1]
			}
			if last {
				out = append(out, "")
			}
		default:
			out = append(out, segment)
		}
	}
	return "/" + strings.Join(out, "/")
}

// Unsafe reports whether a path in normal form holds an encoded slash,
// backslash or control character. Servers disagree about what such a path
// means, so it matches no rule and is never reflected.
func Unsafe(path string) bool {
	for i := strings.IndexByte(path, '%'); i >= 0 && i+2 < len(path); {
		switch c := unhex(path[i+1])<<4 | unhex(path[i+2]); {
		case c == '/' || c == '\\' || c < 0x20 || c == 0x7f:
			return true
		}
		next := strings.IndexByte(path[i+3:], '%')
		if next < 0 {
			break
		}
		i += 3 + next
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
	for i := 0; i < len(path); i++ {
		switch {
		case path[i] == '%':
			i += 2
		case 'A' <= path[i] && path[i] <= 'Z':
			return true
		}
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
	s := a.Scheme + "://" + a.Host + a.Path
	if a.Query != "" {
		s += "?" + a.Query
	}
	if a.Fragment != "" {
		s += "#" + a.Fragment
	}
	return s
}

// Origin returns the address's scheme and host alone.
func (a Address) Origin() Address { return Address{Scheme: a.Scheme, Host: a.Host, Path: "/"} }

// Local returns path, query and fragment, without scheme and host.
func (a Address) Local() string {
	return strings.TrimPrefix(a.String(), a.Scheme+"://"+a.Host)
}

// Readable returns the form shown to people: encoded letters and digits of any
// script are decoded, everything else stays as it is.
func (a Address) Readable() string {
	if unicodeHost, err := idna.Display.ToUnicode(a.Host); err == nil {
		a.Host = unicodeHost
	}
	a.Path = readable(a.Path)
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

// Unreserved reports whether c is an unreserved character of RFC 3986.
func Unreserved(c byte) bool {
	return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9' || c == '-' || c == '.' || c == '_' || c == '~'
}

// pathByte reports whether a path may hold c as it is (pchar or slash).
func pathByte(c byte) bool {
	return Unreserved(c) || strings.IndexByte("/!$&'()*+,;=:@", c) >= 0
}

// encodeIllegal encodes in a query or fragment what RFC 3986 doesn't allow
// there; what it allows stays byte for byte.
func encodeIllegal(s string) string {
	illegal := func(c byte) bool {
		return !pathByte(c) && c != '?' && c != '%' && strings.IndexByte("[]{}|\\^`", c) < 0
	}
	var b []byte
	for i := 0; i < len(s); i++ {
		if illegal(s[i]) && b == nil {
			b = append(make([]byte, 0, len(s)+16), s[:i]...)
		}
		switch {
		case illegal(s[i]):
			b = appendEncoded(b, s[i])
		case b != nil:
			b = append(b, s[i])
		}
	}
	if b == nil {
		return s
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
			return strings.Map(func(r rune) rune {
				if 'A' <= r && r <= 'Z' {
					return r + 'a' - 'A'
				}
				return r
			}, s)
		}
	}
	return s
}
