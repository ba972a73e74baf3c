package network_test

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/bgp"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// What a speaker brings in, and what it sends and takes, written down plainly: from
// the text of the lab, the table and Loc-RIB.

// sight counts what the random labs showed.
type sight map[string]int

func (s sight) add(more sight) {
	for what, n := range more {
		s[what] += n
	}
}

// inTable says whether the table uses a route for a prefix.
func inTable(w *network.World, d *device.Device, p netip.Prefix) bool {
	id, known := w.Shared().Prefixes.Find(ip.PrefixFrom(p))
	if !known {
		return false
	}
	_, there := d.Main().Table().Best(id)
	return there
}

// conditionHolds is `when` and `unless` with a prefix, or with the set "few".
func conditionHolds(w *network.World, d *device.Device, c config.Depends) bool {
	prefixes := []string{"198.51.1.0/24", "198.51.2.0/24", "198.51.3.0/24"}
	if c.Name == "" {
		prefixes = []string{c.Prefix.String()}
	}
	there := slices.ContainsFunc(prefixes, func(p string) bool { return inTable(w, d, netip.MustParsePrefix(p)) })
	return there != c.Unless
}

// inSequence is a path as a list: a set is one entry, in braces.
func inSequence(p attr.Path) (list []string) {
	for _, s := range p {
		if s.Kind == attr.ASSet {
			list = append(list, fmt.Sprint("{", s.AS, "}"))
			continue
		}
		for _, as := range s.AS {
			list = append(list, fmt.Sprint(as))
		}
	}
	return list
}

// requirePlainOrigins holds what every speaker brings in against the text: prefixes
// that it originates while their condition holds, aggregates while there is a part of
// them (RFC 4271 9.2.2.2), and nothing else.
func requirePlainOrigins(t testing.TB, w *network.World, text string) sight {
	saw := sight{}
	dict := &w.Shared().Prefixes
	for _, c := range labtext.Parse(text).Lab.Devices {
		d := w.Find(c.Name)
		s := d.Main().BGP()
		brought := map[uint32]bool{}
		for _, o := range c.BGP.Originates {
			id, known := dict.Find(ip.PrefixFrom(o.Prefix))
			require.True(t, known)
			holds := !o.Depends.IsValid() || conditionHolds(w, d, o.Depends)
			own, _, _, _ := s.OwnPath(id)
			require.Equal(t, holds, own != 0, "%s originates %v %v", c.Name, o.Prefix, o.Depends)
			brought[id] = true
			if o.Depends.IsValid() {
				saw["condition that holds"] += map[bool]int{true: 1}[holds]
				saw["condition that does not hold"] += map[bool]int{false: 1}[holds]
			}
		}
		for _, a := range c.BGP.Aggregates {
			whole := ip.PrefixFrom(a.Prefix)
			var parts []*attr.Set
			for id := range dict.Len() {
				p := dict.Prefix(id)
				best, from, _ := s.Best(id)
				_, how, _, _ := s.OwnPath(id)
				if best != 0 && whole.Contains(p.Addr) && p.Len > whole.Len && !(from == bgp.Local && how == "aggregate") {
					parts = append(parts, w.Attrs().Get(best))
				}
			}
			id, known := dict.Find(whole)
			if len(parts) == 0 {
				require.False(t, known && ownPath(s, id) != 0, "%s aggregates %v of nothing", c.Name, whole)
				continue
			}
			require.True(t, known && ownPath(s, id) != 0, "%s aggregates %v", c.Name, whole)
			brought[id] = true
			requirePlainAggregate(t, w.Attrs().Get(ownPath(s, id)), parts, a.ASSet, saw)
		}
		for id := range dict.Len() {
			require.False(t, ownPath(s, id) != 0 && !brought[id], "%s brings in %v", c.Name, dict.Prefix(id))
		}
	}
	return saw
}

func ownPath(s *bgp.Speaker, id uint32) attr.ID {
	own, _, _, _ := s.OwnPath(id)
	return own
}

