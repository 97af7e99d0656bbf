package relink_test

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"young-compass/internal/plan"
	"young-compass/internal/relink"
)

// reader finds addresses in content, by parsers of others: x/net/html, encoding/json, encoding/xml, and readPHP's way.
// It reads what lies in what, and knows nothing of package relink.
type reader struct{ found []string }

var (
	inText         = regexp.MustCompile(`(?i)\b(https?://(?:www\.)?skerrywick\.example(?:[/?#][^\s"'<>()\\` + "`" + `]*)?)(?:[^\w.-]|$)`)
	inQuotes       = regexp.MustCompile(`"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'`)
	inCSS          = regexp.MustCompile(`url\(\s*["']?([^"')]+)["']?\s*\)`)
	inLinks        = regexp.MustCompile(`\]\(([^)\s]+)\)|^\[\w+\]: (\S+)`)
	serialisedText = regexp.MustCompile(`s:\d+:"`)
)

func (r *reader) any(s string) {
	switch t := strings.TrimSpace(s); {
	case len(t) > 3 && strings.ContainsAny(t[:1], "saO") && t[1] == ':':
		r.php(t)
	case json.Valid([]byte(t)) && t != "" && strings.ContainsAny(t[:1], `{["`):
		r.json(t)
	case strings.Contains(t, "<"):
		r.html(t)
	default:
		r.text(t)
	}
}

func (r *reader) text(s string) {
	for _, m := range inText.FindAllStringSubmatch(s, -1) {
		r.found = append(r.found, m[1])
	}
}

func (r *reader) html(s string) {
	tokens := html.NewTokenizer(strings.NewReader(s))
	raw := ""
	for tokens.Next() != html.ErrorToken {
		token := tokens.Token()
		switch {
		case token.Type == html.TextToken && raw == "style":
			for _, m := range inCSS.FindAllStringSubmatch(token.Data, -1) {
				r.found = append(r.found, m[1])
			}
		case token.Type == html.TextToken && raw == "script":
			r.text(token.Data)
		}
		raw = ""
		if token.Type == html.StartTagToken {
			raw = token.Data
		}
		for _, a := range token.Attr {
			switch a.Key {
			case "href", "src":
				r.found = append(r.found, a.Val)
			case "data-it":
				r.any(a.Val)
			}
		}
	}
}

func (r *reader) json(s string) {
	decoder := json.NewDecoder(strings.NewReader(s))
	for {
		token, err := decoder.Token()
		if err != nil {
			return
		}
		if text, ok := token.(string); ok {
			r.any(text)
		}
	}
}

