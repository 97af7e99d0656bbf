package address

import (
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"golang.org/x/net/idna"
)

// hostProfile maps as browsers do (UTS 46, non-transitional).
func hostProfile() *idna.Profile {
	return idna.New(idna.MapForLookup(), idna.Transitional(false), idna.BidiRule(), idna.StrictDomainName(false))
}

// Host returns the normal form of an authority, "name" or "name:port":
// lower-case ASCII by UTS 46, without a trailing dot; a name that ends in a
// number is an IPv4 address (WHATWG, URL, section 3.5). User information is an
// error.
//
//	0x7f.1 -> 127.0.0.1    skerrywick.example:0443 -> skerrywick.example:443
func Host(authority string) (string, error) {
	if strings.ContainsAny(authority, "@\\") {
		return "", fmt.Errorf("%s holds user information or a backslash before the path", Printable(authority))
	}
	name, port := authority, ""
	if i := strings.LastIndexByte(authority, ':'); i >= 0 && !strings.HasSuffix(authority, "]") {
		name, port = authority[:i], authority[i+1:]
		if port != "" {
			n, err := strconv.ParseUint(port, 10, 16)
			if err != nil {
				return "", fmt.Errorf("%s is not a port: there are 65535", Printable(port))
			}
			port = strconv.FormatUint(n, 10)
		}
	}
	if strings.HasPrefix(name, "[") && strings.HasSuffix(name, "]") {
		ip, err := netip.ParseAddr(name[1 : len(name)-1])
		if err != nil || !ip.Is6() || ip.Zone() != "" {
			return "", fmt.Errorf("%s is not a host name, nor an IPv6 address", Printable(name))
		}
		name = "[" + ip.String() + "]" // RFC 5952
	} else {
		ascii := strings.TrimSuffix(lower(name), ".")
		if ascii == "" || hostEnd(ascii, 0) != len(ascii) {
			var err error
			if ascii, err = hostProfile().ToASCII(name); err != nil {
				return "", fmt.Errorf("%s is not a host name: %w", Printable(name), err)
			}
			ascii = strings.TrimSuffix(ascii, ".") // an ideographic one, too
			if ascii != "" && strings.Contains("."+ascii+".", "..") || len(ascii) > 253 {
				return "", fmt.Errorf("%s is not a host name: a part is empty, or all is too long", Printable(name))
			}
			if dotted := "." + ascii + "."; strings.Trim(ascii, "abcdefghijklmnopqrstuvwxyz0123456789-_.") != "" ||
				strings.Contains(dotted, ".-") || strings.Contains(dotted, "-.") {
				return "", fmt.Errorf("%s is not a host name: it has characters that none has", Printable(name))
			}
			if ascii, err = numeric(ascii); err != nil {
				return "", fmt.Errorf("%s is not a host name: %w", Printable(name), err)
			}
		}
		name = ascii
	}
	if name == "" {
		return "", errors.New("an address without a host")
	}
	if port != "" {
		name += ":" + port
	}
	return name, nil
}

// numeric returns the normal form of a name that ends in a number, which must be an IPv4 address; other names as they are.
func numeric(name string) (string, error) {
	parts := strings.Split(name, ".")
	last := parts[len(parts)-1]
	if _, err := number(last); err != nil && (last == "" || strings.Trim(last, "0123456789") != "") {
		return name, nil
	}
	if len(parts) > 4 {
		return "", errors.New("it ends in a number, and has more parts than an IPv4 address")
	}
	var ip uint64
	for i, part := range parts {
		n, err := number(part)
		room := uint64(1) << 8 // of one part; the last one fills what is left
		if i == len(parts)-1 {
			room = 1 << (8 * (5 - len(parts)))
		}
		if err != nil || n >= room {
			return "", errors.New("it ends in a number, and is no IPv4 address")
		}
		if i == len(parts)-1 {
			ip |= n
		} else {
			ip |= n << (8 * (3 - i))
		}
	}
	return netip.AddrFrom4([4]byte{byte(ip >> 24), byte(ip >> 16), byte(ip >> 8), byte(ip)}).String(), nil
}

// number reads a part of an IPv4 address: decimal, octal behind 0, hexadecimal behind 0x.
func number(s string) (uint64, error) {
	switch {
	case strings.HasPrefix(s, "0x") && len(s) == 2:
		return 0, nil
	case strings.HasPrefix(s, "0x"):
		return strconv.ParseUint(s[2:], 16, 32)
	case len(s) > 1 && s[0] == '0':
		return strconv.ParseUint(s[1:], 8, 32)
	}
	return strconv.ParseUint(s, 10, 32)
}
