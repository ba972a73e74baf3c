package relations

import (
	"cmp"
	"slices"
	"strings"

	"hellebore/core/questions/facts"
)

// Ask is which adjacencies and sessions are asked for. The zero value asks for all.
type Ask struct {
	Devices  []string // those with an end on one of them; none for all
	Wrong    bool     // only those that are not up, or have something to say
	Down     bool     // only those that are not up
	Protocol string   // "ospf" or "bgp"; "" for both
	Find     string   // only those that have this in a name, an address or their state
	Sort     string   // "" for what is not up first, "since" for the latest change first, "name"
	Offset   int
	Limit    int // 0 for all
}

// Neighbours is a part of the adjacencies and sessions, and what there is of them on the devices that were asked for.
type Neighbours struct {
	Neighbours  []Neighbour `json:"neighbours"`
	Offset      int         `json:"offset" doc:"of the first of them, among those that were found"`
	Found       int         `json:"found" doc:"that are what was asked for"`
	Adjacencies int         `json:"adjacencies" doc:"of OSPF, on the devices that were asked for"`
	Full        int         `json:"full" doc:"of those"`
	TwoWay      int         `json:"twoWay" doc:"of those that are at 2-Way, as they should"`
	Sessions    int         `json:"sessions" doc:"of BGP, on the devices that were asked for"`
	Established int         `json:"established" doc:"of those"`
	Down        int         `json:"down" doc:"adjacencies and sessions that are not up"`
}

// Part is the part of some rows that is asked for.
func (a Ask) Part(rows []Neighbour) Neighbours {
	out := Neighbours{Neighbours: []Neighbour{}, Offset: a.Offset}
	find := strings.ToLower(a.Find)
	found := []Neighbour{}
	for i := range rows {
		n := &rows[i]
		if len(a.Devices) > 0 && !slices.Contains(a.Devices, n.A.Device) && !slices.Contains(a.Devices, n.B.Device) {
			continue
		}
		out.count(n)
		if a.Wrong && n.Up && len(n.Reasons) == 0 || a.Down && n.Up || a.Protocol != "" && n.Protocol != a.Protocol ||
			find != "" && !strings.Contains(n.words(), find) {
			continue
		}
		found = append(found, *n)
	}
	switch a.Sort {
	case "since":
		slices.SortStableFunc(found, func(x, y Neighbour) int { return cmp.Compare(y.Since, x.Since) })
	case "name":
		slices.SortStableFunc(found, func(x, y Neighbour) int {
			return cmp.Or(facts.CompareNames(x.A.Device, y.A.Device), facts.CompareNames(x.B.Device, y.B.Device))
		})
	}
	out.Found = len(found)
	found = found[min(a.Offset, len(found)):]
	if a.Limit > 0 {
		found = found[:min(a.Limit, len(found))]
	}
	out.Neighbours = append(out.Neighbours, found...)
	return out
}

func (p *Neighbours) count(n *Neighbour) {
	switch {
	case n.Protocol == "bgp":
		p.Sessions++
		if n.Up {
			p.Established++
		}
	default:
		p.Adjacencies++
		switch {
		case n.State == "Full":
			p.Full++
		case n.Up:
			p.TwoWay++
		}
	}
	if !n.Up {
		p.Down++
	}
}

// words are what a row is found by.
func (n *Neighbour) words() string {
	var words []string
	for _, e := range []struct{ device, instance, port, address, id string }{
		{n.A.Device, n.A.Instance, n.A.Port, n.A.Address, n.A.RouterID}, {n.B.Device, n.B.Instance, n.B.Port, n.B.Address, n.B.RouterID}} {
		words = append(words, e.device+"."+e.port, e.instance, e.address, e.id)
	}
	return strings.ToLower(strings.Join(append(words, n.State, n.Segment), " "))
}
