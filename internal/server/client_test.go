//go:build linux

package server_test

import (
	"bufio"
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// client asks a server on two loopback ports. Unlike an ordinary client it
// sends the address as it is written and follows nothing.
type client struct {
	HTTP, HTTPS string // address and port
	conns       map[string]*connection
	second      *http.Transport
}

type connection struct {
	net.Conn
	reader *bufio.Reader
}

// reply is what a server answered.
type reply struct {
	Status   int
	Location string
	Header   http.Header
	Body     string
}

// Ask sends one request for an absolute URL.
func (c *client) Ask(q ask) (reply, error) {
	method, address := q.method, q.url
	scheme, rest, _ := strings.Cut(address, "://")
	scheme = strings.ToLower(scheme)
	host, target := rest, "/"
	if i := strings.IndexAny(rest, "/?"); i >= 0 {
		host, target = rest[:i], "/"+strings.TrimPrefix(rest[i:], "/")
	}
	var err error
	for range 2 { // once more when the server closed an idle connection
		var reply reply
		if reply, err = c.ask(scheme, method, host, target, q); err == nil {
			return reply, nil
		}
		c.drop(scheme)
	}
	return reply{}, fmt.Errorf("%s %s: %w", method, address, err)
}

func (c *client) drop(scheme string) {
	if conn := c.conns[scheme]; conn != nil {
		_ = conn.Close()
		delete(c.conns, scheme)
	}
}

func (c *client) dial(scheme string) (*connection, error) {
	if conn := c.conns[scheme]; conn != nil {
		return conn, nil
	}
	at := c.HTTP
	if scheme == "https" {
		at = c.HTTPS
	}
	conn, err := net.DialTimeout("tcp", at, time.Minute)
	if err != nil {
		return nil, err
	}
	if scheme == "https" {
		// The name is checked where it matters; here the question is only what
		// the server answers.
		conn = tls.Client(conn, &tls.Config{InsecureSkipVerify: true, ServerName: "skerrywick.example"})
	}
	if c.conns == nil {
		c.conns = map[string]*connection{}
	}
	c.conns[scheme] = &connection{conn, bufio.NewReader(conn)}
	return c.conns[scheme], nil
}

// sending is in which form of HTTP a request is sent. All forms ask for the same.
type sending string

// The forms, all of RFC 9112 but the last.
const (
	ordinary  sending = ""
	old       sending = "HTTP/1.0"
	absolute  sending = "absolute form, with another host in the header"
	port      sending = "a port behind the host"
	dot       sending = "a dot behind the host"
	capitals  sending = "capitals in the host"
	twoHosts  sending = "two hosts"
	pipelined sending = "two requests at once"
	second    sending = "HTTP/2"
)

// text writes a request.
func (q ask) text(scheme, method, host, target string) string {
	fields, version := "", "HTTP/1.1"
	if q.forwarded != "" {
		fields = "X-Forwarded-Proto: " + q.forwarded + "\r\n"
	}
	if method != "GET" && method != "HEAD" && method != "OPTIONS" && method != "TRACE" && method != "DELETE" {
		fields += "Content-Length: 0\r\n"
	}
	switch q.way {
	case old:
		version, fields = "HTTP/1.0", fields+"Connection: keep-alive\r\n"
	case absolute:
		if _, rest, _ := strings.Cut(q.url, "://"); !strings.Contains(rest, "/") {
			target = strings.TrimPrefix(target, "/") // RFC 9112 section 3.2.2 allows that
		}
		target, host = scheme+"://"+host+target, "elsewhere.example"
	case port:
		host += map[string]string{"http": ":80", "https": ":443"}[scheme]
	case dot:
		host += "."
	case capitals:
		host = strings.ToUpper(host)
	case twoHosts:
		fields += "Host: elsewhere.example\r\n"
	}
	return fmt.Sprintf("%s %s %s\r\nHost: %s\r\n%s\r\n", method, target, version, host, fields)
}

func (c *client) ask(scheme, method, host, target string, q ask) (reply, error) {
	if q.way == second {
		return c.askSecond(scheme, method, host, target, q)
	}
	conn, err := c.dial(scheme)
	if err != nil {
		return reply{}, err
	}
	_ = conn.SetDeadline(time.Now().Add(time.Minute))
	text := q.text(scheme, method, host, target)
	if q.way == pipelined {
		text += text
	}
	if _, err := io.WriteString(conn, text); err != nil {
		return reply{}, err
	}
	answer, err := c.read(conn, scheme, method)
	if q.way == pipelined && err == nil && c.conns[scheme] == conn {
		again, err := c.read(conn, scheme, method)
		if err == nil && (again.Status != answer.Status || again.Location != answer.Location) {
			return reply{}, fmt.Errorf("the second of two requests at once is answered %v, the first %v", again, answer)
		}
	}
	return answer, err
}

// askSecond asks by HTTP/2, which is spoken on https alone.
func (c *client) askSecond(scheme, method, host, target string, q ask) (reply, error) {
	if c.second == nil {
		c.second = &http.Transport{ForceAttemptHTTP2: true, TLSClientConfig: &tls.Config{InsecureSkipVerify: true},
			DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
				return (&net.Dialer{}).DialContext(ctx, "tcp", c.HTTPS)
			}}
	}
	path, query, asked := strings.Cut(target, "?")
	r := &http.Request{Method: method, URL: &url.URL{Scheme: scheme, Host: host, Opaque: path, RawQuery: query,
		ForceQuery: asked}, Header: http.Header{}}
	if q.forwarded != "" {
		r.Header.Set("X-Forwarded-Proto", q.forwarded)
	}
	response, err := c.second.RoundTrip(r)
	if err != nil {
		return reply{}, err
	}
	if response.ProtoMajor != 2 {
		return reply{}, fmt.Errorf("the server speaks %s", response.Proto)
	}
	return whole(response), nil
}

// read reads a reply.
func (c *client) read(conn *connection, scheme, method string) (reply, error) {
	response, err := http.ReadResponse(conn.reader, &http.Request{Method: method, URL: &url.URL{}})
	if err != nil {
		return reply{}, err
	}
	answer := whole(response)
	if response.Close {
		c.drop(scheme)
	}
	return answer, nil
}

// whole reads a response to its end.
func whole(response *http.Response) reply {
	body, _ := io.ReadAll(io.LimitReader(response.Body, 1<<20))
	_ = response.Body.Close()
	return reply{response.StatusCode, response.Header.Get("Location"), response.Header, strings.TrimSpace(string(body))}
}
