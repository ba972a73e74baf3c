package labtext

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/config"
)

// TestStagesChangeOneDeviceAfterTheOther makes changes of many routers and goes
// through them in random orders: at each stage the devices that are done say what
// the new text says, and the others what the old one said.
func TestStagesChangeOneDeviceAfterTheOther(t *testing.T) {
	after := strings.NewReplacer("cost 10", "cost 44", "  router-id 10.255.0.2\n", "  router-id 10.255.0.2\n  static 198.51.100.0/24 blackhole\n",
		"host gate 10.20.1.10/24", "host gate 10.20.1.11/24").Replace(editable)
	touched := Touched(editable, after)
	require.Equal(t, []string{"mill", "halt", "gate"}, touched)
	blocks := func(text string) map[string]string {
		out := map[string]string{}
		for _, b := range Outline(text) {
			out[b.key()] = b.canon
		}
		return out
	}
	old, now := blocks(editable), blocks(after)
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed, 1))
		order := [][]string{}
		for _, i := range r.Perm(len(touched)) {
			order = append(order, []string{touched[i]})
		}
		stages, err := Stages(editable, after, order)
		require.NoError(t, err)
		require.Len(t, stages, 3)
		require.Equal(t, after, stages[2])
		done := map[string]bool{}
		for k, text := range stages {
			done[order[k][0]] = true
			require.True(t, Parse(text).OK())
			got := blocks(text)
			require.Len(t, got, len(old))
			for key, canon := range got {
				_, name, _ := strings.Cut(key, " ")
				want := old[key]
				if done[name] {
					want = now[key]
				}
				require.Equal(t, want, canon, "stage %d, %s", k+1, key)
			}
		}
	}
}

func TestWhatIsSharedHasAStageOfItsOwn(t *testing.T) {
	after := strings.NewReplacer("  203.0.113.0/24\n", "  198.51.100.0/24\n", "cost 10", "cost 44", "policy other", "policy another").Replace(editable)
	require.Equal(t, []string{Shared, "mill"}, Touched(editable, after))
	stages, err := Stages(editable, after, [][]string{{"mill"}, {Shared}})
	require.NoError(t, err)
	require.Contains(t, stages[0], "cost 44")
	require.Contains(t, stages[0], "  203.0.113.0/24\n", "the set is as it was")
	require.Contains(t, stages[0], "policy another", "what is new is there from the beginning")
	require.Contains(t, stages[0], "policy other", "what goes is there to the end")
	require.NotContains(t, stages[1], "policy other\n")
	stages, err = Stages(editable, after, [][]string{{Shared}, {"mill"}})
	require.NoError(t, err)
	require.Contains(t, stages[0], "198.51.100.0/24")
	require.Contains(t, stages[0], "cost 10")
}

// TestAPolicyChangesRouterByRouter makes random changes of policies and sets that random
// routers lead to, some by policies and sets of their own, and goes through them in random
// orders: at each stage a router that the order names has what the new text gives it if it
// is done, and what the old one gave it if it is not.
func TestAPolicyChangesRouterByRouter(t *testing.T) {
	copied := 0
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 5))
		net := randomPolicies(r)
		before := net.text()
		net.change(r)
		after := net.text()
		was, is := Parse(before), Parse(after)
		require.True(t, was.OK(), "seed %d: %v\n%s", seed, was.Problems, before)
		require.True(t, is.OK(), "seed %d: %v\n%s", seed, is.Problems, after)
		touched := Touched(before, after)
		for _, d := range is.Lab.Devices {
			if !reflect.DeepEqual(policiesMet(was, d.Name), policiesMet(is, d.Name)) {
				require.Contains(t, touched, d.Name, "seed %d", seed)
			}
		}
		if !slices.Contains(touched, Shared) && r.IntN(2) == 0 && len(policyChangeOf(before, after).now) > 0 {
			touched = append(touched, Shared) // not offered, but understood
		}
		r.Shuffle(len(touched), func(i, k int) { touched[i], touched[k] = touched[k], touched[i] })
		if len(touched) > 2 {
			touched = touched[:2+r.IntN(len(touched)-1)]
		}
		var order [][]string
		for _, name := range touched {
			if len(order) == 0 || r.IntN(3) > 0 {
				order = append(order, nil)
			}
			order[len(order)-1] = append(order[len(order)-1], name)
		}
		if len(order) < 2 {
			continue
		}
		stages, err := Stages(before, after, order)
		require.NoError(t, err, "seed %d", seed)
		done := map[string]bool{}
		for k, text := range stages[:len(stages)-1] {
			for _, name := range order[k] {
				done[name] = true
			}
			now := Parse(text)
			require.True(t, now.OK(), "seed %d", seed)
			for _, name := range touched {
				if name == Shared {
					continue
				}
				want := was
				if done[name] {
					want = is
				}
				require.Equal(t, policiesMet(want, name), policiesMet(now, name), "seed %d, stage %d, %s, order %v\n%s", seed, k+1, name, order, text)
				if len(now.Lab.Device(name).Policies.List) > len(want.Lab.Device(name).Policies.List) {
					copied++
				}
			}
		}
	}
	require.Greater(t, copied, 100)
}

