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

// PathTable is the tables of a session, or Loc-RIB of a router.
type PathTable struct {
	Device  string     `json:"device"`
	Peer    string     `json:"peer,omitempty"`
	With    string     `json:"with,omitempty" doc:"the device at the other end"`
	In      []TableRow `json:"in" doc:"of a session: what the peer sent; of a router: Loc-RIB"`
	Out     []TableRow `json:"out" doc:"of a session: what the peer was sent, and what of Loc-RIB it was not"`
	Omitted int        `json:"omitted" doc:"prefixes beyond the bound"`
}

// maxTableRows bounds a table.
const maxTableRows = 20000

// SessionTable is what came in by a session and what went out.
func SessionTable(w *network.World, inst *device.Instance, peer ip.Addr) (PathTable, error) {
	out := PathTable{Device: inst.Ref(), Peer: peer.String(), In: []TableRow{}, Out: []TableRow{}}
	s := inst.BGP()
	i, ok := s.Find(peer)
	if !ok {
		return out, phrase.Errorf("%s has no peer %v", inst.Ref(), peer)
	}
	v := s.Peer(i)
	out.With = facts.PeerName(w, inst, v)
	for _, id := range facts.InPrefixOrder(w, s.Prefixes()) {
		p := w.Shared().Prefixes.Prefix(id)
		if len(out.In) >= maxTableRows || len(out.Out) >= maxTableRows {
			out.Omitted++
			continue
		}
		if row, ok := s.In(i, id); ok {
			_, from, _ := s.Best(id)
			x := pathRow(w, inst, id, v, row, from == i)
			r := TableRow{Prefix: p.String(), Path: x.Received, Why: x.Why, Code: x.Code, Stage: "accepted"}
			switch {
			case x.Chosen:
				r.Stage = "chosen"
			case !x.Accepted:
				r.Stage = "refused"
			case x.Against != "":
				r.Why = phrase.Say("%s: %s, and %s from %s", x.What, x.Mine, x.Theirs, x.Against)
			}
			out.In = append(out.In, r.of(w, row.Raw))
		}
		best, _, _ := s.Best(id)
		sent := s.Sent(i, id)
		if best != 0 || sent != 0 {
			x := sentRow(w, inst, id, v)
			r := TableRow{Prefix: p.String(), Path: x.Sent, Why: x.Why, Code: x.Code, Stage: "sent"}
			if sent == 0 {
				r.Stage = "withheld"
				out.Out = append(out.Out, r.of(w, best))
				continue
			}
			out.Out = append(out.Out, r.of(w, sent))
		}
	}
	return out, nil
}

// RouterTable is the Loc-RIB of a router.
func RouterTable(w *network.World, inst *device.Instance) PathTable {
	out := PathTable{Device: inst.Ref(), In: []TableRow{}, Out: []TableRow{}}
	s := inst.BGP()
	for _, id := range facts.InPrefixOrder(w, s.Prefixes()) {
		if len(out.In) >= maxTableRows {
			out.Omitted++
			continue
		}
		r := TableRow{Prefix: w.Shared().Prefixes.Prefix(id).String(), Stage: "chosen"}
		best, from, _ := s.Best(id)
		s.Peers(func(v bgp.PeerView) {
			if _, ok := s.In(v.Number, id); ok {
				r.Paths++
			}
			if s.Sent(v.Number, id) != 0 {
				r.SentTo++
			}
		})
		own, how, _, _ := s.OwnPath(id)
		if own != 0 {
			r.Paths++
		}
		switch {
		case best == 0 && r.Paths == 0:
			continue
		case best == 0:
			story := routerPaths(w, inst, id)
			r.Stage, r.Why, r.Code, r.Path = "refused", story.Paths[0].Why, story.Paths[0].Code, story.Paths[0].Received
			r.From = story.Paths[0].From
			if row, ok := s.In(firstPeer(s, id), id); ok {
				r = r.of(w, row.Raw)
			}
		case from == bgp.Local:
			r.From, r.Path = how, AttributesOf(w, inst, best)
			r = r.of(w, best)
		default:
			r.From, r.Path = facts.PeerName(w, inst, s.Peer(from)), AttributesOf(w, inst, best)
			r = r.of(w, best)
		}
		out.In = append(out.In, r)
	}
	return out
}

// firstPeer is the number of a peer that sent a prefix.
func firstPeer(s *bgp.Speaker, id uint32) (i int) {
	s.Peers(func(v bgp.PeerView) {
		if _, ok := s.In(v.Number, id); ok {
			i = v.Number
		}
	})
	return i
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
