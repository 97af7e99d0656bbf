package folderfile_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/folderfile"
)

func read(t *testing.T, text string) *folderfile.File {
	t.Helper()
	f, err := folderfile.Read(".htaccess", []byte(text))
	require.NoError(t, err)
	return f
}

func TestRows(t *testing.T) {
	for text, want := range map[string]string{
		"Redirect 301 /old.html /routes":                                                               "/old.html /routes 301",
		"Redirect /old.html /routes":                                                                   "/old.html /routes 302",
		"redirectpermanent /old.html \"/a b\"":                                                         "/old.html /a b 301",
		"RedirectTemp /old /new":                                                                       "/old /new 302; /old{/rest*} /new{/rest*} 302",
		"Redirect seeother /old/ /new/":                                                                "/old/ /new/ 303; /old{/rest*} /new{/rest*} 303",
		"Redirect gone /old.html":                                                                      "/old.html  410",
		"Redirect gone /old":                                                                           "/old  410; 1 what is below",
		"Redirect 404 /old.html":                                                                       "",
		`RedirectMatch 301 ^/old\.html$ /routes`:                                                       "/old.html /routes 301",
		`RedirectMatch 301 ^/n/([0-9]{4})$ /m/$1`:                                                      "/n/{v1} /m/{v1} 301 v1=[0-9]{4}",
		`RedirectMatch 301 old /routes`:                                                                "1 it is found anywhere",
		`RedirectMatch 301 ^/old /routes`:                                                              "1 it takes all that begins so",
		`RedirectMatch 301 ^/a/(.*)$ /b/$1`:                                                            "1 (.*) reads more than a template does",
		`RewriteRule ^old\.html$ /routes [R=301,L]`:                                                    "1 rewriting is off",
		on(`RewriteRule ^old\.html$ /routes [R=301]`):                                                  "/old.html /routes 301",
		on(`RewriteRule ^/?old\.html$ /routes [R]`):                                                    "/old.html /routes 302",
		on(`RewriteRule ^old/?$ /new [R=301,L]`):                                                       "/old /new 301; /old/ /new 301",
		on(`RewriteRule ^old$ /new? [R=301,L]`):                                                        "/old /new 301 drop",
		on(`RewriteRule ^old$ /new [R=301,QSD]`):                                                       "/old /new 301 drop",
		on(`RewriteRule ^old$ /new?a=1 [R=301]`):                                                       "/old /new?a=1 301 drop",
		on(`RewriteRule ^old$ /new?a=1 [R=301,QSA]`):                                                   "/old /new?a=1 301",
		on(`RewriteRule ^(\d+)-(\w+)$ /$2 [R=301]`):                                                    "/{v1}-{v2} /{v2} 301 v1=[0-9]+ v2=[A-Za-z0-9_]+",
		on("RewriteRule ^old$ - [G]"):                                                                  "/old  410",
		on("RewriteRule ^Old$ /new [R=301,NC]"):                                                        "2 letters don't count",
		on("RewriteRule ^(.*)$ https://skerrywick.example/$1 [R=301]"):                                 "2 it is for every address",
		on("RewriteRule ^old$ /index.php [L]"):                                                         "",
		on("RewriteRule !^old$ /new [R]"):                                                              "2 it is for all addresses but",
		on("RewriteRule ^a$ - [C]\nRewriteRule ^b$ /c [R]"):                                            "3 it belongs together",
		on("RewriteCond %{HTTP_HOST} ^www\nRewriteRule ^b$ /c [R]"):                                    "3 it has conditions",
		on(`RewriteCond %{QUERY_STRING} ^id=7$` + "\n" + `RewriteRule ^page\.php$ /p? [R=301]`):        "/page.php?id=7 /p 301 drop",
		on(`RewriteCond %{QUERY_STRING} ^id=7$` + "\n" + `RewriteRule ^page\.php$ /p [R=301]`):         "/page.php?id=7 /p?id=7 301",
		on(`RewriteCond %{QUERY_STRING} ^id=([0-9]+)$` + "\n" + `RewriteRule ^x$ /p/%1? [R=301]`):      "/x?id={q1} /p/{q1} 301 drop q1=[0-9]+",
		on(`RewriteCond %{QUERY_STRING} (^|&)id=(\d+)(&|$)` + "\n" + `RewriteRule ^x$ /p/%2? [R=301]`): "/x?id={q2} /p/{q2} 301 drop q2=[0-9]+",
		on(`RewriteCond %{QUERY_STRING} id=7` + "\n" + `RewriteRule ^x$ /p? [R=301]`):                  "3 its condition is more than one parameter",
		on(`RewriteRule ^old$ /new/%{REMOTE_ADDR} [R]`):                                                "2 its target holds a variable",
		on(`RewriteRule ^old$ new [R]`):                                                                "2 its target is relative",
		on(`RewriteRule ^(a|b)$ /new [R]`):                                                             "2 (a|b) is no class",
		on(`RewriteRule ^ab?$ /new [R]`):                                                               "2 it is more than letters",
		on(`RewriteRule ^(?=a)b$ /new [R]`):                                                            "2 an expression that needs looking",
		"<Files x>\nRedirect 301 /old.html /new\n</Files>":                                             "2 <Files x>",
		"<IfModule mod_alias.c>\nRedirect 301 /a.html \\\n  /new\n</IfModule>":                         "/a.html /new 301",
		"<IfModule !mod_alias.c>\nRedirect 301 /a.html /new\n</IfModule>":                              "",
	} {
		rows, unread := read(t, text).Rows(folderfile.Habits{})
		var list []string
		for _, r := range rows {
			drop := map[bool]string{true: " drop"}[r.Drop]
			list = append(list, strings.TrimSpace(fmt.Sprint(r.From, " ", r.To, " ", r.Status)+drop+" "+r.Class))
		}
		for _, u := range unread {
			list = append(list, fmt.Sprint(u.Line, " ", u.Why))
		}
		got := strings.Join(list, "; ")
		if want == "" || !strings.HasPrefix(got, want) || len(unread) == 0 && got != want {
			assert.Equal(t, want, got, text)
		}
	}
	rows, unread := read(t, on("RewriteRule ^Old/?$ /new [R=301,NC]")).Rows(folderfile.Habits{Letters: true, Slash: true})
	assert.Empty(t, unread)
	assert.Len(t, rows, 1)
}

