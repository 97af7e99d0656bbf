package cli

import (
	"bufio"
	"bytes"
	"encoding/base64"
	"fmt"
	"net/http"
	"net/textproto"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/net/http/httpguts"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
)

// asking is how a site is asked: the flags of the commands that do.
type asking struct {
	ca, secrets, auth string
	at, headers       []string
	rate              float64
	parallel          int
	retries           int
	timeout           time.Duration
	insecure          bool
}

func (k *asking) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringArrayVar(&k.at, "at", k.at, "ask the server at `ADDRESS:HTTPPORT,HTTPSPORT` instead of the site's "+
		"hosts; NAME=ADDRESS:... instead of one name")
	f.StringVar(&k.ca, "ca", "", "trust the certificate in `FILE` too (PEM)")
	f.StringVar(&k.secrets, "secrets", "", "send the headers in `FILE` along, to the site's hosts alone")
	f.StringVar(&k.auth, "auth", "", "send `USER:PASSWORD` along, to the site's hosts alone; $NAME stands for a "+
		"variable of the environment")
	f.BoolVar(&k.insecure, "insecure-auth", false, "send what --auth, --secrets and passwords in --header say over "+
		"http too, where others can read it")
	f.StringArrayVar(&k.headers, "header", nil, "send the header `NAME: VALUE` along, to the site's hosts alone")
	f.Float64Var(&k.rate, "rate", k.rate, "requests to a host in a second, at most; 0: as fast as it answers")
	f.IntVar(&k.parallel, "parallel", k.parallel, "requests to a host at a time, at most")
	f.DurationVar(&k.timeout, "timeout", fetch.Timeout, "a request takes this `TIME` at most (5s, 1m)")
	f.IntVar(&k.retries, "retries", k.retries, "how often a busy server is asked again")
}

// userAgent is the name under which the program asks; its first part is what
// robots.txt may name.
func userAgent() string { return product + "/" + version() }

const product = "young-compass"

// client returns a client for the site's hosts, and also for these.
func (k *asking) client(site address.Site, also ...string) (*fetch.Client, error) {
	o := fetch.Options{Site: site, Also: also, UserAgent: userAgent(), PerSecond: k.rate, Parallel: k.parallel,
		Retries: k.retries, Timeout: k.timeout}
	for _, at := range k.at {
		name, rest, named := strings.Cut(at, "=")
		if !named {
			rest = at
		}
		where, err := fetch.ParseAt(rest)
		switch {
		case err != nil:
			return nil, fmt.Errorf("--at: %w", err)
		case named && o.Names == nil:
			o.Names = map[string]fetch.At{name: where}
		case named:
			o.Names[name] = where
		default:
			o.At = &where
		}
	}
	if k.ca != "" {
		var err error
		if o.CA, err = os.ReadFile(k.ca); err != nil {
			return nil, finding.Unreadable(finding.Place{File: k.ca}, "the certificate can't be read", "check --ca")
		}
	}
	if k.secrets != "" {
		data, err := os.ReadFile(k.secrets)
		if err != nil {
			return nil, finding.Unreadable(finding.Place{File: k.secrets}, "the headers can't be read",
				"check --secrets")
		}
		header, err := textproto.NewReader(bufio.NewReader(bytes.NewReader(append(bytes.TrimSpace(data),
			"\r\n\r\n"...)))).ReadMIMEHeader()
		if err != nil {
			return nil, finding.Unreadable(finding.Place{File: k.secrets}, "this is not a list of headers",
				"write lines such as Authorization: Basic ...")
		}
		o.Secrets = http.Header(header)
	}
	if err := k.more(&o.Secrets); err != nil {
		return nil, err
	}
	password := k.secrets != "" || slices.ContainsFunc([]string{"Authorization", "Cookie", "Proxy-Authorization"},
		func(name string) bool { return o.Secrets.Get(name) != "" })
	o.Guarded = password && !k.insecure
	return fetch.New(o)
}

// more adds what --auth and --header say to the headers that are sent along.
func (k *asking) more(secrets *http.Header) error {
	if *secrets == nil {
		*secrets = http.Header{}
	}
	for _, line := range k.headers {
		name, value, ok := strings.Cut(line, ":")
		if value = strings.TrimSpace(value); !ok || !httpguts.ValidHeaderFieldName(name) ||
			!httpguts.ValidHeaderFieldValue(value) {
			return fmt.Errorf("--header: a header is written NAME: VALUE")
		}
		secrets.Add(name, value)
	}
	if k.auth == "" {
		return nil
	}
	auth := k.auth
	if name, ok := strings.CutPrefix(auth, "$"); ok {
		auth = os.Getenv(name)
	}
	if !strings.Contains(auth, ":") {
		return fmt.Errorf("--auth: write USER:PASSWORD, or $NAME of a variable that holds it")
	}
	secrets.Set("Authorization", "Basic "+base64.StdEncoding.EncodeToString([]byte(auth)))
	return nil
}
