package address

import (
	"fmt"
	"slices"
	"strings"
)

// Site is the set of hosts whose addresses belong together, whatever the
// scheme: the origin, on which everything ends, and those that lead there.
type Site struct {
	Origin        Address
	Hosts         []string // in normal form, without the origin's
	LanguageHosts []string // hosts on which a language has its own addresses
}

// SiteOf returns the site of a home page's address: its host, with and without
// "www." in front, and the further ones. Errors are those of Parse and Host.
func SiteOf(home string, further []string) (Site, error) {
	a, err := Parse(home)
	if err != nil {
		return Site{}, err
	}
	site := Site{Origin: a.Origin()}
	twin, ok := strings.CutPrefix(a.Host, "www.")
	if !ok {
		twin = "www." + a.Host
	}
	for _, host := range append([]string{twin}, further...) {
		normal, err := Host(host)
		if err != nil || strings.Contains(normal, "/") {
			return site, fmt.Errorf("%s is not a host name", Printable(host))
		}
		if !site.Has(normal) {
			site.Hosts = append(site.Hosts, normal)
		}
	}
	return site, nil
}

// All returns all hosts of the site: the origin's, those that lead there, and those of languages.
func (s Site) All() []string { return slices.Concat([]string{s.Origin.Host}, s.Hosts, s.LanguageHosts) }

// Has reports whether a host is one of the site's.
func (s Site) Has(host string) bool {
	return host == s.Origin.Host || slices.Contains(s.Hosts, host) || s.IsLanguageHost(host)
}

// IsLanguageHost reports whether addresses on a host stay there, instead of leading to
// the origin.
func (s Site) IsLanguageHost(host string) bool { return slices.Contains(s.LanguageHosts, host) }

// Hears reports whether an entry written for one host counts for a request on
// another. On a home only what names it counts, and nowhere else.
func (s Site) Hears(entry, host string) bool {
	return entry == host || !s.IsLanguageHost(entry) && !s.IsLanguageHost(host) && (entry == "" || s.Has(entry))
}

// Rank orders the entries that could answer a request on host: those written
// for every host (entry "") and those written for this very one come first,
// then the origin's, then the others as listed.
func (s Site) Rank(entry, host string) int {
	switch {
	case entry == "" || entry == host:
		return 0
	case entry == s.Origin.Host:
		return 1
	}
	return 2 + slices.Index(s.Hosts, entry)
}

// Rebase moves an address of the site to the origin's scheme and host, those on
// a home to its scheme alone; other addresses stay as they are.
func (s Site) Rebase(a Address) Address {
	switch {
	case s.IsLanguageHost(a.Host):
		a.Scheme = s.Origin.Scheme
	case s.Has(a.Host):
		a.Scheme, a.Host = s.Origin.Scheme, s.Origin.Host
	}
	return a
}
