package lab

import (
	"net/netip"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/paths"
	"hellebore/core/questions/tables"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Paths is the story of a prefix or of the prefixes around an address, at one
// router or, with an empty name, at all.
func (l *Lab) Paths(m history.Moment, to, device string) (paths.PrefixPaths, error) {
	p, err := netip.ParsePrefix(to)
	if a, bad := netip.ParseAddr(to); bad == nil && a.Is4() {
		p, err = netip.PrefixFrom(a, 32), nil
	}
	if err != nil || !p.Addr().Is4() {
		return paths.PrefixPaths{}, phrase.Errorf("%q is neither a prefix nor an address", to)
	}
	w := l.World(m)
	if device != "" {
		if _, err := speakerAt(w, device); err != nil {
			return paths.PrefixPaths{}, err
		}
	}
	return paths.PathsTo(w, p.Masked(), device), nil
}

// speakerAt is the instance that is named, on which BGP runs; of a device alone the first
// such instance.
func speakerAt(w *network.World, name string) (*device.Instance, error) {
	inst, err := facts.InstanceNamed(w, name)
	if err != nil {
		return nil, err
	}
	if !strings.Contains(name, "/") {
		for _, i := range facts.Instances(inst.Device()) {
			if i.BGP().Running() {
				return i, nil
			}
		}
	}
	if !inst.BGP().Running() {
		return nil, phrase.Errorf("BGP does not run on %s", name)
	}
	return inst, nil
}

// PathTable is what came in by a session and went out, or with an empty peer the
// Loc-RIB of a router.
func (l *Lab) PathTable(m history.Moment, device, peer string) (paths.PathTable, error) {
	w := l.World(m)
	d, err := speakerAt(w, device)
	if err != nil {
		return paths.PathTable{}, err
	}
	if peer == "" {
		return paths.RouterTable(w, d), nil
	}
	a, err := netip.ParseAddr(peer)
	if err != nil || !a.Is4() {
		return paths.PathTable{}, phrase.Errorf("%q is not an address", peer)
	}
	return paths.SessionTable(w, d, ip.AddrFrom(a))
}

// TryPolicy runs routes through a policy, and through that of a draft.
func (l *Lab) TryPolicy(m history.Moment, t paths.Trial) (paths.Bench, error) {
	return paths.TryPolicy(l.World(m), t)
}

// Policies are the policies of the lab, and who uses them.
func (l *Lab) Policies(m history.Moment) []paths.PolicyUse { return paths.PoliciesOf(l.World(m)) }

// StateWarnings are the warnings that need a running network; with the lines of
// the text in force that they are about, if the moment is now.
func (l *Lab) StateWarnings(m history.Moment) []tables.StateWarning {
	out := tables.StateWarnings(l.World(m))
	places := labtext.Parse(l.Text()).Places
	for i := range out {
		out[i].Line = places[out[i].Place].Line
		if out[i].Line == 0 {
			out[i].Line = places[out[i].Device].Line
		}
	}
	return out
}
