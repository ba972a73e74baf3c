// Package fixes turns the remedy of a reason into changes that carry it out: edits of
// the lab text, an action where the network is at fault and not its text, or why
// there is neither.
package fixes

import (
	"fmt"
	"net/netip"
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/protocols/bgp"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// End is one end of what a reason is about: a port, a session, or a whole device.
type End struct {
	Device   *device.Device // nil if nobody is there
	Instance string         // "" for main, and where a port says it
	Port     string         // "" if it is not about a port
	Peer     ip.Addr        // of a session: the peer as this end has it, or should have it
	Has      bool           // of a session: this end has that peer
}

// Of is an instance as an end; nobody for nil.
func Of(inst *device.Instance) End {
	if inst == nil {
		return End{}
	}
	return End{Device: inst.Device(), Instance: inst.Name()}
}

// in is the instance of the end.
func (e End) in() *device.Instance {
	if i, ok := e.Device.Port(e.Port); ok && e.Port != "" {
		return e.Device.InstanceOf(i)
	}
	if inst := e.Device.Instance(e.Instance); inst != nil {
		return inst
	}
	return e.Device.Main()
}

// ref names the end's instance as edits do.
func (e End) ref() string { return e.in().Ref() }

// Case is what is to be mended: a reason that is said of A, and B at the other end.
type Case struct {
	World *network.World
	Code  note.Code
	A, B  End
}

// For are the ways to do what a reason's remedy says, the most likely one first.
// There is none for a reason without a remedy.
func For(c Case) []facts.Fix {
	make, ok := table[c.Code]
	if !ok || c.A.Device == nil {
		return nil
	}
	return make(c)
}

// table has a row for each reason with a remedy.
var table map[note.Code]func(Case) []facts.Fix

func init() {
	table = map[note.Code]func(Case) []facts.Fix{
		note.NotJoined:         Case.join,
		note.LinkCut:           Case.mend,
		note.LinkSilenced:      Case.mend,
		note.PortDisabled:      func(c Case) []facts.Fix { return enablePort(c.A) },
		note.DeviceDisabled:    func(c Case) []facts.Fix { return enableDevice(c.A.Device) },
		note.FarPortDisabled:   func(c Case) []facts.Fix { return enablePort(c.facing()) },
		note.FarDeviceDisabled: func(c Case) []facts.Fix { return enableDevice(c.facing().Device) },
		note.PortIsDown:        Case.bringUp,

		note.ProtocolAbsent:        Case.run,
		note.ProtocolDisabled:      Case.runAgain,
		note.NoRouterID:            func(c Case) []facts.Fix { return c.routerID(c.A) },
		note.NoAddress:             Case.address,
		note.PassivePort:           func(c Case) []facts.Fix { return Edit("remove " + ospfOf(c.A) + " passive") },
		note.AreaDiffers:           Case.area,
		note.SubnetDiffers:         Case.subnet,
		note.HelloIntervalDiffers:  Case.hello,
		note.DeadIntervalDiffers:   Case.dead,
		note.AuthenticationDiffers: Case.keys,
		note.SameRouterID:          func(c Case) []facts.Fix { return append(c.routerID(c.A), c.routerID(c.B)...) },
		note.MTUTooLarge:           Case.mtu,
		note.FarEndNotAPort:        Case.towardsHost,
		note.TypeDiffers:           Case.portType,
		note.StubFlagDiffers:       Case.areaKind,
		note.KeyIDDiffers:          Case.keys,
		note.KeyDiffers:            Case.keys,
		note.KeyNotInTime:          Case.keys,
		note.NoTransitPath:         Case.transit,
		note.VirtualUnanswered:     Case.virtual,
		note.TagDiffers:            Case.tag,

		note.PeerDisabled:         Case.enablePeer,
		note.NoRouteToPeer:        Case.routeToPeer,
		note.PeerNotOnLink:        Case.peerNotOnLink,
		note.NoLocalAddress:       Case.localAddress,
		note.PeerIsLocal:          Case.peerIsLocal,
		note.PeerUnknown:          Case.peerUnknown,
		note.WrongLocalAddress:    Case.wrongAddress,
		note.PeerASDiffers:        Case.peerAS,
		note.BothPassive:          func(c Case) []facts.Fix { return c.each("passive off") },
		note.TTLTooLow:            Case.ttlSecurity,
		note.TTLTooShort:          Case.multihop,
		note.SignatureMissing:     Case.sign,
		note.SignatureUnexpected:  Case.sign,
		note.SignatureDiffers:     Case.sign,
		note.ConnectionUnanswered: Case.unanswered,
		note.ConnectionRefused:    Case.refused,
		note.PrefixLimit:          Case.prefixLimit,
		note.PeerCaptured:         Case.captured,

		note.OwnASInPath:       Case.ownAS,
		note.NoImportPolicy:    Case.importPolicy,
		note.NoExportPolicy:    Case.exportPolicy,
		note.NextHopUnresolved: Case.nextHop,
		note.BetweenInternal:   Case.betweenInternal,
		note.PeerASInPath:      Case.pastLoopCheck,
		note.NotInUse:          func(c Case) []facts.Fix { return Edit(c.A.ref() + " bgp in-use-only off") },
		note.UpdateTooLong:     Case.tooLong,
		note.SharedByOneAS:     Case.multipathAny,
		note.SharingIsFull:     Case.multipath,
	}
}

// Edit is a fix that is made of edits.
func Edit(edits ...string) []facts.Fix { return []facts.Fix{{Edits: edits}} }

// act is a fix that is an action.
func act(format string, args ...any) []facts.Fix {
	return []facts.Fix{{Action: fmt.Sprintf(format, args...)}}
}

// cannot is why a remedy is no edit that could be written for somebody.
func cannot(format string, args ...any) []facts.Fix {
	return []facts.Fix{{Why: phrase.Say(format, args...)}}
}

// name is a port as edits and actions name it.
func (e End) name() string {
	if e.Device.Kind() == config.Host {
		return e.Device.Name()
	}
	return config.PortRef{Device: e.Device.Name(), Port: e.Port}.String()
}

// index is the number of the end's port.
func (e End) index() uint32 {
	i, _ := e.Device.Port(e.Port)
	return i
}

func (e End) config() *config.Port { return e.Device.Ports()[e.index()].Config }

// ospfOf is the place of OSPF's settings of a port, or of a virtual link.
func ospfOf(e End) string {
	if v := e.config().Virtual; v != nil {
		return fmt.Sprintf("%s ospf area %s virtual-link %v", e.ref(), area(v.Transit), v.Peer)
	}
	return e.name() + " ospf"
}

// session is a peer as edits name it.
func session(e End) string { return e.Device.Name() + "/" + e.Peer.String() }

// peer is the end's configuration of its session; nil if it has none.
func (e End) peer() *config.Peer { return e.in().Config().BGP.Peer(netipOf(e.Peer)) }

func netipOf(a ip.Addr) netip.Addr {
	out, _ := netip.ParseAddr(a.String())
	return out
}

// viewOf is the state of the end's session.
func viewOf(e End) (out bgp.PeerView, ok bool) {
	for _, v := range facts.PeersOf(e.in()) {
		if v.Address == e.Peer {
			return v, true
		}
	}
	return out, false
}

// facing is the port at the other end of A's link.
func (c Case) facing() End {
	for _, s := range c.World.Facing(c.A.Device.ID(), c.A.index()) {
		d := c.World.Device(s.Device)
		return End{Device: d, Port: d.Ports()[s.Port].Config.Name}
	}
	return c.B
}

// addresses are all addresses of ports, and router IDs: what a new one must not be.
func (c Case) addresses() map[netip.Addr]bool {
	taken := map[netip.Addr]bool{}
	for _, d := range c.World.Devices() {
		if d.Gone() {
			continue
		}
		for _, inst := range facts.Instances(d) {
			taken[inst.Config().RouterID] = true
		}
		for i := range d.Ports() {
			taken[d.Ports()[i].Config.Address.Addr()] = true
		}
	}
	return taken
}

// freeIn is an address of a network that nobody has.
func (c Case) freeIn(network netip.Prefix) (netip.Prefix, bool) {
	taken := c.addresses()
	first := network.Masked().Addr()
	for a := first; a.IsValid() && network.Contains(a); a = a.Next() {
		last := !network.Contains(a.Next())
		if taken[a] || network.Bits() < 31 && (a == first || last) {
			continue
		}
		return netip.PrefixFrom(a, network.Bits()), true
	}
	return netip.Prefix{}, false
}

// neighbours are the ends that face an instance's ports on links and segments which are
// not taken out: for each, its own port and the far one.
func (c Case) neighbours(inst *device.Instance) [][2]End {
	d := inst.Device()
	var out [][2]End
	for i := range d.Ports() {
		p := &d.Ports()[i]
		if p.Gone || p.Config.Loopback || p.Config.Virtual != nil || d.InstanceOf(uint32(i)) != inst {
			continue
		}
		for _, s := range c.World.Facing(d.ID(), uint32(i)) {
			far := c.World.Device(s.Device)
			out = append(out, [2]End{{Device: d, Port: p.Config.Name}, {Device: far, Port: far.Ports()[s.Port].Config.Name}})
		}
	}
	return out
}

// hops are the links from one router to another by the fewest, whatever their state.
func (c Case) hops(from, to *device.Instance) [][2]End {
	came := map[*device.Instance][2]End{}
	queue := []*device.Instance{from}
	for len(queue) > 0 && from != to {
		inst := queue[0]
		queue = queue[1:]
		if inst.Device().Kind() == config.Host && inst != from {
			continue
		}
		for _, n := range c.neighbours(inst) {
			far := n[1].in()
			if _, seen := came[far]; seen || far == from {
				continue
			}
			came[far] = n
			queue = append(queue, far)
		}
	}
	var out [][2]End
	for d := to; d != from; {
		n, ok := came[d]
		if !ok {
			return nil
		}
		out = append(out, n)
		d = n[0].in()
	}
	slices.Reverse(out)
	return out
}
