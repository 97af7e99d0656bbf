package preview_test

import (
	"bufio"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/plan"
	"young-compass/internal/preview"
	"young-compass/internal/project"
)

func load(t *testing.T, config string) *plan.Plan {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{
		project.PlanFile:  "site: {origin: http://skerrywick.example, hosts: [www.skerrywick.example]}\n" + config,
		project.PagesFile: "key,title,state\nroutes,Routes,live\nold,Old,gone\n",
		project.AddressesFile: "address,page,state\nhttp://skerrywick.example/routes,routes@en,current\n" +
			"http://skerrywick.example/old,old@en,current\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	return p
}

// ask sends a request as it is written and returns the answer.
func ask(t *testing.T, at, head string) *http.Response {
	t.Helper()
	conn, err := net.DialTimeout("tcp", at, time.Second)
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close() })
	require.NoError(t, conn.SetDeadline(time.Now().Add(5*time.Second)))
	_, err = io.WriteString(conn, head+"\r\nConnection: close\r\n\r\n")
	require.NoError(t, err)
	r, err := http.ReadResponse(bufio.NewReader(conn), nil)
	require.NoError(t, err)
	return r
}

func body(t *testing.T, r *http.Response) string {
	t.Helper()
	data, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return string(data)
}

func TestAnswersAsThePlan(t *testing.T) {
	var log []string
	p := load(t, "rules: [{for: /routes, headers: {X-Robots-Tag: noindex}}]\n")
	s := preview.NewServer(p, nil, time.Now, func(a preview.Asked) { log = append(log, a.String()) })
	server := httptest.NewServer(s)
	defer server.Close()
	at := server.Listener.Addr().String()
	for _, c := range []struct {
		head     string
		status   int
		location string
		says     string
	}{
		{"GET /routes HTTP/1.1\r\nHost: skerrywick.example", 200, "", "routes@en"},
		{"GET //Routes/?a=b HTTP/1.1\r\nHost: www.skerrywick.example:8080", 301, "http://skerrywick.example/routes?a=b",
			""},
		{"POST /ROUTES HTTP/1.1\r\nHost: skerrywick.example\r\nContent-Length: 0", 308,
			"http://skerrywick.example/routes", ""},
		{"GET /old HTTP/1.1\r\nHost: skerrywick.example", 410, "", "is gone"},
		{"GET /nope HTTP/1.1\r\nHost: skerrywick.example", 404, "", "no page has this address"},
		{"GET /a%2Fb HTTP/1.1\r\nHost: skerrywick.example", 404, "", "encoded slash"},
		{"GET / HTTP/1.1\r\nHost: evil.example", 421, "", "evil.example is not one of"},
		{"GET http://skerrywick.example/routes HTTP/1.1\r\nHost: skerrywick.example", 400, "", "not a proxy"},
		{"CONNECT skerrywick.example:443 HTTP/1.1\r\nHost: skerrywick.example", 400, "", "not a proxy"},
		{"GET /%zz HTTP/1.1\r\nHost: skerrywick.example", 400, "", ""},
	} {
		r := ask(t, at, c.head)
		assert.Equal(t, c.status, r.StatusCode, c.head)
		assert.Equal(t, c.location, r.Header.Get("Location"), c.head)
		if c.says != "" {
			assert.Contains(t, body(t, r), c.says, c.head)
		}
	}
	assert.Equal(t, "noindex", ask(t, at,
		"HEAD /routes HTTP/1.1\r\nHost: skerrywick.example").Header.Get("X-Robots-Tag"))
	require.NotEmpty(t, log)
	assert.Regexp(t, `Z GET http://skerrywick.example/routes 200 \| addresses.csv:2: the page routes@en is live`,
		log[0])
	assert.Contains(t, log[1], "301 http://skerrywick.example/routes?a=b |")
}

