package coverage

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net/url"
	"path"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
)

// MaxFiles bounds the files of a document root that are looked at.
const MaxFiles = 1_000_000

// ReadFiles reads a list of the files of a document root, one a line, as a host's listing has them.
//
//	./basket.php    /basket.php
//	img/a.png       /img/a.png
//	/admin/         (a folder: left out)
func ReadFiles(r io.Reader) (files []string, err error) {
	lines := bufio.NewScanner(r)
	for n := 1; lines.Scan(); n++ {
		line := strings.TrimSpace(strings.TrimPrefix(lines.Text(), "\ufeff"))
		if line == "" || strings.HasSuffix(line, "/") {
			continue
		}
		if strings.ContainsFunc(line, address.Hidden) {
			return nil, fmt.Errorf("line %d holds characters that nobody sees; write one name of a file a line", n)
		}
		if files = append(files, path.Clean("/"+line)); len(files) > MaxFiles {
			return nil, fmt.Errorf("it lists more than %d files; list a smaller folder", MaxFiles)
		}
	}
	if errors.Is(lines.Err(), bufio.ErrTooLong) {
		return nil, errors.New("a line of more than 64 kB; write one name of a file a line")
	}
	return files, lines.Err()
}

// maxNamed is how many files a finding names.
const maxNamed = 10

// Files says what the plan does to the real files of a document root: scripts that would lose their extension, as if they
// were pages, so that what is sent to them by POST goes elsewhere; and, where the server sends files without asking the
// plan, files under addresses that the plan redirects or says to be gone.
func Files(p *plan.Plan, files []string, unasked bool) ([]finding.Finding, error) {
	var scripts, inWay []string
	answers := p.Answerer()
	for _, file := range files {
		at := p.Site.Origin
		at.Path = (&url.URL{Path: file}).EscapedPath()
		if slices.ContainsFunc(strings.Split(file, "/"), func(s string) bool { return strings.HasPrefix(s, ".") }) ||
			strings.HasPrefix(path.Base(file), "young-compass") && strings.HasSuffix(file, ".php") ||
			p.Front != nil && p.Front.To == file {
			continue
		}
		a, err := answers.Answer(plan.Request{Method: "GET", Address: at})
		if err != nil {
			return nil, fmt.Errorf("answering %s: %w", at, err)
		}
		known := p.EntryAt(at.Host, at.Path, "") != nil
		switch {
		case a.Outcome != plan.Moved && a.Outcome != plan.Gone:
		case address.Script(file) && !known && a.Outcome == plan.Moved && !slices.Contains(p.Paths.Index, path.Base(file)):
			if to, err := address.Parse(a.To); err == nil && to.Path == strings.TrimSuffix(at.Path, path.Ext(at.Path)) {
				scripts = append(scripts, file)
			}
		case unasked:
			inWay = append(inWay, file)
		}
	}
	var found []finding.Finding
	if len(scripts) > 0 {
		slices.Sort(scripts)
		found = append(found, finding.Finding{Code: finding.ScriptMoved, Severity: finding.Warning,
			Where: finding.Place{File: p.File, URL: p.Site.Origin.Base() + scripts[0]},
			What: fmt.Sprintf("%d scripts lie in the document root, and the plan takes their extension away, such as %s's: "+
				"what is sent to them by POST is led elsewhere", len(scripts), scripts[0]),
			Advice:   "list them, if they are called by that name; write under site: " + places(scripts),
			Evidence: scripts[:min(len(scripts), maxNamed)]})
	}
	if len(inWay) > 0 {
		slices.Sort(inWay)
		found = append(found, finding.Finding{Code: finding.FileInWay, Severity: finding.Warning,
			Where: finding.Place{File: p.File, URL: p.Site.Origin.Base() + inWay[0]},
			What: fmt.Sprintf("%d files lie under addresses that the plan redirects or says to be gone, such as %s: with this guard they are sent, "+
				"and the plan isn't asked", len(inWay), inWay[0]),
			Advice: "delete or rename them, or use --guard full", Evidence: inWay[:min(len(inWay), maxNamed)]})
	}
	return found, nil
}

// places writes places of the plan for files: a folder where more than two lie in it, else each file.
//
//	files: [/basket.php, /admin/]
func places(files []string) string {
	var list []string
	folders := map[string]int{}
	for _, file := range files {
		folders[folder(file)]++
	}
	for _, file := range files {
		place := file
		if f := folder(file); f != "/" && folders[f] > 2 {
			place = f
		}
		if !slices.Contains(list, place) {
			list = append(list, place)
		}
	}
	if more := len(list) - maxNamed; more > 0 {
		return fmt.Sprintf("files: [%s], and %d more", strings.Join(list[:maxNamed], ", "), more)
	}
	return "files: [" + strings.Join(list, ", ") + "]"
}

// folder returns the first folder of a file's path.
func folder(file string) string {
	first, _, deeper := strings.Cut(file[1:], "/")
	if !deeper {
		return "/"
	}
	return "/" + first + "/"
}
