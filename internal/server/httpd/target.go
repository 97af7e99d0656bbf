package httpd

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"young-compass/internal/folderfile"
	"young-compass/internal/server"
)

// Folder is the per-folder file, for hosting where only that can be edited.
type Folder struct{}

// Host is the server's own configuration.
type Host struct{}

// Name returns "htaccess".
func (Folder) Name() string { return "htaccess" }

// Name returns "apache".
func (Host) Name() string { return "apache" }

// Title says which file it is.
func (Folder) Title() string { return "Apache httpd, its per-folder file" }

// Title says which file it is.
func (Host) Title() string { return "Apache httpd, its own configuration" }

// Checker names httpd's program.
func (Folder) Checker() string { return program }

// Checker names httpd's program.
func (Host) Checker() string { return program }

const program = "apache2"

// Differences returns what httpd answers otherwise.
func (Folder) Differences() []server.Difference { return append(differences(), server.LongSegment()) }

// Differences returns what httpd answers otherwise.
func (Host) Differences() []server.Difference { return differences() }

func differences() []server.Difference {
	return append(server.Everywhere(), server.SlashesFirst(), server.BoundedRuns(), server.RefusedPaths(),
		server.LostAmpersand())
}

// Limits returns what a per-folder file can't do.
func (Folder) Limits() map[server.Feature]string {
	limits := common()
	limits[server.ListedRedirects] = "slow from 300"
	limits[server.DoubleSlashes] = "refused"
	return limits
}

// Limits returns what the configuration can't do.
func (Host) Limits() map[server.Feature]string {
	limits := common()
	limits[server.DoubleSlashes] = "refused up to 30 addresses"
	return limits
}

func common() map[server.Feature]string {
	return map[server.Feature]string{
		server.LongAddresses: "refused above 8 kB", server.DotSegments: "slashes first", server.AboveRoot: "400 or 404",
		server.ManyParameters: "two hops", server.OtherBytes: "as sent", server.InnerAddresses: "a last & is lost",
	}
}

// Insert puts the rules in front of everything.
func (Folder) Insert(into server.Into) ([]server.Insertion, error) {
	return []server.Insertion{{Text: server.Piece(into.Files, FolderFile)}}, nil
}

// Insert puts the include at the beginning of each virtual host of the site.
func (Host) Insert(into server.Into) ([]server.Insertion, error) {
	return hostSections(into, "Include "+filepath.Join(into.Folder, HostFile)+"\n")
}

// Pieces reports that other rules may lie in a folder of their own.
func (Folder) Pieces() bool { return true }

// Visible reports that this folder lies below the document root.
func (Folder) Visible() bool { return true }

// Pieces reports that other files lie beside it.
func (Host) Pieces() bool { return true }

// Beside reports whether a file is the one with the rules apart.
func (Folder) Beside(name string) bool { return name != FolderFile }

// Beside reports whether a file is one that the configuration includes or reads.
func (Host) Beside(name string) bool { return name == HostFile || name == MapFile }

// Check lets httpd read the rules as those of a folder, since its own check doesn't read per-folder files.
func (Folder) Check(c server.Checked) (server.Check, error) {
	if err := os.WriteFile(c.Path, []byte(c.Block), 0o600); err != nil {
		return server.Check{}, err
	}
	check, err := wrapped(c, fmt.Sprintf("<Directory \"%s\">\nInclude \"%s\"\n</Directory>\n", c.Folder, c.Path))
	check.Said = "httpd accepts these rules in a folder; its check doesn't read per-folder files, so look at the " +
		"site once they are there"
	return check, err
}

// Check lets httpd read the file as a part of a configuration.
func (Host) Check(c server.Checked) (server.Check, error) {
	return wrapped(c, fmt.Sprintf("Include \"%s\"\n", c.Path))
}

// Whole reports that httpd can't be asked about a per-folder file: it reads those when visitors come.
func (Folder) Whole(string, string) (server.Whole, bool) { return server.Whole{}, false }

