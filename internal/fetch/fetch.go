// Package fetch is the one HTTP client: it asks a site's own hosts, one hop at
// a time, within bounds of time and size.
package fetch

import (
	"cmp"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"net"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"young-compass/internal/address"
)

// The bounds of one request.
const (
	Timeout    = 20 * time.Second
	MaxBody    = 2 << 20  // bytes of a body that are read
	MaxFile    = 50 << 20 // of a file for programs, such as a sitemap (sitemaps 0.9)
	MaxHeaders = 64 << 10 // bytes
)

// GiveUp is how many requests in a row a host may leave without an answer; then it isn't asked any more.
const GiveUp = 12

// At names the server that is asked instead of the one a name resolves to.
type At struct{ Host, HTTPPort, HTTPSPort string }

// ParseAt reads ADDRESS:HTTPPORT,HTTPSPORT.
func ParseAt(s string) (At, error) {
	host, ports, ok := strings.Cut(s, ":")
	if i := strings.LastIndexByte(s, ']'); i > 0 && i+1 < len(s) {
		host, ports = s[:i+1], strings.TrimPrefix(s[i+1:], ":")
	}
	plain, secure, both := strings.Cut(ports, ",")
	if !ok || host == "" || !both || !port(plain) || !port(secure) {
		return At{}, fmt.Errorf("%s does not say where to ask; write ADDRESS:HTTPPORT,HTTPSPORT, such as "+
			"127.0.0.1:8080,8443", address.Printable(s))
	}
	return At{strings.Trim(host, "[]"), plain, secure}, nil
}

func port(s string) bool {
	n, err := strconv.Atoi(s)
	return err == nil && n > 0 && n < 65536
}

// Options say whom a client may ask and how.
type Options struct {
	Site      address.Site  // only its hosts are asked
	Also      []string      // hosts besides the site's that the user named; they get no secrets
	At        *At           // who is asked instead of the site's hosts
	Names     map[string]At // and instead of single hosts
	CA        []byte        // PEM, trusted besides the system's; may be nil
	UserAgent string
	Timeout   time.Duration // of one request; 0: Timeout
	PerSecond float64       // requests to one host in a second; 0: as fast as it answers
	Parallel  int           // requests to one host at a time; 0: 8
	Retries   int           // how often a request is made again when the server is busy
	Secrets   http.Header   // sent along, to the site's hosts alone
	Guarded   bool          // they aren't sent in clear: over http, but to this machine
}

// Client asks. It never follows a redirect by itself.
type Client struct {
	options Options
	http    *http.Client
	wait    func(context.Context, time.Duration) error

	mu    sync.Mutex
	hosts map[string]*host
}

// host is what a client keeps of one host: when it may be asked next, and by
// how many at a time.
type host struct {
	limit *rate.Limiter
	slots chan struct{}

	mu     sync.Mutex
	silent int   // how many of the last requests had no answer
	last   error // why the last of them had none
}

// answered notes whether a request had an answer.
func (h *host) answered(err error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err == nil {
		h.silent, h.last = 0, nil
		return
	}
	h.silent++
	h.last = err
}

// givenUp returns an error where a host isn't asked any more.
func (h *host) givenUp() error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.silent < GiveUp {
		return nil
	}
	return fmt.Errorf("%w (%w)", errSilent, h.last)
}

// errSilent says that a host is given up.
var errSilent = fmt.Errorf("it has not answered %d requests in a row, and isn't asked any more", GiveUp)

// errClear says that a request isn't made since its secrets could be read on the way.
var errClear = errors.New("passwords aren't sent over http, where anybody on the way can read them; " +
	"--insecure-auth sends them all the same")

// ErrForeign says that a host is not one of the site's, so it isn't asked.
var ErrForeign = errors.New("not one of the site's hosts")

