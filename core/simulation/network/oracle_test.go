package network_test

import (
	"fmt"
	"maps"
	"math/rand"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/route"
	"hellebore/core/simulation/network"
)

// drawn is a random OSPF network as it is made up.
type drawn struct {
	r        *rand.Rand
	ports    []string // of the text, by router
	blocks   []map[int]string
	settings []string
	statics  []string
	joins    strings.Builder
	count    []int
	links    int
	home     []int
}

func (d *drawn) chance(percent int) bool { return d.r.Intn(100) < percent }
func (d *drawn) name(i int) string       { return fmt.Sprintf("r%d", i) }

func (d *drawn) port(i, area int, addr, extra string) string {
	name := fmt.Sprintf("p%d", d.count[i])
	d.count[i]++
	mtu := ""
	if strings.HasSuffix(addr, "/30") && d.chance(2) { // on a segment it depends on who is DR
		mtu = " mtu 1400"
	}
	if d.chance(4) {
		extra += "      mtu-ignore\n"
	}
	d.ports[i] += fmt.Sprintf("  port %s %s%s\n    ospf area %d\n      cost %d\n%s", name, addr, mtu, area, 1+d.r.Intn(12), extra)
	return d.name(i) + "." + name
}

func (d *drawn) link(a, b, area int) {
	d.links++
	var extra [2]string
	switch n := d.r.Intn(100); {
	case n < 12: // both ends take it for a segment
		for k := range extra {
			extra[k] = fmt.Sprintf("      type broadcast\n      priority %d\n", d.r.Intn(3))
		}
	case n < 16: // one end does
		extra[d.r.Intn(2)] = fmt.Sprintf("      type broadcast\n      priority %d\n", d.r.Intn(3))
	case n < 19:
		extra[d.r.Intn(2)] = "      hello-interval 5s\n"
	}
	net := fmt.Sprintf("10.%d.%d.", area, d.links)
	fmt.Fprintf(&d.joins, "link %s %s\n", d.port(a, area, net+"1/30", extra[0]), d.port(b, area, net+"2/30", extra[1]))
}

func (d *drawn) segment(members []int, area int) {
	d.links++
	fmt.Fprintf(&d.joins, "segment s%d", d.links)
	for k, i := range members {
		extra := fmt.Sprintf("      priority %d\n", []int{0, 0, 1, 1, 5, 255}[d.r.Intn(6)])
		if d.chance(4) {
			extra += "      hello-interval 5s\n"
		}
		d.joins.WriteString(" " + d.port(i, area, fmt.Sprintf("10.%d.%d.%d/24", area, d.links, k+1), extra))
	}
	d.joins.WriteString("\n")
}

// mesh joins the routers of an area.
func (d *drawn) mesh(members []int, area int) {
	for i := 1; i < len(members); i++ {
		d.link(members[d.r.Intn(i)], members[i], area)
	}
	for range d.r.Intn(len(members) + 1) {
		if a, b := members[d.r.Intn(len(members))], members[d.r.Intn(len(members))]; a != b {
			d.link(a, b, area)
		}
	}
	for range d.r.Intn(3) {
		if n := len(members); n > 1 {
			chosen := d.r.Perm(n)[:2+d.r.Intn(min(n-1, 4))]
			for k := range chosen {
				chosen[k] = members[chosen[k]]
			}
			d.segment(chosen, area)
		}
	}
}

