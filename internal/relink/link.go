package relink

import (
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/plan"
	"young-compass/internal/resolve"
)

// Reason says why a link is changed, or what is to be said of one that stays.
type Reason string

// The reasons.
const (
	Redirected Reason = "redirected" // the plan leads the address elsewhere for good
	Spelled    Reason = "spelling"   // the address is served in another spelling
	Relocated  Reason = "relocated"  // the document moves, and a relative link with it
	Temporary  Reason = "temporary"  // the plan leads the address elsewhere for now: the link stays
	Gone       Reason = "gone"       // nothing is there any more: the link stays
	Unknown    Reason = "unknown"    // no page has the address: the link stays, or gets the site's spelling
	Endless    Reason = "endless"    // the plan contradicts itself there: the link stays
	Unplaced   Reason = "unplaced"   // a relative link of a document of which nobody knows where it stands
	Broken     Reason = "broken"     // a serialised value isn't as PHP writes it: it stays
	TooLong    Reason = "too-long"   // a string literal is longer than what is read: it stays
	Unwritable Reason = "unwritable" // the new address can't be written there: the link stays
)

// Changes reports whether links are changed for this reason.
func (r Reason) Changes() bool { return r == Redirected || r == Spelled || r == Relocated }

// Way is how an address is written in a link.
type Way string

// The ways.
const (
	AsWritten Way = ""         // as it was before
	Absolute  Way = "absolute" // https://skerrywick.example/routes
	Root      Way = "root"     // /routes
)

// Place is where a document is found: New's Linker.Place makes one.
type Place struct {
	base address.Address // its links are relative to this
	to   address.Address // and will be to this, once the plan holds

	nowhere bool // nobody knows where: relative links lead nowhere
}

// decision is what a plan says of an address.
type decision struct {
	to      address.Address // where it leads in the end, without a fragment of its own
	reason  Reason          // empty: it is right as it is
	unknown bool            // no page has that address
	moved   bool            // to is another address
}

// linker decides about links by a plan. It must not be used by two at a time.
type linker struct {
	plan     *plan.Plan
	answerer *plan.Answerer
	walker   *resolve.Walker
	way      Way
	ours     int // how many links to pages of the site were looked at

	again map[string]outcome // of links that aren't relative, by their texts: most are on many pages
	on    Place              // where those stand; only hosts and schemes count
}

// outcome is what becomes of a link.
type outcome struct {
	from    string // how it is written
	to      string // how it should be
	reason  Reason
	unknown bool   // no page has the address
	ours    bool   // it leads to a page of the site
	nothing string // the address that is gone or unknown
}

func newLinker(p *plan.Plan, way Way) *linker {
	if p.Upkeep != nil { // the site is closed for a while, which is nothing to a link
		settings := *p.Settings
		settings.Upkeep = nil
		p = plan.New(&settings, p.Pages, p.Book, p.Redirects)
	}
	return &linker{plan: p, answerer: p.Answerer(), walker: p.Rules().Walker(), way: way, again: map[string]outcome{}}
}

// maxHops is how many redirects for good are followed from one link.
const maxHops = 20

// follow says where an address leads in the end: it follows redirects for good, as far as they lead on. The address
// has no fragment.
func (l *linker) follow(a address.Address) decision {
	d := decision{to: a}
	for range maxHops {
		answer, err := l.answerer.Answer(plan.Request{Method: "GET", Address: bare(d.to)})
		if err != nil {
			return decision{to: a, reason: Endless}
		}
		switch {
		case answer.Outcome == plan.Moved && answer.Status != 301 && answer.Status != 308:
			if d.moved {
				return d // as far as it is for good
			}
			return decision{to: a, reason: Temporary}
		case answer.Outcome == plan.Moved:
			next, err := address.Parse(answer.To)
			if err != nil || next == d.to {
				return decision{to: a, reason: Endless}
			}
			if next.Fragment == "" {
				next.Fragment = d.to.Fragment
			}
			if d.reason = Redirected; l.walker.Spelled(a) == bare(next) {
				d.reason = Spelled
			}
			d.to, d.moved = next, true
			continue
		case answer.Outcome == plan.Gone:
			return decision{to: a, reason: Gone}
		case answer.Outcome == plan.Unknown && answer.Status == 404:
			d.unknown = len(l.plan.Pages.Pages) > 0 // else nobody said which pages there are
		}
		return d
	}
	return decision{to: a, reason: Endless}
}

func bare(a address.Address) address.Address {
	a.Fragment = ""
	return a
}

// maxAgain bounds how many links are remembered by their texts, and maxText how long those may be.
const (
	maxAgain = 1 << 16
	maxText  = 500
)

// link says what becomes of a link in a document.
func (l *linker) link(text []byte, at Place) outcome {
	if !sameHost(&at.base, &l.on.base) || !sameHost(&at.to, &l.on.to) {
		clear(l.again)
		l.on = at
	}
	o, ok := l.again[string(text)]
	if !ok {
		text := string(text)
		o = l.outcome(text, at)
		if wayOf(text) != relativeLink && len(text) <= maxText {
			if len(l.again) >= maxAgain {
				clear(l.again)
			}
			l.again[text] = o
		}
	}
	if o.ours {
		l.ours++
	}
	return o
}

