package compare

import (
	"fmt"
	"strconv"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/protocols/route"
)

// detail is something that a row says only when nothing else tells its two ends apart.
type detail struct{ name, value string }

// tellApart adds the details that differ to a row whose before and after read alike.
func (r *Row) tellApart(before, after []detail) {
	if r.Before != r.After || r.Before == "" {
		return
	}
	for i := range before {
		if x, y := before[i], after[i]; x.value != y.value {
			r.Before += phrase.Say(", %s %s", x.name, orNone(x.value))
			r.After += phrase.Say(", %s %s", y.name, orNone(y.value))
		}
	}
}

func orNone(s string) string {
	if s == "" {
		return phrase.Text("none")
	}
	return s
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

// restOfSet is what the words of a set of path attributes leave out.
func restOfSet(a *attr.Set) []detail {
	hop, aggregator, originator := "", "", ""
	if a.NextHop.IsValid() {
		hop = a.NextHop.String()
	}
	if a.HasAggregator {
		aggregator = fmt.Sprintf("AS %d, %v", a.AggregatorAS, ip.V4(a.Aggregator))
	}
	if a.Originator != 0 {
		originator = ip.V4(a.Originator).String()
	}
	var clusters, unknown []string
	for _, c := range a.Clusters {
		clusters = append(clusters, ip.V4(c).String())
	}
	for _, u := range a.Unknown {
		unknown = append(unknown, phrase.Say("type %d, %x", u.Type, u.Value))
	}
	atomic := ""
	if a.Atomic {
		atomic = phrase.Text("there")
	}
	return []detail{{phrase.Text("next hop"), hop}, {phrase.Text("origin"), a.Origin.String()},
		{phrase.Text("atomic aggregate"), atomic}, {phrase.Text("aggregator"), aggregator},
		{phrase.Text("originator"), originator}, {phrase.Text("cluster list"), strings.Join(clusters, " ")},
		{phrase.Text("extended communities"), fmt.Sprintf("%x", a.Extended)},
		{phrase.Text("unknown attributes"), strings.Join(unknown, "; ")}}
}
