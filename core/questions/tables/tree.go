package tables

import (
	"hellebore/core/ground/ip"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// TreeStep is a link that a shortest-path tree uses.
type TreeStep struct {
	Area     string `json:"area"`
	From     string `json:"from,omitempty" doc:"the port nearer to the root; absent where a segment leads on to a router"`
	To       string `json:"to,omitempty" doc:"the port farther away; absent where the step ends on a segment"`
	Device   string `json:"device,omitempty" doc:"the router that the step reaches; absent for a segment"`
	Cost     uint32 `json:"cost" doc:"of the step"`
	Distance uint32 `json:"distance" doc:"from the root to the end of the step"`
}

// Tree is the shortest-path tree of a router, of all its areas.
type Tree struct {
	Root  string     `json:"root"`
	Runs  uint32     `json:"runs" doc:"how often it was computed since the process started"`
	Steps []TreeStep `json:"steps"`
}

// TreeOf is the shortest-path tree that a router computed last (RFC 2328 16.1).
func TreeOf(w *network.World, name string) (Tree, error) {
	inst, err := facts.InstanceNamed(w, name)
	if err != nil {
		return Tree{}, err
	}
	out := Tree{Root: name, Runs: inst.OSPF().Runs(), Steps: []TreeStep{}}
	byID := facts.RouterIDs(w, inst)
	at := func(router ip.Quad, address ip.Addr) string {
		if byID[router] == nil {
			return ""
		}
		far := byID[router].Device()
		for i := range far.Ports() {
			if p := &far.Ports()[i]; !p.Gone && p.Address() == address {
				return facts.PortName(far, uint32(i))
			}
		}
		return ""
	}
	inst.OSPF().Tree(inst, func(e ospf.TreeEdge) {
		if e.Virtual {
			return // it runs over links that are steps themselves
		}
		s := TreeStep{Area: labtext.FormatArea(e.Area), Cost: e.Cost, Distance: e.Distance}
		if !e.FromNet {
			s.From = at(e.From, e.Address)
		}
		if !e.ToNet {
			s.To = at(e.To, e.ToAddress)
			s.Device = byID.Name(e.To)
		}
		out.Steps = append(out.Steps, s)
	})
	return out, nil
}
