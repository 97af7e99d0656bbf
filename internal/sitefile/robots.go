package sitefile

import (
	"bufio"
	"bytes"
	"io"
	"strings"

	"young-compass/internal/address"
)

// maxRobots is how much of a robots.txt is read (RFC 9309 section 2.5 asks for
// 500 KiB at least).
const maxRobots = 500 << 10

// Robots are the rules of a robots.txt (RFC 9309). The zero value allows all.
type Robots struct {
	groups   []group
	sitemaps []string
}

type group struct {
	agents []string // product tokens in small letters
	rules  []robotsRule
}

type robotsRule struct {
	allow   bool
	pattern string // in normal form
}

// ReadRobots reads a robots.txt. Lines that it doesn't know are passed over,
// as the RFC asks; what lies beyond 500 KiB is not read.
func ReadRobots(r io.Reader) (Robots, error) {
	var robots Robots
	data, err := io.ReadAll(io.LimitReader(r, maxRobots))
	if err != nil {
		return robots, err
	}
	lines := bufio.NewScanner(bytes.NewReader(bytes.TrimPrefix(data, []byte(byteOrderMark))))
	lines.Buffer(make([]byte, 4096), maxRobots+1)
	lines.Split(splitLines)
	naming := false // the line before named an agent of the same group
	for lines.Scan() {
		switch key, value := robotsLine(lines.Text()); key {
		case "user-agent":
			if !naming {
				robots.groups = append(robots.groups, group{})
			}
			naming = true
			g := &robots.groups[len(robots.groups)-1]
			g.agents = append(g.agents, strings.ToLower(productToken(value)))
		case "allow", "disallow":
			naming = false
			if len(robots.groups) == 0 || value == "" {
				continue // a rule without a group, or one that forbids nothing
			}
			g := &robots.groups[len(robots.groups)-1]
			g.rules = append(g.rules, robotsRule{key == "allow", robotsForm(value, true)})
		case "sitemap":
			robots.sitemaps = append(robots.sitemaps, value)
		}
	}
	return robots, lines.Err()
}

// splitLines splits at CR, LF or both (RFC 9309 section 2.2: EOL).
func splitLines(data []byte, atEOF bool) (advance int, token []byte, err error) {
	if i := bytes.IndexAny(data, "\r\n"); i >= 0 {
		return i + 1, data[:i], nil
	}
	if atEOF && len(data) > 0 {
		return len(data), data, nil
	}
	return 0, nil, nil
}

// productToken returns the letters, "-" and "_" at the beginning of a crawler's
// name, or "*".
func productToken(s string) string {
	if strings.HasPrefix(s, "*") {
		return "*"
	}
	for i := 0; i < len(s); i++ {
		if c := s[i]; c != '-' && c != '_' && (c|0x20 < 'a' || c|0x20 > 'z') {
			return s[:i]
		}
	}
	return s
}

// robotsForm brings a path or pattern into the form in which they are compared
// (section 2.2.2): characters beyond ASCII encoded, unreserved ones decoded. In
// a pattern "*", and "$" at the end, keep their meaning; encoded, they stand for
// themselves, as they do in a path (section 2.2.3).
func robotsForm(s string, pattern bool) string {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c == '%' && i+2 < len(s) {
			if plain := address.Decode(s[i : i+3]); len(plain) == 1 {
				if address.Unreserved(plain[0]) {
					b.WriteByte(plain[0])
				} else {
					b.WriteString(strings.ToUpper(s[i : i+3]))
				}
				i += 2
				continue
			}
		}
		itself := c == '*' && !pattern || c == '$' && !(pattern && i == len(s)-1)
		if c <= ' ' || c >= 0x7f || itself {
			const hex = "0123456789ABCDEF"
			b.WriteString(string([]byte{'%', hex[c>>4], hex[c&15]}))
			continue
		}
		b.WriteByte(c)
	}
	return b.String()
}

// Allows reports whether a crawler of that name may ask for a path with its
// query, such as "/routes?page=2". The longest rule that matches decides, allow
// before disallow. robots.txt itself is always allowed.
func (r Robots) Allows(agent, path string) bool {
	if path == "/robots.txt" {
		return true
	}
	path = robotsForm(path, false)
	allowed, longest := true, -1
	for _, rule := range r.rulesFor(strings.ToLower(productToken(agent))) {
		if len(rule.pattern) < longest || !robotsMatch(rule.pattern, path) {
			continue
		}
		allowed = rule.allow || len(rule.pattern) == longest && allowed
		longest = len(rule.pattern)
	}
	return allowed
}

// rulesFor joins the rules of all groups that name the crawler, or else of
// those for all (section 2.2.1).
func (r Robots) rulesFor(agent string) (rules []robotsRule) {
	found := false
	for _, name := range []string{agent, "*"} {
		for _, g := range r.groups {
			for _, a := range g.agents {
				if a == name && a != "" {
					rules, found = append(rules, g.rules...), true
					break
				}
			}
		}
		if found {
			return rules
		}
	}
	return nil
}

// robotsMatch reports whether a pattern matches the beginning of a path; "*"
// stands for any characters, "$" at the end for the path's end. It takes time
// proportional to the product of both lengths at worst.
func robotsMatch(pattern, path string) bool {
	pattern, end := strings.CutSuffix(pattern, "$")
	first, rest, wild := strings.Cut(pattern, "*")
	if !strings.HasPrefix(path, first) {
		return false
	}
	path = path[len(first):]
	for wild {
		var piece string
		piece, rest, wild = strings.Cut(rest, "*")
		if !wild && end {
			return strings.HasSuffix(path, piece)
		}
		i := strings.Index(path, piece)
		if i < 0 {
			return false
		}
		path = path[i+len(piece):]
	}
	return !end || path == ""
}

// Sitemaps returns the sitemaps that the file names.
func (r Robots) Sitemaps() []string { return r.sitemaps }
