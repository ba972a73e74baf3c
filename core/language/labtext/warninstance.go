package labtext

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/language/config"
)

// Warnings about routing instances and what crosses between them.

// crossings warns of what a router says of its instances.
func (w *warner) crossings() {
	for i := range w.result.Devices {
		d := &w.result.Devices[i]
		for _, name := range d.InstanceNames() {
			owner := config.InstanceRef(d.Name, name)
			if name != "" && !slices.ContainsFunc(d.Ports, func(p config.Port) bool { return p.Instance == name }) {
				w.at(owner, "put a port in it, or take it out", "%s has no port: no packet comes into it", owner)
				w.offer(fmt.Sprintf("remove %s instance %s", d.Name, name))
			}
			for _, t := range d.Instance(name).Takes {
				w.crossing(d, name, t)
			}
		}
		w.overlaps(d)
	}
	w.roundTrips()
}

// roundTrips warns where two routers let routes cross in both directions between the same
// two networks: what one lets in may come back by the other.
func (w *warner) roundTrips() {
	type way struct{ from, to int } // networks, by domain
	type place struct {
		device, owner string
		way
		config.Take
	}
	byName := map[string]*config.Device{}
	for _, n := range w.nodes {
		byName[n.Name] = n
	}
	var all []place
	byWay := map[way][]place{}
	for _, n := range w.nodes {
		device, _, _ := strings.Cut(n.Name, "/")
		for _, t := range n.Takes {
			from := byName[config.InstanceRef(device, t.From)]
			if from == nil || w.domains[from] == w.domains[n] {
				continue
			}
			p := place{device, n.Name, way{w.domains[from], w.domains[n]}, t}
			all, byWay[p.way] = append(all, p), append(byWay[p.way], p)
		}
	}
	for _, back := range all {
		there := byWay[way{back.to, back.from}]
		if i := slices.IndexFunc(there, func(p place) bool { return p.device != back.device }); i >= 0 && !w.guarded(back.device, back.Through) {
			w.at(takePlace(back.owner, back.From), "set a tag where routes cross, and reject it where they would cross back",
				"what %s lets cross may come back by this take: nothing in %s tells it apart", there[i].owner, back.Through)
		}
	}
}

// guarded says whether a policy, or a prefix set, tells routes apart by what stays with
// them from router to router.
func (w *warner) guarded(device, through string) bool {
	p := w.policy(device, through)
	if p == nil { // a prefix set
		return true
	}
	open := slices.ContainsFunc(p.Statements, func(s config.Statement) bool {
		return s.Verdict == config.Accept && !slices.ContainsFunc(s.Where, func(c config.Condition) bool {
			return slices.Contains([]string{"prefix", "tag", "as-path", "community", "policy"}, c.What)
		})
	})
	return p.Otherwise != config.Accept && !open || w.looksAtTags(device, through)
}

// crossing warns of one take.
func (w *warner) crossing(d *config.Device, name string, t config.Take) {
	owner, from := config.InstanceRef(d.Name, name), config.InstanceRef(d.Name, t.From)
	at := takePlace(owner, t.From)
	if p := w.policy(d.Name, t.Through); p != nil && acceptsNothing(p) {
		w.at(at, "accept what is to cross", "the policy %s accepts nothing: no route of %s crosses to %s", p.Name, from, owner)
	}
}

// acceptsNothing says whether no statement of a policy accepts.
func acceptsNothing(p *config.Policy) bool {
	return p.Otherwise != config.Accept &&
		!slices.ContainsFunc(p.Statements, func(s config.Statement) bool { return s.Verdict == config.Accept })
}

// overlaps warns of networks of one router that are in several instances of which one
// takes from the other: packets cannot be told apart there.
func (w *warner) overlaps(d *config.Device) {
	joined := map[[2]string]bool{} // an instance and one that it takes from
	for _, to := range d.InstanceNames() {
		for _, t := range d.Instance(to).Takes {
			joined[[2]string{to, t.From}] = true
		}
	}
	if len(joined) == 0 {
		return
	}
	for i := range d.Ports {
		for k := range d.Ports[:i] {
			p, q := &d.Ports[k], &d.Ports[i]
			if p.Instance == q.Instance || !p.Address.IsValid() || !q.Address.IsValid() || !joined[[2]string{p.Instance, q.Instance}] && !joined[[2]string{q.Instance, p.Instance}] {
				continue
			}
			if overlap(p.Address, q.Address) {
				w.at(refOf(d, q.Name).String(), "use other addresses in one of them, or let neither take from the other",
					"%v of %v meets %v of %v, and routes cross between the two instances: what crosses cannot be told apart there",
					q.Address, refOf(d, q.Name), p.Address, refOf(d, p.Name))
			}
		}
	}
}

func overlap(a, b netip.Prefix) bool { return a.Masked().Overlaps(b.Masked()) }