// New returns a client.
func New(o Options) (*Client, error) {
	if o.Parallel <= 0 {
		o.Parallel = 8
	}
	roots, err := x509.SystemCertPool()
	if err != nil {
		roots = x509.NewCertPool()
	}
	if o.CA != nil && !roots.AppendCertsFromPEM(o.CA) {
		return nil, errors.New("the file of --ca holds no certificate in PEM form")
	}
	o.Timeout = cmp.Or(o.Timeout, Timeout)
	named, public := &net.Dialer{Timeout: o.Timeout}, &net.Dialer{Timeout: o.Timeout, Control: publicOnly}
	transport := &http.Transport{
		DialContext: func(ctx context.Context, network, hostPort string) (net.Conn, error) {
			host, port, err := net.SplitHostPort(hostPort)
			if err != nil {
				return nil, err
			}
			at, ok := o.at(host)
			if !ok {
				return public.DialContext(ctx, network, hostPort)
			}
			return named.DialContext(ctx, network,
				net.JoinHostPort(at.Host, map[string]string{"80": at.HTTPPort, "443": at.HTTPSPort}[port]))
		},
		ForceAttemptHTTP2:      true,
		TLSClientConfig:        &tls.Config{RootCAs: roots, MinVersion: tls.VersionTLS12},
		TLSHandshakeTimeout:    o.Timeout,
		ResponseHeaderTimeout:  o.Timeout,
		MaxResponseHeaderBytes: MaxHeaders,
		MaxIdleConnsPerHost:    o.Parallel,
		MaxConnsPerHost:        o.Parallel,
		DisableCompression:     true,
	}
	return &Client{options: o, wait: wait, hosts: map[string]*host{}, http: &http.Client{
		Transport:     transport,
		Timeout:       o.Timeout,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}}, nil
}

// at returns where a host is asked instead of where its name leads.
func (o *Options) at(host string) (At, bool) {
	if at, ok := o.Names[host]; ok {
		return at, true
	}
	if o.At != nil && o.Site.Has(host) {
		return *o.At, true
	}
	return At{}, false
}

// wait lets time pass.
func wait(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}

// turn waits until a host may be asked; the function returned ends the turn, and is told whether there was an answer.
func (c *Client) turn(ctx context.Context, name string) (func(error), error) {
	c.mu.Lock()
	h := c.hosts[name]
	if h == nil {
		limit := rate.Inf
		if c.options.PerSecond > 0 {
			limit = rate.Limit(c.options.PerSecond)
		}
		h = &host{limit: rate.NewLimiter(limit, 1), slots: make(chan struct{}, c.options.Parallel)}
		c.hosts[name] = h
	}
	c.mu.Unlock()
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case h.slots <- struct{}{}:
	}
	if err := h.givenUp(); err != nil {
		<-h.slots
		return nil, err
	}
	if err := h.limit.Wait(ctx); err != nil {
		<-h.slots
		return nil, err
	}
	return func(err error) {
		if ctx.Err() == nil {
			h.answered(err)
		}
		<-h.slots
	}, nil
}

// Reply is one answer of a server.
type Reply struct {
	Status    int
	Location  string // as sent; empty when there is none
	Header    http.Header
	Body      []byte               // unpacked; at most MaxBody bytes
	Truncated bool                 // there was more
	TLS       *tls.ConnectionState // nil on http
}

// The bounds of waiting before a request is made again.
const (
	firstPause = time.Second
	maxPause   = time.Minute
)

// Get asks for an address of the site, without following. When the server says
// that it is busy (429, 502, 503, 504), or doesn't answer at all, it is asked
// again after the time that it names (Retry-After, RFC 9110 section 10.2.3) or
// after twice the pause before.
func (c *Client) Get(ctx context.Context, a address.Address) (Reply, error) {
	if !c.options.Site.Has(a.Host) && !slices.Contains(c.options.Also, a.Host) {
		return Reply{}, fmt.Errorf("%s: %w", a.Host, ErrForeign)
	}
	return c.ask(ctx, http.MethodGet, a, MaxBody)
}

// GetFile does what Get does for files of up to MaxFile bytes.
func (c *Client) GetFile(ctx context.Context, a address.Address) (Reply, error) {
	if !c.options.Site.Has(a.Host) {
		return Reply{}, fmt.Errorf("%s: %w", a.Host, ErrForeign)
	}
	return c.ask(ctx, http.MethodGet, a, MaxFile)
}

// Elsewhere does what Get does on any host. What belongs to the site alone, such as passwords, isn't sent along.
func (c *Client) Elsewhere(ctx context.Context, a address.Address) (Reply, error) {
	return c.ask(ctx, http.MethodGet, a, MaxBody)
}

