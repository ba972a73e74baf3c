package network_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/language/labtext"
	"hellebore/demo"
)

// TestARenameKeepsIdentity renames routers, hosts and ports of a running
// network: nothing happens in it, and afterwards everything goes by its new
// name.
func TestARenameKeepsIdentity(t *testing.T) {
	text := demo.Text("triangle-with-ospf")
	for name, words := range map[string][]string{
		"a router":           {"quarry", "pit"},
		"a host":             {"kiosk", "counter"},
		"two at once":        {"quarry", "pit", "summit", "top"},
		"a port":             {"port e2 10.0.13.1/30", "port south 10.0.13.1/30", "link viaduct.e2", "link viaduct.south", "silence viaduct.e2", "silence viaduct.south"},
		"its flow goes with": {"booth", "counter"},
	} {
		t.Run(name, func(t *testing.T) {
			w := build(t, text)
			settle(t, w)
			notes, changes, tables := w.Notes(), w.ForwardingChanges(), table(w, "viaduct")
			r := labtext.Parse(strings.NewReplacer(words...).Replace(text))
			require.True(t, r.OK(), "%v", r.Problems)
			w.Configure(&r.Lab)
			settle(t, w)
			require.Equal(t, notes, w.Notes(), "nothing is noted")
			require.Equal(t, changes, w.ForwardingChanges())
			require.Equal(t, tables, strings.ReplaceAll(table(w, "viaduct"), "south", "e2"))
			for i := range r.Lab.Devices {
				require.NotNil(t, w.Find(r.Lab.Devices[i].Name))
			}
		})
	}
}

// TestANameThatWentCanBeTakenOver renames a router to the name of one that was
// taken out before.
func TestANameThatWentCanBeTakenOver(t *testing.T) {
	text := demo.Text("triangle-with-ospf")
	with := text + "router halt\n  port e1 10.0.99.1/30\n"
	w := build(t, with)
	settle(t, w)
	for _, next := range []string{text, strings.ReplaceAll(text, "quarry", "halt"), text, with} {
		r := labtext.Parse(next)
		require.True(t, r.OK(), "%v", r.Problems)
		w.Configure(&r.Lab)
		settle(t, w)
		fresh := build(t, next)
		settle(t, fresh)
		require.Equal(t, table(fresh, "viaduct"), table(w, "viaduct"))
		for _, d := range r.Lab.Devices {
			require.Equal(t, d, *w.Find(d.Name).Config())
		}
	}
}
