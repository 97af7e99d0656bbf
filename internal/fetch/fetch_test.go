package fetch

import (
	"context"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
)

func skerrywick() address.Site {
	return address.Site{Origin: address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/"}, Hosts: []string{"www.skerrywick.example"}}
}

func parse(t *testing.T, s string) address.Address {
	t.Helper()
	a, err := address.Parse(s)
	require.NoError(t, err)
	return a
}

func TestParseAt(t *testing.T) {
	at, err := ParseAt("127.0.0.1:8080,8443")
	require.NoError(t, err)
	assert.Equal(t, At{"127.0.0.1", "8080", "8443"}, at)
	at, err = ParseAt("[::1]:80,443")
	require.NoError(t, err)
	assert.Equal(t, At{"::1", "80", "443"}, at)
	for _, s := range []string{"", "127.0.0.1", "127.0.0.1:80", ":80,443", "a:b,c", "a:0,1", "a:80,70000", "a:80,443,1"} {
		_, err := ParseAt(s)
		assert.Error(t, err, s)
	}
}

// serve starts a server and returns a client that asks it in the site's place.
func serve(t *testing.T, handler http.HandlerFunc) *Client {
	t.Helper()
	server := httptest.NewServer(handler)
	t.Cleanup(server.Close)
	_, port, err := net.SplitHostPort(server.Listener.Addr().String())
	require.NoError(t, err)
	client, err := New(Options{Site: skerrywick(), At: &At{"127.0.0.1", port, port}, UserAgent: "young-compass/test"})
	require.NoError(t, err)
	return client
}

func TestGetFollowsNothingAndSendsTheAddressAsItIs(t *testing.T) {
	asked := ""
	client := serve(t, func(w http.ResponseWriter, r *http.Request) {
		asked = r.Host + " " + r.RequestURI + " " + r.UserAgent()
		http.Redirect(w, r, "/elsewhere", http.StatusFound)
	})
	for _, local := range []string{"/a%2Fb/%C3%A9?x=%7e&&y#gone", "/MV_Skipper's_Pride.HTML?lang=de", "/Harbour%20walk%20(2).html", "//a"} {
		reply, err := client.Get(context.Background(), parse(t, "http://www.skerrywick.example"+local))
		require.NoError(t, err)
		assert.Equal(t, 302, reply.Status)
		assert.Equal(t, "/elsewhere", reply.Location)
		sent, _, _ := strings.Cut(local, "#")
		assert.Equal(t, "www.skerrywick.example "+sent+" young-compass/test", asked)
	}
}

func TestForeignHostsAreNotAsked(t *testing.T) {
	client := serve(t, func(http.ResponseWriter, *http.Request) { t.Error("asked") })
	_, err := client.Get(context.Background(), parse(t, "http://other.example/"))
	assert.ErrorIs(t, err, ErrForeign)
}

func TestTheOwnNetworkIsNotAsked(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { t.Error("asked") }))
	defer server.Close()
	site := skerrywick()
	site.Hosts = append(site.Hosts, strings.TrimPrefix(server.URL, "http://"))
	client, err := New(Options{Site: site})
	require.NoError(t, err)
	_, err = client.Get(context.Background(), parse(t, server.URL))
	if assert.Error(t, err) {
		assert.Contains(t, err.Error(), "127.0.0.1 is not on the internet; name it with --at")
	}
}

func TestBodiesAndHeadersAreBounded(t *testing.T) {
	client := serve(t, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/headers" {
			w.Header().Set("X", strings.Repeat("x", 1<<20))
			return
		}
		for range 5 {
			_, _ = w.Write(make([]byte, 1<<20))
		}
	})
	reply, err := client.Get(context.Background(), parse(t, "http://skerrywick.example/"))
	require.NoError(t, err)
	assert.Len(t, reply.Body, MaxBody)
	_, err = client.Get(context.Background(), parse(t, "http://skerrywick.example/headers"))
	assert.Error(t, err)
}

func TestAnUnknownCertificateIsAnError(t *testing.T) {
	server := httptest.NewTLSServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {}))
	defer server.Close()
	_, port, err := net.SplitHostPort(server.Listener.Addr().String())
	require.NoError(t, err)
	client, err := New(Options{Site: skerrywick(), At: &At{"127.0.0.1", port, port}})
	require.NoError(t, err)
	_, err = client.Get(context.Background(), parse(t, "https://skerrywick.example/"))
	if assert.Error(t, err) {
		assert.Contains(t, err.Error(), "certificate")
	}
	_, err = New(Options{CA: []byte("no certificate")})
	assert.Error(t, err)
}
