package demo

import (
	"bytes"
	"crypto/tls"
	"errors"
	"fmt"
	"html"
	"net"
	"net/http"
	"slices"
	"strings"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/plan"
	"young-compass/internal/preview"
	"young-compass/internal/table"
)

// StandIn is a web server on a pair of loopback ports, one for http and one
// for https, that answers for every host name.
type StandIn struct {
	HTTPPort, HTTPSPort string
	Certificate         []byte // PEM; what a client must trust
	servers             []*http.Server
}

// Start serves a site. The preferred ports are taken if they are free, others
// if not.
func Start(handler http.Handler, preferHTTP, preferHTTPS string) (*StandIn, error) {
	certificate, key, err := preview.Certificate(slices.Concat([]string{Site().Origin.Host}, Site().Hosts,
		[]string{StagingHost, CopyHost}))
	if err != nil {
		return nil, err
	}
	pair, err := tls.X509KeyPair(certificate, key)
	if err != nil {
		return nil, fmt.Errorf("using the certificate: %w", err)
	}
	s := &StandIn{Certificate: certificate}
	for _, secure := range []bool{false, true} {
		prefer := preferHTTP
		if secure {
			prefer = preferHTTPS
		}
		listener, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", prefer))
		if err != nil {
			if listener, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
				return nil, fmt.Errorf("starting the stand-in: %w", err)
			}
		}
		_, port, err := net.SplitHostPort(listener.Addr().String())
		if err != nil {
			return nil, err
		}
		server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second}
		s.servers = append(s.servers, server)
		if secure {
			s.HTTPSPort = port
			listener = tls.NewListener(listener, &tls.Config{Certificates: []tls.Certificate{pair},
				MinVersion: tls.VersionTLS12})
		} else {
			s.HTTPPort = port
		}
		go func() { _ = server.Serve(listener) }() // ends with Close
	}
	return s, nil
}

// At returns where to ask, as --at takes it.
func (s *StandIn) At() string { return fmt.Sprintf("127.0.0.1:%s,%s", s.HTTPPort, s.HTTPSPort) }

// Close stops serving.
func (s *StandIn) Close() error {
	var all error
	for _, server := range s.servers {
		all = errors.Join(all, server.Close())
	}
	return all
}

// requestOf reads what was asked, with the path as it was sent.
func requestOf(r *http.Request) (plan.Request, error) {
	scheme := "http"
	if r.TLS != nil {
		scheme = "https"
	}
	return plan.NewRequest(r.Method, scheme+"://"+r.Host+r.RequestURI)
}

// htmlPage is what a stand-in shows.
type htmlPage struct {
	title, language, canonical string
	links                      []string
}

func writePage(w http.ResponseWriter, p htmlPage) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = fmt.Fprintf(w, `<!doctype html><html lang="%s"><title>%s</title>`, html.EscapeString(p.language),
		html.EscapeString(p.title))
	if p.canonical != "" {
		_, _ = fmt.Fprintf(w, `<link rel="canonical" href="%s">`, html.EscapeString(p.canonical))
	}
	_, _ = fmt.Fprintf(w, "<h1>%s</h1>\n", html.EscapeString(p.title))
	for _, link := range p.links {
		_, _ = fmt.Fprintf(w, "<a href=\"%s\">%[1]s</a>\n", html.EscapeString(link))
	}
}

// linksOf returns where a page of the old site leads: the home page to the
// sections, a section to its pages, everything to the home page.
func linksOf(row table.Row, all []table.Row) []string {
	links := []string{"/", "/index.php?lang=de", "/index.php?lang=nb"}
	for _, other := range all {
		below := row.Get("key") == "section-"+other.Get("kind")+"s" || row.Get("key") == "home" &&
			(other.Get("kind") == "section" || other.Get("kind") == "page" || other.Get("kind") == "guide")
		if below && other.Get("language") == row.Get("language") && other.Get("address") != "" {
			links = append(links, other.Get("address"))
		}
	}
	return links
}

// oldRobots is the old site's robots.txt.
const oldRobots = "User-agent: *\nDisallow: /PORTS/\n"

// OldServer answers as the old site did: every old address by itself, on any
// host and scheme, and the inherited redirects as they are.
func OldServer() (http.Handler, error) {
	answers := map[string]func(http.ResponseWriter){}
	site := address.Site{Origin: address.Address{Scheme: "http", Host: "www.skerrywick.example", Path: "/"}}
	key := func(a address.Address) string {
		params := strings.Split(a.Query, "&")
		slices.Sort(params)
		return a.Path + "?" + strings.Join(params, "&")
	}
	enter := func(text string, answer func(http.ResponseWriter)) error {
		a, err := address.Resolve(site.Origin, text)
		if err != nil {
			return err
		}
		if _, have := answers[key(a)]; !have {
			answers[key(a)] = answer
		}
		return nil
	}
	for _, source := range []struct {
		file, column string
		answer       func(row table.Row, all []table.Row) func(http.ResponseWriter)
	}{
		{OldSite, "address", func(row table.Row, all []table.Row) func(http.ResponseWriter) {
			p := htmlPage{title: row.Get("title"), language: row.Get("language"), links: linksOf(row, all)}
			return func(w http.ResponseWriter) { writePage(w, p) }
		}},
		{OldRedirects, "from", func(row table.Row, _ []table.Row) func(http.ResponseWriter) {
			return func(w http.ResponseWriter) {
				w.Header().Set("Location", row.Get("to"))
				w.WriteHeader(map[string]int{"301": 301, "302": 302}[row.Get("status")])
			}
		}},
	} {
		data, err := File(source.file)
		if err != nil {
			return nil, err
		}
		table, _, err := table.Read(source.file, bytes.NewReader(data), source.column)
		if err != nil {
			return nil, err
		}
		for _, row := range table.Rows {
			if row.Get(source.column) == "" || row.Get("state") == "draft" {
				continue
			}
			if err := enter(row.Get(source.column), source.answer(row, table.Rows)); err != nil {
				return nil, fmt.Errorf("%s:%d: %w", source.file, row.Line, err)
			}
		}
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		request, err := requestOf(r)
		if err != nil {
			http.Error(w, "400", http.StatusBadRequest)
			return
		}
		if request.Path == "/robots.txt" {
			_, _ = fmt.Fprint(w, oldRobots)
			return
		}
		answer, ok := answers[key(request.Address)]
		if !ok {
			http.NotFound(w, r)
			return
		}
		answer(w)
	}), nil
}