func TestMaintenanceAndProxies(t *testing.T) {
	p := load(t, "maintenance: {retry-after: 60, except: [/routes]}\n")
	at := httptest.NewServer(preview.NewServer(p, nil, time.Now, nil)).Listener.Addr().String()
	r := ask(t, at, "GET /x HTTP/1.1\r\nHost: skerrywick.example")
	assert.Equal(t, 503, r.StatusCode)
	assert.Equal(t, "60", r.Header.Get("Retry-After"))
	assert.Equal(t, 200, ask(t, at, "GET /routes HTTP/1.1\r\nHost: skerrywick.example").StatusCode)
	p = load(t, "maintenance: {admit: [127.0.0.0/8]}\n")
	at = httptest.NewServer(preview.NewServer(p, nil, time.Now, nil)).Listener.Addr().String()
	assert.Equal(t, 404, ask(t, at, "GET /x HTTP/1.1\r\nHost: skerrywick.example").StatusCode)
}

func TestStandsInFrontOfASite(t *testing.T) {
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = fmt.Fprintf(w, "%s %s %s", r.Host, r.URL.RequestURI(), r.Header.Get("X-Forwarded-Host"))
	}))
	defer behind.Close()
	origin, err := url.Parse(behind.URL)
	require.NoError(t, err)
	p := load(t, "rules: [{from: '/{x}', serve: '/page.php?name={x}', except: [/plain]}]\n")
	at := httptest.NewServer(preview.NewServer(p, origin, time.Now, nil)).Listener.Addr().String()
	assert.Equal(t, "skerrywick.example /page.php?name=routes&a=b skerrywick.example",
		body(t, ask(t, at, "GET /routes?a=b HTTP/1.1\r\nHost: skerrywick.example")))
	assert.Equal(t, "skerrywick.example /logo.png skerrywick.example",
		body(t, ask(t, at, "GET /logo.png HTTP/1.1\r\nHost: skerrywick.example")))
	assert.Equal(t, 404, ask(t, at, "GET /plain HTTP/1.1\r\nHost: skerrywick.example").StatusCode,
		"what no page has is not asked behind")
	behind.Close()
	assert.Equal(t, 502, ask(t, at, "GET /routes HTTP/1.1\r\nHost: skerrywick.example").StatusCode)
}

func TestAdminPage(t *testing.T) {
	s := preview.NewServer(load(t, ""), nil, time.Now, nil)
	at := httptest.NewServer(s).Listener.Addr().String()
	handler, err := s.Admin()
	require.NoError(t, err)
	admin := httptest.NewServer(handler).Listener.Addr().String()
	assert.Contains(t, body(t, ask(t, admin, "GET / HTTP/1.1\r\nHost: "+admin)), "Nothing yet.")
	for i := range 250 {
		ask(t, at, fmt.Sprintf("GET /<script>alert(%d)</script>?\"'<b> HTTP/1.1\r\nHost: skerrywick.example", i))
	}
	r := ask(t, admin, "GET / HTTP/1.1\r\nHost: "+admin)
	assert.Contains(t, r.Header.Get("Content-Security-Policy"), "default-src 'none'")
	text := body(t, r)
	assert.Contains(t, text, "250 requests, of which the last 200 are shown")
	assert.NotContains(t, text, "<script>")
	assert.NotContains(t, text, "<b>")
	assert.Contains(t, text, "alert(249)")
	assert.NotContains(t, text, "alert(49)")
	for head, status := range map[string]int{
		"GET / HTTP/1.1\r\nHost: evil.example":                        421,
		"GET / HTTP/1.1\r\nHost: evil.example:80":                     421,
		"POST / HTTP/1.1\r\nHost: " + admin + "\r\nContent-Length: 0": 405,
		"GET /x HTTP/1.1\r\nHost: " + admin:                           404,
		"GET / HTTP/1.1\r\nHost: localhost:1":                         200,
	} {
		t.Run(head, func(t *testing.T) {
			assert.Equal(t, status, ask(t, admin, head).StatusCode, head)
		})
	}
}

func TestCertificate(t *testing.T) {
	certificate, key, err := preview.Certificate([]string{"skerrywick.example"})
	require.NoError(t, err)
	pair, err := tls.X509KeyPair(certificate, key)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(certificate))
	parsed, err := x509.ParseCertificate(pair.Certificate[0])
	require.NoError(t, err)
	_, err = parsed.Verify(x509.VerifyOptions{Roots: pool, DNSName: "skerrywick.example"})
	assert.NoError(t, err)
	assert.False(t, strings.Contains(string(certificate), "PRIVATE"))
}
