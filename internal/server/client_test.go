package server_test

import (
	"bufio"
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
		host, target = rest[:i], rest[i:]
	}
	var err error
	for range 2 { // once more when the server closed an idle connection
		var reply reply
		if reply, err = c.ask(scheme, method, host, target, q.forwarded); err == nil {
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
	conn, err := net.DialTimeout("tcp", at, 5*time.Second)
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

func (c *client) ask(scheme, method, host, target, forwarded string) (reply, error) {
	conn, err := c.dial(scheme)
	if err != nil {
		return reply{}, err
	}
	_ = conn.SetDeadline(time.Now().Add(10 * time.Second))
	fields := ""
	if forwarded != "" {
		fields = "X-Forwarded-Proto: " + forwarded + "\r\n"
	}
	if method == "POST" || method == "PUT" {
		fields += "Content-Length: 0\r\n"
	}
	if _, err := fmt.Fprintf(conn, "%s %s HTTP/1.1\r\nHost: %s\r\n%s\r\n", method, target, host, fields); err != nil {
		return reply{}, err
	}
	response, err := http.ReadResponse(conn.reader, &http.Request{Method: method, URL: &url.URL{}})
	if err != nil {
		return reply{}, err
	}
	body, _ := io.ReadAll(io.LimitReader(response.Body, 1<<20))
	_ = response.Body.Close()
	if response.Close {
		c.drop(scheme)
	}
	return reply{response.StatusCode, response.Header.Get("Location"), response.Header,
		strings.TrimSpace(string(body))}, nil
}
