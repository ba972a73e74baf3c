package compare_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/compare"
	"hellebore/core/simulation/network"
)

const pairText = `lab "Two ASes"
router mill
  loopback lo 10.255.0.1/32
    ospf area 0
  port e1 10.0.12.1/30
    ospf area 0
router halt
  loopback lo 10.255.0.2/32
    ospf area 0
  port e1 10.0.12.2/30
    ospf area 0
  port up 192.0.2.1/30
  static 203.0.113.0/24 blackhole
  bgp as 64500
    originate 203.0.113.0/24
    peer 192.0.2.2 as 64496
      description "Skylark"
      import-policy all
      export-policy all
router lark
  port e1 192.0.2.2/30
  static 198.51.100.0/24 blackhole
  bgp as 64496
    originate 198.51.100.0/24
    peer 192.0.2.1 as 64500
      import-policy all
      export-policy all
link mill.e1 halt.e1
link halt.up lark.e1
policy all
  statement all
    accept
flow coal mill -> halt
`

func settled(t testing.TB, text string) *network.World {
	t.Helper()
	r := labtext.Parse(text)
	require.True(t, r.OK(), "%v", r.Problems)
	w := network.New()
	w.Configure(&r.Lab)
	require.Equal(t, network.Settled, w.Settle(1e7, nil))
	return w
}

func rows(c compare.Comparison, section string) (out []string) {
	for _, r := range c.Section(section).Rows {
		out = append(out, strings.TrimSpace(fmt.Sprintf("%s %s %s: %q to %q (%s)", r.Kind, r.Device, r.Subject, r.Before, r.After, r.Weight)))
	}
	return out
}

// TestSectionsShowWhatIsDifferent makes one change a section and looks for its
// row, for what is unchanged, and for its words.
func TestSectionsShowWhatIsDifferent(t *testing.T) {
	for _, c := range []struct{ name, from, to, section, row, says, words string }{
		{"a cost", "mill.e1 halt.e1", "mill.e1 halt.e1", compare.Flows, "", "all 1 flow as before", ""},
		{"a route moved", "area 0\nrouter halt", "area 0\n      cost 77\nrouter halt", compare.Routes, `changed mill 10.255.0.2/32: "ospf, cost 10, by 10.0.12.2 on e1" to "ospf, cost 77, by 10.0.12.2 on e1" (different)`, "unchanged", "1 route changed in cost only"},
		{"the LSA that says so", "area 0\nrouter halt", "area 0\n      cost 77\nrouter halt", compare.Database, "changed mill area 0, router 10.255.0.1 of 10.255.0.1", "unchanged", ""},
		{"a prefix less", "    originate 198.51.100.0/24\n", "", compare.Sent, `went lark 198.51.100.0/24: "AS path 64496" to "" (different)`, "unchanged", "lark withdraws 1 prefix from halt: 198.51.100.0/24"},
		{"the path to it", "    originate 198.51.100.0/24\n", "", compare.Paths, `went halt 198.51.100.0/24: "from lark, AS path 64496`, "unchanged", "1 prefix lost on some router: 198.51.100.0/24"},
		{"what came in", "    originate 198.51.100.0/24\n", "", compare.Received, `went halt 198.51.100.0/24`, "unchanged", ""},
		{"a session down", "as 64496\n    originate", "as 64497\n    originate", compare.Neighbours, `"Established" to "Idle: `, "1 of 2 adjacencies and sessions unchanged", "1 neighbour relation goes down: halt - lark"},
		{"a port down", "port up 192.0.2.1/30", "port up 192.0.2.1/30 disabled", compare.Ports, `changed halt halt.up: "up, 192.0.2.1/30, MTU 1500" to "down: the port is disabled`, "unchanged", "2 ports different"},
		{"a flow broken", "loopback lo 10.255.0.2/32", "loopback lo 10.255.0.2/32 disabled", compare.Flows, `changed mill coal: "mill - halt" to "mill: `, "none as before", "flow coal no longer arrives"},
	} {
		t.Run(c.name, func(t *testing.T) {
			other := strings.Replace(pairText, c.from, c.to, 1)
			before, after := settled(t, pairText), settled(t, other)
			got := compare.Worlds(before, after, nil)
			if c.row != "" {
				require.Contains(t, strings.Join(rows(got, c.section), "\n"), c.row)
			}
			require.Contains(t, got.Section(c.section).Says, c.says)
			require.Contains(t, strings.Join(got.Summary, "\n"), c.words)

			// The other way round, what came has gone.
			back := compare.Worlds(after, before, nil)
			for _, name := range []string{compare.Routes, compare.Sent, compare.Paths, compare.Received, compare.Database, compare.Ports, compare.Neighbours, compare.Flows} {
				a, b := got.Section(name), back.Section(name)
				require.Equal(t, a.Total, b.Total, name)
				require.Equal(t, a.Same, b.Same, name)
				swapped := map[string]bool{}
				for _, r := range b.Rows {
					swapped[r.Subject+r.After+r.Before] = true
				}
				for _, r := range a.Rows {
					require.True(t, swapped[r.Subject+r.Before+r.After], "%s: %v", name, r)
				}
			}
		})
	}
}

