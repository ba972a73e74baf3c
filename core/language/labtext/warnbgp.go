package labtext

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// Warnings about BGP and policies.

func (w *warner) bgp() {
	for _, d := range w.nodes {
		if d.BGP.AS == 0 {
			continue
		}
		for k := range d.BGP.Peers {
			w.peer(d, &d.BGP.Peers[k])
		}
		w.injections(d)
		w.feeds(d)
	}
	w.meshes()
	w.unused()
}

// holder is who has an address in the network of a router, and the port with it.
func (w *warner) holder(from *config.Device, a netip.Addr) (*config.Device, *config.Port) {
	for _, d := range w.nodes {
		if w.domains[d] != w.domains[from] {
			continue
		}
		for k := range d.Ports {
			if d.Ports[k].Address.IsValid() && d.Ports[k].Address.Addr() == a {
				return d, &d.Ports[k]
			}
		}
	}
	return nil, nil
}

func holds(d *config.Device, a netip.Addr) bool {
	return slices.ContainsFunc(d.Ports,
		func(p config.Port) bool { return p.Address.IsValid() && p.Address.Addr() == a })
}

// sourceOf is the address that a router uses towards a peer, if the text says so.
func sourceOf(d *config.Device, p *config.Peer) netip.Addr {
	if p.Local != "" {
		if port := d.Port(p.Local); port != nil {
			return port.Address.Addr()
		}
		return netip.Addr{}
	}
	for i := range d.Ports {
		if x := &d.Ports[i]; !x.Loopback && x.Address.IsValid() && x.Address.Masked().Contains(p.Address) {
			return x.Address.Addr()
		}
	}
	return netip.Addr{}
}

func (w *warner) peer(d *config.Device, p *config.Peer) {
	at := PeerPlace(d.Name, p.Address)
	far, port := w.holder(d, p.Address)
	external := d.BGP.External(p)
	switch {
	case far == nil:
		w.at(at, "write the address of the other router", "no device has the address %v of %s's peer", p.Address,
			d.Name)
		return
	case far == d:
		w.at(at, "write the address of the other router", "%v is an address of %s itself", p.Address, d.Name)
		w.offer("remove " + sessionName(d, p))
		return
	case far.BGP.AS == 0:
		w.at(at, phrase.Say("add bgp as NUMBER to %s", far.Name), "%s does not speak BGP, and is a peer of %s", far.Name, d.Name)
		if source := sourceOf(d, p); source.IsValid() && far.Kind == config.Router {
			w.offer(fmt.Sprintf("%s bgp as %d peer %v as %d", far.Name, p.AS, source, d.BGP.AS))
		}
		return
	case shownAS(far, d, p) != p.AS:
		as := shownAS(far, d, p)
		w.at(at, phrase.Say("write as %d", as), "%s expects %s in AS %d; it is in AS %d", d.Name, far.Name, p.AS, as)
		w.offer(fmt.Sprintf("%s as %d", sessionName(d, p), as))
	}
	w.back(d, p, far, at)
	if p.Disabled {
		return
	}
	if external {
		w.openSession(d, p, at)
		if p.Multihop == 0 && !slices.ContainsFunc(d.Ports, func(x config.Port) bool {
			return !x.Loopback && x.Address.IsValid() && x.Address.Masked().Contains(p.Address)
		}) {
			w.at(at, "set multihop", "%v is on no network of %s: an external session needs multihop there", p.Address,
				d.Name)
			w.offer(sessionName(d, p) + " multihop 2")
		}
		return
	}
	if far.BGP.AS == d.BGP.AS && !port.Loopback &&
		slices.ContainsFunc(far.Ports, func(x config.Port) bool { return x.Loopback && x.Address.IsValid() }) {
		w.at(at, "use the loopback addresses of both, with local-address",
			"the internal session of %s with %s is on a port's address: it falls with that port", d.Name, far.Name)
	}
}

