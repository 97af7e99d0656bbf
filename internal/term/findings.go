package term

import (
	"fmt"
	"io"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// shownOfEach is how many findings of one cause, and how many lines of evidence of one finding, a person sees at first.
const shownOfEach = 5

// Findings prints findings by their causes, the costliest first: what all of a cause have in common is said once.
// Unless all are wanted, five of each are shown. Where there are more than three causes the last line names those
// that matter most.
//
//	error chain: 2 times, 10 visits: a redirect leads to what another one redirects again
//	    each further hop costs the visitor time, and some give up following
//	    old.csv:2: /a leads to /b, which line 3 redirects again (10 visits)
//	        => lead it straight to /c
//	    old.csv:7: /d leads to /e, which line 9 redirects again
//	        => lead it straight to /f
//
//	old.csv:4: error self: /map.htm leads to itself
//	    on many servers a visitor goes round until the browser gives up
//	    => delete the row, or write the target that was meant
func Findings(w io.Writer, style Style, list []finding.Finding, all bool) error {
	groups := finding.Groups(list)
	left := 0
	var b strings.Builder
	for i, g := range groups {
		if i > 0 {
			b.WriteByte('\n')
		}
		if len(g.Findings) == 1 {
			single(&b, style, g, all)
		} else {
			left += several(&b, style, g, all)
		}
		if b.Len() > 1<<16 { // all of a long list is never in memory as text
			if _, err := io.WriteString(w, b.String()); err != nil {
				return err
			}
			b.Reset()
		}
	}
	if left > 0 || len(groups) > named {
		b.WriteByte('\n')
	}
	if left > 0 {
		fmt.Fprintf(&b, "%s more; --all prints them\n", style.Bold(fmt.Sprint(left)))
	}
	if len(groups) > named {
		var words []string
		for _, g := range groups[:named] {
			words = append(words, style.Bold(string(g.Code))+" ("+amount(g)+")")
		}
		fmt.Fprintf(&b, "what matters most: %s; young-compass findings %s says more\n", strings.Join(words, ", "),
			groups[0].Code)
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// named is how many causes the last line names.
const named = 3

// single prints the only finding of a cause.
func single(b *strings.Builder, style Style, g *finding.Group, all bool) {
	f := g.Findings[0]
	fmt.Fprintf(b, "%s: %s %s: %s%s\n", style.Bold(address.Printable(f.Where.String())), style.Severity(f.Severity),
		f.Code, address.Printable(f.What), visited(f))
	evidence(b, style, f, "    ", all)
	if f.Why != "" {
		fmt.Fprintf(b, "    %s\n", style.Dim(address.Printable(f.Why)))
	}
	if f.Advice != "" {
		fmt.Fprintf(b, "    => %s\n", address.Printable(f.Advice))
	}
}

// several prints the findings of one cause, and returns how many are not shown.
func several(b *strings.Builder, style Style, g *finding.Group, all bool) (left int) {
	shown := g.Findings
	if !all && len(shown) > shownOfEach {
		shown, left = shown[:shownOfEach], len(shown)-shownOfEach
	}
	origin := sharedOrigin(shown)
	on := ""
	if origin != "" {
		on = " on " + origin
	}
	fmt.Fprintf(b, "%s %s: %s%s: %s\n", style.Severity(g.Severity), style.Bold(string(g.Code)), amount(g), on, plain(g.What))
	if g.Why != "" {
		fmt.Fprintf(b, "    %s\n", style.Dim(plain(address.Printable(g.Why))))
	}
	before, after := sharedWords(shown)
	for _, f := range shown {
		where := f.Where.String()
		if f.Where.File == "" {
			where = strings.TrimPrefix(where, origin)
		}
		words := strings.Fields(address.Printable(f.What))
		what := strings.Join(words, " ")
		if len(words) > before+after && style.Colour {
			differs := style.Bold(strings.Join(words[before:len(words)-after], " "))
			what = strings.TrimSpace(strings.Join(words[:before], " ") + " " + differs + " " +
				strings.Join(words[len(words)-after:], " "))
		}
		fmt.Fprintf(b, "    %s: %s%s\n", style.Bold(address.Printable(where)), what, visited(f))
		evidence(b, style, f, "        ", all)
		if f.Advice != "" && g.Advice == "" {
			fmt.Fprintf(b, "        => %s\n", address.Printable(f.Advice))
		}
	}
	if left > 0 {
		fmt.Fprintf(b, "    %s\n", style.Dim(fmt.Sprintf("and %d more", left)))
	}
	if g.Advice != "" {
		fmt.Fprintf(b, "    => %s\n", address.Printable(g.Advice))
	}
	return left
}

// amount says how many findings a group has, and how many visits they cost.
func amount(g *finding.Group) string {
	times := fmt.Sprintf("%d times", len(g.Findings))
	if len(g.Findings) == 1 {
		times = "once"
	}
	if g.Visits > 0 {
		times += ", " + visits(g.Visits)
	}
	return times
}

func visits(n int) string {
	if n == 1 {
		return "1 visit"
	}
	return fmt.Sprintf("%d visits", n)
}

func visited(f *finding.Finding) string {
	if f.Visits == 0 {
		return ""
	}
	return " (" + visits(f.Visits) + ")"
}

// plain writes a sentence as it goes on behind a colon.
func plain(sentence string) string {
	sentence = strings.TrimSuffix(sentence, ".")
	if len(sentence) > 1 && sentence[1] != '.' && (sentence[1] < 'A' || sentence[1] > 'Z') { // not the first letter of "HTTP"
		sentence = strings.ToLower(sentence[:1]) + sentence[1:]
	}
	return sentence
}

func evidence(b *strings.Builder, style Style, f *finding.Finding, indent string, all bool) {
	lines := f.Evidence
	if !all && len(lines) > shownOfEach+1 {
		lines = lines[:shownOfEach]
	}
	for _, line := range lines {
		fmt.Fprintf(b, "%s%s\n", indent, address.Printable(line))
	}
	if more := len(f.Evidence) - len(lines); more > 0 {
		fmt.Fprintf(b, "%s%s\n", indent, style.Dim(fmt.Sprintf("and %d more", more)))
	}
}

// sharedOrigin returns the origin that the addresses of findings have in common; empty where one is in a file, or on
// another host.
func sharedOrigin(list []*finding.Finding) string {
	shared := ""
	for i, f := range list {
		origin, _, ok := splitOrigin(f.Where.URL)
		if f.Where.File != "" || !ok || i > 0 && origin != shared {
			return ""
		}
		shared = origin
	}
	return shared
}

// sharedWords returns how many words all findings begin with, and how many they end with.
func sharedWords(list []*finding.Finding) (before, after int) {
	first := strings.Fields(address.Printable(list[0].What))
	before, after = len(first), len(first)
	for _, f := range list[1:] {
		words := strings.Fields(address.Printable(f.What))
		n := 0
		for n < before && n < len(words) && words[n] == first[n] {
			n++
		}
		before = n
		n = 0
		for n < after && n < len(words)-before && words[len(words)-1-n] == first[len(first)-1-n] {
			n++
		}
		after = n
	}
	return before, min(after, len(first)-before)
}