// requirePlainAggregate holds an aggregate's attributes against those of its parts
// (RFC 4271 9.2.2.2 and F.6).
func requirePlainAggregate(t testing.TB, got *attr.Set, parts []*attr.Set, asSet bool, saw sight) {
	saw["aggregate"]++
	origin, atomic, lost := parts[0].Origin, false, false
	communities := map[uint32]bool{}
	common := inSequence(parts[0].Path)
	same := true
	for _, p := range parts {
		origin = max(origin, p.Origin)
		atomic = atomic || p.Atomic
		list := inSequence(p.Path)
		lost = lost || len(list) > 0
		same = same && slices.Equal(list, inSequence(parts[0].Path))
		n := 0
		for n < min(len(common), len(list)) && common[n] == list[n] && !strings.HasPrefix(list[n], "{") {
			n++
		}
		common = common[:n]
		for _, c := range p.Communities {
			communities[c] = true
		}
	}
	require.Equal(t, origin, got.Origin, "ORIGIN is the worst of the parts")
	if !asSet {
		require.Empty(t, got.Path)
		require.Empty(t, got.Communities)
		require.Equal(t, atomic || lost, got.Atomic, "ATOMIC_AGGREGATE if ASes were left out")
		return
	}
	require.True(t, slices.Equal(slices.Sorted(maps.Keys(communities)), got.Communities))
	require.Equal(t, atomic, got.Atomic, "with the set no AS is left out")
	if same {
		saw["aggregate of one path"]++
		require.True(t, slices.Equal(inSequence(parts[0].Path), inSequence(got.Path)))
		return
	}
	list := inSequence(got.Path)
	require.True(t, slices.Equal(common, list[:min(len(common), len(list))]), "what all begin with stays in sequence: %v, and it is %v", common, list)
	if len(common) > 0 && len(list) > len(common) {
		saw["aggregate with a sequence and a set"]++
	}
	for _, rest := range list[len(common):] {
		saw["aggregate with a set"]++
		require.True(t, strings.HasPrefix(rest, "{"), "all others are a set")
	}
	beyond, there := map[string]bool{}, map[string]bool{}
	for _, p := range parts {
		n := 0
		p.Path.Each(func(as uint32) {
			if n++; n > len(common) {
				beyond[fmt.Sprint(as)] = true
			}
		})
	}
	n := 0
	got.Path.Each(func(as uint32) {
		if n++; n > len(common) {
			there[fmt.Sprint(as)] = true
		}
	})
	require.Equal(t, beyond, there, "the set is the ASes beyond what all begin with")
}

// requirePlainSending holds Adj-RIB-Out and what is taken of Adj-RIB-In against the
// rules, where no policy has a say: what is withheld (RFC 4271 9.1.3 and 9.2, RFC
// 4456 6, RFC 1997), and the AS numbers prepended to a path (RFC 7705).
func requirePlainSending(t testing.TB, w *network.World, text string) sight {
	saw := sight{}
	for _, c := range labtext.Parse(text).Lab.Devices {
		d := w.Find(c.Name)
		d.Main().BGP().Peers(func(v bgp.PeerView) {
			if v.State == bgp.Established {
				p := c.BGP.Peer(netip.MustParseAddr(v.Address.String()))
				require.NotNil(t, p)
				for id := range w.Shared().Prefixes.Len() {
					requirePlainRow(t, w, d, &c.BGP, p, v, id, saw)
				}
			}
		})
	}
	return saw
}

