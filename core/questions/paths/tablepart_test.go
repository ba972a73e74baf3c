package paths_test

import (
	"bytes"
	"encoding/csv"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/ip"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// TestAPartOfATableIsOfTheWhole puts tables together from parts of any size, with and without something looked for, grouped and not:
// they are the whole table, and what is not there does not have it in it.
func TestAPartOfATableIsOfTheWhole(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 18))
	rows := 0
	for _, w := range []*network.World{testlabs.Settled(t, demo.Text("two-carriers")), testlabs.Settled(t, demo.Text("tarn-valley")),
		testlabs.Settled(t, testlabs.Fed("feed 150 within 10.64.0.0/10"))} {
		for _, d := range w.Devices() {
			inst := d.Main()
			if !inst.BGP().Running() {
				continue
			}
			peers := []ip.Addr{{}}
			inst.BGP().Peers(func(v bgp.PeerView) { peers = append(peers, v.Address) })
			for _, peer := range peers {
				for _, way := range []string{paths.In, paths.Out} {
					rows += partsOf(t, r, w, inst, peer, way)
				}
			}
		}
	}
	require.Greater(t, rows, 1000)
}

func partsOf(t *testing.T, r *rand.Rand, w *network.World, inst *device.Instance, peer ip.Addr, way string) int {
	whole := paths.RouterTable(w, inst).In
	if peer.IsValid() {
		table, err := paths.SessionTable(w, inst, peer)
		require.NoError(t, err)
		if whole = table.In; way == paths.Out {
			whole = table.Out
		}
	}
	has := func(x paths.TableRow, find string) bool {
		words := []string{x.Prefix, x.Why, x.From, x.NextHop}
		if x.Path != nil {
			words = append(words, x.Path.ASPath+" "+strings.Join(x.Path.Communities, " ")+" "+x.NextHop)
		}
		return slices.ContainsFunc(words, func(s string) bool { return strings.Contains(strings.ToLower(s), strings.ToLower(find)) })
	}
	for _, find := range []string{"", "64", "skylark", "best", "no such thing"} {
		for _, by := range append([]string{""}, paths.Groupings...) {
			var got []paths.TableRow
			heading, left := "", 0
			lines := -1
			for at := 0; lines < 0 || at < lines; {
				part, err := paths.TablePartOf(w, inst, paths.TableAsk{Peer: peer, Way: way, Find: find, By: by, Offset: at, Limit: 1 + r.IntN(40)})
				require.NoError(t, err)
				require.True(t, lines < 0 || lines == part.Lines)
				lines = part.Lines
				require.True(t, len(part.Part) > 0 || lines == 0)
				at += len(part.Part)
				for _, l := range part.Part {
					if l.Row == nil {
						require.Zero(t, left, "%s has fewer rows than it says", heading)
						heading, left = l.Group, l.Rows
						continue
					}
					left--
					got = append(got, *l.Row)
				}
				stages := 0
				for _, s := range part.Stages {
					stages += s.Rows
				}
				require.Equal(t, len(whole), stages)
			}
			if by == "" {
				left = 0
			}
			require.Zero(t, left)
			for _, x := range whole {
				is := slices.ContainsFunc(got, func(o paths.TableRow) bool { return o.Prefix == x.Prefix })
				switch plain := (paths.TableRow{Prefix: x.Prefix, Path: x.Path, NextHop: x.NextHop}); {
				case has(plain, find), x.Stage != "sent" && has(x, find):
					require.True(t, is, "%s %v %s: %q by %q lacks %s", inst.Ref(), peer, way, find, by, x.Prefix)
				case x.Stage != "withheld": // which may be found by the path that is not sent
					require.False(t, is, "%s %v %s: %q by %q has %s", inst.Ref(), peer, way, find, by, x.Prefix)
				}
			}
			if find == "" {
				require.ElementsMatch(t, whole, append([]paths.TableRow{}, got...))
			}
			if by == "" {
				require.True(t, slices.IsSortedFunc(got, func(a, b paths.TableRow) int {
					return netip.MustParsePrefix(a.Prefix).Addr().Compare(netip.MustParsePrefix(b.Prefix).Addr())
				}))
			}
		}
	}
	var b bytes.Buffer
	require.NoError(t, paths.TableCSV(&b, w, inst, paths.TableAsk{Peer: peer, Way: way}))
	lines, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	require.Len(t, lines, len(whole)+1)
	return len(whole)
}

// TestAPrefixFindsWhatIsAroundIt looks for addresses and prefixes.
func TestAPrefixFindsWhatIsAroundIt(t *testing.T) {
	w := testlabs.Settled(t, testlabs.Fed("feed 300 within 10.64.0.0/10"))
	inst := w.Find("inner").Main()
	all := paths.RouterTable(w, inst).In
	for _, x := range all[:40] {
		p := ip.PrefixFrom(netip.MustParsePrefix(x.Prefix))
		for _, find := range []string{x.Prefix, p.Addr.String()} {
			part, err := paths.TablePartOf(w, inst, paths.TableAsk{Find: find, Limit: 500})
			require.NoError(t, err)
			require.True(t, slices.ContainsFunc(part.Part, func(l paths.TableLine) bool { return l.Row.Prefix == x.Prefix }), find)
			require.Less(t, part.Found, len(all)/2, find)
		}
	}
	_, err := paths.TablePartOf(w, inst, paths.TableAsk{By: "colour", Limit: 1})
	require.ErrorContains(t, err, `rows are not grouped by "colour"; take one of: next hop, `)
}
