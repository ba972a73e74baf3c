package sweep_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/questions/testlabs"
	"hellebore/demo"
)

// idleLab is a ring to which things are added on which nothing depends, or hardly anything, or after all something: spare links and
// segments, with and without addresses, OSPF, static routes and sessions; and a mesh of sessions of which few carry prefixes.
func idleLab(r *rand.Rand) string {
	text := testlabs.Random(r)
	if r.IntN(2) == 0 {
		text = ringLab(3+r.IntN(4), r.IntN(4) > 0)
	}
	if r.IntN(3) == 0 { // instances take whatever there is
		text = strings.Replace(text, "    where prefix in some\n", "", 1)
	}
	n := strings.Count(text, "router r")
	some := func(share int) bool { return r.IntN(share) == 0 }
	more := make([]string, n) // of each router
	var end strings.Builder
	spare := func(k, i, side int) {
		p := fmt.Sprintf("  port x%d", k)
		switch {
		case some(5): // no address
			p += "\n"
		case some(8): // of the ring's
			p += fmt.Sprintf(" 10.0.0.%d/24\n", 100+10*k+side)
		case some(8): // tagged
			p += fmt.Sprintf("\n    vlan 10 10.9.%d.%d/28\n    vlan 20 10.8.%d.%d/28\n", k, side+1, k, side+1)
			if some(3) {
				p += "      ospf area 0\n"
			}
		default:
			p += fmt.Sprintf(" 10.9.%d.%d/28\n", k, side+1)
			if some(8) { // another port on the same network
				p += fmt.Sprintf("  port y%d 10.9.%d.%d/28\n", k, k, side+5)
				fmt.Fprintf(&end, "router q%d%d\n  loopback lo 10.250.%d.%d/32\n  port y 10.9.%d.%d/28\nlink r%d.y%d q%d%d.y\n", k, side, k, side, k, side+8, i, k, k, side)
			} else if some(6) {
				p += "    ospf area 0\n"
			} else if some(6) {
				p += "    ospf area 0 passive\n"
			}
		}
		more[i] += p
	}
	for k := range 1 + r.IntN(5) {
		ends := r.Perm(n)[:2+r.IntN(2)]
		join := []string{}
		for side, i := range ends {
			if side == 1 && some(6) { // a host at the end
				fmt.Fprintf(&end, "host h%d 10.9.%d.2/28 gateway 10.9.%d.1\n", k, k, k)
				join = append(join, fmt.Sprintf("h%d", k))
				continue
			}
			if side == 1 && some(6) { // a router that has no other address
				fmt.Fprintf(&end, "router b%d\n  port x 10.9.%d.2/28\nflow to-b%d r%d -> b%d\n", k, k, k, ends[0], k)
				join = append(join, fmt.Sprintf("b%d.x", k))
				continue
			}
			spare(k, i, side)
			join = append(join, fmt.Sprintf("r%d.x%d", i, k))
		}
		if len(join) == 2 {
			fmt.Fprintf(&end, "link %s\n", strings.Join(join, " "))
		} else {
			fmt.Fprintf(&end, "segment spare%d %s\n", k, strings.Join(join, " "))
		}
		if some(4) {
			more[ends[0]] += fmt.Sprintf("  static 10.%d.0.0/16 via 10.9.%d.2 preference %d\n", []int{60 + k, 255, 9}[r.IntN(3)], k, 1+r.IntN(200))
		}
		if some(6) {
			more[ends[0]] += fmt.Sprintf("  static 10.9.%d.0/28 blackhole\n", k)
		}
		if some(6) {
			more[r.IntN(n)] += fmt.Sprintf("  static 10.9.%d.0/28 blackhole preference 200\n", k)
		}
		if some(5) {
			fmt.Fprintf(&end, "check \"c%d\"\n  expect reach r%d -> r%d\n", k, r.IntN(n), ends[0])
		}
		if some(6) {
			fmt.Fprintf(&end, "check \"d%d\"\n  expect route r%d 10.9.%d.0/28\n", k, ends[0], k)
		}
	}
	if !strings.Contains(text, "instance") && some(2) {
		for i := range n {
			more[i] += "  bgp as 64500\n"
			if some(3) {
				more[i] += "    inject static\n"
			} else if some(6) {
				more[i] += "    inject connected\n"
			}
			for k := range n {
				if k != i && (i+k)%5 != 4 {
					more[i] += fmt.Sprintf("    peer 10.255.0.%d as 64500\n      local-address lo\n", k+1)
				}
			}
			if some(3) {
				more[i] += fmt.Sprintf("  static 10.%d.0.0/16 blackhole\n", 100+i)
			}
		}
		if some(4) {
			end.WriteString("check \"up\"\n  expect neighbour r0 r1 Established\n")
		}
	} else if some(4) && strings.Count(text, "\n  ospf\n") == 0 {
		more[r.IntN(n)] += "  ospf\n    inject " + []string{"connected", "static"}[r.IntN(2)] + "\n"
	}
	for k := range r.IntN(4) { // ducts and racks, of one thing or of several
		fmt.Fprintf(&end, "risk-group \"g%d\"\n", k)
		what := r.IntN(4)
		if what != 0 {
			fmt.Fprintf(&end, "  links r%d.e%d\n", 1, r.IntN(2))
		}
		if what == 0 || some(4) {
			fmt.Fprintf(&end, "  devices r%d\n", r.IntN(n))
		}
		if strings.Contains(text, "segment s ") && some(3) {
			end.WriteString("  segments s\n")
		}
	}
	for i, m := range more {
		head := fmt.Sprintf("router r%d\n", i)
		text = strings.Replace(text, head, head+m, 1)
	}
	return text + end.String()
}

// TestWhatIsArguedIsWhatTryingSays: what follows from the network is what a trial finds, in every figure.
func TestWhatIsArguedIsWhatTryingSays(t *testing.T) {
	rounds := 60
	if n, err := strconv.Atoi(os.Getenv("ORACLE")); err == nil {
		rounds = n
	}
	argued, tried := map[failure.Kind]int{}, map[failure.Kind]int{}
	kinds := append([]failure.Kind{failure.OneWay}, failure.Kinds...)
	look := func(text, name string, r *rand.Rand) {
		h := testlabs.Acted(t, text)
		for range r.IntN(3) { // what is broken already
			h, _ = byHand(t, h, single(r, failure.Of(h.Head(), h.Lab(), failure.Kinds)))
		}
		s, err := sweep.New(h, nil)
		if err != nil {
			require.ErrorContains(t, err, "not at rest", name)
			return
		}
		list := s.Failures(kinds)
		for i, f := range list {
			found, err := sweep.Branch(s, list, i, 1, nil)
			require.NoError(t, err, name)
			got := found[0]
			if got.Argued == "" {
				tried[f.Kind]++
				continue
			}
			argued[f.Kind]++
			want, err := s.Unargued(f)
			require.NoError(t, err)
			want.Argued = got.Argued
			require.Equal(t, want, got, "%s: %s\n%s", name, f.Name, text)
		}
	}
	for round := range rounds {
		r := rand.New(rand.NewPCG(uint64(round), 1901))
		look(idleLab(r), fmt.Sprintf("round %d", round), r)
	}
	for _, d := range demo.Labs() {
		look(d.Text, d.Slug, rand.New(rand.NewPCG(1, 1)))
	}
	t.Logf("argued %v, tried %v", argued, tried)
	for _, k := range []failure.Kind{failure.Link, failure.Silence, failure.Port, failure.Segment, failure.OneWay, failure.Session, failure.Group} {
		require.Positive(t, argued[k], k)
		require.Positive(t, tried[k], k)
	}
}
