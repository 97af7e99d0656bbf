package deploy

import (
	"fmt"
	"iter"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/block"
	"young-compass/internal/finding"
	"young-compass/internal/folderfile"
	"young-compass/internal/plan"
	"young-compass/internal/safefile"
	"young-compass/internal/server"
)

// besideRules is a target whose lines stand in a per-folder file, in front of rules that are there already.
type besideRules interface {
	// Script reports whether a script answers all requests but those for files, so that the rules aren't asked.
	Script() bool
}

// PerFolder reports whether a target writes a per-folder file, which lies among the site's real files.
func PerFolder(target server.Target) bool {
	_, ok := target.(besideRules)
	return ok
}

// Below says which files of a document root are per-folder files of their own, with rules that switch those above off.
// root is the folder, or a list of its files, whose rules can't be seen.
func Below(target server.Target, files []string, root string) (found []finding.Finding) {
	if !PerFolder(target) {
		return nil
	}
	info, err := os.Stat(root)
	listed := err != nil || !info.IsDir()
	for _, file := range files {
		if path.Base(file) != ".htaccess" || file == "/.htaccess" {
			continue
		}
		if !listed {
			text, err := safefile.Read(filepath.Join(root, filepath.FromSlash(file)), maxConfiguration)
			if err != nil || !folderfile.SwitchesOn(text) {
				continue
			}
		}
		found = append(found, rulesBelow(file))
	}
	return found
}

func rulesBelow(file string) finding.Finding {
	return finding.Finding{Code: finding.RulesBelow, Severity: finding.Warning, Where: finding.Place{File: file},
		What:   "this per-folder file switches rewriting on, and with it the rules of the folders above off",
		Advice: "write RewriteOptions InheritBefore into it, or take its RewriteEngine out"}
}

// Existing is a rule or setting that the server's file has already.
type Existing struct {
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Does   string `json:"does"`
	Beside string `json:"beside"` // what it does to the plan's answers
	Met    int    `json:"met"`    // known addresses that it answers now
	URL    string `json:"url,omitempty"`
}

// existing judges what a file's own rules do beside the plan's.
type existing struct {
	*folderfile.File
	answers *plan.Answerer
	plan    *plan.Plan
	script  bool
	inside  string           // the path inside the server with which it goes on for what the plan decides; empty: none
	root    string           // the document root, as far as it can be seen
	rows    []folderfile.Row // that the file's redirects are
	unread  []folderfile.Unread
	rules   map[int]*Existing
	met     map[meeting]*met
	found   []finding.Finding
}

// meeting is a kind of trouble with a rule.
type meeting struct {
	code finding.Code
	line int
}

// met is where there is that trouble.
type met struct {
	addresses int
	way       string // from one of them, hop by hop
	url       string
}

// readExisting reads the rules of a file, but for those that were installed. Lines keep their numbers.
func readExisting(name string, text []byte) (*folderfile.File, error) {
	lines := server.Lines(string(text))
	blocks, err := block.Find(lines)
	if err != nil {
		return nil, err
	}
	for _, b := range blocks {
		for i := b.Begin; i < b.End; i++ {
			lines[i] = "\n"
		}
	}
	return folderfile.Read(name, []byte(strings.Join(lines, "")))
}

// Lasting returns the lines of a per-folder file that must stay in front of the plan's, where the server goes on inside with
// what the plan says: the rules that refuse requests, or that set variables for scripts.
func (p Place) Lasting() ([]string, error) {
	if _, ok := p.Target.(besideRules); !ok {
		return nil, nil
	}
	text, err := safefile.Read(p.File, maxConfiguration)
	if err != nil || text == nil {
		return nil, err
	}
	file, err := readExisting(p.File, text)
	if err != nil || !file.On {
		return nil, nil // Prepare says what is wrong with it
	}
	lines, _ := file.Lasting()
	return lines, nil
}

