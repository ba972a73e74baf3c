package labtext

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/language/config"
)

// TestANetworkIsBuiltFromNothing builds three routers and two hosts by edits that name
// no address.
func TestANetworkIsBuiltFromNothing(t *testing.T) {
	text := edited(t, "", "new router at 100 100", "new router at 400 100", "new router", "new host", "new host booth",
		"connect viaduct summit", "connect summit quarry", "connect quarry viaduct", "connect viaduct kiosk", "connect booth quarry",
		"run ospf area 0 on viaduct, summit, quarry")
	r := Parse(text)
	require.Empty(t, r.Problems)
	formatted, ok := Format(text)
	require.True(t, ok)
	require.Equal(t, formatted, text)
	require.Equal(t, `router viaduct at 100 100
  loopback lo 10.255.0.1/32
    ospf area 0 passive
  port e1 10.0.0.1/30
    ospf area 0
  port e2 10.0.0.10/30
    ospf area 0
  port lan 10.20.0.1/24
    ospf area 0 passive
`, text[:strings.Index(text, "\nrouter summit")])
	require.Contains(t, text, "host kiosk 10.20.0.10/24 gateway 10.20.0.1\n")
	require.Contains(t, text, "link viaduct.lan kiosk\n")
	// What is added later takes its area from what is there.
	text = edited(t, text, "new router", "connect larches summit", "new segment", "connect larches yard", "connect quarry yard")
	require.Contains(t, text, "router larches\n  loopback lo 10.255.0.4/32\n    ospf area 0 passive\n  port e1 10.0.0.13/30\n    ospf area 0\n")
	require.Contains(t, text, "segment yard larches.e2 quarry.e3\n")
	require.Empty(t, Parse(text).Problems)
}

func TestAddressesComeFromThePlan(t *testing.T) {
	const plan = "plan links 10.9.0.0/24 length 31\nplan links 10.8.0.0/24 area 1\nplan loopbacks 10.7.0.0/30\nplan lans 10.6.0.0/16 length 25\nplan links 10.5.0.0/24 as 64500\n"
	text := edited(t, plan, "new router a", "new router b", "connect a b", "new host h", "connect h a")
	require.Contains(t, text, "port e1 10.9.0.0/31\n")
	require.Contains(t, text, "port e1 10.9.0.1/31\n")
	require.Contains(t, text, "loopback lo 10.7.0.1/32\n")
	require.Contains(t, text, "host h 10.6.0.10/25 gateway 10.6.0.1\n")
	text = edited(t, text, "run ospf area 1 on a, b", "connect a b", "run bgp as 64500 on a, b", "remove a.lo ospf", "remove a.e1 ospf", "remove a.e2 ospf", "remove a.lan ospf", "connect a b")
	require.Contains(t, text, "port e2 10.8.0.1/30\n")
	require.Contains(t, text, "port e3 10.5.0.1/30\n")
	_, err := EditText(text, Edit{Do: ToNew, Statement: "router"}, Edit{Do: ToNew, Statement: "router"})
	require.ErrorContains(t, err, "the plan for loopbacks has no free network in 10.7.0.0/30: add one, for example plan loopbacks 10.128.0.0/16")
	require.Equal(t, "1:12: networks of length 30 do not fit into 10.9.0.0/31; write a length from 31 to 32", Parse("plan links 10.9.0.0/31\n").Problems[0].String())
}

func TestBGPIsRunOnMany(t *testing.T) {
	text := edited(t, "", "new ring 4", "new router skylark", "connect viaduct skylark",
		"run ospf area 0 on viaduct, summit, quarry, larches", "run bgp as 64496 on skylark",
		"run bgp as 64500 on viaduct, summit, quarry, larches reflectors summit", "run ebgp on viaduct, skylark")
	r := Parse(text)
	require.True(t, r.OK())
	for _, p := range r.Problems { // external sessions without a policy are worth a word
		require.Contains(t, p.Message, "has no policy")
	}
	v, s := r.Lab.Device("viaduct").BGP, r.Lab.Device("summit").BGP
	require.Equal(t, uint32(64500), v.AS)
	require.Len(t, v.Peers, 2)
	require.Len(t, s.Peers, 3)
	require.True(t, s.Peers[0].Client && s.Peers[2].Client)
	inside := slices.IndexFunc(v.Peers, func(p config.Peer) bool { return p.AS == 64500 })
	require.True(t, v.Peers[inside].NextHopSelf)
	require.Equal(t, "lo", v.Peers[inside].Local)
	require.False(t, s.Peers[0].NextHopSelf, "summit is not at the border")
	require.Equal(t, uint32(64496), v.Peers[1-inside].AS)
	mesh := Parse(edited(t, "", "new mesh 3", "run bgp as 64500 on viaduct, summit, quarry"))
	for _, d := range mesh.Lab.Devices {
		require.Len(t, d.BGP.Peers, 2)
	}
}

