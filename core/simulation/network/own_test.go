package network_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/simulation/network"
)

// ownPolicies are routers in a row with policies and sets of the lab, and of their own. The
// network is written twice: so, and with all policies and sets of the lab, each router's
// under names that no other router uses.
type ownPolicies struct {
	n     int
	says  map[[2]string]string // owner, "" for the lab, and "policy p1": what is below it
	heads []string             // of routers, %s before each name of a policy or set
}

var ownKinds = []string{"policy p0", "policy p1", "policy p2", "prefix-set s0", "prefix-set s1", "tag-set t0", "community-set c0", "as-path-set a0", "neighbour-set n0"}

func randomOwnBlock(r *rand.Rand, name string) string {
	switch name {
	case "policy p0", "policy p1", "policy p2":
		where := []string{"prefix in %ss0", "prefix in %ss1", "tag in %st0", "community in %sc0", "as-path in %sa0", "neighbour in %sn0", "source static"}
		for i := int(name[8]-'0') + 1; i < 3; i++ {
			where = append(where, fmt.Sprintf("policy %%sp%d", i))
		}
		does := []string{"set med 7", "set local-preference 120", "add community 64500:%%d", "prepend 64999", "remove community in %sc0", "set tag 5", "set metric 9"}[r.IntN(7)]
		does = strings.ReplaceAll(does, "%%d", fmt.Sprint(1+r.IntN(3)))
		body := fmt.Sprintf("  statement a\n    where %s\n    %s\n    %s\n", where[r.IntN(len(where))], does, []string{"accept", "accept", "reject"}[r.IntN(3)])
		return body + []string{"", "  otherwise accept\n"}[r.IntN(2)]
	case "prefix-set s0", "prefix-set s1":
		return fmt.Sprintf("  10.%d.0.0/16\n  10.%d.0.0/16\n", 100+r.IntN(6), 100+r.IntN(6))
	case "tag-set t0":
		return fmt.Sprintf("  tag %d\n", r.IntN(9))
	case "community-set c0":
		return fmt.Sprintf("  community 64500:%d\n", 1+r.IntN(3))
	case "as-path-set a0":
		return fmt.Sprintf("  path ... %d ...\n", 64500+r.IntN(5))
	}
	return fmt.Sprintf("  neighbour 192.0.2.%d 192.0.2.%d\n", 1+r.IntN(20), 1+r.IntN(20))
}

func randomOwnPolicies(r *rand.Rand) *ownPolicies {
	o := &ownPolicies{n: 3 + r.IntN(4), says: map[[2]string]string{}}
	as := func(i int) int { return 64500 + i/2 } // pairs of one AS
	for _, name := range ownKinds {
		o.says[[2]string{"", name}] = randomOwnBlock(r, name)
	}
	for i := range o.n {
		var b strings.Builder
		fmt.Fprintf(&b, "router r%d\n  router-id 10.255.0.%d\n", i, i+1)
		for k := range 2 {
			fmt.Fprintf(&b, "  static 10.%d.0.0/16 blackhole\n", 100+(2*i+k)%6)
		}
		if i > 0 {
			fmt.Fprintf(&b, "  port w 192.0.2.%d/30\n    ospf area 0\n", 4*(i-1)+2)
		}
		if i < o.n-1 {
			fmt.Fprintf(&b, "  port e 192.0.2.%d/30\n    ospf area 0\n", 4*i+1)
		}
		policy := func() string { return fmt.Sprintf("%%sp%d", r.IntN(3)) }
		either := func() string { return []string{policy(), "%ss0", "%ss1"}[r.IntN(3)] }
		fmt.Fprintf(&b, "  ospf\n    inject static through %s\n", either())
		fmt.Fprintf(&b, "  bgp as %d\n    inject static through %s\n    originate 10.%d.0.0/16 through %s\n", as(i), either(), 100+r.IntN(6), policy())
		peer := func(address, other int) {
			fmt.Fprintf(&b, "    peer 192.0.2.%d as %d\n      import-policy %s\n      export-policy %s\n", address, as(other), policy(), policy())
		}
		if i > 0 {
			peer(4*(i-1)+1, i-1)
		}
		if i < o.n-1 {
			peer(4*i+2, i+1)
		}
		o.heads = append(o.heads, b.String())
		for _, name := range ownKinds {
			if r.IntN(5) == 0 {
				o.says[[2]string{fmt.Sprintf("r%d", i), name}] = randomOwnBlock(r, name)
			}
		}
	}
	return o
}

// named writes what is said with a word before each name of a policy or set.
func named(says, before string) string { return strings.ReplaceAll(says, "%s", before) }

