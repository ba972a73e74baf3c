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
	"hellebore/core/simulation/network"
)

// Remedy is edits that may shorten a path, and what they are about.
type Remedy struct {
	Says  string   `json:"says"`
	Edits []string `json:"edits"`
	wait  time.Duration
}

// The times that remedies set: what is usual where convergence matters.
const (
	quickHello  = time.Second
	quickDead   = config.DeadFactor * quickHello
	quickHold   = 9 * time.Second
	quickResend = time.Second
)

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
			add(Remedy{phrase.Say("send hellos every %s", labtext.FormatDuration(quickHello)), quicker(w, l), took})
		case "retransmit-interval", "exchange", "request":
			if l.Setting != "" && l.RFC != "" && l.Port != "" {
				add(Remedy{phrase.Text("send again sooner what nobody acknowledged"),
					[]string{fmt.Sprintf("%s.%s retransmit-interval %s", l.Device, l.Port, labtext.FormatDuration(quickResend))}, took})
			}
		case "hold-time":
			if session, _, ok := strings.Cut(l.Setting, " "); ok {
				add(Remedy{phrase.Say("hold the session for %s only", labtext.FormatDuration(quickHold)),
					[]string{session + " hold-time " + labtext.FormatDuration(quickHold)}, took})
			}
		case "min-advertisement-interval":
			if session, _, ok := strings.Cut(l.Setting, " "); ok {
				add(Remedy{phrase.Text("send UPDATEs at once"), []string{session + " min-advertisement-interval 0s"}, took})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Remedy) int { return cmp.Compare(b.wait, a.wait) })
	if len(out) > 1 {
		all := Remedy{Says: phrase.Text("all of these")}
		for _, r := range out {
			for _, e := range r.Edits {
				if !slices.Contains(all.Edits, e) {
					all.Edits = append(all.Edits, e)
				}
			}
		}
		out = append(out, all)
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
		if c := &x.Ports()[far.Port].Config; c.OSPF.On && x.Kind() == config.Router {
			ports = append(ports, config.PortRef{Device: x.Name(), Port: c.Name}.String())
		}
	}
	on := strings.Join(ports, ", ")
	return []string{fmt.Sprintf("%s hello-interval %s", on, labtext.FormatDuration(quickHello)),
		fmt.Sprintf("%s dead-interval %s", on, labtext.FormatDuration(quickDead))}
}