// Whole says how httpd checks its configuration, if it begins with a file of Debian's name.
func (Host) Whole(_, root string) (server.Whole, bool) {
	main := filepath.Join(root, "apache2.conf")
	if _, err := os.Stat(main); err != nil {
		return server.Whole{}, false
	}
	w := server.Whole{Main: main, List: []string{"-t", "-D", "DUMP_INCLUDES", "-f", main}, Check: []string{"-t", "-f",
		main},
		Env: variables(filepath.Join(root, "envvars")), Names: func(line string) (string, bool) {
			_, file, ok := strings.Cut(strings.TrimSpace(line), ") ") // "(146) /etc/apache2/sites-enabled/a.conf"
			return file, ok && strings.HasPrefix(line[strings.IndexByte(line, '('):], "(")
		}}
	return w, true
}

// exported is a line of the file in which Debian keeps what its configuration takes from the environment.
var exported = regexp.MustCompile(`^export (APACHE_[A-Z_]+|LANG)=(.*)$`)

// variables reads that file. Values that a shell would work out are taken as they mostly are: $SUFFIX is empty.
func variables(path string) (list []string) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil
	}
	for _, line := range server.Lines(string(data)) {
		if m := exported.FindStringSubmatch(strings.TrimSpace(line)); m != nil {
			list = append(list, m[1]+"="+strings.Trim(strings.ReplaceAll(m[2], "$SUFFIX", ""), `"'`))
		}
	}
	return list
}

// wrapped writes a whole configuration around what is checked.
func wrapped(c server.Checked, include string) (server.Check, error) {
	var b strings.Builder
	fmt.Fprintf(&b, "ServerRoot \"%s\"\nPidFile \"%s/pid\"\nErrorLog \"%s/error.log\"\nListen "+
		"127.0.0.1:1\nServerName check.example\nMutex posixsem default\n", c.Root, c.Folder, c.Folder)
	for _, module := range []string{"mpm_event", "authz_core", "authz_host", "alias", "rewrite", "headers", "dir",
		"mime", "env", "setenvif", "ssl", "socache_shmcb",
		"proxy", "proxy_http", "proxy_fcgi", "deflate", "filter", "expires", "include"} {
		path := "/usr/lib/apache2/modules/mod_" + module + ".so"
		if _, err := os.Stat(path); err == nil {
			fmt.Fprintf(&b, "LoadModule %s_module %s\n", module, path)
		}
	}
	fmt.Fprintf(&b, "TypesConfig \"%s/mime.types\"\n%s", c.Folder, include)
	wrapper := filepath.Join(c.Folder, "wrapper.conf")
	err := errors.Join(os.WriteFile(filepath.Join(c.Folder, "mime.types"), nil, 0o600),
		os.WriteFile(wrapper, []byte(b.String()), 0o600))
	return server.Check{Args: []string{"-t", "-f", wrapper}}, err
}

// Conversion returns the command that makes the database in which httpd looks addresses up, where the files in a folder
// want one; nil where they don't.
func (Host) Conversion(files []server.File, folder string) []string {
	for _, f := range files {
		if strings.Contains(string(f.Data), DBMFile) {
			return []string{"httxt2dbm", "-f", "SDBM", "-i", filepath.Join(folder, MapFile), "-o",
				filepath.Join(folder, DBMFile)}
		}
	}
	return nil
}

// Script reports that a per-folder file's rules are asked with the site's own.
func (Folder) Script() bool { return false }

// SlashesFolders reports whether real folders lie beside a per-folder file that doesn't keep httpd from adding
// slashes to their addresses.
func (Folder) SlashesFolders(into server.Into, file string) bool {
	for _, line := range logical(into.Text) {
		if w := line.words; len(w) > 1 && strings.EqualFold(w[0], "DirectorySlash") && strings.EqualFold(w[1], "off") {
			return false
		}
	}
	entries, err := os.ReadDir(filepath.Dir(file))
	return err == nil && slices.ContainsFunc(entries, func(e fs.DirEntry) bool {
		return e.IsDir() &&
			e.Name()[0] != '.'
	})
}

// maxBelow bounds the search for per-folder files.
const maxBelow = 20_000

// Below finds the per-folder files below a folder that switch rewriting
// on, and with it the rules of the folders above off.
func (Folder) Below(root string) ([]string, error) {
	var list []string
	seen := 0
	err := filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return fs.SkipDir
		}
		if seen++; seen > maxBelow {
			return fs.SkipAll
		}
		if entry.Name() != ".htaccess" || filepath.Dir(path) == filepath.Clean(root) || !entry.Type().IsRegular() {
			return nil
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return nil
		}
		if folderfile.SwitchesOn(data) {
			list = append(list, path)
		}
		return nil
	})
	return list, err
}