// back holds a peer against what the other end has.
func (w *warner) back(d *config.Device, p *config.Peer, far *config.Device, at string) {
	source, back := sourceOf(d, p), backOf(d, p, far)
	switch {
	case back == nil:
		hint := phrase.Say("add peer %s as %d on %s", ownAddress(source, d), d.BGP.ASTowards(p), far.Name)
		w.at(at, hint, "%s has the peer %s, which has no such peer back", d.Name, far.Name)
		w.offer(fmt.Sprintf("%s bgp peer %s as %d", far.Name, ownAddress(source, d), d.BGP.ASTowards(p)))
	case source.IsValid() && back.Address != source && !spoken(d, far, p, back):
		w.at(at, phrase.Say("set local-address to the port with %v", back.Address),
			"%s comes to %s from %v, where %v is expected", d.Name, far.Name, source, back.Address)
		for i := range d.Ports {
			if x := &d.Ports[i]; x.Address.IsValid() && x.Address.Addr() == back.Address {
				w.offer(fmt.Sprintf("%s local-address %s", sessionName(d, p), x.Name))
			}
		}
		w.offer(fmt.Sprintf("rename %s bgp peer %v %v", far.Name, back.Address, source))
	case p.Passive && back.Passive && d.Name < far.Name:
		w.at(at, "take passive off one end", "%s and %s both wait for the other to open the session", d.Name, far.Name)
		w.offer(sessionName(d, p)+" passive off", sessionName(far, back)+" passive off")
	}
}

// backOf is the peer at the other end that is this end of a session, nil if it has none.
func backOf(d *config.Device, p *config.Peer, far *config.Device) *config.Peer {
	source := sourceOf(d, p)
	var back *config.Peer
	for i := range far.BGP.Peers {
		q := &far.BGP.Peers[i]
		if holds(d, q.Address) && (back == nil || q.Address == source) {
			back = q
		}
	}
	return back
}

// shownAS is the AS in which the other end of a session presents itself (RFC 7705).
func shownAS(far, d *config.Device, p *config.Peer) uint32 {
	if back := backOf(d, p, far); back != nil {
		return far.BGP.ASTowards(back)
	}
	return far.BGP.AS
}

// sessionName is a session as edits name it.
func sessionName(d *config.Device, p *config.Peer) string { return d.Name + "/" + p.Address.String() }

func ownAddress(a netip.Addr, d *config.Device) string {
	if a.IsValid() {
		return a.String()
	}
	return d.Address().String()
}

// spoken says whether another session between the two answers to a peer.
func spoken(d, far *config.Device, p, back *config.Peer) bool {
	return slices.ContainsFunc(d.BGP.Peers, func(o config.Peer) bool {
		return o.Address != p.Address && holds(far, o.Address) && sourceOf(d, &o) == back.Address
	})
}

// openSession warns of an external session that no policy guards (RFC 8212 4).
func (w *warner) openSession(d *config.Device, p *config.Peer, at string) {
	var open []string
	if p.Import == "" {
		open = append(open, "in")
	}
	if p.Export == "" {
		open = append(open, "out")
	}
	if len(open) == 0 {
		return
	}
	if d.BGP.NeedPolicy {
		w.at(at, "name a policy",
			"the external session of %s with %v lets nothing %s: it has no policy, and external-policy is required",
			d.Name, p.Address, strings.Join(open, phrase.Text(" or ")))
		return
	}
	w.at(at, "name import-policy and export-policy",
		"the external session of %s with %v has no policy: everything passes %s", d.Name, p.Address,
		strings.Join(open, phrase.Text(" and ")))
}

// injections warns of routes that are taken over as they come.
func (w *warner) injections(d *config.Device) {
	for _, i := range d.BGP.Injects {
		if i.Policy == "" {
			w.at(fmt.Sprintf("%s inject %s", d.Name, i.Source), "add through and a policy or a prefix set",
				"%s injects all %s routes into BGP", d.Name, i.Source)
		}
	}
	toOSPF := slices.IndexFunc(d.OSPF.Injects, func(i config.Inject) bool { return i.Source == "bgp" })
	toBGP := slices.IndexFunc(d.BGP.Injects, func(i config.BGPInject) bool { return i.Source == "ospf" })
	if toOSPF >= 0 && d.OSPF.Injects[toOSPF].Through == "" {
		w.at(d.Name+" bgp", "add through and a policy or a prefix set to inject bgp",
			"%s injects all BGP routes into OSPF", d.Name)
	}
	if toOSPF >= 0 && toBGP >= 0 && d.OSPF.Injects[toOSPF].Tag == 0 && !w.looksAtTags(d.Name, d.BGP.Injects[toBGP].Policy) {
		w.at(d.Name+" bgp", "set a tag where routes go into OSPF, and reject it where they come back",
			"%s injects in both directions between OSPF and BGP without tags: routes may come back to where they came from", d.Name)
	}
}

