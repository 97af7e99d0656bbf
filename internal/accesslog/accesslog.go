// Package accesslog reads what web servers note of requests, in the Common and
// the Combined Log Format, and counts it by address. Its memory grows with the
// number of different addresses, not with the log.
package accesslog

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// Hits are the requests for an address that were answered with one status.
type Hits struct {
	Status   int
	Visitors int
	Robots   int
	Last     int64 // seconds since 1970
}

// Tally is what a log says of an address.
type Tally struct {
	ByStatus  []Hits         // by status, ascending
	Bytes     int64          // of each answer to GET with status 200; 0: unknown, -1: they differ
	Referrers map[string]int // pages whose links led to 404 or 410 here

	room [2]Hits // of ByStatus, as long as it is short
}

// Log is what a log says.
type Log struct {
	Tallies   map[string]*Tally // by the address as asked: a path with its query, or a whole URL
	Lines     int
	Malformed int       // lines in neither format
	Samples   []BadLine // the first of them
	Empty     int       // lines of connections without a request
}

// BadLine is the beginning of a line that could not be read.
type BadLine struct {
	Line int    `json:"line"`
	Text string `json:"text"`
}

// The bounds of a log.
const (
	blockSize    = 1 << 20
	maxLine      = 256 << 10 // bytes
	maxSamples   = 5
	maxReferrers = 100  // different ones of an address
	maxReferrer  = 2000 // bytes
	maxAgents    = 50000
	workers      = 2
)

// Read reads a log. Lines that are no requests are counted. When no line can
// be read, the error is a *finding.Input.
func Read(file string, r io.Reader) (*Log, error) {
	blocks := make([]chan block, workers)
	spare := make(chan []byte, 2*workers)
	counts := make([]*counter, workers)
	var wait sync.WaitGroup
	for i := range workers {
		blocks[i] = make(chan block, 1)
		counts[i] = &counter{log: Log{Tallies: map[string]*Tally{}}, robots: map[string]bool{}}
		wait.Go(func() {
			for b := range blocks[i] {
				counts[i].block(b)
				select {
				case spare <- b.text:
				default:
				}
			}
		})
	}
	lines, dropped, err := split(r, blocks, spare)
	for _, b := range blocks {
		close(b)
	}
	wait.Wait()
	var input *finding.Input
	if errors.As(err, &input) {
		return nil, input
	}
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", file, err)
	}
	log := &counts[0].log
	for _, c := range counts[1:] {
		log.merge(&c.log)
	}
	log.Lines, log.Malformed = lines, log.Malformed+len(dropped)
	log.sample(dropped...)
	if log.Lines == log.Malformed {
		what := "no line of it is in the Common or the Combined Log Format"
		if log.Lines == 0 {
			what = "the file is empty"
		}
		return nil, finding.Unreadable(finding.Place{File: file, Line: min(1, log.Lines)}, what,
			`a line begins like: 192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET /routes HTTP/1.1" 200 512`)
	}
	return log, nil
}

// Matches reports whether a line is in the Common or the Combined Log Format.
func Matches(line []byte) bool {
	c := counter{log: Log{Tallies: map[string]*Tally{}}, robots: map[string]bool{}}
	return c.line(line)
}

// block is a stretch of whole lines.
type block struct {
	text []byte
	line int // of its first line
}

// split hands whole lines out to the readers in turn, so that every run gives
// each the same. It returns the number of lines, and those too long to read.
func split(r io.Reader, to []chan block, spare chan []byte) (lines int, dropped []BadLine, err error) {
	buffer := func() []byte {
		select {
		case b := <-spare:
			return b[:cap(b)]
		default:
			return make([]byte, blockSize)
		}
	}
	text, filled, turn, overlong := buffer(), 0, 0, false
	send := func(n int) {
		next := buffer()
		rest := copy(next, text[n:filled])
		to[turn%len(to)] <- block{text[:n], lines + 1}
		lines += bytes.Count(text[:n], []byte("\n"))
		text, filled, turn = next, rest, turn+1
	}
	for {
		n, err := r.Read(text[filled:])
		filled += n
		if overlong {
			end := bytes.IndexByte(text[:filled], '\n')
			if end < 0 {
				filled = 0
			} else {
				filled, overlong = copy(text, text[end+1:filled]), false
			}
		}
		if err != nil {
			if !errors.Is(err, io.EOF) {
				return lines, dropped, err
			}
			if filled > 0 {
				last := text[filled-1] != '\n'
				send(filled)
				if last {
					lines++
				}
			}
			return lines, dropped, nil
		}
		if filled < len(text) {
			continue
		}
		if end := bytes.LastIndexByte(text[:filled], '\n'); end >= 0 {
			send(end + 1)
			continue
		}
		lines, overlong = lines+1, true
		dropped = append(dropped, BadLine{lines, address.Printable(string(text[:60]))})
		filled = 0
	}
}

