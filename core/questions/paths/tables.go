package paths

import (
	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// TableRow is a prefix in the tables of a session or of a router.
type TableRow struct {
	Prefix   string      `json:"prefix"`
	Stage    string      `json:"stage" enum:"chosen,accepted,refused,sent,withheld" doc:"how far it came: in from the peer, or out to it"`
	Path     *Attributes `json:"path,omitempty" doc:"as received, or as sent"`
	From     string      `json:"from,omitempty" doc:"of a router's table: where the best path came from"`
	NextHop  string      `json:"nextHop,omitempty"`
	Why      string      `json:"why" doc:"why not chosen, not accepted, not sent"`
	Code     string      `json:"code,omitempty"`
	Paths    int         `json:"paths" doc:"of a router's table: how many there are"`
	SentTo   int         `json:"sentTo" doc:"of a router's table: to how many peers"`
	FirstAS  uint32      `json:"firstAs,omitempty" doc:"the neighbouring AS"`
	OriginAS uint32      `json:"originAs,omitempty" doc:"the AS at the far end of the path"`
}

// PathTable is the tables of a session, or Loc-RIB of a router, as they are: TablePart is what a view shows of them.
type PathTable struct {
	With string     // the device at the other end of a session
	In   []TableRow // of a session: what the peer sent; of a router: Loc-RIB
	Out  []TableRow // of a session: what the peer was sent, and what of Loc-RIB it was not
}

// The ways of a session's tables.
const (
	In  = "in"
	Out = "out"
)

// table is one of a session's tables, or Loc-RIB of a router.
type table struct {
	w    *network.World
	inst *device.Instance
	s    *bgp.Speaker
	peer *bgp.PeerView // nil for Loc-RIB
	out  bool
}

// lean is a row before its words are made: of what is not looked at, none are.
type lean struct {
	id    uint32
	set   attr.ID // as received, or as sent; of a withheld one, the best path's
	stage string
}

// tableOf is the table of a session, or Loc-RIB if there is no peer.
func tableOf(w *network.World, inst *device.Instance, peer ip.Addr, way string) (*table, error) {
	t := &table{w: w, inst: inst, s: inst.BGP(), out: way == Out}
	if !peer.IsValid() {
		return t, nil
	}
	i, ok := t.s.Find(peer)
	if !ok {
		return nil, phrase.Errorf("%s has no peer %v", inst.Ref(), peer)
	}
	v := t.s.Peer(i)
	t.peer = &v
	return t, nil
}

// rows are the rows of the table, by prefix.
func (t *table) rows() (rows []lean) {
	for _, id := range facts.InPrefixOrder(t.w, t.s.Prefixes()) {
		if r := t.lean(id); r.stage != "" {
			rows = append(rows, r)
		}
	}
	return rows
}

// lean is the row of a prefix; without a stage if it has none.
func (t *table) lean(id uint32) lean {
	best, from, _ := t.s.Best(id)
	switch {
	case t.peer == nil && best != 0:
		return lean{id, best, "chosen"}
	case t.peer == nil:
		if row, ok := lastRow(t.s, id); ok {
			return lean{id, row.Raw, "refused"}
		}
	case t.out:
		if sent := t.s.Sent(t.peer.Number, id); sent != 0 {
			return lean{id, sent, "sent"}
		}
		if best != 0 {
			return lean{id, best, "withheld"}
		}
	default:
		row, ok := t.s.In(t.peer.Number, id)
		switch {
		case !ok:
		case row.Accepted == 0:
			return lean{id, row.Raw, "refused"}
		case from == t.peer.Number && best != 0:
			return lean{id, row.Raw, "chosen"}
		default:
			return lean{id, row.Raw, "accepted"}
		}
	}
	return lean{}
}

// row makes the words of a row.
func (t *table) row(l lean) TableRow {
	r := TableRow{Prefix: t.w.Shared().Prefixes.Prefix(l.id).String(), Stage: l.stage}
	switch {
	case t.peer == nil:
		best, from, _ := t.s.Best(l.id)
		t.s.Peers(func(v bgp.PeerView) {
			if _, ok := t.s.In(v.Number, l.id); ok {
				r.Paths++
			}
			if t.s.Sent(v.Number, l.id) != 0 {
				r.SentTo++
			}
		})
		own, how, _, _ := t.s.OwnPath(l.id)
		if own != 0 {
			r.Paths++
		}
		switch {
		case best == 0:
			story := routerPaths(t.w, t.inst, l.id)
			r.Why, r.Code, r.Path, r.From = story.Paths[0].Why, story.Paths[0].Code, story.Paths[0].Received, story.Paths[0].From
		case from == bgp.Local:
			r.From, r.Path = how, AttributesOf(t.w, t.inst, best)
		default:
			r.From, r.Path = facts.PeerName(t.w, t.inst, t.s.Peer(from)), AttributesOf(t.w, t.inst, best)
		}
	case t.out:
		x := sentRow(t.w, t.inst, l.id, *t.peer)
		r.Path, r.Why, r.Code = x.Sent, x.Why, x.Code
	default:
		row, _ := t.s.In(t.peer.Number, l.id)
		x := pathRow(t.w, t.inst, l.id, *t.peer, row, l.stage == "chosen")
		r.Path, r.Why, r.Code = x.Received, x.Why, x.Code
		if l.stage == "accepted" && x.Against != "" {
			r.Why = phrase.Say("%s: %s, and %s from %s", x.What, x.Mine, x.Theirs, x.Against)
		}
	}
	return r.of(t.w, l.set)
}

func (t *table) all() []TableRow {
	out := []TableRow{}
	for _, l := range t.rows() {
		out = append(out, t.row(l))
	}
	return out
}

// SessionTable is what came in by a session and what went out.
func SessionTable(w *network.World, inst *device.Instance, peer ip.Addr) (PathTable, error) {
	t, err := tableOf(w, inst, peer, In)
	if err != nil {
		return PathTable{}, err
	}
	out := PathTable{With: facts.PeerName(w, inst, *t.peer), In: t.all()}
	t.out = true
	out.Out = t.all()
	return out, nil
}

// RouterTable is the Loc-RIB of a router.
func RouterTable(w *network.World, inst *device.Instance) PathTable {
	t, _ := tableOf(w, inst, ip.Addr{}, In)
	return PathTable{In: t.all()}
}

// lastRow is what a peer sent of a prefix, the last one of those that did.
func lastRow(s *bgp.Speaker, id uint32) (row bgp.Row, ok bool) {
	s.Peers(func(v bgp.PeerView) {
		if x, sent := s.In(v.Number, id); sent {
			row, ok = x, true
		}
	})
	return row, ok
}

// of fills in what rows are grouped by.
func (r TableRow) of(w *network.World, id attr.ID) TableRow {
	if a := w.Attrs().Get(id); a != nil {
		r.FirstAS = a.FirstAS
		a.Path.Each(func(as uint32) { r.OriginAS = as })
		if a.NextHop.IsValid() {
			r.NextHop = ip.Addr(a.NextHop).String()
		}
	}
	return r
}