// Head asks for nothing but the header, of any host.
func (c *Client) Head(ctx context.Context, a address.Address) (Reply, error) {
	return c.ask(ctx, http.MethodHead, a, MaxBody)
}

func (c *Client) ask(ctx context.Context, method string, a address.Address, most int) (Reply, error) {
	a.Fragment = ""
	for try, pause := 0, firstPause; ; try, pause = try+1, 2*pause {
		reply, err := c.once(ctx, method, a, most)
		if errors.Is(err, errSilent) || errors.Is(err, errClear) {
			return reply, err
		}
		busy := err != nil || reply.Status == 429 || reply.Status >= 502 && reply.Status <= 504
		if !busy || try >= c.options.Retries || ctx.Err() != nil {
			return reply, err
		}
		rest := pause
		if err == nil {
			rest = max(rest, retryAfter(reply.Header.Get("Retry-After"), time.Now()))
		}
		if rest > maxPause {
			return reply, err
		}
		if err := c.wait(ctx, rest); err != nil {
			return reply, err
		}
	}
}

// retryAfter reads the header of that name: seconds, or a date.
func retryAfter(s string, now time.Time) time.Duration {
	if n, err := strconv.Atoi(s); err == nil && n > 0 {
		return time.Duration(min(n, 86400)) * time.Second
	}
	if t, err := http.ParseTime(s); err == nil {
		return t.Sub(now)
	}
	return 0
}

// Sends tells what is sent along from what else might be, without telling it: it is good for comparing alone.
func (c *Client) Sends() string {
	if len(c.options.Secrets) == 0 {
		return ""
	}
	sum := sha256.New()
	for _, name := range slices.Sorted(maps.Keys(c.options.Secrets)) {
		_, _ = fmt.Fprintf(sum, "%q %q\n", name, c.options.Secrets[name])
	}
	return hex.EncodeToString(sum.Sum(nil)[:2]) // too little to guess a password by
}

// clear reports whether a request would send secrets that somebody on the way can read.
func (c *Client) clear(a address.Address) bool {
	if !c.options.Guarded || a.Scheme != "http" || len(c.options.Secrets) == 0 || !c.options.Site.Has(a.Host) {
		return false
	}
	at, named := c.options.at(a.Host)
	return !here(a.Host) && !(named && here(at.Host))
}

func (c *Client) once(ctx context.Context, method string, a address.Address, most int) (Reply, error) {
	if c.clear(a) {
		return Reply{}, fmt.Errorf("asking for %s: %w", a, errClear)
	}
	done, err := c.turn(ctx, a.Host)
	if err != nil {
		return Reply{}, fmt.Errorf("asking for %s: %w", a, err)
	}
	reply, err := c.request(ctx, method, a, most)
	done(err)
	return reply, err
}

// request makes one request.
func (c *Client) request(ctx context.Context, method string, a address.Address, most int) (Reply, error) {
	request, err := http.NewRequestWithContext(ctx, method, a.String(), nil)
	if err != nil {
		return Reply{}, fmt.Errorf("asking for %s: %w", a, err)
	}
	if c.options.Site.Has(a.Host) {
		for name, values := range c.options.Secrets {
			request.Header[name] = values
		}
	}
	request.Header.Set("User-Agent", c.options.UserAgent)
	request.Header.Set("Accept-Encoding", "gzip, br, zstd")
	response, err := c.http.Do(request)
	if err != nil {
		return Reply{}, fmt.Errorf("asking for %s: %w", a, err)
	}
	defer func() { _ = response.Body.Close() }()
	if response.StatusCode == http.StatusSwitchingProtocols { // what follows isn't HTTP, and has no end
		return Reply{}, fmt.Errorf("asking for %s: the server answers 101, and speaks another protocol from then on", a)
	}
	reply := Reply{Status: response.StatusCode, Location: response.Header.Get("Location"), Header: response.Header,
		TLS: response.TLS}
	if reply.Body, reply.Truncated, err = read(response, most); err != nil {
		return Reply{}, fmt.Errorf("reading %s: %w", a, err)
	}
	return reply, nil
}