func TestARenamedRouterIsTheSame(t *testing.T) {
	other := strings.NewReplacer("router mill", "router bridge", "link mill.e1", "link bridge.e1", "coal mill", "coal bridge").Replace(pairText)
	c := compare.Worlds(settled(t, pairText), settled(t, other), nil)
	require.True(t, c.Same, "%v", c.Summary)
}

func TestExports(t *testing.T) {
	c := compare.Worlds(settled(t, pairText), settled(t, strings.Replace(pairText, "    originate 198.51.100.0/24\n", "", 1)), nil)
	var out bytes.Buffer
	require.NoError(t, c.CSV(&out))
	lines, err := csv.NewReader(&out).ReadAll()
	require.NoError(t, err)
	n := 1
	for _, s := range c.Sections {
		n += len(s.Rows)
	}
	require.Len(t, lines, n)
	require.Equal(t, "section", lines[0][0])

	out.Reset()
	require.NoError(t, c.Markdown(&out, "before to after"))
	for _, s := range c.Summary {
		require.Contains(t, out.String(), "- "+s+"\n")
	}
	require.Contains(t, out.String(), "## Advertisements")
	require.NotContains(t, out.String(), "## Flows", "nothing of them is different")
}

// tables is a lab of routers with so many routes each, without protocols.
func tables(routers, routes int) *config.Lab {
	l := &config.Lab{Seed: 1}
	for i := range routers {
		d := config.Device{Name: fmt.Sprintf("r%d", i), Routing: config.Routing{OSPF: config.OSPF{ReferenceBandwidth: config.DefaultReferenceBandwidth, MaxECMP: 16}}}
		for k := range routes {
			p := netip.PrefixFrom(netip.AddrFrom4([4]byte{11, byte(k >> 8), byte(k), 0}), 24)
			d.Statics = append(d.Statics, config.Static{Prefix: p, Blackhole: true, Preference: 1})
		}
		l.Devices = append(l.Devices, d)
	}
	return l
}

// BenchmarkCompare compares two moments of 100 routers with 10,000 routes each,
// of which one in a hundred is different.
func BenchmarkCompare(b *testing.B) {
	lab := tables(100, 10_000)
	w := network.New()
	w.Configure(lab)
	w.Settle(1e7, nil)
	before := w.Clone()
	for i := range lab.Devices {
		lab.Devices[i].Statics = lab.Devices[i].Statics[:9_900]
	}
	w.Configure(lab)
	w.Settle(1e7, nil)
	b.ReportAllocs()
	for b.Loop() {
		c := compare.Worlds(before, w, nil)
		if n := c.Section(compare.Routes); n.Total != 10_000 || n.Same != 990_000 {
			b.Fatal(n.Total, n.Same)
		}
	}
}
