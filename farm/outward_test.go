package farm_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/farm"
)

func TestOutwardIsTheOpenNetworkAlone(t *testing.T) {
	for _, ip := range []string{
		"127.0.0.1", "::1", "10.0.0.1", "172.16.3.4", "192.168.1.1", "169.254.1.1", "fe80::1%eth0", "0.0.0.0", "::",
		"224.0.0.1", "ff02::1", "100.64.0.1", "100.127.255.255", "64:ff9b::7f00:1", "fec0::1", "fd00::1",
		"::ffff:127.0.0.1", "::ffff:10.1.2.3", "2002:7f00:1::", "198.18.0.1", "255.255.255.255", "::7f00:1",
	} {
		assert.False(t, farm.Outward(netip.MustParseAddr(ip)), ip)
		assert.False(t, farm.OutwardName(t.Context(), ip), ip)
		assert.Error(t, farm.OutwardDial("tcp", netip.AddrPortFrom(netip.MustParseAddr(ip), 1883).String(), nil), ip)
	}
	for _, ip := range []string{"203.0.112.9", "8.8.8.8", "100.63.0.1", "100.128.0.1", "2a00:1450::1"} {
		assert.True(t, farm.Outward(netip.MustParseAddr(ip)), ip)
		assert.True(t, farm.OutwardName(t.Context(), ip), ip)
		assert.NoError(t, farm.OutwardDial("tcp", netip.AddrPortFrom(netip.MustParseAddr(ip), 1883).String(), nil), ip)
	}
	for _, name := range []string{
		"localhost", "localhost.", "LOCALHOST", "a.localhost", "box.local", "127.1", "0x7f.1", "2130706433", "0x7f000001",
		"127.0.0.1.", "nas", "router.lan", "db.internal", "ip6-localhost",
	} {
		assert.False(t, farm.OutwardName(t.Context(), name), name)
	}
}
