package testlabs

import (
	"fmt"
	"strings"
)

// Line is a network in which nothing is wrong: two routers, a host behind each.
const Line = `lab "Line"

router mill
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 10.0.12.1/30
    ospf area 0
  port lan 10.20.1.1/24
    ospf area 0 passive

router halt
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.12.2/30
    ospf area 0
  port lan 10.20.2.1/24
    ospf area 0 passive

host gate 10.20.1.10/24 gateway 10.20.1.1
host desk 10.20.2.10/24 gateway 10.20.2.1

link mill.e1 halt.e1
segment yard mill.lan gate
segment shed halt.lan desk

flow works gate -> desk every 1s
`

// Yard is four routers on a segment.
var Yard = func() string {
	var s strings.Builder
	for i, name := range []string{"mill", "halt", "ford", "weir"} {
		s.WriteString(fmt.Sprintf("router %s\n  port e1 10.5.0.%d/24\n    ospf area 0\n", name, i+1))
	}
	return s.String() + "segment yard mill.e1 halt.e1 ford.e1 weir.e1\n"
}()

const (
	MillPort = "port e1 10.0.12.1/30\n    ospf area 0\n"
	HaltPort = "port e1 10.0.12.2/30\n    ospf area 0\n"
)

// Rail is a network in which BGP is as it should be: ford (AS 64496), mill and
// halt (AS 64500), weir (AS 64497), in a row.
const Rail = `router mill
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 10.0.12.1/30
    ospf area 0
  port x1 192.0.2.1/30
  bgp as 64500
    peer 10.255.0.2 as 64500
      local-address lo
      next-hop-self
    peer 192.0.2.2 as 64496
router halt
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.12.2/30
    ospf area 0
  port x1 192.0.2.5/30
  bgp as 64500
    peer 10.255.0.1 as 64500
      local-address lo
      next-hop-self
    peer 192.0.2.6 as 64497
router ford
  port x1 192.0.2.2/30
  static 198.51.100.0/24 blackhole
  bgp as 64496
    originate 198.51.100.0/24
    peer 192.0.2.1 as 64500
      export-policy out
router weir
  port x1 192.0.2.6/30
  bgp as 64497
    peer 192.0.2.5 as 64500
link mill.e1 halt.e1
link mill.x1 ford.x1
link halt.x1 weir.x1
policy out
  statement all
    accept
`

// Grid is a lab of routers in a rectangle, so many wide and so many high, in area 0.
func Grid(wide, high int) string {
	var b strings.Builder
	b.WriteString("lab \"Grid\"\n\n")
	ports := map[string]string{}
	link := 0
	var links []string
	join := func(a, c string) {
		link++
		ends := [2]string{a, c}
		for i, r := range ends {
			n := strings.Count(ports[r], "port ") + 1
			ports[r] += fmt.Sprintf("  port e%d 10.%d.%d.%d/30\n    ospf area 0\n", n, 64+link/64, link%64*4, i+1)
			ends[i] = fmt.Sprintf("%s.e%d", r, n)
		}
		links = append(links, fmt.Sprintf("link %s %s", ends[0], ends[1]))
	}
	for i := range wide * high {
		if i%wide > 0 {
			join(fmt.Sprintf("r%d", i-1), fmt.Sprintf("r%d", i))
		}
		if i >= wide {
			join(fmt.Sprintf("r%d", i-wide), fmt.Sprintf("r%d", i))
		}
	}
	for i := range wide * high {
		fmt.Fprintf(&b, "router r%d\n  router-id 10.0.%d.%d\n%s\n", i, i/250, i%250+1, ports[fmt.Sprintf("r%d", i)])
	}
	return b.String() + strings.Join(links, "\n") + "\n"
}

// Fed is a carrier whose feed two routers receive, one from the other.
func Fed(feed string) string {
	return fmt.Sprintf(`router carrier
  port e1 192.0.2.1/30
  bgp as 64510
    %s
    peer 192.0.2.2 as 64500
router edge
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 192.0.2.2/30
    ospf area 0 passive
  port e2 192.0.2.5/30
    ospf area 0
  bgp as 64500
    peer 192.0.2.1 as 64510
    peer 10.255.0.2 as 64500
      local-address lo
router inner
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 192.0.2.6/30
    ospf area 0
  bgp as 64500
    originate 10.255.0.2/32
    peer 10.255.0.1 as 64500
      local-address lo
link carrier.e1 edge.e1
link edge.e2 inner.e1
`, feed)
}