func on(rules string) string { return "RewriteEngine On\n" + rules }

func TestReadRefuses(t *testing.T) {
	for text, want := range map[string]string{"\xff\xfeR\x00": "UTF-16", "\xef\xbb\xbfRedirect": "byte order mark", "Redirect\x00": "UTF-16",
		strings.Repeat("#", folderfile.MaxSize+1): "longer than", strings.Repeat("Redirect /a /b\n", 50_001): "more than 50000 rules"} {
		_, err := folderfile.Read("x", []byte(text))
		assert.ErrorContains(t, err, want)
	}
}

func TestMatches(t *testing.T) {
	for text, want := range map[string]bool{"# x\n\nRewriteEngine On\n": true, "<IfModule mod_rewrite.c>\n": true, "redirect 301 /a /b": true,
		"from,to\n/a,/b\n": false, "Redirect,to\n": false, "https://skerrywick.example/": false, "": false, "<html>": false,
		"User-agent: *\n": false, "ErrorDocument 404 /x": true, "Options -Indexes": true} {
		assert.Equal(t, want, folderfile.Matches([]byte(text)), text)
	}
}

// What can't be known makes a rule uncertain, never true.
func TestUncertain(t *testing.T) {
	for _, condition := range []string{"%{TIME_HOUR} >22", "expr \"%{REMOTE_ADDR} -ipmatch '192.0.2.0/24'\"", "%{LA-U:REMOTE_USER} x", "%{REMOTE_ADDR} ^192",
		"%{HTTP_HOST} ^(?!www)", "/etc/passwd -f", "%{QUERY_STRING} -eq 7"} {
		f := read(t, on("RewriteCond "+condition+"\nRewriteRule ^a$ /b [R=301,L]"))
		out := f.Answer(folderfile.Request{Scheme: "https", Host: "skerrywick.example", Path: "/a"})
		assert.Zero(t, out.Status, condition)
		assert.Len(t, out.Unsure, 1, condition)
		assert.Empty(t, f.Answer(folderfile.Request{Path: "/other"}).Unsure, condition)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("RewriteEngine On\nRewriteCond %{QUERY_STRING} ^id=([0-9]+)$\nRewriteRule ^x$ /p/%1? [R=301]\nRedirect /a /b", "/a/b?x")
	f.Add("RedirectMatch ^/(.*)$ /$1$9%{X}\nRewriteRule", "//")
	f.Fuzz(func(t *testing.T, text, path string) {
		file, err := folderfile.Read("x", []byte(text))
		if err != nil {
			return
		}
		file.Rows(folderfile.Habits{})
		file.Answer(folderfile.Request{Scheme: "https", Host: "skerrywick.example", Path: "/" + path})
	})
}
