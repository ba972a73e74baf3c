package playback

import (
	"cmp"
	"slices"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Hunt is how the routers that run BGP chose among the paths of a prefix, until they settled.
type Hunt struct {
	Prefix  string       `json:"prefix"`
	Routers []HuntRouter `json:"routers" doc:"those that had a path at some time; those that changed most often first"`
}

// HuntRouter is what one router had as its best path, one after the other.
type HuntRouter struct {
	Router string   `json:"router" doc:"with its instance"`
	Bests  []Chosen `json:"bests" doc:"the first is what it had when the stretch began"`
}

// Chosen is a best path from a time on.
type Chosen struct {
	At     float64 `json:"at" doc:"seconds since the lab began"`
	None   bool    `json:"none,omitempty" doc:"it had no path"`
	ASPath string  `json:"asPath" doc:"nearest AS first; empty for a path of the own AS"`
	From   string  `json:"from,omitempty" doc:"the peer that sent it; absent for a path of its own"`
}

// hunter watches the best paths of one prefix.
type hunter struct {
	prefix  ip.Prefix
	from    event.Time
	w       *network.World
	routers map[string]*[]Chosen
	// What was handled last, and when: it is looked at before the next event is handled.
	all    bool
	device uint32
	at     event.Time
}

// HuntOf is how the best paths of a prefix change from one time to another, both included (RFC 4271 section 9.1.2 chooses
// them). stop, if not nil, is asked now and then whether to give up.
func HuntOf(h *history.History, prefix ip.Prefix, from, to event.Time, stop func() bool) (Hunt, error) {
	x := &hunter{prefix: prefix, from: from, routers: map[string]*[]Chosen{}}
	if err := h.Again(from, to, x.begin, stop); err != nil {
		return Hunt{}, err
	}
	x.end()
	out := Hunt{Prefix: prefix.String(), Routers: []HuntRouter{}}
	for name, bests := range x.routers {
		if len(*bests) > 1 || !(*bests)[0].None {
			out.Routers = append(out.Routers, HuntRouter{name, *bests})
		}
	}
	slices.SortFunc(out.Routers, func(a, b HuntRouter) int {
		return cmp.Or(cmp.Compare(len(b.Bests), len(a.Bests)), cmp.Compare(a.Router, b.Router))
	})
	return out, nil
}

// begin looks at all routers of a world that begins to run, and once more when the action is done with which it begins.
func (x *hunter) begin(w *network.World) {
	x.end()
	x.w, x.all, x.at = w, true, max(w.Now(), x.from)
	w.Watch = x
	x.look()
	x.all = true
}

// end looks at what a world that has run did last.
func (x *hunter) end() {
	if x.w != nil {
		x.look()
	}
}

// Queued and Handled make a hunter a network.Watcher.
func (x *hunter) Queued(event.Event) {}

// Handled looks at the device of the event before, which is done: no other device has changed since.
func (x *hunter) Handled(e event.Event) {
	x.look()
	x.device, x.at = e.Dest, max(e.At, x.from)
}

// look writes down what the device that was handled last has as its best path, or all have.
func (x *hunter) look() {
	devices := x.w.Devices()
	if !x.all {
		if int(x.device) >= len(devices) {
			return
		}
		devices = devices[x.device : x.device+1]
	}
	x.all = false
	for _, d := range devices {
		for i := range d.Instances() {
			x.note(&d.Instances()[i])
		}
	}
}

// note writes down what an instance has as its best path, if that is new.
func (x *hunter) note(inst *device.Instance) {
	name := inst.Ref()
	bests := x.routers[name]
	if running := !inst.Device().Gone() && inst.BGP().Running(); !running && bests == nil {
		return
	}
	c := Chosen{At: x.at.Seconds(), None: true}
	if id, known := x.w.Shared().Prefixes.Find(x.prefix); known && inst.BGP().Running() {
		best, peer := inst.BGP().BestAttributes(id)
		if a := x.w.Attrs().Get(best); a != nil {
			c.None, c.ASPath = false, a.Path.String()
			if peer.IsValid() {
				c.From = peer.String()
				if far := x.w.Holder(inst, peer); far != nil {
					c.From = far.Ref()
				}
			}
		}
	}
	if bests == nil {
		x.routers[name] = &[]Chosen{c}
		return
	}
	n := len(*bests)
	if last := (*bests)[n-1]; last.None == c.None && last.ASPath == c.ASPath && last.From == c.From {
		return
	}
	*bests = append(*bests, c)
}

// Words is a best path in a few words.
func (c *Chosen) Words() string {
	switch {
	case c.None:
		return phrase.Text("no path")
	case c.From == "":
		return phrase.Text("its own path")
	case c.ASPath == "":
		return phrase.Say("from %s", c.From)
	}
	return phrase.Say("%s from %s", c.ASPath, c.From)
}
