package traffic

import (
	"cmp"
	"slices"

	"hellebore/core/language/config"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// Load is how much traffic leaves a device by a port, of all flows that say their rate.
type Load struct {
	Port    string   `json:"port" doc:"by which the traffic leaves a device"`
	Rate    uint64   `json:"rate" doc:"bit/s"`
	Percent float64  `json:"percent" doc:"of the port's bandwidth"`
	Flows   []string `json:"flows" doc:"that it is of"`
}

// LoadsOf is what each port carries that carries something, the fullest first. A flow that does not arrive loads what it passes
// until it is lost.
func LoadsOf(w *network.World) []Load {
	type sum struct {
		load      Load
		bandwidth uint64
	}
	by := map[string]*sum{}
	for _, f := range w.Flows() {
		if f.Rate == 0 {
			continue
		}
		p := flowPath(w, f.From, f.To)
		for _, h := range p.Hops {
			d := w.Find(h.Device)
			if d == nil || h.Out == "" {
				continue
			}
			name := config.PortRef{Device: h.Device, Port: h.Out}.String()
			s := by[name]
			if s == nil {
				s = &sum{load: Load{Port: name}}
				if i, ok := d.Port(h.Out); ok {
					s.bandwidth = d.Ports()[i].Config.Bandwidth
				}
				by[name] = s
			}
			s.load.Rate += f.Rate
			s.load.Flows = append(s.load.Flows, f.Name)
		}
	}
	out := []Load{}
	for _, s := range by {
		if s.bandwidth > 0 {
			s.load.Percent = 100 * float64(s.load.Rate) / float64(s.bandwidth)
		}
		out = append(out, s.load)
	}
	slices.SortFunc(out, func(a, b Load) int {
		return cmp.Or(cmp.Compare(b.Percent, a.Percent), cmp.Compare(b.Rate, a.Rate), facts.CompareNames(a.Port, b.Port))
	})
	return out
}
