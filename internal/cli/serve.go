package cli

import (
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"time"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/preview"
	"young-compass/internal/safefile"
)

// serving is one run of serve.
type serving struct {
	http, https, admin, upstream, ca string
}

func (a *app) serveCommand() *cobra.Command {
	var s serving
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the plan on a local port, and say why each request was answered so",
		Long: `Reads files only, unless --upstream names a site to stand in front of. Answers on
loopback ports as the plan does, for each of the site's hosts by the Host header,
and writes a line for each request that names the cause. A page on a port of its
own lists what was asked. It ends when it is interrupted.

Ask it as the site, for instance with
  curl -i --connect-to ::127.0.0.1:8080 http://www.skerrywick.example/

To prove a plan before any server has it, let it serve with --write-ca plan.pem, and
ask it from another window: probe redirects --at 127.0.0.1:8080,8443 --ca plan.pem`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			p, found, err := a.judged()
			if err != nil {
				return err
			}
			if finding.Worst(found, finding.Error) {
				return a.print(report{findings: found})
			}
			return a.serve(c, p, s)
		},
	}
	f := c.Flags()
	f.StringVar(&s.http, "http", "127.0.0.1:8080", "the loopback address for http; empty: none")
	f.StringVar(&s.https, "https", "127.0.0.1:8443", "the loopback address for https; empty: none")
	f.StringVar(&s.admin, "admin", "127.0.0.1:8081", "the loopback address of the page about requests; empty: none")
	f.StringVar(&s.upstream, "upstream", "", "the `ORIGIN` to stand in front of, such as http://127.0.0.1:3000")
	f.StringVar(&s.ca, "write-ca", "", "write the certificate that https is served with to `FILE`, for clients to trust")
	return c
}

// loopback listens at a loopback address.
func loopback(name, at string) (net.Listener, error) {
	host, _, err := net.SplitHostPort(at)
	if err != nil {
		return nil, fmt.Errorf("--%s: %s is not an address; write 127.0.0.1:8080", name, address.Printable(at))
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return nil, fmt.Errorf("--%s: %s is not on this machine alone; write 127.0.0.1 or ::1", name,
			address.Printable(at))
	}
	l, err := net.Listen("tcp", at)
	if err != nil {
		return nil, unfinished{err}
	}
	return l, nil
}

func (a *app) serve(c *cobra.Command, p *plan.Plan, s serving) error {
	var behind *url.URL
	if s.upstream != "" {
		o, err := address.Parse(s.upstream)
		if err != nil || o != o.Origin() {
			return fmt.Errorf("--upstream: %s is not an origin; write scheme, host and port",
				address.Printable(s.upstream))
		}
		behind = &url.URL{Scheme: o.Scheme, Host: o.Host}
	}
	handler := preview.NewServer(p, behind, time.Now, func(q preview.Asked) { _, _ = fmt.Fprintln(a.stdout, q) })
	admin, err := handler.Admin()
	if err != nil {
		return err
	}
	certificate, key, err := preview.Certificate(p.Site.All())
	if err != nil {
		return err
	}
	pair, err := tls.X509KeyPair(certificate, key)
	if err != nil {
		return fmt.Errorf("using the certificate: %w", err)
	}
	if s.ca != "" {
		if err := safefile.Replace(s.ca, certificate); err != nil {
			return unfinished{err}
		}
	}
	ended := make(chan error, 3)
	for _, x := range []struct {
		name, at, what string
		handler        http.Handler
	}{{"http", s.http, "http://", handler}, {"https", s.https, "https://", handler},
		{"admin", s.admin, "what was asked: http://", admin}} {
		if x.at == "" {
			continue
		}
		l, err := loopback(x.name, x.at)
		if err != nil {
			return err
		}
		a.say("%s%s", x.what, l.Addr())
		server := &http.Server{Handler: x.handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
		defer func() { _ = server.Close() }()
		if x.name == "https" {
			l = tls.NewListener(l, &tls.Config{Certificates: []tls.Certificate{pair}, MinVersion: tls.VersionTLS12,
				NextProtos: []string{"http/1.1"}})
		}
		go func() { ended <- server.Serve(l) }()
	}
	select {
	case <-c.Context().Done():
		return nil
	case err := <-ended:
		if errors.Is(err, http.ErrServerClosed) {
			return nil
		}
		return unfinished{err}
	}
}