// judgeExisting says what the rules that are in a file already do, each beside the plan, and what is wrong with that. apart
// says that what the plan decides is answered in a folder of its own.
func (p Place) judgeExisting(of *plan.Plan, text []byte, apart bool) ([]Existing, []finding.Finding, error) {
	t, ok := p.Target.(besideRules)
	if !ok || len(text) == 0 {
		return nil, nil, nil
	}
	file, err := readExisting(p.File, text)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", p.File, err)
	}
	x := &existing{File: file, answers: of.Answerer(), plan: of, script: t.Script(), root: filepath.Dir(p.File),
		rules: map[int]*Existing{}, met: map[meeting]*met{}}
	x.rows, x.unread = file.Rows(folderfile.HabitsOf(of.Paths))
	for _, r := range x.Rules {
		does := "leaves addresses as they are"
		switch {
		case r.Redirects() && r.Everywhere():
			does = "leads to a host or scheme"
		case r.Redirects():
			does = "redirects"
		case r.Refuses():
			does = "says that something is gone, or forbidden"
		case r.Rewrites():
			does = "rewrites inside the server"
		}
		x.rules[r.Line] = &Existing{Line: r.Line, Text: r.Text, Does: does}
	}
	switch {
	case x.script:
		x.inside = "/" + piecesFolder + "/young-compass.php"
	case apart:
		x.inside = "/" + piecesFolder + "/rules/"
	}
	x.settings()
	for at, own := range x.asked() {
		if err := x.try(at, own); err != nil {
			return nil, nil, err
		}
	}
	x.tell()
	if err := x.front(); err != nil {
		return nil, nil, err
	}
	if err := x.unasked(); err != nil {
		return nil, nil, err
	}
	for _, r := range x.Rules {
		if r.Alias() || !x.script {
			x.beside(r.Line, "as before")
		}
	}
	list := make([]Existing, 0, len(x.rules))
	for _, r := range x.rules {
		list = append(list, *r)
	}
	slices.SortFunc(list, func(a, b Existing) int { return a.Line - b.Line })
	return list, x.found, nil
}

// maxTried bounds how often a rule is asked for an address.
const maxTried = 20_000_000

// asked yields the addresses that are tried: what the plan knows (of very many, evenly some), what the file redirects, and
// what every site has, on each of its hosts, with http and https.
//
// It says of each whether the file alone speaks of it.
func (x *existing) asked() iter.Seq2[address.Address, bool] {
	return func(yield func(address.Address, bool) bool) {
		known := 0
		for range x.plan.KnownAddresses() {
			known++
		}
		every, n := 1+known*len(x.Rules)/maxTried, 0
		for k := range x.plan.KnownAddresses() {
			if n++; n%every == 0 && !yield(k.Address, false) {
				return
			}
		}
		for _, row := range x.rows {
			at, err := address.Resolve(x.plan.Site.Origin, row.From)
			if err == nil && !strings.ContainsAny(row.From, "{}") && !yield(at, true) {
				return
			}
		}
		for at := range x.everywhere("/", picture) {
			if !yield(at, false) {
				return
			}
		}
	}
}

// everywhere yields these paths on each host of the site, with http and https.
func (x *existing) everywhere(paths ...string) iter.Seq[address.Address] {
	return func(yield func(address.Address) bool) {
		for _, host := range x.plan.Site.All() {
			for _, scheme := range []string{"http", "https"} {
				for _, path := range paths {
					if !yield(address.Address{Scheme: scheme, Host: host, Path: path}) {
						return
					}
				}
			}
		}
	}
}

// picture stands for the files of a site.
const picture = "/a-picture.png"

// lies tells what lies below the document root.
func (x *existing) lies(path string) folderfile.Kind {
	if path == picture {
		return folderfile.Regular
	}
	info, err := os.Stat(filepath.Join(x.root, filepath.FromSlash(path)))
	switch {
	case err != nil:
		return folderfile.Nothing
	case info.IsDir():
		return folderfile.Folder
	}
	return folderfile.Regular
}

