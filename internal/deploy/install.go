package deploy

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"young-compass/internal/server"
	"young-compass/internal/server/caddy"
	"young-compass/internal/server/haproxy"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/nginx"
)

// The lines around what was installed. The first holds the name of the form
// and a sum of the lines between them.
const (
	beginMark = "# young-compass begins: "
	endMark   = "# young-compass ends"
)

// block is a stretch of lines that was installed.
type block struct {
	begin, end int // lines: the first mark, and the one behind the last mark
	form, sum  string
	text       string // between the marks
}

// EditedError says that an installed block was edited by hand.
type EditedError struct {
	Line int
	Text string // the lines as they are now
}

// Error names the line.
func (e *EditedError) Error() string {
	return fmt.Sprintf("line %d: what was installed here has been edited by hand", e.Line)
}

// split cuts a text into lines that keep their ends.
func split(text string) []string { return slices.Collect(strings.Lines(text)) }

// blocks finds what was installed in a file.
func blocks(lines []string) ([]block, error) {
	var list []block
	for i := 0; i < len(lines); i++ {
		mark, ok := strings.CutPrefix(strings.TrimSpace(lines[i]), beginMark)
		if !ok {
			continue
		}
		form, sum, _ := strings.Cut(mark, " ")
		end := slices.IndexFunc(lines[i:], func(l string) bool { return strings.TrimSpace(l) == endMark })
		if end < 0 {
			return nil, fmt.Errorf("line %d: what was installed here has no end: the line %q is missing", i+1, endMark)
		}
		b := block{begin: i, end: i + end + 1, form: form, sum: sum, text: strings.Join(lines[i+1:i+end], "")}
		list = append(list, b)
		i += end
	}
	return list, nil
}

func sumOf(text string) string {
	sum := sha256.Sum256([]byte(strings.ReplaceAll(text, "\r\n", "\n")))
	return fmt.Sprintf("%x", sum[:8])
}

// Remove takes out what was installed for a form, and leaves every other line
// as it is. The error is of type *EditedError when a person has edited it.
func Remove(text []byte, form string) (rest []byte, removed int, err error) {
	lines := split(string(text))
	list, err := blocks(lines)
	if err != nil {
		return nil, 0, err
	}
	var b strings.Builder
	at := 0
	for _, x := range list {
		if x.form != form {
			continue
		}
		if sumOf(x.text) != x.sum {
			return nil, 0, &EditedError{x.begin + 1, x.text}
		}
		b.WriteString(strings.Join(lines[at:x.begin], ""))
		at = x.end
		removed++
	}
	b.WriteString(strings.Join(lines[at:], ""))
	return []byte(b.String()), removed, nil
}

// insertion is what is to stand in front of a line.
type insertion struct {
	line int // from 0
	text string
}

// Insert puts the pieces of a form into a server's file, from which Remove has
// taken earlier ones: in front of what sends requests to a script, or at the
// beginning of each block that answers for one of the hosts. The folder is the
// one in which the other pieces lie.
func Insert(text []byte, form string, files []server.File, folder string, hosts []string) ([]byte, error) {
	if bytes.HasPrefix(text, []byte("\xef\xbb\xbf")) {
		return nil, errors.New("the file begins with a byte order mark, which its server doesn't read; save it without")
	}
	piece := func(name string) string {
		i := slices.IndexFunc(files, func(f server.File) bool { return f.Name == name })
		return string(files[i].Data)
	}
	lines := split(string(text))
	var list []insertion
	var err error
	switch form {
	case "htaccess":
		list = []insertion{{0, piece(httpd.FolderFile)}}
	case "apache":
		list, err = hostSections(lines, hosts, "Include "+filepath.Join(folder, httpd.HostFile)+"\n")
	case "nginx":
		list, err = nginxServers(lines, hosts, folder)
	case "caddy":
		list, err = routes(lines, hosts, "import "+filepath.Join(folder, caddy.RouteFile)+"\n")
	case "haproxy":
		list, err = frontends(lines, piece(haproxy.FrontendFile))
	}
	if err != nil {
		return nil, err
	}
	ending := "\n"
	if bytes.Contains(text, []byte("\r\n")) {
		ending = "\r\n"
	}
	var b strings.Builder
	at := 0
	for _, x := range list {
		b.WriteString(strings.Join(lines[at:x.line], ""))
		if s := b.String(); s != "" && !strings.HasSuffix(s, "\n") {
			return nil, errors.New("the last line has no end; end it with a line break first")
		}
		marked := beginMark + form + " " + sumOf(x.text) + "\n" + x.text + endMark + "\n"
		b.WriteString(strings.ReplaceAll(marked, "\n", ending))
		at = x.line
	}
	b.WriteString(strings.Join(lines[at:], ""))
	return []byte(b.String()), nil
}

// Pieces returns the files that lie beside the server's own one.
func Pieces(form string, files []server.File) []server.File {
	return slices.DeleteFunc(slices.Clone(files), func(f server.File) bool {
		switch f.Name {
		case httpd.FolderFile, nginx.ExampleFile, caddy.ExampleFile, haproxy.ExampleFile, httpd.ExampleFile, haproxy.FrontendFile:
			return true
		}
		return false
	})
}

// FolderFor returns the folder for the pieces that a server's file includes: one
// of their own, beside the folder whose files the server reads all.
func FolderFor(path string) string {
	folder := filepath.Dir(path)
	if base := filepath.Base(folder); strings.HasSuffix(base, "-enabled") || strings.HasSuffix(base, "-available") || strings.HasSuffix(base, ".d") {
		folder = filepath.Dir(folder)
	}
	return filepath.Join(folder, "young-compass")
}

