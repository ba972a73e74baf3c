package compare

import (
	"fmt"
	"strconv"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
	"hellebore/core/questions/paths"
	"hellebore/core/simulation/network"
)

// detail is something that a row says only when nothing else tells its two ends apart.
type detail struct{ name, value string }

// tellApart adds the details that differ to a row whose before and after read alike; only
// then they are asked for.
func (r *Row) tellApart(details func() (before, after []detail)) {
	if r.Before != r.After || r.Before == "" {
		return
	}
	before, after := details()
	for i := range before {
		if x, y := before[i], after[i]; x.value != y.value {
			r.Before += phrase.Say(", %s %s", x.name, phrase.OrNone(x.value))
			r.After += phrase.Say(", %s %s", y.name, phrase.OrNone(y.value))
		}
	}
}

// restOfRoute is what the words of a route leave out.
func restOfRoute(s route.Source, r route.Route) []detail {
	kind := ""
	switch s {
	case route.OSPF:
		kind = ospf.KindNames[r.Kind]
	case route.BGP:
		kind = bgp.KindNames[r.Kind]
	}
	number := func(v uint32) string { return strconv.FormatUint(uint64(v), 10) }
	return []detail{{phrase.Text("kind"), kind}, {phrase.Text("metric outside"), number(r.Metric2)},
		{phrase.Text("tag"), number(r.Tag)}, {phrase.Text("route preference"), number(uint32(r.Preference))}}
}

// restOfSets is what the words of two sets of path attributes leave out.
func (c *comparer) restOfSets(before, after attr.ID) func() (before, after []detail) {
	return func() (x, y []detail) { return restOfSet(c.before, before), restOfSet(c.after, after) }
}

// restOfSet is what the words of a set of path attributes leave out.
func restOfSet(w *network.World, id attr.ID) []detail {
	a := paths.AttributesOf(w, nil, id)
	atomic := ""
	if a.Atomic {
		atomic = phrase.Text("there")
	}
	return []detail{{phrase.Text("next hop"), a.NextHop}, {phrase.Text("origin"), a.Origin},
		{phrase.Text("atomic aggregate"), atomic}, {phrase.Text("aggregator"), a.Aggregator},
		{phrase.Text("originator"), a.Originator}, {phrase.Text("cluster list"), strings.Join(a.Clusters, " ")},
		{phrase.Text("extended communities"), fmt.Sprintf("%x", w.Attrs().Get(id).Extended)},
		{phrase.Text("unknown attributes"), strings.Join(a.Unknown, "; ")}}
}
