package address

import "strings"

// parseNormal reads an address that is in normal form already, in one pass and
// without copying. It reports false for every other text, also for normal ones
// of rare kinds (ports, internationalised hosts): Parse reads those.
func parseNormal(s string) (a Address, ok bool) {
	switch {
	case len(s) > MaxLength:
		return a, false
	case strings.HasPrefix(s, "https://"):
		a.Scheme = s[:len("https")]
	case strings.HasPrefix(s, "http://"):
		a.Scheme = s[:len("http")]
	default:
		return a, false
	}
	host := len(a.Scheme) + len("://")
	path := hostEnd(s, host)
	if path == host || path == len(s) || s[path] != '/' {
		return a, false
	}
	a.Host = s[host:path]
	return a.behindHost(s, path)
}

// localNormal is parseNormal for a path, with query and fragment, on base.
func localNormal(base Address, s string) (a Address, ok bool) {
	if len(s) > MaxLength {
		return a, false
	}
	return Address{Scheme: base.Scheme, Host: base.Host}.behindHost(s, 0)
}

// behindHost reads path, query and fragment, which begin at path, if they are in
// normal form.
func (a Address) behindHost(s string, path int) (Address, bool) {
	end, ok := pathEnd(s, path)
	if !ok {
		return a, false
	}
	a.Path = s[path:end]
	if end < len(s) && s[end] == '?' {
		query := end + 1
		for end = query; end < len(s) && (isLetter(s[end]) || queryByte(s[end])); end++ {
		}
		if a.Query = s[query:end]; a.Query == "" {
			return a, false
		}
	}
	if end < len(s) && s[end] == '#' {
		fragment := end + 1
		for end = fragment; end < len(s) && queryByte(s[end]); end++ {
		}
		if a.Fragment = s[fragment:end]; a.Fragment == "" {
			return a, false
		}
	}
	return a, end == len(s)
}

// Plain reports whether a text is a path in normal form without encoded bytes,
// and no more.
func Plain(path string) bool {
	if path == "" || path[0] != '/' || len(path) > MaxLength || strings.IndexByte(path, '%') >= 0 ||
		strings.HasPrefix(path, "//") {
		return false
	}
	end, ok := pathEnd(path, 0)
	return ok && end == len(path)
}

// hostEnd returns where a host name ends that needs no mapping; where it
// starts if there is none.
func hostEnd[T string | []byte](s T, start int) int {
	label := start
	for i := start; ; i++ {
		if i < len(s) {
			if c := s[i]; 'a' <= c && c <= 'z' || '0' <= c && c <= '9' || c == '-' {
				continue
			}
		}
		if i == label || i-label > 63 || s[label] == '-' || s[i-1] == '-' || i-start > 253 || isPunycode(s[label:i]) {
			return start
		}
		if i == len(s) || s[i] != '.' {
			if c := s[label]; '0' <= c && c <= '9' {
				return start // perhaps an IPv4 address
			}
			return i
		}
		label = i + 1
	}
}

// pathEnd returns where a path in normal form ends; false if it is in another.
func pathEnd(s string, start int) (int, bool) {
	for i := start; i < len(s); i++ {
		c := s[i]
		if plainInPath[c] {
			continue
		}
		switch {
		case c == '?' || c == '#':
			return i, true
		case c == '%':
			if i+2 >= len(s) || !isUpperHex(s[i+1]) || !isUpperHex(s[i+2]) ||
				Unreserved(unhex(s[i+1])<<4|unhex(s[i+2])) {
				return i, false
			}
			i += 2
		case c != '.' || s[i-1] == '/': // perhaps a dot segment
			return i, false
		}
	}
	return len(s), true
}

// isPunycode reports whether a label stands for letters beyond ASCII.
func isPunycode[T string | []byte](label T) bool {
	return len(label) >= 4 && label[0] == 'x' && label[1] == 'n' && label[2] == '-' && label[3] == '-'
}