func (r *reader) xml(s string) error {
	decoder := xml.NewDecoder(strings.NewReader(s))
	for {
		token, err := decoder.Token()
		switch t := token.(type) {
		case xml.CharData:
			r.any(string(t))
		case xml.StartElement:
			for _, a := range t.Attr {
				r.text(a.Value)
			}
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

func (r *reader) php(s string) {
	for _, at := range serialisedText.FindAllStringIndex(s, -1) {
		n := 0
		_, _ = fmt.Sscanf(s[at[0]:], "s:%d:", &n)
		if at[1]+n < len(s) && s[at[1]+n] == '"' {
			r.any(s[at[1] : at[1]+n])
		}
	}
}

func (r *reader) dump(s string) {
	for _, quoted := range inQuotes.FindAllString(s, -1) {
		if quoted[0] == '\'' {
			r.any(strings.NewReplacer(`\\`, `\`, `\'`, `'`, `\"`, `"`, `\n`, "\n", `\0`, "\x00", "''", "'").Replace(quoted[1 : len(quoted)-1]))
		}
	}
}

// file reads a file by its name.
func (r *reader) file(name, s string) error {
	switch filepath.Ext(name) {
	case ".html":
		r.html(s)
	case ".json":
		r.json(s)
	case ".xml":
		return r.xml(s)
	case ".sql":
		r.dump(s)
	case ".css":
		for _, m := range inCSS.FindAllStringSubmatch(s, -1) {
			r.found = append(r.found, m[1])
		}
	case ".md":
		for _, line := range strings.Split(s, "\n") {
			for _, m := range inLinks.FindAllStringSubmatch(line, -1) {
				r.found = append(r.found, m[1]+m[2])
			}
		}
	default:
		r.any(s)
	}
	return nil
}

// grow writes a tree of files of all forms, and returns how many.
func grow(t *testing.T, b baker, dir string) int {
	t.Helper()
	relative := func() string {
		return []string{"harbours", "../harbours", "/old/tides#x", "tides?a=1", "//www.skerrywick.example/harbours", "ports", "#top", "",
			"mailto:crew@skerrywick.example", "//archive.example/harbours"}[b.IntN(10)]
	}
	n := 4 + b.IntN(8)
	for i := range n {
		name := strings.Repeat("old/", b.IntN(3)) + fmt.Sprint("f", i)
		link := b.link()[0]
		switch b.IntN(8) {
		case 0:
			write(t, dir, name+".html", b.page(0)[0]+`<a href="`+html.EscapeString(relative())+`">x</a>`)
		case 1:
			write(t, dir, name+".json", b.object(0)[0])
		case 2:
			write(t, dir, name+".php.txt", b.value(0)[0])
		case 3:
			dump := b.any(1)[0]
			for strings.Contains(dump, "\\") { // the reader's regular expression knows one kind of strings
				dump = b.any(1)[0]
			}
			write(t, dir, name+".sql", "-- MariaDB dump\nINSERT INTO `a` VALUES (1,'"+strings.NewReplacer("'", `\'`, `"`, `\"`, "\n", `\n`,
				"\x00", `\0`).Replace(dump)+"');\n")
		case 4:
			write(t, dir, name+".css", "@charset \"utf-8\";\na{b:url(\""+link+"\")} c{d:url("+relative()+")}\n/* é */")
		case 5:
			write(t, dir, name+".md", "# é\n\n[a]("+link+") [b]("+relative()+")\n[c]: "+link+"\n`/harbours`\n")
		case 6:
			page := b.page(3)[0]
			for strings.Contains(page, "\x00") { // which XML can't hold
				page = b.page(3)[0]
			}
			write(t, dir, name+".xml", `<?xml version="1.0"?><urlset><url><loc>`+html.EscapeString(link)+"</loc></url><d>"+
				html.EscapeString(page)+"</d></urlset>")
		case 7:
			write(t, dir, name+".js", "a('"+link+"', '/harbours') // é\nb(\""+b.link()[0]+"\")")
		}
	}
	return n
}

// contents returns the files of a tree, but for copies that are kept.
func contents(t *testing.T, dir string) map[string]string {
	t.Helper()
	found := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() || strings.HasSuffix(path, ".bak") {
			return err
		}
		data, err := os.ReadFile(path)
		name, _ := filepath.Rel(dir, path)
		found[filepath.ToSlash(name)] = string(data)
		return err
	}))
	return found
}

var (
	word        = regexp.MustCompile(`[A-Za-z0-9.:/?#&;=%_+~\\-]+`)
	addressLike = regexp.MustCompile(`(?i)skerrywick\.example|harbours|tides|ports`)
	lengthLike  = regexp.MustCompile(`\bs:\d+:`)
)