// counter counts the lines of its blocks.
type counter struct {
	log       Log
	robots    map[string]bool // user agents that were judged already
	minute    [17]byte        // the time of the line before, without its seconds,
	zone      [6]byte         // its zone,
	minuteSet int64           // and when that minute began
}

func (c *counter) block(b block) {
	line := b.line
	for text := b.text; len(text) > 0; line++ {
		end := bytes.IndexByte(text, '\n')
		one := text
		if end >= 0 {
			one, text = text[:end], text[end+1:]
		} else {
			text = nil
		}
		if n := len(one); n > 0 && one[n-1] == '\r' {
			one = one[:n-1]
		}
		if !c.line(one) {
			c.log.Malformed++
			if len(c.log.Samples) == maxSamples {
				continue // a block's lines come after those before
			}
			c.log.sample(BadLine{line, address.Printable(string(one[:min(len(one), 60)]))})
		}
	}
}

// sample keeps the first bad lines.
func (l *Log) sample(lines ...BadLine) {
	for _, b := range lines {
		at := len(l.Samples)
		for at > 0 && l.Samples[at-1].Line > b.Line {
			at--
		}
		if at >= maxSamples {
			continue
		}
		l.Samples = append(l.Samples[:at], append([]BadLine{b}, l.Samples[at:]...)...)
		l.Samples = l.Samples[:min(len(l.Samples), maxSamples)]
	}
}

// line counts one line; false if it is in neither format.
func (c *counter) line(s []byte) bool {
	if len(s) > maxLine {
		return false
	}
	bracket := bytes.IndexByte(s, '[')
	if bracket < 5 || s[bracket-1] != ' ' || bytes.Count(s[:bracket], []byte(" ")) < 3 || len(s) < bracket+30 ||
		s[bracket+27] != ']' {
		return false
	}
	unix, ok := c.time(s[bracket+1 : bracket+27])
	if !ok {
		return false
	}
	request, rest, ok := quoted(s[bracket+28:])
	if !ok || len(rest) < 6 || rest[0] != ' ' || rest[4] != ' ' {
		return false
	}
	status := 0
	for _, d := range rest[1:4] {
		if d < '0' || d > '9' {
			return false
		}
		status = 10*status + int(d-'0')
	}
	rest = rest[5:]
	size := 0
	for size < len(rest) && ('0' <= rest[size] && rest[size] <= '9' || rest[size] == '-') {
		size++
	}
	if size == 0 || size < len(rest) && rest[size] != ' ' {
		return false
	}
	sized := rest[:size]
	var referrer, agent []byte
	if rest = rest[size:]; len(rest) > 0 {
		if referrer, rest, ok = quoted(rest); !ok {
			return false
		}
		if agent, _, ok = quoted(rest); !ok {
			return false
		}
	}
	target, ok := targetOf(request)
	if !ok {
		c.log.Empty++
		return true
	}
	tally := c.log.Tallies[string(target)]
	if tally == nil {
		tally = &Tally{}
		tally.ByStatus = tally.room[:0]
		c.log.Tallies[string(target)] = tally
	}
	h := tally.hits(status)
	h.Last = max(h.Last, unix)
	if status == 200 && bytes.HasPrefix(request, []byte("GET ")) {
		tally.sized(sizeOf(sized))
	}
	if c.robot(agent) {
		h.Robots++
	} else {
		h.Visitors++
	}
	if (status == 404 || status == 410) && len(referrer) > 1 && len(referrer) <= maxReferrer {
		tally.refer(string(referrer), 1)
	}
	return true
}

