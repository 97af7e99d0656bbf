package cli

import (
	"bufio"
	"bytes"
	"fmt"
	"net/http"
	"net/textproto"
	"os"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
)

// asking is how a site is asked: the flags of the commands that do.
type asking struct {
	at, ca, secrets string
	rate            float64
	parallel        int
	retries         int
}

func (k *asking) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&k.at, "at", "", "ask the server at `ADDRESS:HTTPPORT,HTTPSPORT`")
	f.StringVar(&k.ca, "ca", "", "trust the certificate in `FILE` too (PEM)")
	f.StringVar(&k.secrets, "secrets", "", "send the headers in `FILE` along, to the site's hosts alone")
	f.Float64Var(&k.rate, "rate", k.rate, "requests to a host in a second, at most; 0: as fast as it answers")
	f.IntVar(&k.parallel, "parallel", k.parallel, "requests to a host at a time, at most")
	f.IntVar(&k.retries, "retries", k.retries, "how often a busy server is asked again")
}

// userAgent is the name under which the program asks; its first part is what
// robots.txt may name.
func userAgent() string { return product + "/" + version() }

const product = "young-compass"

func (k *asking) client(site address.Site) (*fetch.Client, error) {
	o := fetch.Options{Site: site, UserAgent: userAgent(), PerSecond: k.rate, Parallel: k.parallel, Retries: k.retries}
	if k.at != "" {
		where, err := fetch.ParseAt(k.at)
		if err != nil {
			return nil, fmt.Errorf("--at: %w", err)
		}
		o.At = &where
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
			return nil, finding.Unreadable(finding.Place{File: k.secrets}, "the headers can't be read", "check --secrets")
		}
		header, err := textproto.NewReader(bufio.NewReader(bytes.NewReader(append(bytes.TrimSpace(data), "\r\n\r\n"...)))).ReadMIMEHeader()
		if err != nil {
			return nil, finding.Unreadable(finding.Place{File: k.secrets}, "this is no list of headers", "write lines such as Authorization: Basic ...")
		}
		o.Secrets = http.Header(header)
	}
	return fetch.New(o)
}
