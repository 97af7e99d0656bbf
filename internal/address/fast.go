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
	end, ok := pathEnd(s, path)
	if !ok {
		return a, false
	}
	a.Host, a.Path = s[host:path], s[path:end]
	if end < len(s) && s[end] == '?' {
		query := end + 1
		for end = query; end < len(s) && queryByte(s[end]); end++ {
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

// hostEnd returns where a host name ends that needs no mapping; where it
// starts if there is none.
func hostEnd(s string, start int) int {
	label := start
	for i := start; ; i++ {
		if i < len(s) {
			if c := s[i]; 'a' <= c && c <= 'z' || '0' <= c && c <= '9' || c == '-' {
				continue
			}
		}
		if i == label || i-label > 63 || s[label] == '-' || s[i-1] == '-' || i-start > 253 || strings.HasPrefix(s[label:i], "xn--") {
			return start
		}
		if i == len(s) || s[i] != '.' {
			return i
		}
		label = i + 1
	}
}

// pathEnd returns where a path in normal form ends; false if it is in another.
func pathEnd(s string, start int) (int, bool) {
	for i := start; i < len(s); i++ {
		switch c := s[i]; {
		case c == '?' || c == '#':
			return i, true
		case c == '%':
			if i+2 >= len(s) || !isUpperHex(s[i+1]) || !isUpperHex(s[i+2]) || Unreserved(unhex(s[i+1])<<4|unhex(s[i+2])) {
				return i, false
			}
			i += 2
		case c == '.' && s[i-1] == '/': // perhaps a dot segment
			return i, false
		case !pathByte(c):
			return i, false
		}
	}
	return len(s), true
}
