//go:build linux

package server_test

import (
	"bytes"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"young-compass/internal/compile"
	"young-compass/internal/project"
	"young-compass/internal/relink"
	"young-compass/internal/server"
	"young-compass/internal/server/nginx"
)

// documents returns a folder of hundreds of pages that somebody else has written: a documentation package of Debian.
func documents(t *testing.T) string {
	t.Helper()
	folder := os.Getenv("YOUNG_COMPASS_DOCUMENTS")
	if folder == "" {
		folder = "/usr/share/doc/sqlite3"
	}
	require.FileExists(t, filepath.Join(folder, "about.html"), "test.sh fetches it")
	return folder
}

// newPlace returns where a page or a file of the documents moves.
//
//	/docs/c3ref/open.html  ->  /manual/c3ref/o/open
//	/docs/images/a.gif     ->  /files/images/a.gif
func newPlace(file string) string {
	name, isPage := strings.CutSuffix(file, ".html")
	if !isPage {
		return "/files/" + file
	}
	return "/manual/" + path.Join(path.Dir(name), path.Base(name)[:1], path.Base(name))
}

// Hundreds of pages with relative links move to other addresses, and their links with them. Served by a real server,
// none of them is redirected, and none is broken that wasn't before.
func TestDocumentsMove(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("many pages take too long with the race detector")
	}
	from := documents(t)
	dir := siteFolder(t, site{})
	old, www := filepath.Join(dir, "old"), filepath.Join(dir, "www")
	require.NoError(t, os.CopyFS(old, os.DirFS(from)))
	var files []string
	rows := "from,to,status\n"
	require.NoError(t, fs.WalkDir(os.DirFS(from), ".", func(file string, e fs.DirEntry, err error) error {
		if err == nil && e.Type().IsRegular() {
			files = append(files, file)
			if strings.HasSuffix(file, ".html") {
				rows += "/docs/" + file + "," + newPlace(file) + ",301\n"
			}
		}
		return err
	}))
	write(t, filepath.Join(dir, project.PlanFile), `site: {origin: "https://skerrywick.example", hosts: [www.skerrywick.example],
  paths: {slash: never, extension: none, letters: keep}, files: [/files/]}
rules:
  - {from: "/docs{/rest*}", to: "/files{/rest*}"}
`)
	write(t, filepath.Join(dir, project.RedirectsFile), rows)
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)

	linksBefore := map[string][]string{} // by page
	for _, file := range files {
		if strings.HasSuffix(file, ".html") {
			linksBefore[file] = linksOf(t, filepath.Join(old, file))
		}
	}
	linker := relink.New(p, relink.AsWritten)
	journal := relink.NewJournal(filepath.Join(dir, relink.JournalFile), time.Now())
	base := p.Site.Origin
	base.Path = "/docs/"
	var summary relink.Summary
	begin := time.Now()
	require.NoError(t, linker.Files(old, "", &base, func(d relink.Document) error {
		summary.Add(&d)
		if !d.Changed() {
			return nil
		}
		_, err := journal.Write(d)
		return err
	}))
	t.Logf("%d files, of which %d changed, %d links, %.1f s", summary.Files, summary.Changed, summary.Links,
		time.Since(begin).Seconds())
	require.Greater(t, summary.Links, 10_000)
	again := relink.New(p, relink.AsWritten)
	require.NoError(t, journal.Known(again))
	require.NoError(t, again.Files(old, "", &base, func(d relink.Document) error {
		require.False(t, d.Changed(), "a second run changes nothing: %s", d.Path)
		return nil
	}))
	there := map[string]bool{}
	for _, file := range files {
		there[file] = true
		data, err := os.ReadFile(filepath.Join(old, file))
		require.NoError(t, err)
		to := filepath.Join(www, newPlace(file))
		if strings.HasSuffix(file, ".html") {
			to = filepath.Join(www, ".site", newPlace(file), "page.html")
		}
		write(t, to, string(data))
	}

	program, found, err := compile.Plan(p)
	require.NoError(t, err)
	require.Empty(t, found)
	s := target{nginx.Target{}, startNginx}.with(t, program, server.Options{}, dir)
	status := map[string]int{}
	total, broken := 0, 0
	for _, file := range files {
		if !strings.HasSuffix(file, ".html") {
			continue
		}
		reply, err := s.Ask(ask{method: "GET", url: "https://skerrywick.example" + newPlace(file)})
		require.NoError(t, err)
		require.Equal(t, 200, reply.Status, file)
		links := linksOf(t, filepath.Join(www, ".site", newPlace(file), "page.html"))
		require.Len(t, links, len(linksBefore[file]), file)
		for i, link := range links {
			at, ok := resolved("https://skerrywick.example"+newPlace(file), link)
			if !ok {
				assert.Equal(t, linksBefore[file][i], link, "no link to the site")
				continue
			}
			if _, asked := status[at]; !asked {
				reply, err := s.Ask(ask{method: "GET", url: at})
				require.NoError(t, err)
				status[at] = reply.Status
			}
			total++
			if status[at] == 200 {
				continue
			}
			before, ok := resolved("https://skerrywick.example/docs/"+file, linksBefore[file][i])
			require.True(t, ok)
			was, _ := strings.CutPrefix(strings.TrimPrefix(before, "https://skerrywick.example"), "/docs/")
			was, err := url.PathUnescape(strings.SplitN(was, "?", 2)[0])
			require.NoError(t, err)
			if there[was] {
				t.Errorf("%s: %s became %s, which says %d", file, linksBefore[file][i], link, status[at])
			}
			if assert.NotContains(t, []int{301, 308}, status[at], "%s: %s became %s", file, linksBefore[file][i], link) {
				broken++
			}
		}
	}
	t.Logf("%d links to %d addresses, of which none is redirected; %d are broken, and were before", total, len(status), broken)
	require.Greater(t, total, 50_000)
	for _, restored := range undo(t, filepath.Join(dir, relink.JournalFile)) {
		require.Empty(t, restored.Problem)
	}
	for _, file := range files {
		want, err := os.ReadFile(filepath.Join(from, file))
		require.NoError(t, err)
		got, err := os.ReadFile(filepath.Join(old, file))
		require.NoError(t, err)
		require.True(t, bytes.Equal(want, got), file)
	}
}

func undo(t *testing.T, journal string) []relink.Restored {
	t.Helper()
	list, err := relink.Undo(journal, time.Now())
	require.NoError(t, err)
	return list
}

// linksOf reads the links of a page by the parser of another.
func linksOf(t *testing.T, file string) (links []string) {
	t.Helper()
	f, err := os.Open(file)
	require.NoError(t, err)
	defer func() { _ = f.Close() }()
	tokens := html.NewTokenizer(f)
	for tokens.Next() != html.ErrorToken {
		token := tokens.Token()
		if token.Type != html.StartTagToken && token.Type != html.SelfClosingTagToken {
			continue
		}
		for _, a := range token.Attr {
			if a.Key == "href" || a.Key == "src" {
				links = append(links, strings.TrimSpace(a.Val))
			}
		}
	}
	return links
}

// resolved returns where a link of a page leads, without its fragment; false unless that is on the site.
func resolved(page, link string) (string, bool) {
	base, err := url.Parse(page)
	if err != nil {
		return "", false
	}
	to, err := base.Parse(link)
	if err != nil || to.Host != base.Host || to.Scheme != base.Scheme {
		return "", false
	}
	to.Fragment = ""
	return fmt.Sprint(to), true
}
