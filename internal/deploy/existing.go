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

// judgeExisting says what the rules that are in a file already do, each beside the plan, and what is wrong with that.
func (p Place) judgeExisting(of *plan.Plan, text []byte) ([]Existing, []finding.Finding, error) {
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
	x.rows, x.unread = file.Rows(folderfile.Habits{Letters: of.Paths.Lower, Slash: of.Paths.Slash != address.SlashKept})
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
	to    string
	what  int // the status
	rule  *folderfile.Rule
	after string // a path inside the server
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
		s = step{to: out.Location, what: out.Status, rule: out.Rule, after: out.Inside}
		return out.Status != 0
	}
	if x.script {
		inside := asked
		inside.Path = "/" + piecesFolder + "/young-compass.php"
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
	way, seen := at.String(), map[string]bool{at.String(): true}
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
	switch aim, _ := address.Parse(planned.To); {
	case circle:
		code = finding.ExistingLoop
	case planned.Outcome == plan.Moved && at.String() == withoutFragment(aim).String():
		if hops > 1 {
			code = finding.ExistingHop
		}
	case own:
	case planned.Outcome == plan.Moved, planned.Outcome == plan.Gone && first.what != 410,
		planned.Outcome == plan.Served && first.rule != nil:
		code = finding.ExistingRedirect
	}
	x.note(code, rule.Line, way, withoutFragment(seenFirst(way)).String())
	return nil
}

func withoutFragment(a address.Address) address.Address {
	a.Fragment = ""
	return a
}

