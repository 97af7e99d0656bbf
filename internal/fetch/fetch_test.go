package fetch

import (
	"context"
	"net"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
)

func skerrywick() address.Site {
	return address.Site{Origin: address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/"},
		Hosts: []string{"www.skerrywick.example"}}
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
	for _, s := range []string{"", "127.0.0.1", "127.0.0.1:80", ":80,443", "a:b,c", "a:0,1", "a:80,70000",
		"a:80,443,1"} {
		_, err := ParseAt(s)
		assert.Error(t, err, s)
	}
}

// serve starts a server and returns a client that asks it in the site's place.
func serve(t *testing.T, handler http.HandlerFunc) *Client {
	t.Helper()
	return serveWith(t, Options{}, handler)
}

// serveWith is serve for a client that asks in a way of its own.
func serveWith(t *testing.T, o Options, handler http.HandlerFunc) *Client {
	t.Helper()
	server := httptest.NewServer(handler)
	t.Cleanup(server.Close)
	_, port, err := net.SplitHostPort(server.Listener.Addr().String())
	require.NoError(t, err)
	o.Site, o.At, o.UserAgent = skerrywick(), &At{"127.0.0.1", port, port}, "young-compass/test"
	client, err := New(o)
	require.NoError(t, err)
	return client
}

func TestGetFollowsNothingAndSendsTheAddressAsItIs(t *testing.T) {
	asked := ""
	client := serve(t, func(w http.ResponseWriter, r *http.Request) {
		asked = r.Host + " " + r.RequestURI + " " + r.UserAgent()
		http.Redirect(w, r, "/elsewhere", http.StatusFound)
	})
	for _, local := range []string{"/a%2Fb/%C3%A9?x=%7e&&y#gone", "/MV_Skipper's_Pride.HTML?lang=de",
		"/Harbour%20walk%20(2).html", "//a"} {
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

// A busy server is asked again after the time it names.
func TestRetries(t *testing.T) {
	for name, c := range map[string]struct {
		answers []string // status and Retry-After, one a request
		status  int
		pauses  []time.Duration
	}{
		"seconds": {[]string{"503 7", "200 "}, 200, []time.Duration{7 * time.Second}},
		"a date gone by": {[]string{"429 Mon, 02 Jan 2006 15:04:05 GMT", "200 "}, 200,
			[]time.Duration{time.Second}},
		"nothing said":     {[]string{"502 ", "504 x", "200 "}, 200, []time.Duration{time.Second, 2 * time.Second}},
		"too long to wait": {[]string{"503 3600"}, 503, nil},
		"not again and again": {[]string{"503 ", "503 ", "503 ", "503 "}, 503,
			[]time.Duration{time.Second, 2 * time.Second, 4 * time.Second}},
		"an answer": {[]string{"500 9"}, 500, nil},
	} {
		asked := 0
		client := serveWith(t, Options{Retries: 3}, func(w http.ResponseWriter, _ *http.Request) {
			status, after, _ := strings.Cut(c.answers[asked], " ")
			asked++
			w.Header().Set("Retry-After", after)
			n, err := strconv.Atoi(status)
			assert.NoError(t, err)
			w.WriteHeader(n)
		})
		var pauses []time.Duration
		client.wait = func(_ context.Context, d time.Duration) error {
			pauses = append(pauses, d)
			return nil
		}
		reply, err := client.Get(context.Background(), parse(t, "http://skerrywick.example/"))
		require.NoError(t, err, name)
		assert.Equal(t, c.status, reply.Status, name)
		assert.Equal(t, c.pauses, pauses, name)
		assert.Equal(t, len(c.answers), asked, name)
	}
	assert.Equal(t, 90*time.Second, retryAfter("Mon, 02 Jan 2006 15:04:05 GMT",
		time.Date(2006, 1, 2, 15, 2, 35, 0, time.UTC)))
}

// No more requests at a time than allowed, and none before its turn.
func TestPolitely(t *testing.T) {
	var now, most atomic.Int32
	client := serveWith(t, Options{Parallel: 2, PerSecond: 200}, func(http.ResponseWriter, *http.Request) {
		most.Store(max(most.Load(), now.Add(1)))
		time.Sleep(5 * time.Millisecond)
		now.Add(-1)
	})
	start := time.Now()
	var wait sync.WaitGroup
	for range 21 {
		wait.Go(func() {
			_, err := client.Get(context.Background(), parse(t, "http://skerrywick.example/"))
			assert.NoError(t, err)
		})
	}
	wait.Wait()
	assert.LessOrEqual(t, most.Load(), int32(2))
	assert.GreaterOrEqual(t, time.Since(start), 99*time.Millisecond, "20 pauses of 5 ms")
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := client.Get(ended, parse(t, "http://skerrywick.example/"))
	assert.ErrorIs(t, err, context.Canceled)
}

func TestSecretsGoToTheSiteAlone(t *testing.T) {
	client := serveWith(t, Options{Secrets: http.Header{"Authorization": {"Basic eA=="}}},
		func(w http.ResponseWriter, r *http.Request) {
			_, _ = w.Write([]byte(r.Header.Get("Authorization")))
		})
	reply, err := client.Get(context.Background(), parse(t, "http://www.skerrywick.example/"))
	require.NoError(t, err)
	assert.Equal(t, "Basic eA==", string(reply.Body))
	_, err = client.Get(context.Background(), parse(t, "http://other.example/"))
	assert.ErrorIs(t, err, ErrForeign)
}

// Passwords aren't sent in clear, but to this machine, or when that is wanted.
func TestSecretsAreNotSentInClear(t *testing.T) {
	secrets := http.Header{"Authorization": {"Basic eA=="}}
	site := skerrywick()
	client, err := New(Options{Site: site, Secrets: secrets, Guarded: true, At: &At{"192.0.2.7", "1", "1"}})
	require.NoError(t, err)
	_, err = client.Get(context.Background(), parse(t, "http://www.skerrywick.example/"))
	require.ErrorIs(t, err, errClear)
	assert.Equal(t, Forbidden, FailureOf(err))
	for _, o := range []Options{{Secrets: secrets}, {Guarded: true}} {
		o.Site, o.At = site, &At{"192.0.2.7", "1", "1"}
		client, err = New(o)
		require.NoError(t, err)
		assert.False(t, client.clear(parse(t, "http://www.skerrywick.example/")))
	}
	client = serveWith(t, Options{Secrets: secrets, Guarded: true}, func(w http.ResponseWriter, r *http.Request) {
		_, _ = w.Write([]byte(r.Header.Get("Authorization")))
	})
	reply, err := client.Get(context.Background(), parse(t, "http://www.skerrywick.example/"))
	require.NoError(t, err)
	assert.Equal(t, "Basic eA==", string(reply.Body), "this machine")
}

// A server that goes over to another protocol ends nothing: what it sends then is not read.
func TestSwitchingProtocols(t *testing.T) {
	client := serve(t, func(w http.ResponseWriter, _ *http.Request) {
		c, _, err := w.(http.Hijacker).Hijack()
		if assert.NoError(t, err) {
			_, _ = c.Write([]byte("HTTP/1.1 101 Switching Protocols\r\nUpgrade: x\r\nConnection: upgrade\r\n\r\n"))
		}
	})
	_, err := client.Get(context.Background(), parse(t, "http://skerrywick.example/"))
	require.ErrorContains(t, err, "the server answers 101")
	assert.Equal(t, Broken, FailureOf(err))
}

// A host that leaves requests without an answer isn't asked for ever; one that answers now and then is.
func TestASilentHostIsGivenUp(t *testing.T) {
	asked := atomic.Int64{}
	answers := atomic.Bool{}
	client := serve(t, func(w http.ResponseWriter, _ *http.Request) {
		if n := asked.Add(1); answers.Load() && n%GiveUp == 0 {
			return
		}
		c, _, err := w.(http.Hijacker).Hijack()
		if assert.NoError(t, err) {
			_ = c.Close()
		}
	})
	get := func() error {
		_, err := client.Head(context.Background(), parse(t, "http://skerrywick.example/"))
		return err
	}
	answers.Store(true)
	for range 4 * GiveUp {
		assert.NotErrorIs(t, get(), errSilent)
	}
	answers.Store(false)
	before := asked.Load()
	var err error
	for range 1000 {
		err = get()
	}
	assert.ErrorIs(t, err, errSilent)
	assert.Equal(t, GivenUp, FailureOf(err))
	assert.LessOrEqual(t, asked.Load()-before, int64(GiveUp))
	require.NotErrorIs(t, func() error {
		_, err := client.Head(context.Background(), parse(t, "http://www.skerrywick.example/"))
		return err
	}(), errSilent, "another host")
}