func (w *warner) looksAtTags(device, name string) bool {
	p := w.policy(device, name)
	return p != nil && slices.ContainsFunc(p.Statements, func(s config.Statement) bool {
		return slices.ContainsFunc(s.Where, func(c config.Condition) bool { return c.What == "tag" })
	})
}

// policy is what a name means on a device, or an instance of one; nil if it has no such
// policy.
func (w *warner) policy(device, name string) *config.Policy {
	device, _, _ = strings.Cut(device, "/")
	if d := w.find(device); d != nil {
		if p := d.Policies.Policy(name); p != nil {
			return p
		}
	}
	return w.result.Policies.Policy(name)
}

// meshes warns of routers of one AS of which one does not hear what the other
// learns outside (RFC 4271 9.2, RFC 4456 6).
func (w *warner) meshes() {
	for _, d := range w.nodes {
		if d.BGP.AS == 0 || !slices.ContainsFunc(d.BGP.Peers, func(p config.Peer) bool { return d.BGP.External(&p) }) {
			continue
		}
		heard := w.hears(d)
		var deaf []string
		for _, o := range w.nodes {
			if o != d && o.BGP.AS == d.BGP.AS && !heard[o.Name] && w.joinedInside(d, o) {
				deaf = append(deaf, o.Name)
			}
		}
		if len(deaf) > 0 {
			w.at(d.Name+" bgp", "add the missing internal sessions, or a reflector",
				"an iBGP session is missing in AS %d: what %s learns outside does not reach %s", d.BGP.AS, d.Name,
				strings.Join(deaf, ", "))
		}
	}
}

// joinedInside says whether two routers of an AS have to do with each other at
// all: OSPF leads from one to the other. Islands of one AS have not.
func (w *warner) joinedInside(a, b *config.Device) bool {
	seen := map[string]bool{a.Name: true}
	queue := []string{a.Name}
	owner := func(r config.PortRef) string {
		return config.InstanceRef(r.Device, w.find(r.Device).Port(r.Port).Instance)
	}
	visit := func(x, y config.PortRef) {
		p, q := w.find(x.Device).Port(x.Port), w.find(y.Device).Port(y.Port)
		if p.OSPF.On && q.OSPF.On && !p.OSPF.Passive && !q.OSPF.Passive && !seen[owner(y)] {
			seen[owner(y)] = true
			queue = append(queue, owner(y))
		}
	}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, l := range w.result.Links {
			switch at {
			case owner(l.A):
				visit(l.A, l.B)
			case owner(l.B):
				visit(l.B, l.A)
			}
		}
		for _, s := range w.result.Segments {
			for _, x := range s.Ports {
				for _, y := range s.Ports {
					if owner(x) == at && x != y {
						visit(x, y)
					}
				}
			}
		}
	}
	return seen[b.Name]
}

// hears are the routers of its AS that hear what a router learns outside.
func (w *warner) hears(d *config.Device) map[string]bool {
	type arrival struct {
		at       *config.Device
		fromPeer bool // a client of at sent it, or it is from outside: it goes to all
	}
	heard := map[string]bool{}
	seen := map[string]bool{}
	queue := []arrival{{d, true}}
	for len(queue) > 0 {
		x := queue[0]
		queue = queue[1:]
		for i := range x.at.BGP.Peers {
			p := &x.at.BGP.Peers[i]
			far, _ := w.holder(x.at, p.Address)
			if far == nil || far.BGP.AS != d.BGP.AS || p.AS != d.BGP.AS || p.Disabled || !x.fromPeer && !p.Client {
				continue
			}
			client := slices.ContainsFunc(far.BGP.Peers,
				func(q config.Peer) bool { return q.Client && holds(x.at, q.Address) })
			key := fmt.Sprint(far.Name, client)
			if !seen[key] {
				seen[key] = true
				heard[far.Name] = true
				queue = append(queue, arrival{far, client})
			}
		}
	}
	return heard
}

