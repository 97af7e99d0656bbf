package fetch

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"net"
	"os"
	"strings"
	"syscall"
)

// Failure is the kind of an error: why there was no answer.
type Failure string

// The kinds.
const (
	NoFailure   Failure = ""
	Certificate Failure = "certificate" // not valid for this host, now, or at all
	NoName      Failure = "no-name"     // the host's name leads nowhere
	Closed      Failure = "closed"      // nobody listens there
	Slow        Failure = "timeout"
	GivenUp     Failure = "given-up"  // too many requests in a row had no answer
	Forbidden   Failure = "forbidden" // not one of the site's hosts, not on the internet, or nothing to send passwords to
	Interrupted Failure = "interrupted"
	Broken      Failure = "broken" // what came is no HTTP, or too much of it
)

// errPrivate says that a name leads into a network that isn't public.
var errPrivate = errors.New("not on the internet")

// FailureOf tells the kind of an error of Get or Head.
func FailureOf(err error) Failure {
	var dns *net.DNSError
	var verification *tls.CertificateVerificationError
	var timeout interface{ Timeout() bool }
	switch {
	case err == nil:
		return NoFailure
	case errors.Is(err, ErrForeign), errors.Is(err, errPrivate), errors.Is(err, errClear):
		return Forbidden
	case errors.Is(err, context.Canceled):
		return Interrupted
	case errors.As(err, &verification):
		return Certificate
	case errors.As(err, &dns):
		return NoName
	case errors.Is(err, syscall.ECONNREFUSED):
		return Closed
	case errors.Is(err, errSilent):
		return GivenUp
	case errors.Is(err, os.ErrDeadlineExceeded), errors.Is(err, context.DeadlineExceeded), errors.As(err, &timeout) &&
		timeout.Timeout():
		return Slow
	}
	return Broken
}

// CertificateProblem says in words what is wrong with the certificate that an
// error is about.
func CertificateProblem(err error) string {
	var wrongHost x509.HostnameError
	var invalid x509.CertificateInvalidError
	var unknown x509.UnknownAuthorityError
	switch {
	case errors.As(err, &wrongHost):
		return "it is for " + strings.Join(append(wrongHost.Certificate.DNSNames, addresses(wrongHost.Certificate)...),
			", ") + ", not for " + wrongHost.Host
	case errors.As(err, &invalid) && invalid.Reason == x509.Expired:
		return "it is valid from " + invalid.Cert.NotBefore.UTC().Format("2006-01-02") + " to " +
			invalid.Cert.NotAfter.UTC().Format("2006-01-02")
	case errors.As(err, &unknown):
		return "it doesn't lead to an authority that is trusted"
	}
	return "it can't be verified"
}

func addresses(c *x509.Certificate) []string {
	var list []string
	for _, ip := range c.IPAddresses {
		list = append(list, ip.String())
	}
	return list
}
