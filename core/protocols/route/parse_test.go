package route

import (
	"net/netip"

	"hellebore/core/protocols/wire/ip"
)

func parse(s string) (ip.Prefix, error) {
	p, err := netip.ParsePrefix(s)
	return ip.PrefixFrom(p), err
}
