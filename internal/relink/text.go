package relink

import (
	"bytes"
	"strings"

	"young-compass/internal/address"
)

// absolute finds the absolute addresses of the site in a part of the text: http://host/..., //host/... behind a
// quote, and both with \/ for each slash.
func (f *finder) absolute(from, to int) {
	b := f.text[:to]
	for i := from; i < to; {
		n := bytes.IndexByte(b[i:], '/')
		if n < 0 {
			return
		}
		at := i + n
		escaped := at > from && b[at-1] == '\\'
		slashes, start := 2, at
		if escaped {
			slashes, start = 3, at-1
		}
		if !bytes.HasPrefix(b[start:], []byte(`\/\/`)) && !bytes.HasPrefix(b[start:], []byte("//")) {
			i = at + 1
			continue
		}
		host := at + slashes
		if !escaped {
			host = start + 2
		}
		i = max(host, at+1)
		begin, ok := f.begins(from, start)
		if !ok {
			continue
		}
		end, ours := f.ends(host, to)
		if !ours {
			i = end
			continue
		}
		span := b[begin:end]
		l := plainLayer(span)
		if escaped {
			l = escapes(span)
		}
		f.address(begin, l)
		i = end
	}
}

// begins returns where an absolute address begins whose slashes stand at i.
func (f *finder) begins(from, i int) (int, bool) {
	b := f.text
	for _, scheme := range []string{"https:", "http:"} {
		if start := i - len(scheme); start >= from && strings.EqualFold(string(b[start:i]), scheme) {
			return start, start == 0 || !isAlphanumeric(b[start-1])
		}
	}
	return i, i > from && strings.IndexByte(`"'(=`, b[i-1]) >= 0
}

// ends returns where an absolute address ends whose host begins at i, and whether it is one of the site's that is
// whole.
func (f *finder) ends(i, to int) (end int, ours bool) {
	b := f.text
	end = i
	for end < to && (isAlphanumeric(b[end]) || b[end] == '-' || b[end] == '.' || b[end] >= 0x80) {
		end++
	}
	host := strings.TrimSuffix(strings.ToLower(string(b[i:end])), ".")
	if ascii, err := address.Host(host); err == nil {
		host = ascii
	}
	if !f.plan.Site.Has(host) {
		return end, false
	}
	depth := 0
	for end < to {
		if end-i > address.MaxLength {
			return end, false
		}
		c := b[end]
		if c == '\\' && end+1 < to && b[end+1] == '/' {
			end += 2
			continue
		}
		if c <= ' ' || strings.IndexByte("\"'`<>\\{}|^]", c) >= 0 {
			break
		}
		if c == '(' {
			depth++
		}
		if c == ')' {
			if depth--; depth < 0 {
				break
			}
		}
		end++
	}
	if end < to && b[end] == '{' { // a template goes on here
		return end, false
	}
	for end > i && strings.IndexByte(".,;:!?*", b[end-1]) >= 0 {
		end--
	}
	return end, end > i
}
