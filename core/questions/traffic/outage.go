package traffic

import (
	"math"
	"slices"
	"time"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Outage is an interval of send time: packets sent from From on, and before To,
// would not have arrived.
type Outage struct {
	From    float64  `json:"from" doc:"seconds since the lab began"`
	To      *float64 `json:"to" doc:"null if the flow is still out at the end of the action"`
	Packets int      `json:"packets,omitempty" doc:"how many the flow sends in that time, by its interval; absent for one without an end"`
	Cause   string   `json:"cause" doc:"where and why the first of them were lost"`
	Code    string   `json:"code,omitempty" doc:"the reason of that"`
	At      string   `json:"at,omitempty" doc:"the device where that was"`
	// Causes are all reasons in order of time, when there is more than one.
	Causes []string `json:"causes,omitempty"`
}

// FlowOutages are the outages of a flow in one action.
type FlowOutages struct {
	Name    string   `json:"name"`
	From    string   `json:"from"`
	To      string   `json:"to"`
	Before  bool     `json:"outBefore" doc:"it was out when the action began"`
	Still   bool     `json:"stillOut" doc:"it is out at the end of the action"`
	Outages []Outage `json:"outages"`
	Looped  []Outage `json:"looped" doc:"intervals in which packets passed a device twice and still arrived"`
	Paths   []Taken  `json:"paths" doc:"the devices that packets pass, each path from the first packet on that takes it; the first is the path before the action"`
}

// Taken is the path of a flow's packets from a time on, until the next one.
type Taken struct {
	From    float64  `json:"from" doc:"when the first packet that takes it is sent, in seconds since the lab began"`
	Devices []string `json:"devices" doc:"from the sender to the device where they arrive"`
}

// span is how far before an action packets are sent that it may still catch in
// flight. Packets sent in the last span of an action belong to the next one.
const span = event.Second

// OutagesOf are the exact outages of all flows of the lab in a step, last the
// step's being the last one. ARP counts as resolved and random loss as absent.
//
// A packet is followed hop by hop with the delays of the links, meeting each
// table as it is when the packet gets there. All send times are followed at
// once: an interval is split where a device on the way changes its mind, or the
// action falls into a flight, and each part goes on by itself. What comes out
// is exact to the nanosecond. stop, if not nil, is asked now and then whether to
// give up; what comes out then is to be thrown away.
func OutagesOf(s *history.Step, last bool, stop func() bool) []FlowOutages {
	out := []FlowOutages{}
	way := toward(s, ip.Addr{})
	for _, f := range s.After.Flows() {
		if stop != nil && stop() {
			return out
		}
		from, to := s.After.Find(f.From), s.After.Find(f.To)
		if from == nil || to == nil {
			continue
		}
		way.another(ip.AddrFrom(to.Config().Address()))
		row := FlowOutages{Name: f.Name, From: f.From, To: f.To, Outages: []Outage{}, Looped: []Outage{}, Paths: []Taken{}}
		parts := way.all(from.ID(), last)
		if n := len(parts); n > 0 {
			row.Before, row.Still = !parts[0].ok && parts[0].lo < s.Start, !parts[n-1].ok
		}
		var before []node
		for _, p := range parts {
			list := &row.Outages
			if p.ok {
				if !slices.Equal(p.way, before) {
					row.Paths = append(row.Paths, Taken{p.lo.Seconds(), refs(s.After, p.way)})
					before = p.way
				}
				if !p.looped {
					continue
				}
				list = &row.Looped
			}
			addOutage(list, p, last && p.hi >= s.End)
		}
		row.count(f.Every)
		out = append(out, row)
	}
	return out
}

// count says how many packets the outages cost a flow that sends one in every interval.
func (f *FlowOutages) count(every time.Duration) {
	for _, list := range [][]Outage{f.Outages, f.Looped} {
		for i := range list {
			if o := &list[i]; o.To != nil && every > 0 {
				o.Packets = int(math.Ceil((*o.To - o.From) / every.Seconds()))
			}
		}
	}
}

// part is what becomes of packets sent in [lo, hi).
type part struct {
	lo, hi event.Time
	ok     bool
	looped bool
	cause  string
	code   note.Code
	at     string // where they ended
	device string // the device or instance that that is on
	way    []node // that they took, if they arrive
}

// refs are the names of what packets pass.
func refs(w *network.World, way []node) []string {
	out := make([]string, len(way))
	for i, n := range way {
		out[i] = w.Device(n.dev).Name()
		if n.inst != device.Main {
			out[i] = n.in(w).Ref()
		}
	}
	return out
}

func addOutage(list *[]Outage, p part, open bool) {
	to := p.hi.Seconds()
	if n := len(*list); n > 0 {
		o := &(*list)[n-1]
		if o.To != nil && event.FromSeconds(*o.To) == p.lo {
			if len(o.Causes) == 0 {
				o.Causes = []string{o.Cause}
			}
			if o.Causes[len(o.Causes)-1] != p.cause {
				o.Causes = append(o.Causes, p.cause)
			}
			if len(o.Causes) == 1 {
				o.Causes = nil
			}
			o.To = &to
			if open {
				o.To = nil
			}
			return
		}
	}
	o := Outage{From: p.lo.Seconds(), To: &to, Cause: p.cause, At: p.at}
	if p.code != note.None {
		o.Code = p.code.String()
	}
	if open {
		o.To = nil
	}
	*list = append(*list, o)
}

// Turn is a change of forwarding that decides whether packets arrive.
type Turn struct {
	Device   uint32
	Instance uint16
	At       event.Time
}

// TurnOf is the change of forwarding of a step that mended for good what goes from one device
// to another, or if it stays out, that broke it; nil if nothing did, or the action itself. last
// says that no action follows.
func TurnOf(s *history.Step, from, to string, last bool) (*Turn, error) {
	ends := [2]*device.Device{}
	for i, name := range []string{from, to} {
		if ends[i] = s.After.Find(name); ends[i] == nil {
			return nil, phrase.Errorf("there is no device named %s", name)
		}
	}
	f := toward(s, ip.AddrFrom(ends[1].Config().Address()))
	f.turns = map[event.Time]Turn{}
	parts := f.all(ends[0].ID(), last)
	for i := len(parts) - 1; i > 0; i-- {
		if parts[i].ok != parts[i-1].ok {
			if turn, ok := f.turns[parts[i].lo]; ok && turn.At > s.Start {
				return &turn, nil
			}
			return nil, nil
		}
	}
	return nil, nil
}
