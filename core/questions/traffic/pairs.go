package traffic

import (
	"cmp"
	"slices"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
)

// Pairs is what an action did between all hosts and loopbacks of a lab.
type Pairs struct {
	Of      int       `json:"of" doc:"pairs there are"`
	Out     []PairOut `json:"out" doc:"pairs that were out for a time, the longest first; at most 2000"`
	Total   int       `json:"total" doc:"pairs that were out for a time"`
	Loops   []Loop    `json:"loops" doc:"forwarding loops that were there for a time"`
	Longest float64   `json:"longest" doc:"seconds of the longest outage of a pair"`
}

// PairOut is a pair that was out for a time.
type PairOut struct {
	From    string   `json:"from"`
	To      string   `json:"to"`
	Seconds float64  `json:"seconds" doc:"in all"`
	Where   []string `json:"where" doc:"devices at which packets ended"`
	Outages []Outage `json:"outages"`
}

// maxPairs bounds the pairs that are shown.
const maxPairs = 2000

// ends are the devices between which pairs are looked at: hosts, and routers with
// a loopback.
func ends(s *history.Step) (out []*device.Device) {
	for _, d := range s.After.Devices() {
		if d.Gone() || !d.Config().Address().IsValid() {
			continue
		}
		loop := slices.ContainsFunc(d.Config().Ports,
			func(p config.Port) bool { return p.Loopback && p.Address.IsValid() && p.Instance == "" })
		if d.Kind() == config.Host || loop {
			out = append(out, d)
		}
	}
	return out
}

// PairsOf follows packets from every host and loopback to every other through a
// step, as OutagesOf does for the flows, and finds the loops that there were. stop
// is that of OutagesOf.
func PairsOf(s *history.Step, last bool, stop func() bool) Pairs {
	out := Pairs{Out: []PairOut{}, Loops: []Loop{}}
	var loops map[circled]*circling
	out.Of, loops = eachPair(s, ends(s), nil, stop, func(f *follower, from, to *device.Device) {
		if x, ok := f.pair(from, to, last); ok {
			out.Out = append(out.Out, x)
		}
	})
	slices.SortStableFunc(out.Out, func(a, b PairOut) int { return cmp.Compare(b.Seconds, a.Seconds) })
	out.Total = len(out.Out)
	if out.Total > 0 {
		out.Longest = out.Out[0].Seconds
	}
	out.Out = out.Out[:min(len(out.Out), maxPairs)]
	for _, c := range loops {
		out.Loops = append(out.Loops, c.loop(s))
	}
	slices.SortFunc(out.Loops, func(a, b Loop) int {
		return cmp.Or(cmp.Compare(a.From, b.From),
			cmp.Compare(strings.Join(a.Devices, " "), strings.Join(b.Devices, " ")))
	})
	return out
}

// eachPair visits the pairs of some devices of which packets may be lost in a step, with a follower of their packets; it says how many
// pairs there are, and finds the loops. ground, if not nil, is that of the network before the step. stop is that of OutagesOf.
func eachPair(s *history.Step, all []*device.Device, ground *Ground, stop func() bool, visit func(f *follower, from, to *device.Device)) (of int, loops map[circled]*circling) {
	loops = map[circled]*circling{}
	calm := quietOf(s)
	var sure *steady
	var suspects suspects
	if ground != nil && ground.base == s.Before {
		suspects = calm.suspectsOf()
	} else {
		ground = nil
	}
	f := toward(s, ip.Addr{})
	f.lean, f.ground = true, ground
	isEnd := make([]bool, len(s.After.Devices()))
	for _, d := range all {
		isEnd[d.ID()] = true
	}
	for _, to := range all {
		dst := ip.AddrFrom(to.Config().Address())
		sure = calm.toward(dst, sure)
		if ground != nil {
			sure.on(ground, &suspects)
		}
		f.another(dst)
		f.calm = sure
		of += len(all) - 1
		for _, n := range sure.senders() {
			from := s.After.Device(n.dev)
			if !isEnd[n.dev] || from == to {
				continue
			}
			if stop != nil && stop() {
				return of, nil
			}
			visit(f, from, to)
		}
		f.loops(to.Name(), sure.doubtful(), loops)
	}
	return of, loops
}

// pair are the outages of one pair.
func (f *follower) pair(from, to *device.Device, last bool) (PairOut, bool) {
	x := PairOut{From: from.Name(), To: to.Name(), Where: []string{}, Outages: []Outage{}}
	end := f.step.End
	for _, p := range f.all(from.ID(), last) {
		addOutage(&x.Outages, p, last && p.hi >= end)
		x.Seconds += (p.hi - p.lo).Seconds()
		if p.at != "" && !slices.Contains(x.Where, p.at) {
			x.Where = append(x.Where, p.at)
		}
	}
	return x, len(x.Outages) > 0
}