// sized notes how many bytes an answer had; 0 where that isn't known.
func (t *Tally) sized(n int64) {
	switch {
	case n == 0 || t.Bytes == n:
	case t.Bytes == 0:
		t.Bytes = n
	default:
		t.Bytes = -1
	}
}

// sizeOf reads digits; 0 where they are none, or too many.
func sizeOf(digits []byte) (n int64) {
	if len(digits) > 15 {
		return 0
	}
	for _, d := range digits {
		if d < '0' || d > '9' {
			return 0
		}
		n = 10*n + int64(d-'0')
	}
	return n
}

// hits returns the counts for a status.
func (t *Tally) hits(status int) *Hits {
	i := 0
	for ; i < len(t.ByStatus); i++ {
		if t.ByStatus[i].Status == status {
			return &t.ByStatus[i]
		}
		if t.ByStatus[i].Status > status {
			break
		}
	}
	t.ByStatus = append(t.ByStatus, Hits{})
	copy(t.ByStatus[i+1:], t.ByStatus[i:])
	t.ByStatus[i] = Hits{Status: status}
	return &t.ByStatus[i]
}

// Merge adds what another log says of the address.
func (t *Tally) Merge(o *Tally) {
	t.sized(o.Bytes)
	for _, h := range o.ByStatus {
		sum := t.hits(h.Status)
		sum.Visitors += h.Visitors
		sum.Robots += h.Robots
		sum.Last = max(sum.Last, h.Last)
	}
	for from, n := range o.Referrers {
		t.refer(from, n)
	}
}

func (t *Tally) refer(from string, n int) {
	if t.Referrers == nil {
		t.Referrers = map[string]int{}
	}
	if _, known := t.Referrers[from]; known || len(t.Referrers) < maxReferrers {
		t.Referrers[from] += n
	}
}

// quoted returns the text between the quotes with which s begins, behind
// spaces; a backslash keeps the byte behind it from ending the text.
func quoted(s []byte) (text, rest []byte, ok bool) {
	for len(s) > 0 && s[0] == ' ' {
		s = s[1:]
	}
	if len(s) == 0 || s[0] != '"' {
		return nil, nil, false
	}
	for i := 1; i < len(s); i++ {
		end := bytes.IndexByte(s[i:], '"')
		if end < 0 {
			return nil, nil, false
		}
		i += end
		slashes := 0
		for s[i-1-slashes] == '\\' {
			slashes++
		}
		if slashes%2 == 0 {
			return s[1:i], s[i+1:], true
		}
	}
	return nil, nil, false
}

// targetOf returns what a request asks for; false if it asks for nothing that
// has an address.
func targetOf(request []byte) ([]byte, bool) {
	method := bytes.IndexByte(request, ' ')
	if method < 3 {
		return nil, false
	}
	for _, c := range request[:method] {
		if c < 'A' || c > 'Z' {
			return nil, false
		}
	}
	target := request[method+1:]
	if end := bytes.LastIndexByte(target, ' '); end >= 0 && bytes.HasPrefix(target[end+1:], []byte("HTTP/")) {
		target = target[:end]
	}
	if len(target) == 0 || len(target) > address.MaxLength || target[0] != '/' &&
		!bytes.HasPrefix(target, []byte("http")) {
		return nil, false
	}
	if bytes.IndexByte(target, '\\') >= 0 {
		target = unescape(target)
	}
	return target, true
}

// unescape undoes how servers write bytes that could break a line: \xhh, \" and
// \\.
func unescape(s []byte) []byte {
	out := make([]byte, 0, len(s))
	for i := 0; i < len(s); i++ {
		if s[i] == '\\' && i+1 < len(s) {
			if s[i+1] == 'x' && i+3 < len(s) {
				if decoded := address.Decode("%" + string(s[i+2:i+4])); len(decoded) == 1 {
					out = append(out, decoded[0])
					i += 3
					continue
				}
			}
			if s[i+1] == '"' || s[i+1] == '\\' {
				i++
			}
		}
		out = append(out, s[i])
	}
	return out
}

