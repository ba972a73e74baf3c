package questions_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/testlabs"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// shownCodes are the reasons that views show now, each with the fixes that they offer;
// what is only in the past is not among them.
func shownCodes(w *network.World) map[string][]facts.Fix {
	seen := map[string][]facts.Fix{}
	add := func(code string, fixes []facts.Fix) {
		code, _, _ = strings.Cut(code, "-mill") // a fault's code names the port that it is at
		code, _, _ = strings.Cut(code, "-halt")
		if _, ok := seen[code]; !ok || seen[code] == nil {
			seen[code] = fixes
		}
	}
	for _, p := range tables.PortsOf(w, tables.PortsAsk{}).Ports {
		if p.Why != nil {
			add(p.Why.Code, p.Why.Fixes)
		}
	}
	for _, n := range relations.NeighboursOf(w) {
		for _, r := range n.Reasons {
			add(r.Code, r.Fixes)
		}
	}
	for id := range w.Shared().Prefixes.Len() {
		p := w.Shared().Prefixes.Prefix(id)
		for _, r := range paths.PathsTo(w, netip.Prefix(p.Netip()), "").Routers {
			for _, x := range r.Paths {
				add(x.Code, x.Fixes)
			}
			for _, x := range r.Sent {
				add(x.Code, x.Fixes)
			}
		}
	}
	return seen
}

// noFix are reasons with a remedy that nobody can carry out for somebody else, with
// the word that says so; and those that only the past shows.
var noFix = map[note.Code]string{
	note.UpdateTooLong: "which of them nobody needs",
}

// templated is a text in which all that is below a port, a loopback or a peer, and a whole
// bgp block, is in a template of its own; but for sub-ports, whose names fixes change.
func templated(text string) string {
	var out, templates []string
	indent := func(s string) int { return len(s) - len(strings.TrimLeft(s, " ")) }
	lines := strings.Split(text, "\n")
	for i := 0; i < len(lines); i++ {
		word, _, _ := strings.Cut(strings.TrimSpace(lines[i]), " ")
		end := i + 1
		for end < len(lines) && lines[end] != "" && indent(lines[end]) > indent(lines[i]) {
			end++
		}
		below := strings.Join(lines[i+1:end], "\n")
		if word == "bgp" && indent(lines[i]) == 2 {
			name := fmt.Sprintf("b%d", i)
			for at := len(out) - 1; at >= 0; at-- {
				if strings.HasPrefix(out[at], "router ") {
					out[at] += " like " + name
					break
				}
			}
			templates = append(append(templates, "template "+name), lines[i:end]...)
			i = end - 1
			continue
		}
		takes := indent(lines[i]) > 0 && !strings.Contains(below, "vlan ") && (word == "port" || word == "loopback" || word == "peer" && !strings.Contains(lines[i], " group"))
		if !takes || end == i+1 {
			out = append(out, lines[i])
			continue
		}
		name := fmt.Sprintf("t%d", i)
		out = append(out, lines[i]+" like "+name)
		templates = append(templates, "template "+name)
		for _, l := range lines[i+1 : end] {
			templates = append(templates, l[indent(lines[i]):])
		}
		i = end - 1
	}
	return strings.Join(append(out, templates...), "\n") + "\n"
}

// sameWithTemplates makes a fix in a text whose ports and peers have what they say from
// templates: the fix does the same there.
func sameWithTemplates(t *testing.T, text string, want *config.Lab, edits []labtext.Edit) {
	t.Helper()
	was, same := labtext.Parse(text), labtext.Parse(templated(text))
	require.True(t, same.OK(), "%v in\n%s", same.Problems, templated(text))
	require.Empty(t, labtext.Differences(&was.Lab, &same.Lab))
	after, err := labtext.EditText(templated(text), edits...)
	if len(edits) > 0 && edits[0].Do == labtext.ToRename && err != nil { // what a template names is named there, for all that take it
		require.ErrorContains(t, err, "of its own: template ")
		return
	}
	require.NoError(t, err, "%v in\n%s", edits, templated(text))
	r := labtext.Parse(after)
	require.True(t, r.OK(), "%v in\n%s", r.Problems, after)
	require.Empty(t, labtext.Differences(want, &r.Lab), "%v in\n%s", edits, after)
}

// firstFixMends applies the first fix that is offered for a reason with a remedy: the
// reason goes away.
func firstFixMends(t *testing.T, w *network.World, text string, do func(*network.World), code note.Code) {
	t.Helper()
	if code.Info().Remedy == "" {
		return
	}
	shown := shownCodes(w)
	fixes, ok := shown[code.String()]
	if code == note.PortIsDown { // it is what an adjacency went down for; the port says why
		fixes, ok = shown[note.LinkCut.String()]
	}
	require.True(t, ok, "no view shows it now")
	require.NotEmpty(t, fixes, "it has a remedy and no fix")
	fix := fixes[0]
	if says, ok := noFix[code]; ok {
		require.Contains(t, fix.Why, says)
		return
	}
	require.Empty(t, fix.Why)
	require.NotEmpty(t, append(fix.Edits, fix.Action), "the fix is empty")
	var edits []labtext.Edit
	for _, e := range fix.Edits {
		x, err := labtext.ParseEdit(e)
		require.NoError(t, err, e)
		edits = append(edits, x)
	}
	after, err := labtext.EditText(text, edits...)
	require.NoError(t, err, fix.Edits)
	r := labtext.Parse(after)
	require.True(t, r.OK(), "%v: %v", fix.Edits, r.Problems)
	sameWithTemplates(t, text, &r.Lab, edits)
	now := testlabs.Settled(t, after) // as if it had been right from the start
	if do != nil {
		do(now)
		require.Equal(t, network.Settled, now.Settle(1e6, nil))
	}
	if len(fix.Edits) > 0 {
		w.Configure(&r.Lab) // and mended while it runs
	}
	if fix.Action != "" {
		for _, x := range []*network.World{w, now} {
			a, err := history.ParseAction(fix.Action)
			require.NoError(t, err, fix.Action)
			require.NoError(t, a.Perform(x, &r.Lab), fix.Action)
		}
	}
	for _, x := range []*network.World{w, now} {
		require.Equal(t, network.Settled, x.Settle(4e6, nil), fix)
		after := shownCodes(x)
		if code == note.PortIsDown {
			code = note.LinkCut
		}
		_, still := after[code.String()]
		require.False(t, still, "%v does not mend it", fix)
	}
}