func (o *ownPolicies) links() string {
	var b strings.Builder
	for i := range o.n - 1 {
		fmt.Fprintf(&b, "link r%d.e r%d.w\n", i, i+1)
	}
	return b.String()
}

// own is the network with policies of routers alone.
func (o *ownPolicies) own() string {
	var b strings.Builder
	for i, head := range o.heads {
		b.WriteString(named(head, ""))
		for _, name := range ownKinds {
			if says, there := o.says[[2]string{fmt.Sprintf("r%d", i), name}]; there {
				b.WriteString("  " + name + "\n  " + strings.ReplaceAll(strings.TrimSuffix(named(says, ""), "\n"), "\n", "\n  ") + "\n")
			}
		}
	}
	b.WriteString(o.links())
	for _, name := range ownKinds {
		b.WriteString(name + "\n" + named(o.says[[2]string{"", name}], ""))
	}
	return b.String()
}

// plain is the network with policies of the lab alone.
func (o *ownPolicies) plain() string {
	var b strings.Builder
	for i, head := range o.heads {
		before := fmt.Sprintf("at-r%d-", i)
		b.WriteString(named(head, before))
	}
	b.WriteString(o.links())
	for i := range o.heads {
		for _, name := range ownKinds {
			says, there := o.says[[2]string{fmt.Sprintf("r%d", i), name}]
			if !there {
				says = o.says[[2]string{"", name}]
			}
			before := fmt.Sprintf("at-r%d-", i)
			b.WriteString(strings.Replace(name, " ", " "+before, 1) + "\n" + named(says, before))
		}
	}
	return b.String()
}

// change has policies and sets of the lab and of routers say something else, come and go.
func (o *ownPolicies) change(r *rand.Rand) {
	for range 1 + r.IntN(4) {
		owner, name := "", ownKinds[r.IntN(len(ownKinds))]
		if r.IntN(3) > 0 {
			owner = fmt.Sprintf("r%d", r.IntN(o.n))
		}
		key := [2]string{owner, name}
		if _, there := o.says[key]; there && owner != "" && r.IntN(2) == 0 {
			delete(o.says, key)
		} else {
			o.says[key] = randomOwnBlock(r, name)
		}
	}
}

// TestOwnPoliciesAreNamesOfTheirOwn: a router's own policies and sets do what those of the
// lab would do under names that it alone uses, from the start and through changes of the
// text and cuts.
func TestOwnPoliciesAreNamesOfTheirOwn(t *testing.T) {
	tables := func(w *network.World) string {
		var b strings.Builder
		for _, d := range w.Devices() {
			fmt.Fprintf(&b, "%s\n%s", d.Name(), instanceTable(w, d.Main()))
			for id := range d.Main().BGP().Prefixes() {
				if set, _, _ := d.Main().BGP().Best(id); set != 0 {
					fmt.Fprintf(&b, "%v %+v\n", w.Shared().Prefixes.Prefix(id), *w.Attrs().Get(set))
				}
			}
		}
		return b.String()
	}
	const few = 500_000
	differ, held := 0, 0
	for seed := range uint64(*instanceRounds) {
		r := rand.New(rand.NewPCG(seed, 33))
		net := randomOwnPolicies(r)
		own, plain := build(t, net.own()), build(t, net.plain())
		for round := range 4 {
			outcome := own.Settle(few, nil)
			require.Equal(t, outcome, plain.Settle(few, nil), "seed %d", seed)
			if outcome != network.Settled { // policies that contradict each other may never come to rest
				break
			}
			require.Empty(t, plain.Check(), "seed %d, round %d\n%s", seed, round, net.plain())
			require.Empty(t, own.Check(), "seed %d, round %d\n%s", seed, round, net.own())
			held++
			require.Equal(t, tables(plain), tables(own), "seed %d, round %d\n%s", seed, round, net.own())
			without := &ownPolicies{n: net.n, heads: net.heads, says: map[[2]string]string{}}
			for _, name := range ownKinds {
				without.says[[2]string{"", name}] = net.says[[2]string{"", name}]
			}
			if round == 0 {
				bare := build(t, without.own())
				if bare.Settle(few, nil) == network.Settled && tables(bare) != tables(own) {
					differ++
				}
			}
			if port, _ := own.Find("r1").Port("e"); r.IntN(3) == 0 {
				_, _ = own.Cut(own.Find("r1").ID(), port), plain.Cut(plain.Find("r1").ID(), port)
			}
			net.change(r)
			configure(t, own, net.own())
			configure(t, plain, net.plain())
		}
	}
	require.Greater(t, held, 3**instanceRounds)
	require.Greater(t, differ, *instanceRounds/3, "what routers have of their own matters")
}