// normalise brings the usual kinds of addresses into normal form in one pass:
// ASCII, with a host that needs no mapping. It returns the normal form as text
// and in parts of it. Others, and those that Parse refuses, it leaves to Parse.
func normalise(s string) (a Address, text string, ok bool) {
	var room [512]byte
	if 3*len(s)+8 > len(room) {
		return a, "", false
	}
	b := room[:0]
	scheme := schemeEnd(s)
	if scheme == 0 {
		return a, "", false
	}
	for i := range scheme {
		b = append(b, s[i]|0x20)
	}
	b = append(b, "://"...)
	i, host := scheme+len("://"), scheme+len("://")
	for ; i < len(s) && (s[i] > ':' || s[i] == '-' || s[i] == '.' || '0' <= s[i] && s[i] <= '9'); i++ {
		c := s[i]
		if 'A' <= c && c <= 'Z' {
			c |= 0x20
		} else if c == '?' {
			break
		}
		b = append(b, c)
	}
	if len(b) == host || hostEnd(b, host) != len(b) {
		return a, "", false
	}
	if i < len(s) && s[i] == ':' {
		port := ":80"
		if scheme == len("https") {
			port = ":443"
		}
		if !strings.HasPrefix(s[i:], port) {
			return a, "", false
		}
		if i += len(port); i < len(s) && s[i] >= '0' && s[i] <= '9' {
			return a, "", false
		}
	}
	path := len(b)
	if b, i, ok = appendPath(b, s, i); !ok {
		return a, "", false
	}
	query, fragment := len(b), len(b)
	if i < len(s) && s[i] == '?' {
		start := i
		for i++; i < len(s) && (isLetter(s[i]) || queryByte(s[i])); i++ {
		}
		if i > start+1 {
			b = append(b, s[start:i]...)
		}
		fragment = len(b)
	}
	if i < len(s) && s[i] == '#' {
		start := i
		for i++; i < len(s) && queryByte(s[i]); i++ {
		}
		if i > start+1 {
			b = append(b, s[start:i]...)
		}
	}
	if i < len(s) {
		return a, "", false
	}
	text = string(b)
	a = Address{Scheme: text[:scheme], Host: text[host:path], Path: text[path:query]}
	if fragment > query {
		a.Query = text[query+1 : fragment]
	}
	if len(text) > fragment {
		a.Fragment = text[fragment+1:]
	}
	return a, text, true
}

// schemeEnd returns the length of "http" or "https", in any letters, before
// "://"; 0 when s begins with neither.
func schemeEnd(s string) int {
	n := strings.IndexByte(s, ':')
	if n != 4 && n != 5 || len(s) < n+3 || s[n+1] != '/' || s[n+2] != '/' || s[0]|0x20 != 'h' || s[1]|0x20 != 't' ||
		s[2]|0x20 != 't' || s[3]|0x20 != 'p' || n == 5 && s[4]|0x20 != 's' {
		return 0
	}
	return n
}

// appendPath appends the normal form of the path that begins at i, and returns
// where it ends.
func appendPath(b []byte, s string, i int) ([]byte, int, bool) {
	start := len(b)
	if i == len(s) || s[i] != '/' {
		return append(b, '/'), i, true
	}
	dots := false
	for ; i < len(s); i++ {
		run := i
		for i < len(s) && (isLetter(s[i]) || pathByte(s[i]) && s[i] != '.') {
			i++
		}
		if b = append(b, s[run:i]...); i == len(s) {
			break
		}
		c := s[i]
		switch {
		case c == '?' || c == '#':
			if dots {
				b = b[:start+len(removeDotSegments(b[start:]))]
			}
			return b, i, true
		case c == '%':
			if i+2 >= len(s) || !isHex(s[i+1]) || !isHex(s[i+2]) {
				return b, i, false
			}
			c = unhex(s[i+1])<<4 | unhex(s[i+2])
			i += 2
			if !Unreserved(c) {
				b = appendEncoded(b, c)
				continue
			}
		case c == '.':
		case c <= 0x1f || c >= 0x7f:
			return b, i, false
		default:
			b = appendEncoded(b, c)
			continue
		}
		dots = dots || c == '.' && b[len(b)-1] == '/'
		b = append(b, c)
	}
	if dots {
		b = b[:start+len(removeDotSegments(b[start:]))]
	}
	return b, i, true
}

func isLetter(c byte) bool { return (c|0x20)-'a' < 26 }

// Settled reports whether a path is its own form in every respect that looking
// it up knows: single slashes, small letters, nothing encoded.
func Settled(path string) bool {
	slash := false
	for i := 0; i < len(path); i++ {
		c := path[i]
		if settled[c] {
			slash = false
			continue
		}
		if c != '/' || slash {
			return false
		}
		slash = true
	}
	return true
}

// plainInPath are the characters that stand for themselves in a path, but for the dot, which may make a dot segment.
var plainInPath = func() (set [256]bool) {
	for c := range set {
		set[c] = c != '.' && pathByte(byte(c))
	}
	return set
}()

// settled are the characters other than the slash that no form changes.
var settled = func() (set [256]bool) {
	for c := range set {
		b := byte(c)
		set[c] = Unreserved(b) && (b < 'A' || b > 'Z')
	}
	return set
}()