func sameHost(a, b *address.Address) bool { return a.Scheme == b.Scheme && a.Host == b.Host }

func (l *linker) outcome(text string, at Place) outcome {
	if !mayLead(text) {
		return outcome{from: text, to: text}
	}
	if at.nowhere && wayOf(text) == relativeLink {
		return outcome{from: text, to: text, reason: Unplaced, ours: true}
	}
	a, err := address.Reference(at.base, text)
	if err != nil || !l.plan.Site.Has(a.Host) {
		return outcome{from: text, to: text}
	}
	d := l.follow(bare(a))
	o := outcome{from: text, to: text, reason: d.reason, unknown: d.unknown, ours: true}
	if d.unknown || d.reason == Gone {
		o.nothing = bare(d.to).String()
	}
	if !d.moved {
		if o.to = l.moved(text, a, at); o.to != text {
			o.reason = Relocated
		}
		return o
	}
	if d.to.Fragment == "" {
		d.to.Fragment = a.Fragment
	}
	o.to = l.written(text, a, d.to, at)
	return o
}

// mayLead reports whether a link may lead to a page: it isn't empty, it doesn't stay on its page, and it has no
// scheme but http or https.
func mayLead(text string) bool {
	if text == "" || text[0] == '#' {
		return false
	}
	if colon := strings.IndexAny(text, ":/?#"); colon >= 0 && text[colon] == ':' {
		scheme := strings.ToLower(text[:colon])
		return scheme == "http" || scheme == "https"
	}
	return true
}

// moved returns a link whose address stays: written relative to where its document will be found.
func (l *linker) moved(text string, a address.Address, at Place) string {
	if l.way == AsWritten && (wayOf(text) != relativeLink || folder(at.base) == folder(at.to)) {
		return text
	}
	return l.written(text, a, a, at)
}

// style is how a link is written.
type style int

const (
	absoluteLink style = iota // https://host/path
	schemeless                // //host/path
	rootLink                  // /path
	relativeLink              // path
)

func wayOf(text string) style {
	switch colon := strings.IndexAny(text, ":/?#"); {
	case colon >= 0 && text[colon] == ':':
		return absoluteLink
	case strings.HasPrefix(text, "//"):
		return schemeless
	case strings.HasPrefix(text, "/"):
		return rootLink
	}
	return relativeLink
}

// written writes the address to in the way in which a link to from was written.
func (l *linker) written(text string, from, to address.Address, at Place) string {
	style := wayOf(text)
	switch l.way {
	case Absolute:
		style = absoluteLink
	case Root:
		style = rootLink
	}
	switch {
	case style == absoluteLink, to.Host != at.to.Host && style != schemeless,
		style == rootLink && to.Scheme != at.to.Scheme, style == relativeLink && to.Scheme != at.to.Scheme:
		return rebased(text, from, to)
	case style == schemeless && to.Scheme != at.to.Scheme:
		return to.String()
	case style == schemeless:
		return strings.TrimPrefix(to.String(), to.Scheme+":")
	case style == rootLink:
		return to.Local()
	}
	return relative(at.to, to)
}

// rebased writes an absolute link. Where nothing but scheme and host change, what is behind them stays as it was
// written.
func rebased(text string, from, to address.Address) string {
	if wayOf(text) == absoluteLink && from.Path == to.Path && from.Query == to.Query {
		start := strings.Index(text, "//") + len("//")
		if end := strings.IndexAny(text[start:], "/?#"); end >= 0 {
			if candidate := to.Base() + text[start+end:]; same(candidate, to) {
				return candidate
			}
		}
	}
	return to.String()
}

func same(text string, a address.Address) bool {
	b, err := address.Parse(text)
	return err == nil && a == b
}

// folder is the part of an address to which relative links are added.
func folder(a address.Address) string {
	return a.Base() + a.Path[:strings.LastIndexByte(a.Path, '/')+1]
}

// relative writes an address as a link on a page of the same host (RFC 3986 section 4.2).
//
//	/guides/tides  on  /ports/kvitsund    ../guides/tides
//	/ports/        on  /ports/kvitsund    ./
func relative(on, to address.Address) string {
	from, dirs := strings.Split(on.Path, "/"), strings.Split(to.Path, "/")
	from = from[:len(from)-1]
	same := 0
	for same < len(from) && same < len(dirs)-1 && from[same] == dirs[same] {
		same++
	}
	text := strings.Repeat("../", len(from)-same) + strings.Join(dirs[same:], "/")
	rest := strings.TrimPrefix(to.Local(), to.Path)
	switch first, _, _ := strings.Cut(text, "/"); {
	case text == "" && rest != "" && rest[0] == '?' && on.Path == to.Path:
	case text == "":
		text = "./"
	case first == "" || strings.Contains(first, ":"):
		text = "./" + text
	}
	return text + rest
}
