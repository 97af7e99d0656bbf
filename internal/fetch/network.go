package fetch

import (
	"fmt"
	"net"
	"net/netip"
	"slices"
	"syscall"
)

// special are the networks that no site on the internet has an address in: those of the special-purpose registries for
// IPv4 and IPv6 (IANA, RFC 6890) that aren't globally reachable, multicast, and what was once reserved for sites (RFC
// 3879) or embeds an address of IPv4 in a way that is given up (RFC 4291 section 2.5.5.1).
func special() []netip.Prefix {
	return prefixes("0.0.0.0/8", "10.0.0.0/8", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12",
		"192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "192.168.0.0/16", "198.18.0.0/15", "198.51.100.0/24",
		"203.0.113.0/24", "224.0.0.0/4", "240.0.0.0/4",
		"::/96", "64:ff9b:1::/48", "100::/64", "100:0:0:1::/64", "2001::/32", "2001:2::/48", "2001:10::/28",
		"2001:db8::/32", "3fff::/20", "5f00::/16", "fc00::/7", "fe80::/10", "fec0::/10", "ff00::/8")
}

func prefixes(list ...string) (all []netip.Prefix) {
	for _, s := range list {
		all = append(all, netip.MustParsePrefix(s))
	}
	return all
}

// embedded returns the address of IPv4 to which a network of IPv6 leads: by a translator (RFC 6052), or as 6to4 (RFC
// 3056).
//
//	64:ff9b::a00:1    10.0.0.1
//	2002:a00:1::      10.0.0.1
func embedded(ip netip.Addr) (v4 netip.Addr, ok bool) {
	b := ip.As16()
	switch {
	case !ip.Is6():
	case netip.MustParsePrefix("64:ff9b::/96").Contains(ip):
		return netip.AddrFrom4([4]byte(b[12:16])), true
	case netip.MustParsePrefix("2002::/16").Contains(ip):
		return netip.AddrFrom4([4]byte(b[2:6])), true
	}
	return netip.Addr{}, false
}

// Private reports whether a site on the internet can't have an address.
func Private(ip netip.Addr) bool {
	ip = ip.Unmap().WithZone("")
	if v4, ok := embedded(ip); ok {
		return Private(v4)
	}
	return slices.ContainsFunc(special(), func(p netip.Prefix) bool { return p.Contains(ip) })
}

// publicOnly refuses addresses that a site on the internet can't have: a name
// that resolves to one would make the tool ask inside the user's own network.
func publicOnly(_, hostPort string, _ syscall.RawConn) error {
	host, _, err := net.SplitHostPort(hostPort)
	if err != nil {
		return err
	}
	if ip, err := netip.ParseAddr(host); err != nil || Private(ip) {
		return fmt.Errorf("%s is %w; name it with --at to ask it all the same", host, errPrivate)
	}
	return nil
}

// here reports whether a host is this machine.
func here(host string) bool {
	ip, err := netip.ParseAddr(host)
	return host == "localhost" || err == nil && ip.Unmap().IsLoopback()
}
