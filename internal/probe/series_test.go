package probe_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
)

// Pages of a list name their neighbours, which name them in return, and themselves as canonical.
func TestSeries(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for about, c := range map[string]struct {
		heads map[string]string // by the number of the page: what stands in its head
		want  []string
	}{
		"as it should be": {map[string]string{"1": `next 2`, "2": `prev 1 next 3`, "3": `prev 2`}, nil},
		"without return": {map[string]string{"1": `next 2`, "2": `next 3`, "3": `prev 2`},
			[]string{"/list?page=1: it names /list?page=2 as its next page, which names no previous one"}},
		"another in return": {map[string]string{"1": `next 2`, "2": `prev 3 next 3`, "3": `prev 2 next 2`}, []string{
			"/list?page=1: it names /list?page=2 as its next page, which names /list?page=3 as its previous one"}},
		"to what isn't there": {map[string]string{"1": `next 4`}, []string{
			"/list?page=1: it names /list?page=4 as its next page, which answers 404"}},
		"to what redirects": {map[string]string{"1": `next 9`}, []string{
			"/list?page=1: it names /list?page=9 as its next page, which redirects"}},
	} {
		handler := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			number := r.URL.Query().Get("page")
			head, ok := c.heads[number]
			switch {
			case number == "9":
				w.Header()["Location"] = []string{"https://skerrywick.example/list?page=1"}
				w.WriteHeader(301)
				return
			case r.URL.Path != "/" && !ok:
				w.WriteHeader(404)
				return
			}
			w.Header().Set("Content-Type", "text/html")
			_, _ = fmt.Fprintf(w, "<link rel=canonical href='https://skerrywick.example%s'>", r.URL.RequestURI())
			words := strings.Fields(head)
			for i := 0; i+1 < len(words); i += 2 {
				_, _ = fmt.Fprintf(w, "<link rel=%s href='/list?page=%s'>", words[i], words[i+1])
			}
			for n := range c.heads {
				_, _ = fmt.Fprintf(w, "<a href='/list?page=%s'>%s</a>", n, n)
			}
			_, _ = fmt.Fprintf(w, "<a href='/list?page=4'>4</a><a href='/list?page=9'>9</a><p>page %s of its own words</p>", number)
		})
		_, found := demotest.Survey(t, p, handler)
		var got []string
		for _, f := range found {
			if f.Code == finding.SeriesBroken {
				got = append(got, strings.TrimPrefix(f.Where.URL, "https://skerrywick.example")+": "+f.What)
			}
		}
		assert.Equal(t, c.want, got, about)
	}
}
