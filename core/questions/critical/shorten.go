package critical

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// Remedy is edits that may shorten a path, and what they are about.
type Remedy struct {
	Says  string   `json:"says"`
	Edits []string `json:"edits"`
	wait  time.Duration
	// Unsure says that it helps in some networks only: it is worth saying where it does.
	Unsure bool `json:"-"`
}

// The times that remedies set: what is usual where convergence matters.
const (
	quickHello  = time.Second
	quickDead   = config.DeadFactor * quickHello
	quickHold   = 9 * time.Second
	quickResend = time.Second
	quickRetry  = 5 * time.Second
)

// quickSPF are delays of the SPF computation where convergence matters more than the work that it makes. The first two go
// together: an early computation that has seen the LSA of one end of a link only is followed by one that waits for the
// short delay.
var quickSPF = []struct {
	word  string
	delay time.Duration
}{{"spf-initial-delay", 10 * time.Millisecond}, {"spf-short-delay", 20 * time.Millisecond}, {"spf-long-delay", time.Second}}

// Remedies are edits of settings that the path waited for, those of the longest wait first,
// and all of them together. w is a world in which the path was.
func (p *Chain) Remedies(w *network.World) []Remedy {
	var out []Remedy
	add := func(r Remedy) {
		if i := slices.IndexFunc(out, func(o Remedy) bool { return slices.Equal(o.Edits, r.Edits) }); i >= 0 {
			out[i].wait += r.wait
		} else if len(r.Edits) > 0 {
			out = append(out, r)
		}
	}
	for i := range p.Links {
		l := &p.Links[i]
		took := time.Duration(l.Took * 1e9)
		switch l.Kind {
		case "dead-interval", "hello-interval", "election":
			add(Remedy{Says: phrase.Say("send hellos every %s", labtext.FormatDuration(quickHello)), Edits: quicker(w, l), wait: took})
		case "retransmit-interval", "exchange", "request":
			if l.Setting != "" && l.RFC != "" && l.Port != "" {
				add(Remedy{Says: phrase.Text("send again sooner what nobody acknowledged"), Edits: []string{fmt.Sprintf("%s.%s retransmit-interval %s", l.Device, l.Port, labtext.FormatDuration(quickResend))}, wait: took})
			}
		case "spf-delay":
			add(Remedy{Says: phrase.Text("compute the shortest paths sooner"), Edits: soonerSPF(w, l), wait: took})
		case "connect-retry":
			if at, _, ok := strings.Cut(l.Setting, " connect-retry "); ok {
				add(Remedy{Says: phrase.Text("try again sooner to connect"), Edits: []string{at + " connect-retry " + labtext.FormatDuration(quickRetry)}, wait: took})
			}
		case "hold-time":
			if session, _, ok := strings.Cut(l.Setting, " "); ok {
				add(Remedy{Says: phrase.Say("hold the session for %s only", labtext.FormatDuration(quickHold)), Edits: []string{session + " hold-time " + labtext.FormatDuration(quickHold)}, wait: took})
			}
		case "update", "decision":
			for _, r := range append(nextHops(w), backup(w)) {
				add(r)
			}
		case "min-advertisement-interval":
			for _, r := range append(nextHops(w), backup(w)) {
				add(r)
			}
			if session, _, ok := strings.Cut(l.Setting, " "); ok {
				add(Remedy{Says: phrase.Text("send UPDATEs at once"), Edits: []string{session + " min-advertisement-interval 0s"}, wait: took})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Remedy) int { return cmp.Compare(b.wait, a.wait) })
	if len(out) > 1 {
		all := Remedy{Says: phrase.Text("all of these")}
		for _, r := range out {
			if r.Unsure {
				continue
			}
			for _, e := range r.Edits {
				if !slices.Contains(all.Edits, e) {
					all.Edits = append(all.Edits, e)
				}
			}
		}
		if !slices.ContainsFunc(out, func(o Remedy) bool { return slices.Equal(o.Edits, all.Edits) }) {
			out = append(out, all)
		}
	}
	return out
}

// nextHops are edits that have the routers at the border announce themselves inside as the next hop of what they learn
// outside, or no longer: then OSPF, which may be faster than BGP, says when an external link is gone.
func nextHops(w *network.World) []Remedy {
	var on, off []string
	for _, inst := range facts.AllInstances(w) {
		c := &inst.Config().BGP
		external := slices.ContainsFunc(c.Peers, func(p config.Peer) bool { return p.AS != c.AS && !p.Disabled })
		for i := range c.Peers {
			p := &c.Peers[i]
			if !external || p.AS != c.AS || p.Disabled {
				continue
			}
			session := fmt.Sprintf("%s/%v next-hop-self", inst.Ref(), p.Address)
			if p.NextHopSelf {
				off = append(off, session+" off")
			} else {
				on = append(on, session)
			}
		}
	}
	return []Remedy{{Says: phrase.Text("announce the border routers as next hops"), Edits: on, Unsure: true},
		{Says: phrase.Text("keep the next hops that neighbours announce"), Edits: off, Unsure: true}}
}

// backup are edits that have the routers at the border announce their best external path inside although another router's
// is better: the others then have it when they need it.
func backup(w *network.World) Remedy {
	r := Remedy{Says: phrase.Text("announce the backup paths inside before they are needed"), Unsure: true}
	for _, inst := range facts.AllInstances(w) {
		c := &inst.Config().BGP
		of := func(external bool) bool {
			return slices.ContainsFunc(c.Peers, func(p config.Peer) bool { return !p.Disabled && c.External(&p) == external })
		}
		if !c.BestExternal && of(true) && of(false) {
			r.Edits = append(r.Edits, inst.Ref()+" bgp best-external on")
		}
	}
	return r
}

// soonerSPF are edits that have all routers wait for less before they compute the shortest paths: RFC 8405 section 7 wants
// the same delays everywhere.
func soonerSPF(w *network.World, l *Wait) (out []string) {
	long := strings.Contains(l.Setting, quickSPF[2].word)
	usual := config.DefaultSPFDelays
	for _, q := range quickSPF {
		if long != (q.word == quickSPF[2].word) {
			continue
		}
		var on []string
		same := true
		for _, inst := range facts.AllInstances(w) {
			is := *labtext.SPFDelay(&inst.Config().OSPF.SPF, q.word)
			if inst.OSPF().Running() && is > q.delay {
				on = append(on, inst.Ref())
				same = same && is == *labtext.SPFDelay(&usual, q.word)
			}
		}
		if same { // nobody has a delay of its own
			on = on[:min(len(on), 1)]
			for i := range on {
				on[i] = "defaults"
			}
		} else {
			on = []string{strings.Join(on, ", ") + " ospf"}
		}
		for _, where := range on {
			out = append(out, fmt.Sprintf("%s %s %s", where, q.word, labtext.FormatDuration(q.delay)))
		}
	}
	return out
}

// quicker are edits that have all routers on what a port is joined to send hellos more often:
// their intervals must agree (RFC 2328 10.5).
func quicker(w *network.World, l *Wait) []string {
	device, _, _ := strings.Cut(l.Device, "/")
	d := w.Find(device)
	if d == nil {
		return nil
	}
	i, ok := d.Port(l.Port)
	if !ok || d.Ports()[i].Config.OSPF.DeadInterval <= quickDead {
		return nil
	}
	ports := []string{config.PortRef{Device: device, Port: l.Port}.String()}
	for _, far := range w.Facing(d.ID(), i) {
		x := w.Device(far.Device)
		if c := x.Ports()[far.Port].Config; c.OSPF.On && x.Kind() == config.Router {
			ports = append(ports, config.PortRef{Device: x.Name(), Port: c.Name}.String())
		}
	}
	on := strings.Join(ports, ", ")
	return []string{fmt.Sprintf("%s hello-interval %s", on, labtext.FormatDuration(quickHello)),
		fmt.Sprintf("%s dead-interval %s", on, labtext.FormatDuration(quickDead))}
}
