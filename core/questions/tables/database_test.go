package tables_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/tables"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// TestWhoHoldsAnLSA holds what the Database view says of copies against each router's database, while LSAs are still on their way
// and links are down: who lacks one, and who has another instance.
func TestWhoHoldsAnLSA(t *testing.T) {
	missing, others := 0, 0
	for _, slug := range []string{"tarn-valley", "three-areas", "valley-line", "shared-cable"} {
		r := labtext.Parse(demo.Text(slug))
		require.True(t, r.OK())
		w := network.New()
		w.Configure(&r.Lab)
		for step := range 60 {
			w.RunUntil(w.Now()+event.Second/10, 1<<30)
			if step == 40 { // somebody misses what comes now
				w.Settle(1<<30, nil)
				m := w.Media()[0]
				w.Cut(m.Ends[0].Device, m.Ends[0].Port)
			}
			for _, a := range tables.DatabaseOf(w).Areas {
				same := true
				for _, l := range a.LSAs {
					versions := map[string][]string{} // holders by instance
					var without []string
					for _, inst := range facts.AllInstances(w) {
						name, has := inst.Ref(), ""
						inst.OSPF().Database(inst, func(v ospf.LSAView) {
							at := labtext.FormatArea(v.Area)
							if v.AS {
								at = ""
							}
							if k := v.Header.Key; at == a.Area && k.Type == l.Number && k.ID.String() == l.ID && k.Router.String() == l.Router {
								has = fmt.Sprintf("%s %#04x", facts.Sequence(v.Header.Seq), v.Header.Checksum)
							}
						})
						switch {
						case has != "":
							versions[has] = append(versions[has], name) // also one that has left the area
						case slices.Contains(a.Routers, name):
							without = append(without, name)
						}
					}
					require.Equal(t, len(without), len(l.Missing), "%s at %v: %s", slug, w.Now(), l.Says)
					require.True(t, slices.Equal(without, l.Missing))
					most := 0
					for _, holders := range versions {
						most = max(most, len(holders))
					}
					require.Len(t, versions[l.Sequence+" "+l.Checksum], most)
					require.Len(t, l.Others, len(versions)-1, "%s %v %v: %+v %v", slug, w.Now(), a.Routers, l, versions)
					for _, o := range l.Others {
						require.Equal(t, versions[o.Sequence+" "+o.Checksum], o.Holders)
					}
					missing, others = missing+len(without), others+len(l.Others)
					same = same && len(without) == 0 && len(l.Others) == 0
				}
				require.Equal(t, same, a.Same)
			}
		}
	}
	require.Greater(t, missing, 100)
	require.Greater(t, others, 20)
}
