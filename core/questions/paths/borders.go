package paths

import (
	"cmp"
	"slices"
	"strings"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Borders is what an AS and its neighbour ASes send each other: a row for each prefix,
// a column for each neighbour AS.
type Borders struct {
	AS         uint32        `json:"as" doc:"0 if no AS has an external session"`
	ASes       []uint32      `json:"ases" doc:"that have external sessions, the one with most routers first"`
	Neighbours []NeighbourAS `json:"neighbours"`
	Rows       []BorderRow   `json:"rows"`
	Omitted    int           `json:"omitted" doc:"prefixes beyond the bound"`
}

// NeighbourAS is a neighbour AS.
type NeighbourAS struct {
	AS       uint32          `json:"as"`
	Name     string          `json:"name" doc:"its devices that we have sessions with"`
	Sessions []BorderSession `json:"sessions"`
}

// BorderSession is a session across the border.
type BorderSession struct {
	Device string `json:"device" doc:"ours"`
	Peer   string `json:"peer"`
	With   string `json:"with"`
	Up     bool   `json:"up"`
}

// BorderRow is a prefix, and what crosses the border for it.
type BorderRow struct {
	Prefix string       `json:"prefix"`
	Cells  []BorderCell `json:"cells" doc:"one for each neighbour AS"`
}

// BorderCell is what one neighbour AS sends of a prefix, and is sent.
type BorderCell struct {
	Received *Crossing `json:"received,omitempty" doc:"absent if the neighbour AS sends none"`
	Sent     *Crossing `json:"sent,omitempty" doc:"absent if it is sent none"`
}

// Crossing is a prefix that crosses a border in one direction.
type Crossing struct {
	Path     string   `json:"path" doc:"the AS path, nearest AS first; of several the shortest"`
	Sessions int      `json:"sessions" doc:"how many it crosses"`
	Of       int      `json:"of" doc:"sessions with this neighbour AS that are up"`
	State    string   `json:"state" enum:"best,accepted,refused,sent" doc:"received: what became of the best of them"`
	Why      string   `json:"why,omitempty" doc:"received: why it is refused"`
	By       []string `json:"by" doc:"our routers that it crosses at"`
}

// maxBorderRows bounds the matrix.
const maxBorderRows = 5000

// column is a neighbour AS while the matrix is made.
type column struct {
	as       uint32
	sessions []crossingSession
}

type crossingSession struct {
	at *device.Instance
	v  bgp.PeerView
}

// BordersOf is the matrix of an AS; 0 is the AS with the most routers.
func BordersOf(w *network.World, as uint32) (Borders, error) {
	out := Borders{ASes: outward(w), Neighbours: []NeighbourAS{}, Rows: []BorderRow{}}
	switch {
	case as == 0 && len(out.ASes) == 0:
		return out, nil
	case as == 0:
		as = out.ASes[0]
	case !slices.Contains(out.ASes, as):
		return out, phrase.Errorf("AS %d has no external session in this lab", as)
	}
	out.AS = as
	columns := columnsOf(w, as)
	prefixes := map[uint32]bool{}
	for _, c := range columns {
		n := NeighbourAS{AS: c.as, Sessions: []BorderSession{}}
		var names []string
		for _, s := range c.sessions {
			with := facts.PeerName(w, s.at, s.v)
			n.Sessions = append(n.Sessions, BorderSession{s.at.Ref(), s.v.Address.String(), with, s.v.State == bgp.Established})
			if !slices.Contains(names, with) {
				names = append(names, with)
			}
			speaker := s.at.BGP()
			for id := range speaker.Prefixes() {
				if _, in := speaker.In(s.v.Number, id); in || speaker.Sent(s.v.Number, id) != 0 {
					prefixes[id] = true
				}
			}
		}
		n.Name = strings.Join(names, ", ")
		out.Neighbours = append(out.Neighbours, n)
	}
	ids := make([]uint32, 0, len(prefixes))
	for id := range prefixes {
		ids = append(ids, id)
	}
	slices.SortFunc(ids, func(a, b uint32) int {
		return w.Shared().Prefixes.Prefix(a).Compare(w.Shared().Prefixes.Prefix(b))
	})
	if len(ids) > maxBorderRows {
		out.Omitted = len(ids) - maxBorderRows
		ids = ids[:maxBorderRows]
	}
	for _, id := range ids {
		row := BorderRow{Prefix: w.Shared().Prefixes.Prefix(id).String(), Cells: make([]BorderCell, len(columns))}
		for i, c := range columns {
			row.Cells[i] = c.cell(w, id)
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// outward are the ASes that have external sessions, the one with most routers first.
func outward(w *network.World) []uint32 {
	routers, external := map[uint32]int{}, map[uint32]bool{}
	for _, inst := range facts.AllInstances(w) {
		if s := inst.BGP(); s.Running() {
			routers[s.AS()]++
			s.Peers(func(v bgp.PeerView) { external[s.AS()] = external[s.AS()] || v.External })
		}
	}
	out := []uint32{}
	for as, is := range external {
		if is {
			out = append(out, as)
		}
	}
	slices.SortFunc(out, func(a, b uint32) int { return cmp.Or(cmp.Compare(routers[b], routers[a]), cmp.Compare(a, b)) })
	return out
}

func columnsOf(w *network.World, as uint32) []column {
	var out []column
	for _, inst := range facts.AllInstances(w) {
		s := inst.BGP()
		if !s.Running() || s.AS() != as {
			continue
		}
		s.Peers(func(v bgp.PeerView) {
			if !v.External {
				return
			}
			i := slices.IndexFunc(out, func(c column) bool { return c.as == v.Config.AS })
			if i < 0 {
				i, out = len(out), append(out, column{as: v.Config.AS})
			}
			out[i].sessions = append(out[i].sessions, crossingSession{inst, v})
		})
	}
	slices.SortFunc(out, func(a, b column) int { return cmp.Compare(a.as, b.as) })
	return out
}

// cell is what crosses the border with a neighbour AS for a prefix.
func (c *column) cell(w *network.World, id uint32) (out BorderCell) {
	up := 0
	for _, s := range c.sessions {
		if s.v.State == bgp.Established {
			up++
		}
	}
	add := func(to **Crossing, s crossingSession, set attr.ID, state, why string) {
		a := w.Attrs().Get(set)
		if a == nil {
			return
		}
		path := a.Path.String()
		if *to == nil {
			*to = &Crossing{Path: path, Of: up, State: state, Why: why, By: []string{}}
		}
		x := *to
		if len(strings.Fields(path)) < len(strings.Fields(x.Path)) {
			x.Path = path
		}
		if rank[state] < rank[x.State] {
			x.State, x.Why = state, why
		}
		x.Sessions++
		if !slices.Contains(x.By, s.at.Ref()) {
			x.By = append(x.By, s.at.Ref())
		}
	}
	for _, s := range c.sessions {
		speaker := s.at.BGP()
		if row, ok := speaker.In(s.v.Number, id); ok {
			_, from, _ := speaker.Best(id)
			switch {
			case row.Accepted == 0:
				add(&out.Received, s, row.Raw, "refused", row.Why.Info().What)
			case from == s.v.Number:
				add(&out.Received, s, row.Raw, "best", "")
			default:
				add(&out.Received, s, row.Raw, "accepted", "")
			}
		}
		add(&out.Sent, s, speaker.Sent(s.v.Number, id), "sent", "")
	}
	return out
}

// rank orders what became of a received path: the best of several counts.
var rank = map[string]int{"best": 0, "accepted": 1, "refused": 2, "sent": 0}