// step is one answer on a way.
type step struct {
	to   string
	what int // the status
	rule *folderfile.Rule
}

// step answers as the server does with the plan's lines in front of the file's own.
func (x *existing) step(at address.Address) (s step, planned plan.Answer, err error) {
	planned, err = x.answers.Answer(plan.Request{Method: "GET", Address: at})
	if err != nil {
		return s, planned, fmt.Errorf("answering %s: %w", at, err)
	}
	asked := folderfile.Request{Scheme: at.Scheme, Host: at.Host, Path: address.Decode(at.Path), Query: at.Query, Lies: x.lies}
	own := func(out folderfile.Outcome) bool {
		x.unsure(out.Unsure)
		s = step{to: out.Location, what: out.Status, rule: out.Rule}
		return out.Status != 0
	}
	if x.inside != "" { // rules of mod_alias are asked before the server goes on inside, and again there
		inside := asked
		inside.Path = x.inside
		if own(x.Aliases(asked)) || planned.Outcome != plan.Foreign && own(x.Aliases(inside)) {
			return s, planned, nil
		}
	}
	switch planned.Outcome {
	case plan.Moved, plan.Gone, plan.Closed:
		return step{to: planned.To, what: planned.Status}, planned, nil
	case plan.Foreign:
		own(x.Answer(asked))
		return s, planned, nil
	}
	if !x.script || x.lies(asked.Path) == folderfile.Regular && planned.Outcome == plan.Served {
		own(x.Answer(asked))
	}
	return s, planned, nil
}

func (x *existing) unsure(rules []*folderfile.Rule) {
	for _, r := range rules {
		x.note(finding.ExistingUncertain, r.Line, "", "")
	}
}

// maxWay is how many hops are followed.
const maxWay = 12

// try follows the way of an address, and notes which rules meet it and what becomes of it. Where the file alone speaks of
// the address, its word may differ from the plan's.
func (x *existing) try(at address.Address, own bool) error {
	first, planned, err := x.step(at)
	if err != nil || first.what == 0 {
		return err
	}
	start := at.String()
	way, seen := start, map[string]bool{start: true}
	var rule *folderfile.Rule
	hops, circle := 0, false
	for s := first; s.what >= 300 && s.what < 400 && hops < maxWay && !circle; hops++ {
		by := "the plan"
		if s.rule != nil {
			by = fmt.Sprintf("line %d", s.rule.Line)
			if rule == nil {
				rule = s.rule
			}
		}
		next, err := address.Parse(s.to)
		if err != nil {
			break
		}
		next.Fragment = ""
		way += " -> " + next.String() + " (" + by + ")"
		if circle = seen[next.String()]; circle || !x.plan.Site.Has(next.Host) {
			hops++
			at = next
			break
		}
		seen[next.String()], at = true, next
		if s, _, err = x.step(next); err != nil {
			return err
		}
	}
	if first.rule != nil && rule == nil {
		rule = first.rule // it refuses
	}
	if rule == nil {
		return nil
	}
	code := finding.Code("")
	aim, _, _ := strings.Cut(planned.To, "#")
	switch {
	case circle:
		code = finding.ExistingLoop
	case planned.Outcome == plan.Moved && at.String() == aim:
		if hops > 1 {
			code = finding.ExistingHop
		}
	case own:
	case planned.Outcome == plan.Moved, planned.Outcome == plan.Gone && first.what != 410,
		planned.Outcome == plan.Served && first.rule != nil:
		code = finding.ExistingRedirect
	}
	x.note(code, rule.Line, way, start)
	return nil
}

// note notes an address that a rule meets.
func (x *existing) note(code finding.Code, line int, way, url string) {
	if r := x.rules[line]; r != nil && way != "" {
		if r.Met++; r.URL == "" {
			r.URL = url
		}
	}
	if code == "" {
		return
	}
	key := meeting{code, line}
	if x.met[key] == nil {
		x.met[key] = &met{way: way, url: url}
	}
	x.met[key].addresses++
}