// seenFirst returns the address with which a way begins.
func seenFirst(way string) address.Address {
	first, _, _ := strings.Cut(way, " ")
	a, _ := address.Parse(first)
	return a
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

// say adds a finding about a line, and says it in the table.
func (x *existing) say(code finding.Code, severity finding.Severity, line int, url, what, advice string) {
	x.found = append(x.found, finding.Finding{Code: code, Severity: severity,
		Where: finding.Place{File: x.Name, Line: line, URL: url}, What: address.Printable(what), Advice: advice})
}

// beside says in the table what a rule does to the plan's answers; the first that is said counts.
func (x *existing) beside(line int, what string) {
	if r := x.rules[line]; r != nil && r.Beside == "" {
		r.Beside = what
	}
}

// tell makes findings of what was noted.
func (x *existing) tell() {
	merge := "take the line out; young-compass redirects merge " + address.Printable(x.Name) + " takes its rows into the plan"
	everywhere := map[int]bool{}
	for _, r := range x.Rules {
		everywhere[r.Line] = r.Everywhere()
	}
	for _, code := range []finding.Code{finding.ExistingLoop, finding.ExistingRedirect, finding.ExistingHop, finding.ExistingUncertain} {
		for _, r := range x.Rules {
			m := x.met[meeting{code, r.Line}]
			if m == nil {
				continue
			}
			advice := merge
			if everywhere[r.Line] {
				advice = "take the rule and its conditions out; the plan leads to " + x.plan.Site.Origin.Base() + " by itself"
			}
			switch code {
			case finding.ExistingLoop:
				x.say(code, finding.Error, r.Line, m.url, fmt.Sprintf("%d addresses are led round in a circle, such as %s", m.addresses, m.way),
					advice)
				x.beside(r.Line, "a circle")
			case finding.ExistingRedirect:
				x.say(code, finding.Warning, r.Line, m.url, fmt.Sprintf("%d addresses are answered by this line, and otherwise than by the plan: %s",
					m.addresses, m.way), advice)
				x.beside(r.Line, "goes before the plan")
			case finding.ExistingHop:
				x.say(code, finding.Warning, r.Line, m.url, fmt.Sprintf("%d addresses arrive in more than one hop: %s", m.addresses, m.way), advice)
				x.beside(r.Line, "a further hop")
			default:
				why := r.Uncertain
				if why == "" {
					why = "it depends on what isn't known beforehand"
				}
				x.say(code, finding.Note, r.Line, "", "what this line does isn't judged: "+why, "look at it yourself")
				x.beside(r.Line, "not judged")
			}
		}
	}
}

// settings judges what the file says beside rules.
func (x *existing) settings() {
	if x.Engine > 0 && !x.On {
		x.say(finding.RewritingOff, finding.Error, x.Engine, "", "RewriteEngine is off, and the last word on it counts for the plan's rules, too",
			"take the line out")
	}
	if x.Engine == 0 && slices.ContainsFunc(x.Rules, func(r *folderfile.Rule) bool { return !r.Alias() }) {
		x.say(finding.ExistingRedirect, finding.Warning, x.Rules[0].Line, "", "the file's rewrite rules were off, and the plan switches them on",
			"take them out, unless they are wanted")
		x.On = true
	}
	for _, r := range x.Rules {
		if r.Reads("X-Forwarded-Proto") || r.Reads("X-Forwarded-SSL") {
			x.rules[r.Line].Does = "asks a proxy's header for the scheme"
			if len(x.plan.Proxies) == 0 && x.plan.Site.Origin.Scheme == "https" {
				x.say(finding.ProxyEndsTLS, finding.Error, r.Line, x.plan.Site.Origin.Base()+"/",
					"this line asks a proxy's header for the scheme: behind a proxy that ends TLS the plan would lead every page round in a circle",
					"name the proxy's addresses in site.trusted-proxies (the host tells them), or --force if there is no proxy any more")
				x.beside(r.Line, "a circle, if there is a proxy")
			}
		}
	}
	for _, l := range x.Says {
		x.setting(l)
	}
}

// setting judges one such line.
func (x *existing) setting(l folderfile.Line) {
	all := strings.ToLower(strings.Join(l.Words, " "))
	off := func(what string) {
		x.say(finding.RewritingOff, finding.Error, l.Number, "", what, "take the line out, or use emit htaccess")
	}
	switch l.Words[0] {
	case "errordocument":
		row := &Existing{Line: l.Number, Text: l.Text, Does: "page for an error"}
		x.rules[l.Number] = row
		if status := l.Words[min(1, len(l.Words)-1)]; x.script && slices.Contains([]string{"404", "410", "503"}, status) {
			row.Beside = "isn't asked any more"
			x.say(finding.ExistingUnasked, finding.Warning, l.Number, "", "the script answers "+status+" by itself, and doesn't show this page",
				"name the page "+status+".html and put it into the document root: the script shows that")
		}
	case "directoryslash", "fallbackresource":
		row := &Existing{Line: l.Number, Text: l.Text, Does: "adds slashes to folders, or not"}
		x.rules[l.Number] = row
		if l.Words[0] == "fallbackresource" {
			row.Does = "sends what isn't there to a script"
			if to := l.Words[min(1, len(l.Words)-1)]; x.script && (x.plan.Front == nil || x.plan.Front.To != to) && !strings.EqualFold(to, "disabled") {
				row.Beside = "isn't asked any more"
				x.unnamed(l.Number, to)
			}
		}
	case "php_flag", "php_value":
		if x.script && strings.HasPrefix(strings.TrimSpace(strings.TrimPrefix(all, l.Words[0])), "engine ") &&
			slices.Contains([]string{"off", "0", "false"}, l.Words[len(l.Words)-1]) {
			off("PHP is off here, and visitors would be shown the script's text")
		}
	case "removehandler", "removetype":
		if x.script && strings.Contains(all, "php") {
			off("PHP doesn't run .php here any more, and visitors would be shown the script's text")
		}
	case "sethandler", "addtype", "addhandler":
		if x.script && l.Inside == "" && (strings.Contains(all, "text/plain") || strings.Contains(all, "default-handler") ||
			strings.HasSuffix(all, " none")) && (l.Words[0] == "sethandler" || strings.Contains(all, "php")) {
			off("PHP doesn't run .php here, and visitors would be shown the script's text")
		}
	}
}

func (x *existing) unnamed(line int, to string) {
	if script, _, ok := strings.Cut(to, ".php/"); ok {
		x.say(finding.FrontUnnamed, finding.Error, line, "", script+".php makes pages, and gets the path behind its own name: the plan's script doesn't do that",
			"use emit htaccess, or let the site's script read the address that was asked (REQUEST_URI), and name it in front-controller:")
		return
	}
	x.say(finding.FrontUnnamed, finding.Error, line, "", to+" makes pages, and the plan doesn't name it: all of them would say 404",
		"write front-controller: {to: "+address.Printable(to)+"} into the plan")
}

// front finds the script to which the file sends what isn't there. The plan's script goes on with it only if the plan
// names it.
func (x *existing) front() error {
	if !x.script {
		return nil
	}
	for at := range x.everywhere("/no-such-page", "/no-such-folder/no-such-page") {
		out := x.Answer(folderfile.Request{Scheme: at.Scheme, Host: at.Host, Path: at.Path, Lies: x.lies})
		if out.Inside == "" || out.Rule == nil {
			continue // a rule may lead from this host to another one
		}
		x.rules[out.Rule.Line].Does = "sends pages to " + out.Inside
		x.beside(out.Rule.Line, "the plan does that")
		if x.plan.Front == nil || x.plan.Front.To != out.Inside && !strings.HasPrefix(x.plan.Front.To, out.Inside+"?") {
			x.rules[out.Rule.Line].Beside = "isn't asked any more"
			x.unnamed(out.Rule.Line, out.Inside)
		}
		return nil
	}
	return nil
}

// leads returns where the plan leads a path or an address; empty for where nothing is any more.
func (x *existing) leads(to string) (string, error) {
	at, err := address.Resolve(x.plan.Site.Origin, to)
	if to == "" || err != nil {
		return "", nil
	}
	a, err := x.answers.Answer(plan.Request{Method: "GET", Address: at})
	switch {
	case err != nil:
		return "", fmt.Errorf("answering %s: %w", at, err)
	case a.Outcome == plan.Moved:
		return a.To, nil
	case a.Outcome == plan.Gone:
		return "", nil
	}
	return at.String(), nil
}

// unasked finds rules that aren't asked any more since the script answers, and that the plan has nothing for.
func (x *existing) unasked() error {
	if !x.script {
		return nil
	}
	missing, first := 0, folderfile.Row{}
	aliases := map[int]bool{}
	for _, r := range x.Rules {
		aliases[r.Line] = r.Alias()
	}
	for _, row := range x.rows {
		if aliases[row.Line] || row.Class != "" {
			continue
		}
		planned, err := x.leads(row.From)
		if err != nil {
			return err
		}
		wanted, err := x.leads(row.To)
		if err != nil {
			return err
		}
		if planned != wanted {
			if missing++; missing == 1 {
				first = row
			}
			x.beside(row.Line, "isn't asked any more")
		}
	}
	if missing > 0 {
		x.say(finding.ExistingUnasked, finding.Warning, first.Line, "", fmt.Sprintf("%d redirects of the file aren't asked any more, such as "+
			"%s to %s", missing, first.From, first.To), "young-compass redirects merge "+address.Printable(x.Name)+" takes them into the plan")
	}
	left := map[int]string{}
	lasting, bound := x.Lasting()
	for _, r := range bound {
		left[r.Line] = "it depends on the rules about it, and isn't asked any more"
	}
	for _, r := range x.Rules {
		if slices.Contains(lasting, r.Text) {
			x.beside(r.Line, "stays in front of the plan")
		}
	}
	for _, u := range x.unread {
		if !u.Alias() && !u.Everywhere() {
			left[u.Line] = "it redirects, and isn't asked any more where no file lies"
		}
	}
	for _, r := range x.Rules {
		if r.Rewrites() && x.rules[r.Line].Beside == "" {
			left[r.Line] = "it isn't asked any more where no file lies"
		}
	}
	for _, r := range x.Rules {
		if what, ok := left[r.Line]; ok {
			severity := finding.Error
			if r.Redirects() {
				severity = finding.Warning
			}
			x.say(finding.ExistingUnasked, severity, r.Line, "", what+": "+r.Text,
				"write it as a rule of the plan, with serve: if it rewrites; see docs/plan.md")
			x.beside(r.Line, "isn't asked any more")
		}
	}
	return nil
}