// randomOSPF draws a network: areas of all kinds, links and segments with
// priorities, ends that disagree, ranges and summaries on some of the border
// routers, virtual links, routes from outside.
func randomOSPF(r *rand.Rand) string {
	size := 4 + r.Intn(10)
	if r.Intn(8) == 0 {
		size += 15
	}
	areas := 1 + r.Intn(4)
	d := &drawn{r: r, ports: make([]string, size), settings: make([]string, size), statics: make([]string, size), count: make([]int, size), home: make([]int, size)}
	members := make([][]int, areas)
	for i := range size {
		d.blocks = append(d.blocks, map[int]string{})
		a := r.Intn(areas)
		if i < areas {
			a = i
		}
		d.home[i] = a
		members[a] = append(members[a], i)
	}
	remote := -1 // an area that only a virtual link joins to the backbone
	if areas > 2 && r.Intn(3) == 0 {
		remote = areas - 1
	}
	kind := make([]string, areas)
	borders := make([][]int, areas)
	for a := 1; a < areas; a++ {
		kind[a] = []string{"", "", "stub", "nssa", "nssa"}[r.Intn(5)]
		from := members[0]
		if a == remote {
			from = members[1]
			kind[1] = ""
			if kind[a] != "" && r.Intn(2) == 0 {
				kind[a] = ""
			}
		}
		for _, k := range r.Perm(len(from))[:1+r.Intn(min(3, len(from)))] {
			borders[a] = append(borders[a], from[k])
		}
	}
	for a := range areas {
		all := slices.Concat(members[a], borders[a])
		d.mesh(all, a)
		for _, i := range all {
			if kind[a] == "" || d.chance(3) {
				continue // one that forgets what the area is
			}
			block := "      " + kind[a]
			if slices.Contains(borders[a], i) {
				if d.chance(30) {
					block += " no-summary"
				}
				block += fmt.Sprintf("\n        default-cost %d", 1+r.Intn(20))
				if kind[a] == "nssa" && d.chance(20) {
					block += "\n        translate always"
				}
				if kind[a] == "nssa" && d.chance(40) {
					block += "\n        summary 172.20.0.0/16" + []string{"", "", " hidden"}[r.Intn(3)]
				}
			}
			d.blocks[i][a] += block + "\n"
		}
		for _, i := range borders[a] {
			if d.chance(45) {
				extra := ""
				if d.chance(40) {
					extra = fmt.Sprintf("\n        cost %d", 1+r.Intn(60))
				}
				if d.chance(20) {
					extra += "\n        hidden"
				}
				d.blocks[i][a] += fmt.Sprintf("      range 10.%d.0.0/%d%s\n", a, []int{16, 16, 17}[r.Intn(3)], extra)
			}
		}
	}
	for i := range members[0] {
		if len(borders) > 1 && d.chance(10) {
			d.blocks[members[0][i]][0] += "      range 10.0.0.0/16\n"
		}
	}
	ids := r.Perm(200)
	id := func(i int) string { return fmt.Sprintf("10.250.0.%d", ids[i]+1) }
	virtual := func(a, b, area int) {
		if a != b {
			d.blocks[a][area] += "      virtual-link " + id(b) + "\n"
			d.blocks[b][area] += "      virtual-link " + id(a) + "\n"
		}
	}
	if remote > 0 {
		virtual(borders[1][0], borders[remote][0], 1)
	}
	if areas > 1 && kind[1] == "" && len(borders[1]) > 1 && d.chance(40) {
		virtual(borders[1][0], borders[1][1], 1)
	}
	strict := d.chance(33)
	var b strings.Builder
	for i := range size {
		h := d.home[i]
		fmt.Fprintf(&b, "router %s\n  router-id %s\n", d.name(i), id(i))
		switch n := r.Intn(10); {
		case n < 5:
			fmt.Fprintf(&b, "  loopback lo 10.%d.255.%d/32\n    ospf area %d passive\n", h, i+1, h)
		case n < 7:
			fmt.Fprintf(&b, "  loopback lo 10.%d.%d.1/24\n    ospf area %d passive own-mask\n      cost %d\n", h, 100+i, h, 1+r.Intn(9))
		}
		if d.chance(30) {
			fmt.Fprintf(&b, "  port lan 10.%d.%d.1/24\n    ospf area %d passive\n      cost %d\n", h, 150+i, h, 1+r.Intn(9))
			fmt.Fprintf(&d.joins, "segment lan%d %s.lan\n", i, d.name(i))
		}
		b.WriteString(d.ports[i])
		injects := d.chance(40)
		if injects {
			for _, k := range r.Perm(5)[:1+r.Intn(3)] {
				fmt.Fprintf(&b, "  static %s blackhole\n", []string{"172.20.1.0/24", "172.20.2.0/24", "172.20.0.0/16", "172.16.0.0/16", fmt.Sprintf("192.168.%d.0/24", i)}[k])
			}
		}
		b.WriteString("  ospf\n")
		if strict {
			b.WriteString("    rfc1583-compatibility off\n")
		}
		for _, a := range slices.Sorted(maps.Keys(d.blocks[i])) {
			fmt.Fprintf(&b, "    area %d\n%s", a, d.blocks[i][a])
		}
		if injects {
			fmt.Fprintf(&b, "    inject static type %d metric %d\n", 1+r.Intn(2), r.Intn(30))
			if d.chance(20) {
				b.WriteString("    summary 172.20.0.0/16\n")
			}
		}
	}
	return b.String() + d.joins.String()
}

var costLine = regexp.MustCompile(`(?m)^      cost \d+$`)

