package markup_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"golang.org/x/net/html"

	"young-compass/internal/markup"
)

// scanned writes the tags of a text, and their attributes, one a line.
func scanned(s string) (list []string) {
	data := []byte(s)
	scan := markup.New(data)
	for {
		switch t := scan.Next(); t.Kind {
		case markup.End:
			return list
		case markup.EndTag:
			list = append(list, "/"+string(t.Name))
		case markup.StartTag:
			line := string(t.Name)
			met := map[string]bool{} // the first of a name counts; the scanner tells of all
			for _, a := range scan.Attributes() {
				if met[string(a.Name)] {
					continue
				}
				met[string(a.Name)] = true
				line += fmt.Sprintf(" %s=%q", a.Name, markup.Unescaped(data[a.From:a.To]))
			}
			list = append(list, line)
		}
	}
}

// tokenized does the same with another's tokenizer.
func tokenized(s string) (list []string) {
	t := html.NewTokenizer(strings.NewReader(s))
	for {
		switch t.Next() {
		case html.ErrorToken:
			return list
		case html.EndTagToken:
			name, _ := t.TagName()
			list = append(list, "/"+string(name))
		case html.StartTagToken, html.SelfClosingTagToken:
			name, more := t.TagName()
			line := string(name)
			for more {
				var key, value []byte
				key, value, more = t.TagAttr()
				if len(key) > 0 {
					line += fmt.Sprintf(" %s=%q", key, value)
				}
			}
			list = append(list, line)
		}
	}
}

// Any soup of markup is taken apart as another's tokenizer does.
func TestScannerAgrees(t *testing.T) {
	pieces := []string{"<p>", "<P CLASS=x>", "</p >", "<a href='/x>y'>", `<a href="/q?a=1&amp;b=2" rel = nofollow>`,
		"<br/>", "<img src=a/b>", "text & more", "&lt;p&gt;", "<", "< p>", "</", "</>", "</ p>", "<!-- <p> -->",
		"<!-->", "<!--->", "<!-- a --!>", "<!--x", "-->", "--!>", "<!-- a - b -- c --->",
		"<!doctype html>", "<?php x ?>", "<title>a<b></title>", "<script>if (a<b) '</p>'</script>",
		"<style>p>a{}</style>", "<textarea><p></TEXTAREA >", "<a =b c>", "<a b=c=d e>", "<a/b/c=d>", "é", "\n",
		"<input disabled value=>", "<a href=>x", "<1>", "<a\tb\n=\f'c'>"}
	random := rand.New(rand.NewPCG(9, 2026))
	for range 20_000 {
		var b strings.Builder
		for range 1 + random.IntN(8) {
			b.WriteString(pieces[random.IntN(len(pieces))])
		}
		assert.Equal(t, tokenized(b.String()), scanned(b.String()), "%q", b.String())
		if t.Failed() {
			return
		}
	}
}
