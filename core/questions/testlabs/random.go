package testlabs

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// Random is a ring of routers with chords, OSPF on all of it. Some serve a partner in a
// routing instance of its own, all partners with the same addresses, and let routes cross
// through a policy of the lab or of their own.
func Random(r *rand.Rand) string {
	n := 3 + r.IntN(5)
	var b strings.Builder
	fmt.Fprintf(&b, "lab \"Ring\"\n  seed %d\n", r.IntN(1000))
	ports := make([][]string, n)
	var links []string
	join := func(x, y int) {
		k := len(links)
		for side, i := range []int{x, y} {
			ports[i] = append(ports[i], fmt.Sprintf("  port e%d 10.0.%d.%d/30\n    ospf area 0\n      cost %d\n", k, k, side+1, 1+r.IntN(40)))
		}
		links = append(links, fmt.Sprintf("link r%d.e%d r%d.e%d delay %dms\n", x, k, y, k, 1+r.IntN(5)))
	}
	for i := range n {
		join(i, (i+1)%n)
	}
	for range r.IntN(3) {
		if x, y := r.IntN(n), r.IntN(n); x != y {
			join(x, y)
		}
	}
	segment := ""
	if r.IntN(2) == 0 {
		segment = "segment s"
		for k, i := range r.Perm(n)[:3] {
			ports[i] = append(ports[i], fmt.Sprintf("  port s 10.99.0.%d/24\n    ospf area 0\n      cost %d\n      priority %d\n", k+1, 1+r.IntN(20), r.IntN(3)))
			segment += fmt.Sprintf(" r%d.s", i)
		}
		segment += "\n"
	}
	partners := r.IntN(3) // of three routers
	for i := range n {
		fmt.Fprintf(&b, "router r%d\n  loopback lo 10.255.0.%d/32\n    ospf area 0 passive\n%s", i, i+1, strings.Join(ports[i], ""))
		if r.IntN(3) < partners {
			b.WriteString(partner(r, i))
			links = append(links, fmt.Sprintf("link r%d.spur p%d.spur\n", i, i))
		}
	}
	if partners > 0 {
		b.WriteString("policy cross\n  statement some\n    where prefix in some\n    set tag 7\n    accept\npolicy all\n  otherwise accept\nprefix-set some\n  10.210.0.0/15 length 16\n")
	}
	fmt.Fprintf(&b, "%s%sflow across r0 -> r%d\n", strings.Join(links, ""), segment, n/2)
	return b.String()
}

// partner is an instance of a router for a partner, and the partner.
func partner(r *rand.Rand, i int) string {
	var b strings.Builder
	say := func(share int, format string, args ...any) {
		if r.IntN(4) < share {
			fmt.Fprintf(&b, format, args...)
		}
	}
	say(3, "  take spur through cross\n  ospf\n    inject taken\n")
	say(1, "  prefix-set some\n    10.211.0.0/16\n")
	say(1, "  policy cross\n    statement any\n      where source bgp\n      accept\n")
	say(4, "  instance spur\n    port spur 10.200.0.1/30\n    bgp as 64500\n      peer 10.200.0.2 as %d\n        import-policy all\n        export-policy all\n", 64510+i)
	say(2, "      inject taken\n    take main through cross\n")
	say(4, "router p%d\n  port spur 10.200.0.2/30\n  static 10.%d.0.0/16 blackhole\n  bgp as %d\n    inject static\n    peer 10.200.0.1 as 64500\n      import-policy all\n      export-policy all\n", i, 210+r.IntN(3), 64510+i)
	return b.String()
}
