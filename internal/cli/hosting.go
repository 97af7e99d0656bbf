package cli

import (
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"young-compass/docs"
	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/coverage"
	"young-compass/internal/deploy"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/server"
	"young-compass/internal/term"
)

// pack writes an archive of what is to be uploaded; whole is the per-folder file with the lines in it, if that is
// known.
func (a *app) pack(e emitting, g *compile.Program, files []server.File, whole []byte, r report) error {
	data, err := deploy.Archive(e.target, files, g.Plan.Site.Origin.Host, whole, docs.RentedHosting())
	if err != nil {
		return unfinished{err}
	}
	if err := a.write(e.zip, data); err != nil {
		return err
	}
	if whole == nil {
		a.say("put the lines of %s in front of all others of the host's .htaccess; %s says the rest", deploy.LinesFile, deploy.ReadFirst)
	}
	r.rows = append(r.rows, []string{e.zip, fmt.Sprint(len(data))})
	r.items = []map[string]any{{"file": e.zip, "bytes": len(data)}}
	return a.print(r)
}

// realFiles says what becomes of the real files of the site, where they can be seen: in the folder that --root names,
// or in that of a per-folder file.
func (a *app) realFiles(e emitting, p *plan.Plan) ([]finding.Finding, error) {
	root := e.root
	if root == "" && e.install != "" && deploy.PerFolder(e.target) {
		root = filepath.Dir(e.install)
	}
	if root == "" {
		return nil, nil
	}
	files, err := a.filesOf(root)
	if err != nil {
		return nil, err
	}
	if len(files) < 2 && e.root == "" {
		a.say("no other files lie beside %s; --root LIST looks at a list of the host's files", e.install)
	}
	guard := e.options.Guard
	found, err := coverage.Files(p, files, guard == server.GuardHost || guard == server.GuardNone)
	if err != nil || e.install != "" { // the installation tells of per-folder files itself
		return found, err
	}
	return append(found, deploy.Below(e.target, files, root)...), nil
}

// filesOf returns the files below a folder, or those that a file lists.
func (a *app) filesOf(root string) (files []string, err error) {
	info, err := os.Stat(root)
	if err != nil || !info.IsDir() {
		f, err := a.open(root)
		if err != nil {
			return nil, err
		}
		defer func() { _ = f.Close() }()
		if files, err = coverage.ReadFiles(f); err != nil {
			return nil, finding.Unreadable(finding.Place{File: root}, err.Error(), "name the document root, or a list of its files")
		}
		return files, nil
	}
	err = filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || !entry.Type().IsRegular() {
			return nil // what can't be read isn't sent either
		}
		if files = append(files, "/"+filepath.ToSlash(strings.TrimPrefix(path[len(root):], "/"))); len(files) > coverage.MaxFiles {
			return finding.Unreadable(finding.Place{File: root}, fmt.Sprintf("it holds more than %d files", coverage.MaxFiles),
				"name a smaller folder")
		}
		return nil
	})
	return files, err
}

// withExisting adds to a report what the server's file does already.
func withExisting(r report, list []deploy.Existing) report {
	if len(list) == 0 {
		return r
	}
	r.more = map[string]any{"existing": list}
	r.text = func(w io.Writer, style term.Style) error {
		var rows [][]string
		for _, x := range list {
			met := ""
			if x.Met > 0 {
				met = fmt.Sprint(x.Met)
			}
			rows = append(rows, []string{fmt.Sprint(x.Line), address.Printable(beginning(x.Text)), x.Does, met, x.Beside})
		}
		columns := []string{"line", "in the file already", "what it does", "addresses", "beside the plan"}
		if err := term.Table(w, style, columns, rows); err != nil {
			return err
		}
		_, err := fmt.Fprintln(w)
		return err
	}
	return r
}

// beginning returns the beginning of a rule, for a table.
func beginning(text string) string {
	const most = 60
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most-1]) + "…"
	}
	return text
}
