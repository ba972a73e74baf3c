package lab

import (
	"io"
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

// PathTable is a part of what came in by a session or went out, or with an empty peer of the
// Loc-RIB of a router.
func (l *Lab) PathTable(m history.Moment, name, peer string, ask paths.TableAsk) (out paths.TablePart, err error) {
	err = l.table(m, name, peer, &ask, func(w *network.World, inst *device.Instance) error {
		out, err = paths.TablePartOf(w, inst, ask)
		return err
	})
	return out, err
}

// PathTableCSV writes all of it.
func (l *Lab) PathTableCSV(out io.Writer, m history.Moment, name, peer string, ask paths.TableAsk) error {
	return l.table(m, name, peer, &ask, func(w *network.World, inst *device.Instance) error { return paths.TableCSV(out, w, inst, ask) })
}

// table finds the speaker whose table is asked for.
func (l *Lab) table(m history.Moment, name, peer string, ask *paths.TableAsk, see func(*network.World, *device.Instance) error) error {
	w := l.World(m)
	inst, err := speakerAt(w, name)
	if err != nil {
		return err
	}
	if peer != "" {
		a, err := netip.ParseAddr(peer)
		if err != nil || !a.Is4() {
			return phrase.Errorf("%q is not an address", peer)
		}
		ask.Peer = ip.AddrFrom(a)
	}
	return see(w, inst)
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
