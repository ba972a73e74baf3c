package network_test

import (
	"fmt"
	"strings"
	"testing"
)

// hundred is a hundred small networks that meet at one router with an instance for each,
// or at a router for each.
func hundred(apart bool) string {
	var hub, rest strings.Builder
	for i := range 100 {
		name, indent := fmt.Sprintf("hub%d", i), "  "
		if !apart {
			name, indent = "hub", "    "
			fmt.Fprintf(&hub, "  instance i%d\n", i)
		} else {
			fmt.Fprintf(&hub, "router %s\n", name)
		}
		fmt.Fprintf(&hub, "%sloopback lo%d 10.255.0.1/32\n%s  ospf area 0 passive\n", indent, i, indent)
		for k := range 2 {
			fmt.Fprintf(&hub, "%sport p%d-%d 10.0.%d.1/30\n%s  ospf area 0\n", indent, i, k, k, indent)
			fmt.Fprintf(&rest, "router r%d-%d\n  loopback lo 10.255.1.%d/32\n    ospf area 0 passive\n  port e0 10.0.%d.2/30\n    ospf area 0\n", i, k, k, k)
			fmt.Fprintf(&rest, "link %s.p%d-%d r%d-%d.e0\n", name, i, k, i, k)
		}
	}
	if !apart {
		return "router hub\n" + hub.String() + rest.String()
	}
	return hub.String() + rest.String()
}

// BenchmarkInstances brings up a hundred networks by the instances of one router, and by
// a router for each.
func BenchmarkInstances(b *testing.B) {
	for _, c := range []struct {
		name  string
		apart bool
	}{{"one router", false}, {"a router each", true}} {
		text := hundred(c.apart)
		b.Run(c.name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				w := build(b, text)
				settle(b, w)
			}
		})
	}
}
