package probe_test

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/probe"
	"young-compass/internal/publish"
	"young-compass/internal/sitefile"
)

// without is a site whose page at an address lacks one line of its head, and whose other files may be replaced.
type without struct {
	http.Handler
	address string
	line    string
	files   map[string][]byte // by path
}

func (w without) ServeHTTP(out http.ResponseWriter, r *http.Request) {
	if data, ok := w.files[r.URL.Path]; ok && r.Host == "skerrywick.example" {
		_, _ = out.Write(data)
		return
	}
	if "https://"+r.Host+r.URL.RequestURI() != w.address {
		w.Handler.ServeHTTP(out, r)
		return
	}
	recorder := httptest.NewRecorder()
	w.Handler.ServeHTTP(recorder, r)
	for name, values := range recorder.Header() {
		out.Header()[name] = values
	}
	_, _ = out.Write(bytes.Replace(recorder.Body.Bytes(), []byte(w.line+"\n"), nil, 1))
}

// spoken returns the codes and places of findings about heads and languages.
func spoken(found []finding.Finding) (list []string) {
	for _, f := range found {
		if strings.Contains(string(f.Code), "canonical") || strings.Contains(string(f.Code), "alternate") ||
			strings.Contains(string(f.Code), "language") {
			list = append(list, string(f.Code)+" "+f.Where.URL)
		}
	}
	return list
}

// A site whose pages have the heads that the plan makes has no finding about them; with one line taken out it has one,
// about that line.
func TestHeadsAgree(t *testing.T) {
	if testing.Short() {
		t.Skip("too long with the race detector; test.sh runs it without")
	}
	p := demotest.Accepted(t, t.TempDir())
	pages, left := publish.Pages(p)
	require.Empty(t, left)
	site := demo.NewSite(p)
	_, found := demotest.Survey(t, p, site)
	require.Empty(t, spoken(found))
	tried := 0
	for i := range pages {
		page := &pages[i]
		switch ref := page.Ref.String(); {
		case ref == "port-kvitsund@de", ref == "notice-dogs@en":
		case !testing.Short() && (page.Key == "port-kvitsund" || page.Key == "home" || ref == "guide-islands@de"):
		default:
			continue
		}
		for line := range strings.Lines(page.HTML()) {
			line = strings.TrimSuffix(line, "\n")
			_, found := demotest.Survey(t, p, without{Handler: site, address: page.Address.String(), line: line})
			got := spoken(found)
			tried++
			if !assert.Len(t, got, 1, "%s without %s: %v", page.Ref, line, got) {
				continue
			}
			code, at, _ := strings.Cut(got[0], " ")
			switch {
			case strings.Contains(line, `rel="canonical"`):
				assert.Equal(t, finding.NoCanonical, finding.Code(code), line)
				assert.Equal(t, page.Address.String(), at)
			case code == string(finding.AlternateWithoutReturn): // told where the return is missed
				assert.Contains(t, line, at)
			default:
				assert.Contains(t, []finding.Code{finding.AlternateMissing, finding.AlternateWithoutSelf}, finding.Code(code), line)
				assert.Equal(t, page.Address.String(), at)
			}
		}
	}
	assert.Greater(t, tried, 5)
}

// What emit writes is found right on the site, and what differs from it is told.
func TestFilesAgree(t *testing.T) {
	if testing.Short() {
		t.Skip("too long with the race detector; test.sh runs it without")
	}
	p := demotest.Accepted(t, t.TempDir())
	p.Blocked = []string{"/search"}
	for i := range p.Pages.Pages {
		p.Pages.Pages[i].Set("modified", "2026-05-01")
	}
	pages, _ := publish.Pages(p)
	files := map[string][]byte{}
	list, left, err := publish.Sitemaps(p, pages, publish.SitemapOptions{Max: 50, By: publish.ByKind, Gzip: true},
		func(name string, data []byte) error {
			files["/"+name] = data
			return nil
		})
	require.NoError(t, err)
	require.Empty(t, left)
	require.Len(t, list, 1)
	robots, err := publish.RobotsLines(p, pages, "skerrywick.example").Put([]byte("User-agent: other\nDisallow: /crew\n"))
	require.NoError(t, err)
	files["/robots.txt"] = robots
	ofIndex := func(files map[string][]byte) (codes []finding.Code) {
		v, _ := demotest.Survey(t, p, without{Handler: demo.NewSite(p), files: files})
		for _, f := range v.Judge()[probe.Index].Findings {
			codes = append(codes, f.Code)
		}
		return codes
	}
	assert.Empty(t, ofIndex(files))

	files["/robots.txt"] = []byte("Sitemap: https://skerrywick.example/sitemap.xml\n")
	assert.Equal(t, []finding.Code{finding.BlockMissing}, ofIndex(files))
	files["/robots.txt"] = robots

	at, err := address.Parse("https://skerrywick.example/ports/kvitsund")
	require.NoError(t, err)
	for name, change := range map[string]func(*publish.Page){
		"another date":    func(page *publish.Page) { page.Set("modified", "2001-01-01") },
		"no translations": func(page *publish.Page) { page.Alternates = nil },
		"another translation": func(page *publish.Page) {
			page.Alternates = []sitefile.Alternate{{Language: "de", Location: at.String()}}
		},
	} {
		other := demotest.Accepted(t, t.TempDir())
		changed, _ := publish.Pages(other)
		for i := range changed {
			if changed[i].Address == at {
				change(&changed[i])
			}
		}
		written := map[string][]byte{"/robots.txt": robots}
		_, _, err := publish.Sitemaps(other, changed, publish.SitemapOptions{}, func(name string, data []byte) error {
			written["/"+name] = data
			return nil
		})
		require.NoError(t, err)
		assert.Contains(t, ofIndex(written), finding.SitemapDiffers, name)
	}
}