// policiesMet are the policies and sets that a router's statements lead to.
func policiesMet(r *Result, device string) map[string]any {
	d := r.Lab.Device(device)
	p := d.Policies.Over(&r.Lab.Policies)
	out := map[string]any{}
	for key := range reached(d, &p) {
		kind, name, _ := strings.Cut(key, " ")
		switch kind {
		case "policy":
			x := *p.Policy(name)
			x.Own = false
			out[key] = x
		case "prefix-set":
			i := slices.IndexFunc(p.PrefixSets, func(s config.PrefixSet) bool { return s.Name == name })
			out[key] = p.PrefixSets[i]
		case "tag-set":
			i := slices.IndexFunc(p.Tags, func(s config.TagSet) bool { return s.Name == name })
			out[key] = p.Tags[i]
		}
	}
	return out
}

// policyNet is a lab of routers with policies: the names of what is there, and what each
// says. A name's key is its router's, or "" for the lab's.
type policyNet struct {
	routers  []string
	says     map[[2]string]string // owner and "policy p1", its block below the first line
	sessions map[string]string    // by router
}

var ownNames = []string{"policy p0", "policy p1", "policy p2", "policy p3", "prefix-set s0", "prefix-set s1", "prefix-set p4", "tag-set s0"}

func randomPolicies(r *rand.Rand) *policyNet {
	n := &policyNet{says: map[[2]string]string{}, sessions: map[string]string{}}
	for _, name := range ownNames {
		n.says[[2]string{"", name}] = randomBlock(r, name)
	}
	for i := range 2 + r.IntN(4) {
		router := fmt.Sprintf("r%d", i)
		n.routers = append(n.routers, router)
		n.sessions[router] = randomSession(r)
		for _, name := range ownNames {
			if r.IntN(8) == 0 {
				n.says[[2]string{router, name}] = randomBlock(r, name)
			}
		}
	}
	return n
}

// randomBlock is what a policy or set says: a policy asks only those behind it.
func randomBlock(r *rand.Rand, name string) string {
	switch kind, n, _ := strings.Cut(name, " "); kind {
	case "policy":
		conditions := []string{"prefix in s0", "prefix in s1", "tag in s0", "tag = 7"}
		for i := n[1] - '0' + 1; i < 4; i++ {
			conditions = append(conditions, fmt.Sprintf("policy p%d", i))
		}
		return fmt.Sprintf("  statement a\n    where %s\n    set med %d\n    accept\n", conditions[r.IntN(len(conditions))], r.IntN(50))
	case "prefix-set":
		return fmt.Sprintf("  10.%d.0.0/16\n", r.IntN(50))
	default:
		return fmt.Sprintf("  tag %d\n", r.IntN(50))
	}
}

func randomSession(r *rand.Rand) string {
	return fmt.Sprintf("  static 10.0.0.0/8 blackhole\n  bgp as 64500\n    inject static through p%d\n    peer 192.0.2.%d as 64510\n      import-policy p%d\n",
		r.IntN(5), 1+r.IntN(200), r.IntN(4))
}

// change makes a lot of random changes: other contents, other sessions, policies and sets
// of routers that come and go.
func (n *policyNet) change(r *rand.Rand) {
	for _, name := range ownNames {
		if r.IntN(3) == 0 {
			n.says[[2]string{"", name}] = randomBlock(r, name)
		}
	}
	for _, router := range n.routers {
		if r.IntN(4) == 0 {
			n.sessions[router] = randomSession(r)
		}
		for _, name := range ownNames {
			switch r.IntN(12) {
			case 0:
				n.says[[2]string{router, name}] = randomBlock(r, name)
			case 1:
				delete(n.says, [2]string{router, name})
			}
		}
	}
}

func (n *policyNet) text() string {
	var b strings.Builder
	write := func(owner, indent string) {
		for _, name := range ownNames {
			if says, there := n.says[[2]string{owner, name}]; there {
				b.WriteString(indent + name + "\n" + indent + strings.ReplaceAll(strings.TrimSuffix(says, "\n"), "\n", "\n"+indent) + "\n")
			}
		}
	}
	for _, router := range n.routers {
		b.WriteString("router " + router + "\n" + n.sessions[router])
		write(router, "  ")
	}
	write("", "")
	return b.String()
}

func TestLinksComeLastAndGoWithTheirDevices(t *testing.T) {
	after := editable + "router weir\n  port e1 10.0.99.1/30\nrouter ford\n  port e1 10.0.99.2/30\nlink weir.e1 ford.e1\n"
	stages, err := Stages(editable, after, [][]string{{"weir"}, {"ford"}})
	require.NoError(t, err)
	require.Contains(t, stages[0], "router weir")
	require.NotContains(t, stages[0], "router ford")
	require.NotContains(t, stages[0], "link weir.e1")
	back, err := Stages(after, editable, [][]string{{"weir"}, {"ford"}})
	require.NoError(t, err)
	require.NotContains(t, back[0], "weir")
	require.Contains(t, back[0], "router ford")
}

func TestAStageThatLacksWhatItNeedsIsRefused(t *testing.T) {
	after := strings.Replace(editable, "  port e1 10.0.12.1/30 mtu 1400", "  port e9 10.0.12.1/30 mtu 1400", 1)
	after = strings.Replace(after, "link mill.e1", "link mill.e9", 1)
	after = strings.Replace(after, "when cut mill.e1", "when cut mill.e9", 1)
	_, err := Stages(editable, after, [][]string{{"mill"}, {Shared}})
	require.ErrorContains(t, err, "stage 1 (mill) does not work alone: there is no port named mill.e1")
	_, err = Stages(editable, after, [][]string{{"gate"}, {"mill"}})
	require.EqualError(t, err, "the change does not touch gate: take it out of the order")
}
