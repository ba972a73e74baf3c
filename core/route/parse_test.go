package route

import (
	"net/netip"

	"hellebore/core/wire/ip"
)

func parse(s string) (ip.Prefix, error) {
	p, err := netip.ParsePrefix(s)
	return ip.PrefixFrom(p), err
}
