package route

import (
	"net/netip"

	"hellebore/core/ground/ip"
)

func parse(s string) (ip.Prefix, error) {
	p, err := netip.ParsePrefix(s)
	return ip.PrefixFrom(p), err
}
