//go:build linux

package server_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/folderfile"
)

var ruleFiles = flag.Int("rule-files", 60, "how many random per-folder files httpd is asked about")

// randomRules writes a per-folder file as people write them.
func randomRules(random *rand.Rand) string {
	pick := func(list ...string) string { return list[random.IntN(len(list))] }
	word := func() string { return pick("a", "b", "old", "new", "shop", "page") }
	expression := func() string {
		return pick("^"+word()+`\.html$`, "^"+word()+"/(.*)$", "^(.*)$", word(), "^"+word()+"/?$", "^("+word()+"|"+word()+")/([^/]+)$",
			"^"+word()+`/([0-9]+)$`, "^"+strings.ToUpper(word())+"$", "!^"+word(), "^/?"+word()+"$", ".", "^$", `(?i)^`+word()+"$")
	}
	target := func() string {
		return pick("/"+word(), "/"+word()+"/$1", "/"+word()+"?x=$1", "/"+word()+"?", "https://www.skerrywick.example/$1", "-", "/index.txt",
			"http://%{HTTP_HOST}/"+word(), "https://%{HTTP_HOST}%{REQUEST_URI}", "/"+word()+".html", "/%1", `/a\$1`)
	}
	flags := func() string {
		return pick("[R=301,L]", "[R,L]", "[R=308,QSA,L]", "[R=permanent,QSD,L]", "[L]", "[END]", "[L,QSA]", "[NC,R=301,L]", "[G]", "[F]", "[S=1]",
			"[C]", "[E=seen:$0]", "", "[R=302,NE,L]", "[NC,L]", "[R=301]", "[R=410]")
	}
	condition := func() string {
		return "RewriteCond " + pick(`%{HTTP_HOST} ^www\.`, `%{HTTP_HOST} !^www\. [NC]`, "%{HTTPS} off", "%{HTTPS} !=on", `%{QUERY_STRING} ^id=([0-9]+)$`,
			"%{REQUEST_FILENAME} !-f", "%{REQUEST_FILENAME} !-d", "%{REQUEST_FILENAME} -f [OR]", "%{REQUEST_URI} ^/"+word(),
			`%{THE_REQUEST} \s/`+word(), "%{ENV:REDIRECT_STATUS} ^$", "%{ENV:seen} "+word(), "%{DOCUMENT_ROOT}/$1.html -f",
			"%{REQUEST_METHOD} POST", "$1 ^"+word(), "%{QUERY_STRING} x [OR]", "%{QUERY_STRING} (x)=(.*)", "%{REQUEST_SCHEME} =http") + "\n"
	}
	var b strings.Builder
	if random.IntN(10) > 0 {
		b.WriteString("RewriteEngine On\n")
	}
	if random.IntN(3) == 0 {
		b.WriteString("RewriteBase /\n")
	}
	for range 1 + random.IntN(7) {
		switch random.IntN(5) {
		case 0:
			b.WriteString(pick("Redirect", "Redirect 301", "Redirect permanent", "Redirect 307", "RedirectTemp", "RedirectPermanent") + " /" + word() +
				pick("", ".html", "/", "/"+word()) + " " + pick("/"+word(), "/"+word()+"/", "https://www.skerrywick.example/"+word(), "/"+word()+"?y=1") + "\n")
		case 1:
			b.WriteString(pick("Redirect gone /"+word(), "Redirect 404 /"+word()+".html", "RedirectMatch 410 "+word()+"$") + "\n")
		case 2:
			b.WriteString(pick("RedirectMatch", "RedirectMatch 301") + " " + pick("^/"+word()+"/(.*)$", word()+"$", "^/("+word()+")/([0-9]+)$",
				`\.htm$`) + " " + pick("/"+word()+"/$1", "https://www.skerrywick.example/$1", "/"+word()) + "\n")
		default:
			for random.IntN(5) < 2 {
				b.WriteString(condition())
			}
			b.WriteString(`RewriteRule "` + expression() + `" "` + target() + `" ` + flags() + "\n")
		}
	}
	if random.IntN(6) == 0 {
		return "<IfModule mod_rewrite.c>\n" + b.String() + "</IfModule>\n<IfModule !mod_alias.c>\nRedirect / /never\n</IfModule>\n"
	}
	return b.String()
}

