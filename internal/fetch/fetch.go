// Package fetch is the one HTTP client: it asks a site's own hosts, one hop at
// a time, within bounds of time and size.
package fetch

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"strconv"
	"strings"
	"syscall"
	"time"

	"young-compass/internal/address"
)

// The bounds of one request.
const (
	Timeout    = 20 * time.Second
	MaxBody    = 2 << 20  // bytes of a body that are read
	MaxHeaders = 64 << 10 // bytes
)

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
		return At{}, fmt.Errorf("%s does not say where to ask; write ADDRESS:HTTPPORT,HTTPSPORT, such as 127.0.0.1:8080,8443", address.Printable(s))
	}
	return At{strings.Trim(host, "[]"), plain, secure}, nil
}

func port(s string) bool {
	n, err := strconv.Atoi(s)
	return err == nil && n > 0 && n < 65536
}

// Options say whom a client may ask and how.
type Options struct {
	Site      address.Site // only its hosts are asked
	At        *At
	CA        []byte // PEM, trusted besides the system's; may be nil
	UserAgent string
}

// Client asks. It never follows a redirect by itself.
type Client struct {
	site      address.Site
	userAgent string
	http      *http.Client
}

// ErrForeign says that a host is not one of the site's, so it isn't asked.
var ErrForeign = errors.New("not one of the site's hosts")

// New returns a client.
func New(o Options) (*Client, error) {
	roots, err := x509.SystemCertPool()
	if err != nil {
		roots = x509.NewCertPool()
	}
	if o.CA != nil && !roots.AppendCertsFromPEM(o.CA) {
		return nil, errors.New("the file of --ca holds no certificate in PEM form")
	}
	dialer := &net.Dialer{Timeout: Timeout}
	if o.At == nil {
		dialer.Control = publicOnly
	}
	transport := &http.Transport{
		DialContext: func(ctx context.Context, network, hostPort string) (net.Conn, error) {
			if o.At != nil {
				_, p, err := net.SplitHostPort(hostPort)
				if err != nil {
					return nil, err
				}
				hostPort = net.JoinHostPort(o.At.Host, map[string]string{"80": o.At.HTTPPort, "443": o.At.HTTPSPort}[p])
			}
			return dialer.DialContext(ctx, network, hostPort)
		},
		TLSClientConfig:        &tls.Config{RootCAs: roots, MinVersion: tls.VersionTLS12},
		TLSHandshakeTimeout:    Timeout,
		ResponseHeaderTimeout:  Timeout,
		MaxResponseHeaderBytes: MaxHeaders,
		MaxIdleConnsPerHost:    8,
		MaxConnsPerHost:        8,
		DisableCompression:     true,
	}
	return &Client{site: o.Site, userAgent: o.UserAgent, http: &http.Client{
		Transport:     transport,
		Timeout:       Timeout,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}}, nil
}

// publicOnly refuses addresses that a site on the internet can't have: a name
// that resolves to one would make the tool ask inside the user's own network.
func publicOnly(_, hostPort string, _ syscall.RawConn) error {
	host, _, err := net.SplitHostPort(hostPort)
	if err != nil {
		return err
	}
	if ip := net.ParseIP(host); ip == nil || ip.IsLoopback() || ip.IsPrivate() || ip.IsLinkLocalUnicast() || ip.IsUnspecified() || ip.IsMulticast() {
		return fmt.Errorf("%s is not on the internet; name it with --at to ask it all the same", host)
	}
	return nil
}

// Reply is one answer of a server.
type Reply struct {
	Status   int
	Location string // as sent; empty when there is none
	Body     []byte // at most MaxBody bytes
}

// Get asks for an address of the site, without following.
func (c *Client) Get(ctx context.Context, a address.Address) (Reply, error) {
	if !c.site.Has(a.Host) {
		return Reply{}, fmt.Errorf("%s: %w", a.Host, ErrForeign)
	}
	a.Fragment = ""
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, a.String(), nil)
	if err != nil {
		return Reply{}, fmt.Errorf("asking for %s: %w", a, err)
	}
	request.Header.Set("User-Agent", c.userAgent)
	response, err := c.http.Do(request)
	if err != nil {
		return Reply{}, fmt.Errorf("asking for %s: %w", a, err)
	}
	defer func() { _ = response.Body.Close() }()
	body, err := io.ReadAll(io.LimitReader(response.Body, MaxBody))
	if err != nil {
		return Reply{}, fmt.Errorf("reading %s: %w", a, err)
	}
	return Reply{Status: response.StatusCode, Location: response.Header.Get("Location"), Body: body}, nil
}
