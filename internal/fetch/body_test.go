package fetch

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"io"
	"log"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
)

// packed packs a text in a coding.
func packed(t *testing.T, coding, text string) []byte {
	t.Helper()
	var b bytes.Buffer
	var w io.WriteCloser
	switch coding {
	case "gzip":
		w = gzip.NewWriter(&b)
	case "br":
		w = brotli.NewWriter(&b)
	case "zstd":
		z, err := zstd.NewWriter(&b)
		require.NoError(t, err)
		w = z
	default:
		return []byte(text)
	}
	_, err := io.WriteString(w, text)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return b.Bytes()
}

// Bodies are unpacked, and no more of them than is wanted.
func TestCodings(t *testing.T) {
	long := strings.Repeat("a", MaxBody+5)
	for _, coding := range []string{"", "gzip", "br", "zstd"} {
		for _, text := range []string{"hello", "", long} {
			c := serve(t, func(w http.ResponseWriter, r *http.Request) {
				assert.Equal(t, "gzip, br, zstd", r.Header.Get("Accept-Encoding"))
				w.Header().Set("Content-Encoding", coding)
				_, _ = w.Write(packed(t, coding, text))
			})
			reply, err := c.Get(context.Background(), parse(t, "http://skerrywick.example/"))
			require.NoError(t, err, coding)
			assert.Equal(t, text[:min(len(text), MaxBody)], string(reply.Body), coding)
			assert.Equal(t, len(text) > MaxBody, reply.Truncated, coding)
		}
	}
	c := serve(t, func(w http.ResponseWriter, _ *http.Request) { w.Header().Set("Content-Encoding", "compress") })
	_, err := c.Get(context.Background(), parse(t, "http://skerrywick.example/"))
	assert.ErrorContains(t, err, "wasn't asked for")
}

// HTTP/2 is spoken with servers that do, and what their certificate says is
// kept. Hosts that the user named get no secrets, other hosts only HEAD.
func TestSecure(t *testing.T) {
	secrets := map[string]string{}
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		secrets[r.Method+" "+r.Host] = r.Header.Get("Authorization")
		w.Header().Set("X-Proto", r.Proto)
	}))
	server.EnableHTTP2 = true
	server.StartTLS()
	defer server.Close()
	_, port, err := net.SplitHostPort(server.Listener.Addr().String())
	require.NoError(t, err)
	at := At{"127.0.0.1", "1", port}
	site := address.Site{Origin: address.Address{Scheme: "https", Host: "example.com",
		Path: "/"}} // the name in httptest's certificate
	c, err := New(Options{Site: site, Also: []string{"a.example.com"}, At: &at,
		Names:   map[string]At{"a.example.com": at, "b.example.com": at},
		Secrets: http.Header{"Authorization": {"secret"}},
		CA:      pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw})})
	require.NoError(t, err)
	reply, err := c.Get(context.Background(), parse(t, "https://example.com/"))
	require.NoError(t, err)
	assert.Equal(t, "HTTP/2.0", reply.Header.Get("X-Proto"))
	assert.Equal(t, []string{"example.com", "*.example.com"}, reply.TLS.PeerCertificates[0].DNSNames[:2])
	_, err = c.Get(context.Background(), parse(t, "https://a.example.com/"))
	require.NoError(t, err)
	_, err = c.Get(context.Background(), parse(t, "https://b.example.com/"))
	require.ErrorIs(t, err, ErrForeign)
	assert.Equal(t, Forbidden, FailureOf(err))
	_, err = c.Head(context.Background(), parse(t, "https://b.example.com/"))
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"GET example.com": "secret", "GET a.example.com": "", "HEAD b.example.com": ""},
		secrets)
}

func TestFailures(t *testing.T) {
	c := serve(t, func(http.ResponseWriter, *http.Request) {})
	_, err := c.Get(context.Background(), parse(t, "https://skerrywick.example/")) // no https there
	assert.Equal(t, Broken, FailureOf(err))
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = c.Get(ctx, parse(t, "http://skerrywick.example/"))
	assert.Equal(t, Interrupted, FailureOf(err))
	assert.Equal(t, NoFailure, FailureOf(nil))
}

// What is wrong with a certificate is said in words.
func TestCertificateProblem(t *testing.T) {
	site := address.Site{Origin: address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/"}}
	for name, c := range map[string]struct {
		host  string
		until time.Time
		trust bool
		want  string
	}{
		"another name": {"other.example", time.Now().Add(time.Hour), true,
			"it is for other.example, not for skerrywick.example"},
		"expired": {"skerrywick.example", time.Now().Add(-time.Hour), true, "it is valid from 2020-01-02 to "},
		"unknown": {"skerrywick.example", time.Now().Add(time.Hour), false,
			"doesn't lead to an authority that is trusted"},
	} {
		key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		require.NoError(t, err)
		template := &x509.Certificate{SerialNumber: big.NewInt(1), DNSNames: []string{c.host},
			NotBefore: time.Date(2020, 1, 2, 0, 0, 0, 0, time.UTC), NotAfter: c.until, IsCA: true,
			BasicConstraintsValid: true}
		der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
		require.NoError(t, err)
		server := httptest.NewUnstartedServer(http.NotFoundHandler())
		server.TLS = &tls.Config{Certificates: []tls.Certificate{{Certificate: [][]byte{der}, PrivateKey: key}},
			MinVersion: tls.VersionTLS12}
		server.Config.ErrorLog = log.New(io.Discard, "", 0)
		server.StartTLS()
		_, port, err := net.SplitHostPort(server.Listener.Addr().String())
		require.NoError(t, err)
		o := Options{Site: site, At: &At{"127.0.0.1", "1", port}}
		if c.trust {
			o.CA = pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})
		}
		client, err := New(o)
		require.NoError(t, err)
		_, err = client.Get(context.Background(), parse(t, "https://skerrywick.example/"))
		assert.Equal(t, Certificate, FailureOf(err), name)
		assert.Contains(t, CertificateProblem(err), c.want, name)
		server.Close()
	}
}