// What is said of a per-folder file's rules is what httpd does with them.
func TestFolderFilesAnswerAsHTTPDSays(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	t.Parallel()
	dir := siteFolder(t, site{})
	root := filepath.Join(dir, "www")
	for name, text := range map[string]string{"index.txt": "front", "a.html": "file a", "shop/index.html": "a folder's", "page": "file page"} {
		write(t, filepath.Join(root, name), text)
	}
	path := filepath.Join(root, ".htaccess")
	write(t, path, "")
	s := startHTTPD(t, dir, "")
	random := rand.New(rand.NewPCG(19, *randomSeed))
	asked, redirects, unsure, broken := 0, 0, 0, 0
	for range *ruleFiles {
		text := randomRules(random)
		write(t, path, text)
		file, err := folderfile.Read(path, []byte(text))
		require.NoError(t, err)
		for range 30 {
			at := "/"
			for i := range random.IntN(4) {
				if i > 0 {
					at += "/"
				}
				at += []string{"a", "b", "old", "new", "shop", "page", "a.html", "old.html", "7", "Old", "x%20y", "index.txt", "b.htm", "OLD"}[random.IntN(14)]
			}
			query := []string{"", "", "id=7", "x=1", "id=7&x=2"}[random.IntN(5)]
			at += []string{"", "", "/"}[random.IntN(3)]
			if query != "" {
				at += "?" + query
			}
			whole := []string{"http", "https"}[random.IntN(2)] + "://" + []string{"", "www."}[random.IntN(2)] + "skerrywick.example" + at
			u, err := url.Parse(whole)
			require.NoError(t, err)
			out := file.Answer(folderfile.Request{Scheme: u.Scheme, Host: u.Host, Path: strings.ReplaceAll(u.Path, "//", "/"), Query: u.RawQuery, Lies: below(root)})
			got, err := s.Ask(ask{method: "GET", url: whole})
			require.NoError(t, err)
			asked++
			if len(out.Unsure) > 0 {
				unsure++
				continue
			}
			if got.Status == 500 || out.Status == 500 {
				broken++
				continue
			}
			is, says := fmt.Sprint(got.Status, " ", testPort.ReplaceAllString(got.Location, "$1")), fmt.Sprint(out.Status, " ", out.Location)
			if out.Status == 0 {
				inside := u.Path
				if out.Inside != "" {
					inside = out.Inside
				}
				is, says = got.Body, "nothing"
				if got.Status != 200 {
					is = "nothing"
				}
				if below(root)(inside) == folderfile.Regular {
					says = readText(t, filepath.Join(root, inside))
				}
				if strings.HasSuffix(inside, "/") {
					continue // what stands behind a file's name is for a script
				}
			} else {
				redirects++
			}
			if !assert.Equal(t, strings.ToLower(says), strings.ToLower(is), "%s\n%s", whole, text) {
				return
			}
		}
	}
	t.Logf("%d asked, %d redirected or refused, %d can't be judged, %d errors of the server", asked, redirects, unsure, broken)
	assert.Less(t, unsure*5, asked)
	assert.Less(t, broken*5, asked)
}

// testPort is one of the test's, behind a host.
var testPort = regexp.MustCompile(`(example):[0-9]+`)

// below tells what lies in a folder.
func below(root string) func(string) folderfile.Kind {
	return func(path string) folderfile.Kind {
		info, err := os.Stat(filepath.Join(root, path))
		switch {
		case err != nil:
			return folderfile.Nothing
		case info.IsDir():
			return folderfile.Folder
		}
		return folderfile.Regular
	}
}