func TestShapes(t *testing.T) {
	for shape, links := range map[string]int{"line 4": 3, "ring 6": 6, "ring 2": 1, "star 5": 4, "mesh 5": 10, "grid 3x4": 17, "tiers 2x3": 6} {
		text := edited(t, "", "new "+shape+" at 500 400")
		r := Parse(text)
		require.True(t, r.OK(), "%s: %v", shape, r.Problems)
		require.Len(t, r.Lab.Links, links, shape)
		at := map[string]bool{}
		for _, d := range r.Lab.Devices {
			require.True(t, d.At.Set)
			at[d.At.String()] = true
		}
		require.Len(t, at, len(r.Lab.Devices), "%s: two are in one place", shape)
	}
	for words, says := range map[string]string{"new": "write new router", "new ring": "write new router", "new grid 4": "write new router", "new ring 3x3": "write new router",
		"new mesh 65": "2 to 64 routers", "new line 1": "2 to 64 routers", "new router a at 5": "write at X Y", "new router a at x y": "two whole numbers", "new router a b c": "write new router",
		"connect a": "write connect A B", "connect mill mill": "is not connected to itself", "connect mil halt": "did you mean mill?", "run ospf": "write run ospf area 0 on A, B",
		"run ospf area x on mill": `"x" is not an area`, "run bgp as x on mill": `"x" is not an AS number`, "run ebgp on mill, halt": "halt is in no AS", "run ospf on gate": "gate is no router",
		"connect gate mill": "", "new router mill": "router mill is there already"} {
		e, err := ParseEdit(words)
		if err == nil {
			_, err = EditText(editable, e)
		}
		if says == "" {
			require.NoError(t, err)
			continue
		}
		require.ErrorContains(t, err, says, words)
	}
	_, err := EditText("router a\n  prot e1\n", Edit{Do: ToNew, Statement: "router"})
	require.ErrorContains(t, err, "mend line 2 of the text first")
}

// TestWhateverIsBuiltHasNoErrors builds at random: no name and no address is taken
// twice, and the formatter agrees.
func TestWhateverIsBuiltHasNoErrors(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := ""
		if rapid.Bool().Draw(t, "on a demo") {
			text = aDemo(t)
		}
		was := map[string]bool{}
		for _, p := range Parse(text).Problems {
			was[p.Message] = true
		}
		canonical, _ := Format(text)
		canonicalBefore := canonical == text
		for range rapid.IntRange(1, 8).Draw(t, "gestures") {
			var names []string
			for _, b := range Outline(text) {
				if b.Kind == "router" || b.Kind == "host" || b.Kind == "segment" {
					names = append(names, b.Name)
				}
			}
			words := rapid.SampledFrom([]string{"new router", "new host", "new segment", "new ring 3", "new tiers 2x2", "connect", "connect", "connect", "run ospf area 0 on"}).Draw(t, "gesture")
			if strings.HasPrefix(words, "connect") || strings.HasPrefix(words, "run") {
				if len(names) < 2 {
					continue
				}
				a, b := rapid.SampledFrom(names).Draw(t, "a"), rapid.SampledFrom(names).Draw(t, "b")
				words += " " + a
				if strings.HasPrefix(words, "run") {
					words += ","
				}
				words += " " + b
			}
			e, err := ParseEdit(words)
			if err != nil {
				t.Fatal(words, err)
			}
			after, err := EditText(text, e)
			if err != nil {
				continue // it says why
			}
			before := text
			text = after
			for _, p := range Parse(text).Problems {
				// Two networks that used the same address apart from each other are joined: that is for a person to decide.
				if address, _, also := strings.Cut(p.Message, " is also"); also && used(before, address) > 1 {
					continue
				}
				if p.Severity == Error || !was[p.Message] && (strings.Contains(p.Message, "is also") || strings.Contains(p.Message, "the subnet differs")) {
					t.Fatalf("%s: %v\n%s", words, p, text)
				}
			}
		}
		if formatted, ok := Format(text); canonicalBefore && (!ok || formatted != text) {
			t.Fatalf("the formatter writes\n%v", Hunks(text, formatted))
		}
	})
}

// used is how many ports of a text have an address: a template gives it to several.
func used(text, address string) (n int) {
	r := Parse(text)
	for _, d := range r.Lab.Devices {
		for _, p := range d.Ports {
			if p.Address.IsValid() && p.Address.Addr().String() == address {
				n++
			}
		}
	}
	return n
}

func TestASketchDrawsADraft(t *testing.T) {
	s := SketchOf(edited(t, editable, "new router at -40 90", "connect viaduct mill", "new segment at 3 4", "connect gate yard"))
	require.Equal(t, SketchDevice{Name: "viaduct", Kind: "router", Address: "10.255.0.3", Areas: []string{"0"}, At: &SketchPoint{-40, 90}}, s.Devices[2])
	require.Equal(t, SketchLink{"viaduct.e1", "mill.e2"}, s.Links[1])
	require.Equal(t, SketchSegment{"yard", []string{"gate"}, &SketchPoint{3, 4}}, s.Segments[0])
	require.Empty(t, SketchOf("router a b c").Links)
}

// TestPlansSayWhatIsUsed counts the networks of plans: of one size, of others, twice the
// same, and of a plan that is all taken.
func TestPlansSayWhatIsUsed(t *testing.T) {
	const text = "plan links 10.0.0.0/28 length 30 area 1\nplan lans 10.20.0.0/22\nrouter mill\n  loopback lo 10.255.0.1/32\n" +
		"  port e1 10.0.0.1/30\n  port e2 10.0.0.9/29\n  port lan 10.20.1.1/24\n  port desk 10.20.1.129/25\nrouter halt\n  port e1 10.0.0.2/30\n"
	require.Equal(t, []PlanUse{
		{For: "links", Prefix: "10.0.0.0/28", Scope: "area 1", Length: 30, Used: 3, Total: 4, Next: "10.0.0.4/30", Given: true},
		{For: "lans", Prefix: "10.20.0.0/22", Length: 24, Used: 1, Total: 4, Next: "10.20.0.0/24", Given: true},
		{For: "loopbacks", Prefix: "10.255.0.0/16", Length: 32, Used: 1, Total: 65536, Next: "10.255.0.2/32"},
	}, PlansOf(new(Parse(text).Lab)))
	full := Parse("plan links 10.0.0.0/28\nrouter mill\n  port e1 10.0.0.1/24\n").Lab
	require.Equal(t, PlanUse{For: "links", Prefix: "10.0.0.0/28", Length: 30, Used: 4, Total: 4, Given: true}, PlansOf(&full)[0])
}