// disturb does something at random to a network and to the faults that the model
// is made with.
func disturb(t *testing.T, r *rand.Rand, w *network.World, text *string, f faults) string {
	devices := w.Devices()
	d := devices[r.Intn(len(devices))]
	i := uint32(r.Intn(len(d.Ports())))
	p := &d.Ports()[i]
	name := d.Name() + "." + p.Config.Name
	m, end, joined := w.MediumOf(d.ID(), i)
	switch n := r.Intn(10); {
	case n < 2 && joined && p.Config.Virtual == nil:
		if f.cut[name] {
			return ""
		}
		w.Cut(d.ID(), i)
		f.cut[name] = true
		return "cut " + name
	case n < 4 && joined && p.Config.Virtual == nil && !strings.Contains(*text, "virtual-link"):
		// Packets of a virtual link follow the table, into a silent port as well.
		w.Silence(d.ID(), i, network.Direction(r.Intn(3)))
		f.silent[name] = true
		return "silence " + name
	case n < 5 && joined && p.Config.Virtual == nil:
		w.Mend(d.ID(), i)
		for k, e := range m.Ends {
			if m.Kind == network.Segment && k != end {
				continue
			}
			far := w.Device(e.Device)
			at := far.Name() + "." + far.Ports()[e.Port].Config.Name
			delete(f.cut, at)
			delete(f.silent, at)
		}
		return "mend " + name
	case n < 6 && p.Config.Virtual == nil:
		o := config.ForceDisabled
		if f.off[name] {
			o = config.ForceEnabled
		}
		w.ForcePort(d.ID(), i, o)
		f.off[name] = o == config.ForceDisabled
		return fmt.Sprint("port off ", f.off[name], " ", name)
	case n < 8:
		o := config.ForceDisabled
		if f.off[d.Name()] {
			o = config.ForceEnabled
		}
		w.ForceDevice(d.ID(), o)
		f.off[d.Name()] = o == config.ForceDisabled
		return fmt.Sprint("router off ", f.off[d.Name()], " ", d.Name())
	default:
		all := costLine.FindAllStringIndex(*text, -1)
		at := all[r.Intn(len(all))]
		*text = (*text)[:at[0]] + fmt.Sprintf("      cost %d", 1+r.Intn(12)) + (*text)[at[1]:]
		configure(t, w, *text)
		return "cost"
	}
}

// learned are the OSPF routes that a router uses.
func learned(w *network.World, name string) map[string]string {
	out := map[string]string{}
	d := w.Find(name)
	kinds := []string{"", "intra-area", "inter-area", "external type 1", "external type 2", "range"}
	for _, id := range d.Main().Prefixes() {
		r := d.Main().Table().Route(route.OSPF, id)
		if s, ok := d.Main().Table().Best(id); !ok || s != route.OSPF {
			continue
		}
		var hops []string
		for _, h := range w.Shared().Sets.Hops(d.Main().Table().Set(r.Hop)) {
			hops = append(hops, d.Ports()[h.Port].Config.Name+" "+h.Gateway.String())
		}
		slices.Sort(hops)
		out[w.Shared().Prefixes.Prefix(id).String()] = routeLine(kinds[r.Kind], int(r.Metric), int(r.Metric2), hops)
	}
	return out
}

// different writes down the routes that the model and the network have not alike.
func different(model, network map[string]string) string {
	var b strings.Builder
	all := maps.Clone(model)
	maps.Copy(all, network)
	for _, x := range slices.Sorted(maps.Keys(all)) {
		if model[x] != network[x] {
			fmt.Fprintf(&b, "%s: %q in the model, %q in the network\n", x, model[x], network[x])
		}
	}
	return b.String()
}

// oracleRuns is how many random labs are tried: usual, unless ORACLE says
// otherwise.
func oracleRuns(usual int) int {
	if n, err := strconv.Atoi(os.Getenv("ORACLE")); err == nil {
		return n
	}
	return usual
}

// TestRoutesAgainstTheModel holds the settled tables of random networks against
// those that the model has, cold and after each of several disturbances.
// ORACLE=3000 tries so many networks, FROM=17 begins with seed 17.
func TestRoutesAgainstTheModel(t *testing.T) {
	from, _ := strconv.Atoi(os.Getenv("FROM"))
	for seed := from; seed < from+oracleRuns(60); seed++ {
		r := rand.New(rand.NewSource(int64(seed)))
		text := randomOSPF(r)
		w := build(t, text)
		f := faults{map[string]bool{}, map[string]bool{}, map[string]bool{}}
		var done strings.Builder
		done.WriteString("cold")
		for step := range 6 {
			if step > 0 {
				what := disturb(t, r, w, &text, f)
				if what == "" {
					continue
				}
				done.WriteString(", " + what)
			}
			require.Equal(t, network.Settled, w.Settle(bound, nil), "seed %d, %s\n%s", seed, done.String(), text)
			parsed := labtext.Parse(text)
			m := newModel(&parsed.Lab, f)
			require.True(t, m.settle(), "seed %d, %s: the model does not settle\n%s", seed, done.String(), text)
			for _, router := range m.routers {
				name := router.d.Name
				if d := different(m.routes(router), learned(w, name)); d != "" {
					t.Fatalf("seed %d, %s, %s:\n%s\n%s", seed, done.String(), name, d, text)
				}
			}
			wrong := w.Check()
			if strings.Contains(wrong, " loop: ") && m.uneven() {
				continue
			}
			require.Empty(t, wrong, "seed %d, %s\n%s", seed, done.String(), text)
		}
	}
}
