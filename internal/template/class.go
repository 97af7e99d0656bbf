package template

import (
	"fmt"
	"slices"
	"strings"
)

// Class says which characters a variable holds when an address is read back.
// There are no free expressions, so that every rule can be compiled for every
// server and none can be made to backtrack without end.
//
//	slug        winter-timetable, 2026
//	digits      214
//	[0-9]{4}    2026
//	segment     anything but a slash
//	segments    a/b/c
type Class struct {
	name     string
	set      charset
	min, max int  // length; max 0: no limit
	several  bool // several segments joined by "/"
}

const (
	slugSet    = "a-z0-9-"
	wordSet    = "A-Za-z"
	digitSet   = "0-9"
	segmentSet = "A-Za-z0-9._~-"
)

// Default is the class of a variable that none is declared for.
func Default() Class { return mustClass("segment") }

func mustClass(name string) Class {
	c, err := ParseClass(name)
	if err != nil {
		panic(err) // only called with names this package defines
	}
	return c
}

// ParseClass reads a class: slug, word, digits, segment, segments, or
// characters with a length such as "[0-9]{4}", "[a-f0-9]{2,8}" or "[a-z]+".
func ParseClass(s string) (Class, error) {
	c := Class{name: s, min: 1}
	switch s {
	case "slug":
		return c, c.add(slugSet)
	case "word":
		return c, c.add(wordSet)
	case "digits":
		return c, c.add(digitSet)
	case "segment":
		return c, c.add(segmentSet)
	case "segments":
		c.several = true
		return c, c.add(segmentSet)
	}
	set, length, ok := strings.Cut(strings.TrimPrefix(s, "["), "]")
	if !ok || !strings.HasPrefix(s, "[") || set == "" {
		return c, fmt.Errorf("%q is not a class; say slug, word, digits, segment, segments, or characters with a "+
			"length such as [0-9]{4}", s)
	}
	if err := c.add(set); err != nil {
		return c, err
	}
	switch {
	case length == "+":
		return c, nil
	case strings.HasPrefix(length, "{") && strings.HasSuffix(length, "}"):
		low, high, ranged := strings.Cut(length[1:len(length)-1], ",")
		if _, err := fmt.Sscanf(low, "%d", &c.min); err != nil {
			break
		}
		c.max = c.min
		if ranged {
			if _, err := fmt.Sscanf(high, "%d", &c.max); err != nil {
				break
			}
		}
		if c.min < 1 || c.max < c.min || c.max > 255 {
			break
		}
		return c, nil
	}
	return c, fmt.Errorf("%q: after the characters comes a length, {4}, {2,8} or +, from 1 to 255", s)
}

func (c *Class) add(set string) error {
	for i := 0; i < len(set); i++ {
		from, to := set[i], set[i]
		if i+2 < len(set) && set[i+1] == '-' {
			to = set[i+2]
			i += 2
		}
		if from > to || from <= 0x20 || to >= 0x7f || strings.IndexByte(`^\/%?#&=[]`, from) >= 0 {
			return fmt.Errorf("[%s] names characters that no part of an address holds as they are", set)
		}
		for b := int(from); b <= int(to); b++ {
			if strings.IndexByte(`^\/%?#&=[]`, byte(b)) >= 0 {
				return fmt.Errorf("[%s] names the character %q, which no part of an address holds as it is", set,
					rune(b))
			}
			c.set.add(byte(b))
		}
	}
	return nil
}

// String returns the class as written.
func (c Class) String() string { return c.name }

// Several reports whether the class spans slashes.
func (c Class) Several() bool { return c.several }

// Reflectable reports whether every value of the class means the same encoded
// and decoded, so that any server can put it into a target unchanged.
func (c Class) Reflectable() bool {
	return c.set.within(mustClass("segment").set)
}

// Regexp returns an expression for the values of the class in the syntax that
// PCRE and RE2 share.
func (c Class) Regexp() string {
	var b strings.Builder
	b.WriteByte('[')
	for i := 0; i < 256; i++ {
		if !c.set.has(byte(i)) {
			continue
		}
		j := i
		for j+1 < 256 && c.set.has(byte(j+1)) {
			j++
		}
		writeSetByte(&b, byte(i))
		if j > i {
			if j > i+1 {
				b.WriteByte('-')
			}
			writeSetByte(&b, byte(j))
		}
		i = j
	}
	b.WriteByte(']')
	switch {
	case c.max == 0 && c.min == 1:
		b.WriteByte('+')
	case c.max == c.min:
		fmt.Fprintf(&b, "{%d}", c.min)
	default:
		fmt.Fprintf(&b, "{%d,%d}", c.min, c.max)
	}
	if c.several {
		return b.String() + "(?:/" + b.String() + ")*"
	}
	return b.String()
}

func writeSetByte(b *strings.Builder, c byte) {
	if c < '0' || slices.Contains([]byte(`\]^`), c) {
		b.WriteByte('\\')
	}
	b.WriteByte(c)
}

// Has reports whether values may hold a character.
func (c *Class) Has(char byte) bool { return c.set.has(char) }

// Without returns the class of those values that don't hold a character.
func (c Class) Without(char byte) Class {
	c.set.remove(char)
	return c
}

// Holds reports whether s is a value of the class; s must not be empty.
func (c *Class) Holds(s string) bool {
	if c.several {
		single := *c
		single.several = false
		for _, segment := range strings.Split(s, "/") {
			if !single.Holds(segment) {
				return false
			}
		}
		return true
	}
	if !c.fits(len(s)) {
		return false
	}
	for i := 0; i < len(s); i++ {
		if !c.set.has(s[i]) {
			return false
		}
	}
	return true
}

// fits reports whether a value, or with several each segment of one, may have
// this length.
func (c *Class) fits(length int) bool {
	return c.several || length >= c.min && (c.max == 0 || length <= c.max)
}

// Example returns the shortest value of the class, of its first letter or
// digit.
func (c Class) Example() string { return c.Examples(1)[0] }

// Examples returns values of the class, of the shortest length: as many as are
// wanted, or as there are of one character each. There is at least one.
func (c Class) Examples(n int) []string {
	var list []string
	add := func(b byte) {
		if !c.set.has(b) || len(list) == n {
			return
		}
		if value := strings.Repeat(string(rune(b)), c.min); !slices.Contains(list, value) {
			list = append(list, value)
		}
	}
	for _, b := range []byte("x1a0A-._~") {
		add(b)
	}
	for b := range c.set.all() {
		add(b)
	}
	return list
}
