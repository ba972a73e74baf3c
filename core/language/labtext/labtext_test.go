package labtext

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/language/config"
	"hellebore/demo"
)

// TestProblems reads testdata: each problem is a comment in the text,
// behind the line where it must be reported: "#! error 12: message; hint" with
// the column.
func TestProblems(t *testing.T) {
	files, err := filepath.Glob("testdata/*.lab")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	expectation := regexp.MustCompile(`\s*#! (error|warning) (\d+): (.*)$`)
	for _, file := range files {
		b, err := os.ReadFile(file)
		require.NoError(t, err)
		var want, lines []string
		for i, l := range strings.Split(string(b), "\n") {
			for {
				m := expectation.FindStringSubmatchIndex(l)
				if m == nil {
					break
				}
				for _, one := range strings.Split(l[m[0]:], "#! ")[1:] {
					severity, rest, _ := strings.Cut(strings.TrimSpace(one), " ")
					want = append(want, fmt.Sprintf("%s %d:%s", severity, i+1, rest))
				}
				l = l[:m[0]]
			}
			lines = append(lines, l)
		}
		var got []string
		for _, p := range Parse(strings.Join(lines, "\n")).Problems {
			got = append(got, fmt.Sprintf("%s %s", p.Severity, p))
		}
		sort.Strings(want)
		sort.Strings(got)
		require.Equal(t, strings.Join(want, "\n"), strings.Join(got, "\n"), file)
	}
}

func TestDemoLabsAreInOrder(t *testing.T) {
	require.Empty(t, demo.Unlisted())
	for _, l := range demo.Labs() {
		r := Parse(l.Text)
		require.True(t, r.OK(), "%s: %v", l.Slug, r.Problems)
		formatted, ok := Format(l.Text)
		require.True(t, ok)
		require.Equal(t, formatted, l.Text, "%s is not in canonical form", l.Slug)
	}
}

func TestValuesOfAText(t *testing.T) {
	r := Parse(`lab "x"
router a router-id 10.0.0.9
  port e1 192.0.2.1/24 bandwidth 2.5G ospf area 0.0.0.1 cost 7 hello-interval 2s
    mtu 9000
  static 0.0.0.0/0 via 192.0.2.2 preference 250
  ospf reference-bandwidth 40G
host h 192.0.2.7/24
link a.e1 h delay 1500us loss 2.5%
flow f h -> a every 20ms
`)
	require.True(t, r.OK(), r.Problems)
	a := r.Lab.Device("a")
	require.Equal(t, "10.0.0.9", a.RouterID.String())
	p := a.Port("e1")
	require.Equal(t, uint64(2_500_000_000), p.Bandwidth)
	require.Equal(t, uint16(9000), p.MTU)
	require.Equal(t, uint16(7), p.OSPF.Cost)
	require.Equal(t, uint32(1), p.OSPF.Area)
	require.Equal(t, "8s", FormatDuration(p.OSPF.DeadInterval), "four hello intervals")
	require.Equal(t, uint16(7), a.OSPF.CostOf(p))
	p.OSPF.Cost = 0
	require.Equal(t, uint16(16), a.OSPF.CostOf(p))
	require.Equal(t, uint8(250), a.Statics[0].Preference)
	require.Equal(t, config.Link{A: config.PortRef{Device: "a", Port: "e1"}, B: config.PortRef{Device: "h", Port: "nic"},
		Delay: 1_500_000, Loss: 25_000}, r.Lab.Links[0])
	require.Equal(t, Place{3, 8}, r.Places["a.e1"])
}

// TestFormatIsStable writes random statements in random layouts: formatting
// changes no meaning, and formatting twice nothing at all.
func TestFormatIsStable(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := randomText(t)
		before := Parse(text)
		once, ok := Format(text)
		require.True(t, ok, text)
		after := Parse(once)
		require.Equal(t, before.OK(), after.OK(), "%s\n---\n%s", text, once)
		require.Equal(t, before.Lab, after.Lab, "%s\n---\n%s", text, once)
		twice, _ := Format(once)
		require.Equal(t, once, twice, "from\n%s", text)
		require.Equal(t, strings.Count(text, "#"), strings.Count(once, "#"), "a comment is lost")
	})
}

func randomText(t *rapid.T) string {
	var b strings.Builder
	flip := func() bool { return rapid.Bool().Draw(t, "flip") }
	extra := func() {
		if rapid.IntRange(0, 4).Draw(t, "extra") == 0 {
			b.WriteString(rapid.SampledFrom([]string{"\n", "# a remark\n", "   # indented\n", "\n\n# after a gap\n\n"}).Draw(t, "filler"))
		}
	}
	line := func(s string) {
		b.WriteString(s)
		if rapid.IntRange(0, 5).Draw(t, "comment") == 0 {
			b.WriteString("   # why")
		}
		b.WriteString("\n")
		extra()
	}
	for i := range rapid.IntRange(0, 4).Draw(t, "routers") {
		extra()
		line(fmt.Sprintf("router r%d", i))
		for j := range rapid.IntRange(0, 3).Draw(t, "ports") {
			head := fmt.Sprintf("  port e%d 10.%d.%d.1/24", j, i, j)
			if flip() {
				head += " bandwidth 100M"
			}
			switch rapid.IntRange(0, 3).Draw(t, "layout") {
			case 0:
				line(head + " ospf area 0 cost 5 passive")
			case 1:
				line(head)
				line("      ospf area 1 hello-interval 3s")
				line("        cost 9")
			case 2:
				line(head + " ospf")
				line("    area 2")
				line("    mtu 1400")
			default:
				line(head)
				line("    disabled")
			}
		}
		if flip() {
			line("  ospf reference-bandwidth 1G")
		}
	}
	return b.String()
}