func requirePlainRow(t testing.TB, w *network.World, d *device.Device, c *config.BGP, p *config.Peer, v bgp.PeerView, id uint32, saw sight) {
	s, prefix := d.Main().BGP(), w.Shared().Prefixes.Prefix(id)
	where := fmt.Sprintf("%s, peer %v, %v", d.Name(), p.Address, prefix)
	external := p.AS != c.AS
	if row, ok := s.In(v.Number, id); ok {
		raw := w.Attrs().Get(row.Raw)
		if raw.Path.Count(c.AS) > 0 || p.LocalAS != 0 && raw.Path.Count(p.LocalAS) > 0 {
			require.Zero(t, row.Accepted, "%s: a loop (RFC 4271 9.1.2)", where)
		}
		if row.Accepted != 0 && p.Import == "" {
			want := inSequence(raw.Path)
			if p.LocalAS != 0 && !p.NoPrependIn {
				want = append([]string{fmt.Sprint(p.LocalAS)}, want...)
				saw["local-as put before what came"]++
			}
			require.True(t, slices.Equal(want, inSequence(w.Attrs().Get(row.Accepted).Path)), where)
		}
	}
	got := s.Sent(v.Number, id)
	own := &attr.Set{}
	best, from, _ := s.Best(id)
	set := w.Attrs().Get(best)
	why := plainlyWithheld(w, d, c, p, v.Number, id, set, from)
	// draft-ietf-idr-best-external section 2
	if c.BestExternal && (why == "from that peer" || why == "between internal peers") && !external {
		outside := slices.DeleteFunc(plainPaths(w, d, id), func(x plainPath) bool { return !x.external })
		if len(outside) > 0 {
			x := plainDecision(outside)
			set, from = x.set, x.from
			why = plainlyWithheld(w, d, c, p, v.Number, id, set, from)
			saw[map[bool]string{true: "sent: best external", false: "withheld: best external"}[why == ""]]++
		}
	}
	switch {
	case p.Default && prefix.Len == 0 && (!p.DefaultWhen.IsValid() || conditionHolds(w, d, p.DefaultWhen)):
		if p.Export != "" {
			return
		}
	default:
		if why != "" {
			saw["withheld: "+why]++
			require.Zero(t, got, "%s: %s", where, why)
			return
		}
		if p.Export != "" {
			return
		}
		own = set
	}
	require.NotZero(t, got, "%s is sent", where)
	sent := w.Attrs().Get(got)
	saw["sent"]++
	want := inSequence(own.Path)
	if external {
		if p.LocalAS == 0 || !p.ReplaceOldAS {
			want = append([]string{fmt.Sprint(c.AS)}, want...)
		}
		if p.LocalAS != 0 {
			want = append([]string{fmt.Sprint(p.LocalAS)}, want...)
			saw["sent with local-as"]++
		}
		require.False(t, sent.HasLocalPref, where)
		require.False(t, from != bgp.Local && prefix.Len != 0 && sent.HasMED, "%s: MED goes no further (RFC 4271 5.1.4)", where)
	} else {
		require.True(t, sent.HasLocalPref, where)
	}
	require.True(t, slices.Equal(want, inSequence(sent.Path)), "%s: %v, and it is %v", where, want, sent.Path)
	require.Equal(t, own.Origin, sent.Origin, where)
	require.True(t, slices.Equal(own.Communities, sent.Communities), where)
}

// plainlyWithheld is why a path to a prefix, from a peer or Local, is not sent to a peer, whatever
// the policy; "" if it is.
func plainlyWithheld(w *network.World, d *device.Device, c *config.BGP, p *config.Peer, peer int, id uint32, set *attr.Set, from int) string {
	s, prefix := d.Main().BGP(), w.Shared().Prefixes.Prefix(id)
	external := p.AS != c.AS
	switch {
	case set == nil:
		return "no path"
	case from == peer:
		return "from that peer"
	}
	var source *config.Peer
	if from != bgp.Local {
		source = c.Peer(netip.MustParseAddr(s.Peer(from).Address.String()))
	}
	switch {
	case slices.Contains(set.Communities, 0xffffff02):
		return "NO_ADVERTISE"
	case external && (slices.Contains(set.Communities, 0xffffff01) || slices.Contains(set.Communities, 0xffffff03)):
		return "NO_EXPORT"
	case source != nil && source.AS == c.AS && !external && !source.Client && !p.Client:
		return "between internal peers"
	case external && set.Path.Count(p.AS) > 0:
		return "its AS is in the path"
	case c.InUseOnly && source != nil && !usedFromBGP(d, id):
		return "not in use"
	}
	for _, a := range c.Aggregates {
		whole := ip.PrefixFrom(a.Prefix)
		if known, ok := w.Shared().Prefixes.Find(whole); ok && a.Alone && ownPath(s, known) != 0 && whole.Contains(prefix.Addr) && prefix.Len > whole.Len {
			return "within an aggregate"
		}
	}
	return ""
}

// usedFromBGP says whether the table's route for a prefix is BGP's.
func usedFromBGP(d *device.Device, id uint32) bool {
	source, there := d.Main().Table().Best(id)
	return there && source.String() == "bgp"
}