// unused warns of policies and sets that nobody names, and looks at how policies end. What
// a policy or set of a router hides is not named there, and what a policy of the lab
// names is named on every router.
func (w *warner) unused() {
	used := map[string]bool{} // by place
	use := func(device, kind, name string) {
		own := &config.Policies{}
		if d := w.find(device); d != nil {
			own = &d.Policies
		}
		if device != "" && slices.Contains(namesOfKind(own, kind), name) {
			used[device+" "+kind+" "+name] = true
		} else {
			used[kind+" "+name] = true
		}
		if device != "" {
			return
		}
		for i := range w.result.Devices {
			if d := &w.result.Devices[i]; !d.Policies.Empty() {
				used[d.Name+" "+kind+" "+name] = true
			}
		}
	}
	for _, r := range w.policyRefs {
		use(r.device, "policy", r.token.Text)
		if r.orSet {
			use(r.device, "prefix-set", r.token.Text)
		}
	}
	for _, r := range w.memberRefs {
		use(r.device, setWords[r.kind], r.token.Text)
	}
	w.unusedOf("", &w.result.Policies, used)
	for i := range w.result.Devices {
		if d := &w.result.Devices[i]; !d.Policies.Empty() {
			w.unusedOf(d.Name, &d.Policies, used)
		}
	}
}

// setWords are the words that begin sets, by kind.
var setWords = map[string]string{"prefix set": "prefix-set", "AS path set": "as-path-set", "community set": "community-set",
	"tag set": "tag-set", "neighbour set": "neighbour-set"}

// setKindsInOrder are the kinds of sets in the order of warnings.
var setKindsInOrder = []string{"prefix set", "AS path set", "community set", "tag set", "neighbour set"}

// namesOfKind are the names of policies, or of sets whose word is kind.
func namesOfKind(p *config.Policies, kind string) (names []string) {
	if kind == "policy" {
		for _, x := range p.List {
			names = append(names, x.Name)
		}
		return names
	}
	for what, list := range setNames(p) {
		if setWords[what] == kind {
			return list
		}
	}
	return nil
}

func (w *warner) unusedOf(device string, p *config.Policies, used map[string]bool) {
	say := func(word, what, name string) {
		at := strings.TrimSpace(device + " " + word + " " + name)
		if used[at] {
			return
		}
		if device == "" {
			w.at(at, "name it somewhere, or take it out", "nobody uses the %s %s", phrase.Text(what), name)
		} else {
			w.at(at, "name it somewhere, or take it out", "nothing on %s uses its own %s %s", device, phrase.Text(what), name)
		}
		w.offer("remove " + at)
	}
	for i := range p.List {
		say("policy", "policy", p.List[i].Name)
		w.undecided(device, &p.List[i])
	}
	names := setNames(p)
	for _, kind := range setKindsInOrder {
		for _, name := range names[kind] {
			say(setWords[kind], kind, name)
		}
	}
}

// undecided warns of a last statement without a verdict: the end rejects what it
// has just changed.
func (w *warner) undecided(device string, p *config.Policy) {
	if n := len(p.Statements); n > 0 && p.Otherwise == config.NoVerdict &&
		p.Statements[n-1].Verdict == config.NoVerdict {
		at := PolicyPlace(device, p.Own, p.Name, "")
		w.at(PolicyPlace(device, p.Own, p.Name, p.Statements[n-1].Name), "end it with accept or reject, or add otherwise",
			"the last statement of policy %s does not decide: what it changes is rejected at the end", p.Name)
		w.offer(at+" otherwise accept", fmt.Sprintf("%s statement %s\n  accept", at, p.Statements[n-1].Name))
	}
}
