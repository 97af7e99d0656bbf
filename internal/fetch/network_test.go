package fetch

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The first and the last address of each network that isn't on the internet, and their neighbours, which are.
func TestPrivate(t *testing.T) {
	for name, want := range map[string]bool{
		"0.0.0.0": true, "0.255.255.255": true, "1.0.0.0": false,
		"9.255.255.255": false, "10.0.0.0": true, "10.255.255.255": true, "11.0.0.0": false,
		"100.63.255.255": false, "100.64.0.0": true, "100.127.255.255": true, "100.128.0.0": false,
		"126.255.255.255": false, "127.0.0.1": true, "127.255.255.255": true, "128.0.0.0": false,
		"169.253.255.255": false, "169.254.169.254": true, "169.255.0.0": false,
		"172.15.255.255": false, "172.16.0.0": true, "172.31.255.255": true, "172.32.0.0": false,
		"191.255.255.255": false, "192.0.0.0": true, "192.0.0.255": true, "192.0.1.0": false, "192.0.2.1": true, "192.0.3.0": false,
		"192.88.98.255": false, "192.88.99.1": true, "192.88.100.0": false,
		"192.167.255.255": false, "192.168.0.0": true, "192.168.255.255": true, "192.169.0.0": false,
		"198.17.255.255": false, "198.18.0.0": true, "198.19.255.255": true, "198.20.0.0": false,
		"198.51.99.255": false, "198.51.100.7": true, "198.51.101.0": false,
		"203.0.112.255": false, "203.0.113.7": true, "203.0.114.0": false,
		"223.255.255.255": false, "224.0.0.0": true, "239.255.255.255": true, "240.0.0.0": true, "255.255.255.255": true,
		"::": true, "::1": true, "::7f00:1": true, "::ffff:10.0.0.1": true, "::ffff:9.9.9.9": false, "::1:0:0": false,
		"64:ff9b::10.0.0.1": true, "64:ff9b::100.64.0.1": true, "64:ff9b::9.9.9.9": false, "64:ff9b:1::1": true,
		"100::1": true, "100:0:0:1::1": true, "100:0:0:2::1": false,
		"2001::1": true, "2001:1::1": false, "2001:2::1": true, "2001:2:1::1": false, "2001:10::1": true, "2001:20::1": false,
		"2001:db7:ffff::": false, "2001:db8::1": true, "2001:db9::": false, "2001:4860::8888": false,
		"2002:a00:1::": true, "2002:c0a8:101::1": true, "2002:909:909::": false,
		"3ffe:ffff::": false, "3fff::1": true, "3fff:fff::1": true, "3fff:1000::": false, "5f00::1": true,
		"fbff::1": false, "fc00::1": true, "fdff::1": true, "fe00::1": false, "fe80::1": true, "fe80::1%eth0": true, "fec0::1": true,
		"feff::1": true, "ff02::1": true,
	} {
		assert.Equal(t, want, Private(netip.MustParseAddr(name)), name)
	}
}
