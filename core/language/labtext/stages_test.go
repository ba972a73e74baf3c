package labtext

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
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