// masked leaves out what may be an address of the site, and the lengths of serialised values, so that all other bytes can
// be compared.
func masked(text string) string {
	return word.ReplaceAllStringFunc(lengthLike.ReplaceAllString(text, "s:@:"), func(w string) string {
		if addressLike.MatchString(w) {
			return "@" + w[len(strings.TrimRight(w, `\`)):]
		}
		return w
	})
}

// After writing, no link of the site leads to a redirect that is for good; no byte changes that is of no address; a second
// run changes nothing; and undo brings every byte back.
func TestTrees(t *testing.T) {
	p := ferries(t)
	n := 400
	if testing.Short() {
		n /= 10
	}
	links, changed := 0, 0
	for i := range n {
		b := baker{rand.New(rand.NewPCG(1414, uint64(i)))}
		dir := t.TempDir()
		site := filepath.Join(dir, "site")
		grow(t, b, site)
		hostile := i%3 == 2
		if hostile {
			spoil(t, b, site)
		}
		before := contents(t, site)
		base := p.Site.Origin
		base.Path = "/"
		journal := relink.NewJournal(filepath.Join(dir, relink.JournalFile), time.Date(2026, 11, 28, 9, 0, 0, i, time.UTC))
		run := func(write bool) (changes int) {
			l := relink.New(p, relink.AsWritten)
			require.NoError(t, journal.Known(l))
			require.NoError(t, l.Files(site, "", &base, func(d relink.Document) error {
				require.Empty(t, d.Problem)
				if !d.Changed() {
					return nil
				}
				changes++
				if !write {
					return fmt.Errorf("%s changes again\n%s\n%s", d.Path, d.Before, d.After)
				}
				_, err := journal.Write(d)
				return err
			}))
			return changes
		}
		changes := run(true)
		changed += changes
		after := contents(t, site)
		for name, text := range after {
			if !hostile {
				links += requireStraight(t, p, name, text)
				require.Equal(t, masked(before[name]), masked(text), "%d: %s\n%s\n%s", i, name, before[name], text)
			}
		}
		run(false)
		if changes > 0 {
			list, err := relink.Undo(filepath.Join(dir, relink.JournalFile), time.Now())
			require.NoError(t, err)
			require.Len(t, list, changes)
		}
		require.Equal(t, before, contents(t, site))
	}
	t.Logf("%d files changed, %d links looked at", changed, links)
	require.Greater(t, changed, 3*n)
	require.Greater(t, links, 10*n)
}

// requireStraight requires that no address in a file is redirected for good, and returns how many are of the site.
func requireStraight(t *testing.T, p *plan.Plan, name, text string) (ours int) {
	t.Helper()
	var r reader
	require.NoError(t, r.file(name, text), name)
	answerer := p.Answerer()
	ask := func(address string) plan.Answer {
		request, err := plan.NewRequest("GET", address)
		require.NoError(t, err)
		answer, err := answerer.Answer(request)
		require.NoError(t, err)
		return answer
	}
	page, err := url.Parse("https://skerrywick.example/" + name)
	require.NoError(t, err)
	if own := ask(page.String()); own.Outcome == plan.Moved { // with its page
		page, err = url.Parse(own.To)
		require.NoError(t, err)
	}
	for _, link := range r.found {
		to, err := page.Parse(link)
		if err != nil || to.Scheme != "http" && to.Scheme != "https" || !p.Site.Has(strings.ToLower(to.Host)) {
			continue
		}
		ours++
		answer := ask(to.String())
		if answer.Outcome == plan.Moved {
			require.NotContains(t, []int{301, 308}, answer.Status, "%s: %s\n%s", name, link, text)
		}
	}
	return ours
}

// spoil makes files of a tree what no program writes.
func spoil(t *testing.T, b baker, dir string) {
	t.Helper()
	for name, text := range contents(t, dir) {
		data := []byte(text)
		for range 1 + b.IntN(4) {
			if len(data) == 0 {
				break
			}
			at := b.IntN(len(data))
			switch b.IntN(4) {
			case 0:
				data = data[:at]
			case 1:
				data[at] = "\"'<>\\\x01\xff&{}"[b.IntN(10)]
			case 2:
				data = append(data[:at:at], append([]byte(strings.Repeat("<!--", b.IntN(2))+"\"'"), data[at:]...)...)
			case 3:
				data = bytes.Repeat(data, 2)
			}
		}
		write(t, dir, name, string(data))
	}
}
