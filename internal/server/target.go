package server

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"young-compass/internal/compile"
	"young-compass/internal/finding"
)

// Target is a form in which a plan can be written for a web server. Each is whole in a folder below: how it is
// written, what it can't do, where its pieces go, and how the server checks them.
type Target interface {
	// Name is the form's name on the command line, such as "nginx".
	Name() string
	// Title says what it is, such as "Apache httpd, its per-folder file".
	Title() string
	// Emit writes a plan. Findings say what the server can't be told; with an error among them there are no files.
	Emit(g *compile.Program, o Options) ([]File, []finding.Finding)
	// Differences are the requests that the server answers otherwise than the plan.
	Differences() []Difference
	// Limits says in a word or two what the server can't do of a feature; a feature that isn't there is a "yes".
	Limits() map[Feature]string
	// Insert finds where pieces go in a file that the server has already.
	Insert(into Into) ([]Insertion, error)
	// Pieces reports whether anything lies beside the file that pieces are put into.
	Pieces() bool
	// Beside reports whether a file lies in that folder, beside the one that pieces are put into.
	Beside(name string) bool
	// Checker names the server's program.
	Checker() string
	// Check prepares the server's own check of a file, whose text is in c.
	Check(c Checked) (Check, error)
	// Whole says how the server's program is asked about all of its configuration, of which a file is a part; ok is
	// false where it can't be.
	Whole(file, root string) (w Whole, ok bool)
}

// Into is a file that pieces are put into.
type Into struct {
	Text   string
	Files  []File   // that Emit wrote
	Folder string   // where those of them lie that don't go into the text
	Root   string   // with respect to which names in the text are meant
	Hosts  []string // that the plan is for
}

// Insertion is a text that is to stand at a place of a file.
type Insertion struct {
	At   int // in bytes: the beginning of a line, or behind a word
	Text string
}

// Whole is how a server's program is asked about all of its configuration.
type Whole struct {
	Main  string                                   // the file that it begins with
	List  []string                                 // what the program is called with to tell which files it reads; nil: the main one alone
	Names func(line string) (file string, ok bool) // finds a file's name in a line of that
	Check []string                                 // what it is called with to check them
	Env   []string
}

// Checked is a file that is to be checked before it is put in its place.
type Checked struct {
	Text   []byte
	Path   string // where the text lies for the check
	Folder string // a folder for the check alone, in which the other pieces lie
	Root   string // with respect to which names in the text are meant
	Block  string // the lines that were put in, without the marks
}

// Check is how a server's program is asked.
type Check struct {
	Args   []string
	Said   string // when it finds nothing wrong; empty: that the server accepts the file
	Remove string // a file to take away afterwards
}

// ErrNoHost says that a server's file is not for the site.
var ErrNoHost = errors.New("no block of the file answers for one of the site's hosts; name the file that does")

// Piece returns the text of a file by its name.
func Piece(files []File, name string) string {
	i := slices.IndexFunc(files, func(f File) bool { return f.Name == name })
	return string(files[i].Data)
}

// Lines cuts a text into lines that keep their ends.
func Lines(text string) []string { return slices.Collect(strings.Lines(text)) }

// LineStarts returns where each line of a text begins, in bytes, and where it ends.
func LineStarts(lines []string) []int {
	starts := make([]int, len(lines)+1)
	for i, line := range lines {
		starts[i+1] = starts[i] + len(line)
	}
	return starts
}

// maxIncluded bounds the files that are read for names of hosts, and their size in bytes.
const (
	maxIncluded     = 200
	maxIncludedSize = 1 << 20
)

// Included returns the texts of the files that a configuration includes by a pattern, which is meant with respect to a
// folder. Files that can't be read are left out.
func Included(root, pattern string) (texts []string) {
	if !filepath.IsAbs(pattern) {
		pattern = filepath.Join(root, pattern)
	}
	files, err := filepath.Glob(pattern)
	if err != nil {
		return nil
	}
	for _, file := range files[:min(len(files), maxIncluded)] {
		info, err := os.Stat(file)
		if err != nil || !info.Mode().IsRegular() || info.Size() > maxIncludedSize {
			continue
		}
		if data, err := os.ReadFile(file); err == nil {
			texts = append(texts, string(data))
		}
	}
	return texts
}

// Words are the words of a line of configuration. Braces and semicolons stand alone unless they are quoted or belong to
// a ${variable}; what is behind # is a comment.
//
//	server { listen 80; } # here  ->  server  {  listen  80  ;  }
func Words(line string) []string {
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

// NamesHost reports whether any of the words is one of the hosts, with or without a scheme and port.
func NamesHost(words, hosts []string) bool {
	return slices.ContainsFunc(words, func(w string) bool {
		w = strings.TrimSuffix(strings.TrimPrefix(strings.TrimPrefix(strings.ToLower(w), "https://"), "http://"), ",")
		host, _, _ := strings.Cut(w, ":")
		return slices.Contains(hosts, host)
	})
}

// Feature is something that a plan can ask for.
type Feature string

// The features, in the order in which they are shown.
const (
	ListedRedirects Feature = "redirects from listed addresses, with parameters"
	RawBytes        Feature = "addresses with bytes that are no UTF-8"
	Braces          Feature = "targets with {words} or backquotes in their query"
	LongAddresses   Feature = "addresses of more than 4 kB"
	DoubleSlashes   Feature = "parameters whose value holds //"
	PatternFeature  Feature = "redirects by pattern, up to 8 variables"
	GoneFeature     Feature = "gone (410), unknown (404)"
	HostFeature     Feature = "scheme, host, hosts of languages"
	SpellingFeature Feature = "slash, extension, index file, language prefix"
	ListedLetters   Feature = "small letters in listed addresses"
	OtherLetters    Feature = "small letters in all other addresses"
	DotSegments     Feature = "doubled slashes and dot segments"
	AboveRoot       Feature = "paths above the root, %00"
	ManyParameters  Feature = "noise between more than 8 parameters"
	OtherBytes      Feature = "other bytes in addresses nobody listed"
	HeaderFeature   Feature = "response headers"
	InnerAddresses  Feature = "internal addresses, front controller"
	MaintenanceMode Feature = "maintenance (503)"
	ProxyFeature    Feature = "trusted proxies"
	ScopeFeature    Feature = "except: and only:"
	Installing      Feature = "installed into the server's own file"
)

// Features returns all features.
func Features() []Feature {
	return []Feature{ListedRedirects, RawBytes, Braces, LongAddresses, DoubleSlashes, PatternFeature, GoneFeature,
		HostFeature, SpellingFeature, ListedLetters,
		OtherLetters, DotSegments, AboveRoot, ManyParameters, OtherBytes, HeaderFeature, InnerAddresses,
		MaintenanceMode, ProxyFeature, ScopeFeature, Installing}
}
