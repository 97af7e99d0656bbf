package preview

import (
	"fmt"
	"html"
	"io"
	"net"
	"net/http"
	"net/http/httputil"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/plan"
)

// Asked is a request that was answered.
type Asked struct {
	At       time.Time
	Method   string
	URL      string // as it was sent, without control characters
	Status   int    // 0 where what is behind answered
	Location string
	Outcome  plan.Outcome
	Causes   []plan.Cause
}

// Cause names the line of the plan that decided first.
func (a Asked) Cause() string {
	if len(a.Causes) == 0 {
		return ""
	}
	c := a.Causes[0]
	return fmt.Sprintf("%s:%d: %s", c.File, c.Line, c.Rule)
}

// String is the request as a line of a log, without control characters.
func (a Asked) String() string {
	status := strconv.Itoa(a.Status)
	if a.Status == 0 {
		status = "-"
	}
	line := strings.Join([]string{a.At.UTC().Format(time.RFC3339), a.Method, a.URL, status}, " ")
	if a.Location != "" {
		line += " " + a.Location
	}
	return address.Printable(line + " | " + a.Cause())
}

// kept is how many requests Server remembers.
const kept = 200

// Server answers as a plan does. It is a handler for http and https; behind it
// may stand the real or staged site.
type Server struct {
	plan  *plan.Plan
	proxy *httputil.ReverseProxy // nil: nothing is behind
	log   func(Asked)
	now   func() time.Time

	lock  sync.Mutex
	asked []Asked // the last ones, oldest first
	total int
}

// NewServer returns a server for a plan. upstream is the one origin that what
// the plan serves is fetched from, or nil; log is told each request.
func NewServer(p *plan.Plan, upstream *url.URL, now func() time.Time, log func(Asked)) *Server {
	s := &Server{plan: p, log: log, now: now}
	if upstream != nil {
		s.proxy = &httputil.ReverseProxy{
			Rewrite: func(r *httputil.ProxyRequest) {
				r.Out.URL.Scheme, r.Out.URL.Host = upstream.Scheme, upstream.Host
				r.Out.URL.RawQuery = r.In.URL.RawQuery // byte for byte: the proxy would leave out what it can't parse
				r.Out.Host = r.In.Host
				r.SetXForwarded()
			},
			ErrorHandler: func(w http.ResponseWriter, _ *http.Request, err error) {
				page(w, http.StatusBadGateway, "The site behind does not answer", err.Error())
			},
		}
	}
	return s
}

// ServeHTTP answers a request as the plan does.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Method == http.MethodConnect || !strings.HasPrefix(r.RequestURI, "/") {
		page(w, http.StatusBadRequest, "This is not a proxy", "ask for a path")
		return
	}
	scheme := "http"
	if r.TLS != nil {
		scheme = "https"
	}
	url := scheme + "://" + r.Host + r.RequestURI
	asked := Asked{At: s.now(), Method: r.Method, URL: url}
	q, err := plan.NewRequest(r.Method, url)
	if err != nil {
		page(w, http.StatusBadRequest, "This is not an address", err.Error())
		return
	}
	q.Forwarded = r.Header.Get("X-Forwarded-Proto")
	if host, _, err := net.SplitHostPort(r.RemoteAddr); err == nil {
		q.Client, _ = netip.ParseAddr(host)
	}
	a, err := s.plan.Answer(q)
	if err != nil {
		page(w, http.StatusInternalServerError, "The plan contradicts itself", err.Error())
		return
	}
	asked.Status, asked.Location, asked.Outcome, asked.Causes = a.Status, a.To, a.Outcome, a.Causes
	if a.Outcome == plan.Foreign {
		asked.Status = http.StatusMisdirectedRequest
	}
	s.note(asked)
	for _, f := range a.Headers {
		w.Header().Set(f.Name, f.Value)
	}
	s.answer(w, r, a)
}

func (s *Server) answer(w http.ResponseWriter, r *http.Request, a plan.Answer) {
	switch a.Outcome {
	case plan.Foreign:
		page(w, http.StatusMisdirectedRequest, "Not a host of this site", a.Causes[0].Rule)
	case plan.Moved:
		w.Header().Set("Location", a.To)
		w.WriteHeader(a.Status)
	case plan.Gone:
		page(w, a.Status, "Gone", a.Causes[0].Rule)
	case plan.Closed:
		w.Header().Set("Retry-After", strconv.Itoa(a.RetryAfter))
		page(w, a.Status, "Closed for maintenance", "")
	case plan.Unknown:
		if a.Internal == "" {
			page(w, a.Status, "Not found", a.Causes[0].Rule)
			return
		}
		s.behind(w, r, a)
	default:
		s.behind(w, r, a)
	}
}

// behind lets the site behind answer, or says what it would be asked.
func (s *Server) behind(w http.ResponseWriter, r *http.Request, a plan.Answer) {
	if s.proxy == nil {
		what := a.Page.String()
		switch {
		case a.Outcome == plan.Exempt:
			what = "the plan leaves this address alone"
		case a.Page.Key == "":
			what = "a file, or what a script makes"
		}
		if a.Internal != "" {
			what += ", made by " + a.Internal
		}
		page(w, http.StatusOK, "Served", what)
		return
	}
	out := r.Clone(r.Context())
	if a.Internal != "" {
		path, query, _ := strings.Cut(a.Internal, "?")
		out.URL = &url.URL{Path: address.Decode(path), RawPath: path, RawQuery: query}
	}
	s.proxy.ServeHTTP(w, out)
}

// page writes a small page; nothing in it can be markup.
func page(w http.ResponseWriter, status int, title, text string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("X-Content-Type-Options", "nosniff")
	w.WriteHeader(status)
	title, text = html.EscapeString(title), html.EscapeString(address.Printable(text))
	_, _ = io.WriteString(w, "<!DOCTYPE html><title>"+title+"</title><h1>"+title+"</h1><p>"+text+"</p>\n")
}

func (s *Server) note(a Asked) {
	s.lock.Lock()
	defer s.lock.Unlock()
	s.total++
	if s.asked = append(s.asked, a); len(s.asked) > kept {
		s.asked = s.asked[1:]
	}
	if s.log != nil {
		s.log(a)
	}
}

// last returns the requests that are remembered, the newest first, and how many
// there were in all.
func (s *Server) last() (list []Asked, total int) {
	s.lock.Lock()
	defer s.lock.Unlock()
	for i := len(s.asked) - 1; i >= 0; i-- {
		list = append(list, s.asked[i])
	}
	return list, s.total
}