func TestComplete(t *testing.T) {
	text := "router viaduct\n  port e1 10.0.0.1/30\n    ospf area 0\n  port e2 10.0.0.5/30\nhost kiosk 10.1.0.1/24\n"
	at := func(line string) []string {
		lines := text + line
		n := strings.Count(lines, "\n") + 1
		var out []string
		for _, s := range Complete(lines, n, len(line)+1).Suggestions {
			out = append(out, s.Label)
		}
		return out
	}
	require.Equal(t, []string{"lab", "plan", "template", "defaults", "router", "key-chain", "prefix-set", "host", "link", "segment", "flow", "risk-group", "policy", "as-path-set", "community-set", "tag-set", "neighbour-set", "check", "brief"}, at(""))
	require.Equal(t, []string{"router"}, at("ro"))
	require.Equal(t, []string{"viaduct.e1", "viaduct.e2", "kiosk"}, at("link "))
	require.Equal(t, []string{"viaduct.e1", "viaduct.e2"}, at("link kiosk vi"))
	require.Equal(t, []string{"->"}, at("flow f kiosk "))
	require.Equal(t, []string{"0"}, at("router x\n  port e1 10.0.0.9/30 ospf area "))
	require.Equal(t, []string{"hello-interval"}, at("router x\n  port e1 10.0.0.9/30 ospf area 0 hel"))
	require.Contains(t, at("router x\n  port e1 10.0.0.9/30 ospf area 0 "), "bandwidth", "a word of the port may follow too")
	require.NotContains(t, at("router x\n  port e1 10.0.0.9/30 ospf area 0 "), "area", "it stands already")
	require.Empty(t, at("router x # rou"))
}

func TestDifferencesAreByMeaning(t *testing.T) {
	before := Parse("router a\n  port e1 10.0.0.1/30\n    ospf area 0\n  port e2 10.0.0.5/30\n").Lab
	same := Parse("# moved\nrouter a port e1 10.0.0.1/30 bandwidth 1G ospf area 0.0.0.0 hello-interval 10s\n  port e2 10.0.0.5/30\n").Lab
	require.Empty(t, Differences(&before, &same))
	after := Parse("router a\n  port e1 10.0.0.1/30\n    ospf area 0 cost 40\n  router-id 10.0.0.1\nhost h 10.0.0.6/30\n").Lab
	var got []string
	for _, c := range Differences(&before, &after) {
		got = append(got, c.String()+" ("+c.Effect+")")
	}
	require.Equal(t, []string{
		"a router-id: 10.0.0.1 (restarts the OSPF process)",
		"a.e1 ospf cost: 10 -> 40 (re-originates the router LSA)",
		"a.e2 removed (changes routes)",
		"h added (changes routes)",
	}, got)
}

func TestReferenceIsCurrent(t *testing.T) {
	b, err := os.ReadFile("../../../docs/language.md")
	require.NoError(t, err)
	require.True(t, Reference() == string(b), "docs/language.md is not what the grammar table says: run make docs")
}

func TestOversizedTextIsRefused(t *testing.T) {
	r := Parse(strings.Repeat("#", MaxSize+1))
	require.False(t, r.OK())
	require.Contains(t, r.Problems[0].Hint, "4 MiB")
}

// FuzzParse reads arbitrary text: every problem has a place in it, and nothing
// panics, whatever is asked of the text.
func FuzzParse(f *testing.F) {
	for _, l := range demo.Labs() {
		lines := strings.SplitAfter(l.Text, "\n")
		for _, b := range Outline(l.Text) { // the shorter a text, the more of its kind are tried
			f.Add(strings.Join(lines[b.From-1:b.To], ""))
		}
	}
	f.Fuzz(func(t *testing.T, text string) {
		lines := strings.Count(Normal(text), "\n") + 1
		for _, p := range Parse(text).Problems {
			require.True(t, p.Line >= 1 && p.Line <= lines, "%v", p)
			require.GreaterOrEqual(t, p.Column, 1)
		}
		if once, ok := Format(text); ok {
			twice, ok := Format(once)
			require.True(t, ok)
			require.Equal(t, once, twice)
		}
		Complete(text, lines, 3)
		blocks := Outline(text)
		for i, b := range blocks {
			require.True(t, 1 <= b.From && b.From <= b.Line && b.Line <= b.To && b.To <= lines, "%v", b)
			if i != len(text)%len(blocks) {
				continue // one is enough for a text: others come with other texts
			}
			if b.Kind == "router" {
				_, _ = EditText(text, Edit{Targets: []string{b.Name}, Statement: "static 203.0.113.0/24 blackhole"})
				_, _ = MustDiffer(text, b.Name)
				_, _ = CopyRouter(text, b.Name, map[string]string{b.Name: "copied"})
			}
			_, _, _ = Rename(text, b.Line, 8, "renamed")
		}
		_, _ = Stages("router a\n", text, [][]string{{"a"}, {Shared}})
	})
}

func BenchmarkParse5000Lines(b *testing.B) {
	var text strings.Builder
	for i := range 833 {
		fmt.Fprintf(&text, "router r%d\n  loopback lo 10.255.%d.%d/32\n    ospf area 0 passive\n  port e1 10.%d.%d.1/30\n    ospf area 0\n      cost 10\n",
			i, i/250, i%250, i/250, i%250)
	}
	s := text.String()
	b.ResetTimer()
	for b.Loop() {
		if r := Parse(s); !r.OK() {
			b.Fatal(r.Problems[0])
		}
	}
	b.ReportMetric(float64(strings.Count(s, "\n")), "lines")
}
