package relink

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
)

// streamed relinks a text with windows of some size.
func streamed(t *testing.T, l *Linker, text string, form Form, size, most int) (string, []Link) {
	t.Helper()
	var out bytes.Buffer
	var links []Link
	s := stream{Linker: l, form: form, at: l.Place(l.plan.Site.Origin), to: &out, lines: counter{line: 1}, window: size,
		most: most, each: func(link Link) { links = append(links, link) }}
	require.NoError(t, s.run(strings.NewReader(text)))
	return out.String(), links
}

func small(t *testing.T) *Linker {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{project.PlanFile: "site: {origin: https://skerrywick.example}\n",
		project.RedirectsFile: "from,to,status\n/harbours,/ports,301\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	return New(p, AsWritten)
}

// Read piece by piece, a text becomes what it becomes as a whole, wherever the pieces end.
func TestStreamIsAsTheWhole(t *testing.T) {
	l := small(t)
	const link = "http://skerrywick.example/harbours"
	for name, test := range map[string]struct {
		form Form
		text string
	}{
		"MariaDB": {SQL, "-- MariaDB dump 'x\n/* it's */ INSERT INTO `a'b` VALUES (1,'it\\'s " + link + "','''',X'41','" + link +
			"'),\n(2,'','a:1:{s:1:\\\"u\\\";s:34:\\\"" + link + "\\\";}');\n# '\nINSERT INTO t VALUES ('" + link + "');\n"},
		"PostgreSQL": {SQL, "-- PostgreSQL database dump\nCOPY public.t (a, b) FROM stdin;\n1\t" + link + "\n2\t<a href=\"/harbours\">\\n\n" +
			"\\.\n\nCOPY b FROM stdin;\n\\.\nSELECT '\\', E'\\'" + link + "\\'', $x$" + link + "$x$, $1, e'';\nCREATE TABLE \"it's\" (a text);\n" +
			"INSERT INTO t VALUES ('" + link + "');"},
		"a text": {Text, "see " + link + ", or\n" + link + "\n\n(" + link + ")"},
		"empty":  {Text, ""},
	} {
		t.Run(name, func(t *testing.T) {
			want, wantLinks := l.Relink([]byte(test.text), test.form, l.Place(l.plan.Site.Origin))
			for size := 1; size <= len(test.text)+3; size++ {
				got, links := streamed(t, l, test.text, test.form, size, 1<<20)
				require.Equal(t, string(want), got, "%d", size)
				require.Equal(t, wantLinks, links, "%d", size)
			}
		})
	}
}

// A literal that is too long is passed through and told, and what comes behind it is read.
func TestStreamPassesLongLiteralsThrough(t *testing.T) {
	l := small(t)
	for _, n := range []int{90, 97, 98, 99, 100, 101, 250, 1000} {
		for _, size := range []int{1, 7, 50, 100} {
			t.Run(fmt.Sprint(n, " ", size), func(t *testing.T) {
				long := strings.Repeat("x", n-4) + `''\'`
				text := "INSERT INTO t VALUES ('" + long + "','http://skerrywick.example/harbours');\n"
				got, links := streamed(t, l, text, SQL, size, 100)
				assert.Equal(t, strings.Replace(text, "http://skerrywick.example/harbours", "https://skerrywick.example/ports", 1),
					got)
				if n > 300 {
					require.Len(t, links, 2)
					assert.Equal(t, Link{Reason: TooLong, Form: SQL, Line: 1, Column: 23}, links[0])
				}
				assert.Equal(t, Redirected, links[len(links)-1].Reason)
			})
		}
	}
}

func TestStreamRefusesOtherForms(t *testing.T) {
	l := small(t)
	err := l.Stream(io.Discard, strings.NewReader("<a>"), HTML, l.Place(l.plan.Site.Origin), nil)
	assert.ErrorContains(t, err, "html can't be read piece by piece")
}
