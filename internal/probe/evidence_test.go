package probe_test

import (
	"context"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/probe"
	"young-compass/internal/project"
)

const (
	origin     = "https://skerrywick.example"
	plainPlace = "http://skerrywick.example"
)

// heads are the pages of a small site by their paths: what stands in the head, or "404". A page has words of its own
// unless another's path stands in front of a bar.
func heads() map[string]string {
	canonical := func(path string) string { return `<link rel=canonical href="` + origin + path + `">` }
	names := func(language, to string) string {
		return fmt.Sprintf(`<link rel=alternate hreflang="%s" href="%s">`, language, to)
	}
	pair := func(path string) string { return names("en", origin+path) }
	return map[string]string{
		"/":             "", // links to all others
		"/en":           "",
		"/against":      canonical("/kept"),
		"/kept":         canonical("/kept"),
		"/dup-one":      "/dup-one|",
		"/dup-two":      "/dup-one|",
		"/sami":         pair("/sami") + names("se", origin+"/de/sami"),
		"/de/sami":      names("de", origin+"/de/sami") + pair("/sami"),
		"/selfless":     names("de", origin+"/de/selfless"),
		"/de/selfless":  names("de", origin+"/de/selfless") + pair("/selfless"),
		"/alone":        pair("/alone"),
		"/de/alone":     "",
		"/twice":        pair("/twice") + names("de", origin+"/de/alone") + names("de", origin+"/de/selfless"),
		"/missing":      pair("/missing") + names("de", origin+"/de/missing"),
		"/de/missing":   "404",
		"/hidden":       pair("/hidden") + names("de", origin+"/de/hidden"),
		"/de/hidden":    `<meta name=robots content=noindex>`,
		"/printed":      pair("/printed") + names("de", origin+"/de/printed?print=1"),
		"/de/printed":   canonical("/de/printed"),
		"/wrong":        pair("/wrong") + names("de", origin+"/english"),
		"/english":      "",
		"/unreadable":   pair("/unreadable") + names("de", "http:///de"),
		"/relative":     pair("/relative") + names("de", "/de/alone"),
		"/outside":      "</head><body>" + names("de", origin+"/de/alone"),
		"/text":         `</head><body><a rel=alternate hreflang=de href="/de/alone">Deutsch</a>`,
		"/login":        `</head><body><form action="/login"><input type=password></form>`,
		"/feeds":        `<link rel=alternate type="application/rss+xml" href="` + plainPlace + `/feed">`,
		"/private/area": "",
		"/k-one":        canonical("/k-one"),
		"/k-two":        canonical("/k-two"),
		"/k-three":      canonical("/k-three"),
	}
}