// time returns the seconds since 1970 of a time such as
// "23/Nov/2026:10:00:00 +0000".
func (c *counter) time(s []byte) (int64, bool) {
	if [17]byte(s) == c.minute && [6]byte(s[20:]) == c.zone && s[17] == ':' && '0' <= s[18] && s[18] <= '5' &&
		'0' <= s[19] && s[19] <= '9' {
		return c.minuteSet + int64(10*(s[18]-'0')+s[19]-'0'), true
	}
	if s[2] != '/' || s[6] != '/' || s[11] != ':' || s[14] != ':' || s[17] != ':' || s[20] != ' ' {
		return 0, false
	}
	number := func(from, to int) int {
		n := 0
		for _, d := range s[from:to] {
			if d < '0' || d > '9' {
				return -1
			}
			n = 10*n + int(d-'0')
		}
		return n
	}
	month := strings.Index("JanFebMarAprMayJunJulAugSepOctNovDec", string(s[3:6]))
	day, year, hour, minute, second, zoneHour, zoneMinute := number(0, 2), number(7, 11), number(12, 14),
		number(15, 17), number(18, 20), number(22, 24), number(24, 26)
	if min(month, day, year, hour, minute, second, zoneHour, zoneMinute) < 0 || month%3 != 0 || day < 1 || day > 31 ||
		hour > 23 || minute > 59 || second > 60 {
		return 0, false
	}
	zone := int64(60 * (60*zoneHour + zoneMinute))
	if s[21] == '-' {
		zone = -zone
	}
	unix := 86400*days(year, month/3+1, day) + int64(3600*hour+60*minute+second) - zone
	c.minute, c.zone, c.minuteSet = [17]byte(s), [6]byte(s[20:]), unix-int64(second)
	return unix, true
}

// days returns the days from 1970-01-01 to a date of the Gregorian calendar.
func days(year, month, day int) int64 {
	if month <= 2 {
		year, month = year-1, month+12
	}
	return int64(365*year + year/4 - year/100 + year/400 + (153*(month-3)+2)/5 + day - 1 - 719468)
}

// robot reports whether a user agent is a program on its own.
func (c *counter) robot(agent []byte) bool {
	robot, known := c.robots[string(agent)]
	if !known {
		if len(c.robots) >= maxAgents {
			clear(c.robots)
		}
		robot = IsRobot(string(agent))
		c.robots[string(agent)] = robot
	}
	return robot
}

// IsRobot reports whether a user agent calls itself a robot: by a word for it,
// by the address of a page about it, or by the name of a program without a
// person in front. An agent that says nothing counts as a visitor only in the
// Common format, where none is noted.
func IsRobot(agent string) bool {
	if agent == "" {
		return false
	}
	agent = strings.ToLower(agent)
	if agent == "-" {
		return true
	}
	if callsItselfBot(agent) {
		return true
	}
	for _, word := range []string{"crawl", "spider", "slurp", "http://", "https://", "archiv", "monitor",
		"preview", "scan", "fetch", "feed",
		"curl/", "wget/", "python", "java/", "go-http", "libwww", "perl", "ruby", "okhttp", "headless", "check",
		"validator"} {
		if strings.Contains(agent, word) {
			return true
		}
	}
	return false
}

// callsItselfBot reports whether a word of an agent, in small letters, ends in bot: examplebot/2, adsbot-x. Phones of
// one
// maker do, too.
func callsItselfBot(agent string) bool {
	for word := range strings.FieldsFuncSeq(agent, func(r rune) bool { return r < 'a' || r > 'z' }) {
		if strings.HasSuffix(word, "bot") && word != "cubot" || strings.HasSuffix(word, "bots") {
			return true
		}
	}
	return false
}

// merge adds what another worker counted.
func (l *Log) merge(o *Log) {
	for target, theirs := range o.Tallies {
		ours := l.Tallies[target]
		if ours == nil {
			l.Tallies[target] = theirs
			continue
		}
		ours.Merge(theirs)
	}
	l.Malformed += o.Malformed
	l.Empty += o.Empty
	l.sample(o.Samples...)
}
