package farm

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"syscall"
	"time"
)

// inward are networks that are this machine's or its neighbours', or lead to such by another name, beyond those that
// net/netip knows (IANA IPv4 and IPv6 Special-Purpose Address Registries).
var inward = prefixes(
	"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.88.99.0/24", "198.18.0.0/15", "240.0.0.0/4",
	"64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2002::/16", "fec0::/10", "::/96",
)

func prefixes(all ...string) (list []netip.Prefix) {
	for _, p := range all {
		list = append(list, netip.MustParsePrefix(p))
	}
	return list
}

// Outward tells whether an address is one of the open network, and not of this machine or its neighbours. Where
// somebody else names an address, this server goes there only if it is.
func Outward(ip netip.Addr) bool {
	ip = ip.Unmap().WithZone("")
	return ip.IsValid() && ip.IsGlobalUnicast() && !ip.IsPrivate() &&
		!slices.ContainsFunc(inward, func(p netip.Prefix) bool { return p.Contains(ip) })
}

// OutwardDial is for a dialer's Control: it lets connections go to the open network alone, whatever a name led to.
func OutwardDial(_, address string, _ syscall.RawConn) error {
	at, err := netip.ParseAddrPort(address)
	if err != nil || !Outward(at.Addr()) {
		return fmt.Errorf("%s is in this server's own network", address)
	}
	return nil
}

// resolving is how long it may take to look a name up.
const resolving = 3 * time.Second

// OutwardName tells whether a name or address leads to the open network alone, as far as can be known now: a name that
// leads nowhere yet does. Dialling looks again.
func OutwardName(ctx context.Context, host string) bool {
	host = strings.ToLower(strings.TrimSuffix(host, "."))
	if ip, err := netip.ParseAddr(host); err == nil {
		return Outward(ip)
	}
	labels := strings.Split(host, ".")
	last := labels[len(labels)-1]
	switch {
	case len(labels) < 2, last == "localhost", last == "local", last == "internal", last == "lan", last == "home":
		return false
	case strings.Trim(last, "0123456789") == "" || strings.HasPrefix(last, "0x"): // another way to write an address
		return false
	}
	ctx, enough := context.WithTimeout(ctx, resolving)
	defer enough()
	found, _ := net.DefaultResolver.LookupNetIP(ctx, "ip", host)
	return !slices.ContainsFunc(found, func(ip netip.Addr) bool { return !Outward(ip) })
}