// smallSite answers with these pages.
func smallSite() http.Handler {
	pages := heads()
	words := strings.Fields("ferry quay tide island harbour lamp rope gull deck anchor storm winter bell chart " +
		"compass sheep cabin pier wave")
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		path := r.URL.Path
		if r.TLS == nil {
			to, status := origin+path, http.StatusMovedPermanently
			switch path {
			case "/dup-one":
				to = origin + "/kept"
			case "/dup-two":
				to = strings.Replace(plainPlace, "//", "//www.", 1) + path
			case "/alone":
				status = http.StatusFound
			}
			http.Redirect(w, r, to, status)
			return
		}
		switch path {
		case "/robots.txt":
			_, _ = fmt.Fprint(w, "User-agent: *\nDisallow: /private/\n")
			return
		case "/large.xml":
			_, _ = fmt.Fprintf(w, `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">%s</urlset>`,
				strings.Repeat("<url><loc>"+origin+"/</loc></url>\n", 50_001))
			return
		case "/sitemap.xml":
			_, _ = fmt.Fprintf(w, `<sitemapindex xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><sitemap><loc>`+
				`%s/large.xml</loc></sitemap><sitemap><loc>%[1]s/parts.xml</loc></sitemap></sitemapindex>`, origin)
			return
		case "/parts.xml":
			_, _ = fmt.Fprint(w, `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
			for _, loc := range []string{"kept", "https://away.example/", origin + "/de/hidden", origin +
				"/private/area", origin + "/de/printed?print=1"} {
				_, _ = fmt.Fprintf(w, "<url><loc>%s</loc></url>\n", loc)
			}
			_, _ = fmt.Fprint(w, `</urlset>`)
			return
		}
		head, ok := pages[path]
		if !ok || head == "404" {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Strict-Transport-Security", "max-age=300")
		if path == "/login" {
			w.Header().Set("Set-Cookie", "sid=1")
		}
		own := path
		if as, rest, shared := strings.Cut(head, "|"); shared {
			own, head = as, rest
		}
		language := "en"
		if strings.HasPrefix(path, "/de/") {
			language = "de"
		}
		_, _ = fmt.Fprintf(w, "<html lang=%s><head><title>%s</title>%s<p>", language, own, head)
		sum := 0
		for _, c := range own {
			sum = sum*31 + int(c)
		}
		for i := range 120 {
			sum = (sum*1103515245 + 12345 + i) & 0x7fffffff
			_, _ = fmt.Fprintf(w, "%s%d ", words[sum%len(words)], sum%977)
		}
		if path != "/" {
			return
		}
		for to := range pages {
			_, _ = fmt.Fprintf(w, `<a href="%s">x</a>`, to)
		}
		for _, to := range []string{"/k-one", "/k-two", "/k-three"} {
			_, _ = fmt.Fprintf(w, `<a href="%s?k=1">x</a>`, to)
		}
		_, _ = fmt.Fprint(w, `<a href="/de/printed?print=1">x</a>`)
	})
}

// Each page of a small site shows one trouble, and it is found.
func TestSmallSiteShowsWhatElseThereIs(t *testing.T) {
	dir := t.TempDir()
	pages, book := "key,language,kind,title,state\n", "address,page,state\n"
	for path := range heads() {
		if strings.HasPrefix(path, "/de/") && path != "/de/alone" || path == "/en" {
			continue
		}
		key, language := strings.Trim(path, "/"), "en"
		if rest, ok := strings.CutPrefix(key, "de/"); ok {
			key, language = rest, "de"
		}
		key = strings.ReplaceAll(key, "/", "-")
		if key == "" {
			key = "home"
		}
		pages += fmt.Sprintf("%s,%s,page,T,live\n", key, language)
		book += fmt.Sprintf("%s%s,%s@%s,current\n", origin, path, key, language)
	}
	for name, text := range map[string]string{
		project.PlanFile: "site: {origin: " + origin +
			", hosts: [www.skerrywick.example]}\nlanguages: {default: en, others: {de: {prefix: de}}}\n" +
			"parameters: {noise: [sessid], identity: [k], display: [print]}\nkinds: {page: {address: '/{slug}'}}\n",
		project.PagesFile: pages, project.AddressesFile: book,
	} {
		t.Run(name, func(t *testing.T) {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
		})
	}
	p := demotest.Load(t, dir)
	s, err := demo.Start(smallSite(), "0", "0")
	require.NoError(t, err)
	defer func() { _ = s.Close() }()
	at, err := fetch.ParseAt(s.At())
	require.NoError(t, err)
	client, err := fetch.New(fetch.Options{Site: p.Site, At: &at, CA: s.Certificate})
	require.NoError(t, err)
	block, _ := pem.Decode(s.Certificate)
	certificate, err := x509.ParseCertificate(block.Bytes)
	require.NoError(t, err)
	soon := certificate.NotAfter.Add(-min(certificate.NotAfter.Sub(certificate.NotBefore)/4, 5*24*time.Hour))
	v, err := (&probe.Surveyor{Plan: p, Client: client, Agent: "young-compass", Max: 500,
		Now: soon}).Run(context.Background())
	require.NoError(t, err)
	met := map[finding.Code]string{}
	for _, section := range v.Judge() {
		for _, f := range section.Findings {
			met[f.Code] += f.String() + "\n"
		}
	}
	for code, where := range map[finding.Code]string{
		finding.CanonicalAgainstPlan: "/against", finding.DuplicateContent: "/dup-one",
		finding.DoubtfulLanguageCode: "/de/sami",
		finding.AlternateWithoutSelf: "/selfless", finding.AlternateAlone: "/alone", finding.LanguageTwice: "/twice",
		finding.NoXDefault:           "",
		finding.DefaultLanguageTwice: "/en", finding.AlternateNotFound: "/missing", finding.AlternateNoindex: "/hidden",
		finding.AlternateNotCanonical: "/printed", finding.AlternateLanguage: "/wrong",
		finding.AlternateUnreadable: "/unreadable",
		finding.AlternateRelative:   "/relative", finding.AlternateOutsideHead: "/outside",
		finding.AlternateInText: "/text",
		finding.CertificateEnds: "", finding.HTTPSElsewhere: "/dup-one", finding.HTTPSInSeveralHops: "/dup-two",
		finding.HTTPSTemporary: "/alone",
		finding.ShortHSTS:      "", finding.InsecureCookie: "/login", finding.FeedInsecure: "/feeds",
		finding.SitemapEntry:    "/parts.xml",
		finding.SitemapTooLarge: "/large.xml", finding.SitemapNotNamed: "/sitemap.xml",
		finding.SitemapForeign: "away.example",
		finding.SitemapNoindex: "/de/hidden", finding.SitemapBlocked: "/private/area",
		finding.SitemapNotCanonical: "/de/printed",
		finding.NotInSitemap:        "", finding.ParameterUnused: "sessid", finding.ParameterClass: "k",
	} {
		assert.Contains(t, met[code], where, "%s", code)
		assert.NotEmpty(t, met[code], "%s", code)
	}
	if t.Failed() {
		t.Log(met)
	}
}