// words are a line's words. Braces and semicolons stand alone unless they are
// quoted or belong to a ${variable}; what is behind # is a comment.
func words(line string) []string {
	var list []string
	var word strings.Builder
	flush := func() {
		if word.Len() > 0 {
			list = append(list, word.String())
			word.Reset()
		}
	}
	quote := byte(0)
	for i := 0; i < len(line); i++ {
		c := line[i]
		switch {
		case c == '\\' && i+1 < len(line):
			word.WriteString(line[i : i+2])
			i++
		case quote != 0:
			if c == quote {
				quote = 0
			} else {
				word.WriteByte(c)
			}
		case c == '"' || c == '\'' || c == '`':
			quote = c
		case c == '#' && word.Len() == 0:
			return list
		case c == '{' && i > 0 && line[i-1] == '$':
			end := strings.IndexByte(line[i:], '}')
			if end < 0 {
				end = len(line) - i - 1
			}
			word.WriteString(line[i : i+end+1])
			i += end
		case c == '{' || c == '}' || c == ';':
			flush()
			list = append(list, string(c))
		case c == ' ' || c == '\t' || c == '\r' || c == '\n':
			flush()
		default:
			word.WriteByte(c)
		}
	}
	flush()
	return list
}

// names reports whether any of the words is one of the hosts, with or without a
// scheme and port.
func names(words, hosts []string) bool {
	return slices.ContainsFunc(words, func(w string) bool {
		w = strings.TrimSuffix(strings.TrimPrefix(strings.TrimPrefix(strings.ToLower(w), "https://"), "http://"), ",")
		host, _, _ := strings.Cut(w, ":")
		return slices.Contains(hosts, host)
	})
}

var errNoHost = errors.New("no block of the file answers for one of the site's hosts; name the file that does")

// nginxServers finds the server blocks for the hosts.
func nginxServers(lines, hosts []string, folder string) ([]insertion, error) {
	within := "include " + filepath.Join(folder, nginx.ServerFile) + ";\n"
	before := insertion{0, "include " + filepath.Join(folder, nginx.HTTPFile) + ";\n"}
	var list []insertion
	depth, open, openDepth, ours := 0, -1, 0, false
	inNames := false
	for i, line := range lines {
		w := words(line)
		for j, word := range w {
			switch {
			case word == "{":
				depth++
				if j > 0 && w[j-1] == "http" {
					before.line = i + 1
				}
				if j > 0 && w[j-1] == "server" {
					if j != len(w)-1 {
						return nil, fmt.Errorf("line %d: write the server's { as the last word of its line", i+1)
					}
					open, openDepth, ours = i+1, depth, false
				}
			case word == "}":
				if depth == openDepth && open >= 0 {
					if ours {
						list = append(list, insertion{open, within})
					}
					open = -1
				}
				depth--
			case word == "server_name":
				inNames = true
			case word == ";":
				inNames = false
			case inNames && open >= 0:
				ours = ours || names([]string{word}, hosts)
			}
		}
	}
	if len(list) == 0 {
		return nil, errNoHost
	}
	return append([]insertion{before}, list...), nil
}

var virtualHost = regexp.MustCompile(`(?i)^\s*<VirtualHost\b[^>]*>\s*$`)

// hostSections finds httpd's virtual hosts.
func hostSections(lines, hosts []string, text string) ([]insertion, error) {
	var list []insertion
	open, ours := -1, false
	for i, line := range lines {
		w := words(line)
		switch {
		case virtualHost.MatchString(line):
			open, ours = i+1, false
		case strings.EqualFold(strings.TrimSpace(line), "</VirtualHost>"):
			if open >= 0 && ours {
				list = append(list, insertion{open, text})
			}
			open = -1
		case len(w) > 1 && (strings.EqualFold(w[0], "ServerName") || strings.EqualFold(w[0], "ServerAlias")):
			ours = ours || names(w[1:], hosts)
		}
	}
	if len(list) == 0 {
		return nil, errNoHost
	}
	return list, nil
}

// routes finds the route blocks of a Caddyfile's sites. Without one there is no
// place where the lines would surely come first.
func routes(lines, hosts []string, text string) ([]insertion, error) {
	var list []insertion
	depth, ours := 0, false
	for i, line := range lines {
		w := words(line)
		if depth == 0 && slices.Contains(w, "{") {
			ours = names(w, hosts)
		}
		if depth == 1 && ours && slices.Equal(w, []string{"route", "{"}) {
			list = append(list, insertion{i + 1, text})
		}
		for _, word := range w {
			switch word {
			case "{":
				depth++
			case "}":
				depth--
			}
		}
	}
	if len(list) == 0 {
		return nil, errors.New("no site of the file that answers for one of the site's hosts has a route block; put its directives into one: route { ... }")
	}
	return list, nil
}

// frontends finds HAProxy's frontends. A comment says so where only some are
// the site's.
func frontends(lines []string, text string) ([]insertion, error) {
	var list []insertion
	for i, line := range lines {
		if w := words(line); len(w) > 1 && w[0] == "frontend" {
			list = append(list, insertion{i + 1, text})
		}
	}
	if len(list) == 0 {
		return nil, errors.New("the file has no frontend; name the one that does")
	}
	if len(list) > 1 {
		return nil, errors.New("the file has several frontends; put the lines into the site's own by hand")
	}
	return list, nil
}
