package config

import (
	"net/netip"
	"time"
)

// BGP is a router's BGP speaker. It runs if AS is not 0.
type BGP struct {
	AS           uint32
	Disabled     bool
	ClusterID    netip.Addr // of a reflector; the zero Addr: its router ID
	Originates   []Originate
	Injects      []BGPInject
	Aggregates   []Aggregate
	Peers        []Peer // addresses are unique; groups are worked in
	MEDAmongAll  bool   // MED is compared between paths from different neighbouring ASes
	Multipath    int    // equal paths used, at most
	NeedPolicy   bool   // RFC 8212: external sessions without a policy let nothing through
	NoLoopCheck  bool   // peers are sent paths in which their AS stands already
	ConnectRetry time.Duration
}

// Originate announces a prefix that the table has exactly.
type Originate struct {
	Prefix netip.Prefix
	Policy string // "" for none
}

// BGPInject announces the routes of another source.
type BGPInject struct {
	Source string // connected, static or ospf
	Policy string // "" for none
}

// Aggregate joins more specific routes of Loc-RIB into one (RFC 4271 9.2.2.2).
type Aggregate struct {
	Prefix netip.Prefix
	Alone  bool // without the details
	ASSet  bool // the ASes of the details go with it as a set
	Policy string
}

// Peer is a session as one router has it configured, its group worked in.
type Peer struct {
	Address       netip.Addr
	Group         string // "" for none
	AS            uint32
	Description   string
	Disabled      bool
	Shutdown      string    // what the other end is told when the peer is disabled
	Local         string    // name of the port whose address is used; "": the address of the port it leaves by
	Multihop      uint8     // TTL; 0: 1 towards an external peer, 64 towards an internal one
	TTLSecurity   uint8     // hops at most (RFC 5082); 0: off
	Keys          *KeyChain // that sign the segments (RFC 2385); nil for none
	Passive       bool
	HoldTime      time.Duration // whole seconds; 0: no keepalives
	Interval      time.Duration // MinRouteAdvertisementInterval
	IntervalSet   bool
	NextHopSelf   bool
	NextHopKept   bool // the next hop is passed on unchanged to an external peer
	Client        bool // of this reflector
	Import        string
	Export        string
	MaxPrefixes   uint32 // 0: no limit
	OwnAS         uint8  // how often our AS may stand in a path
	NoLoopCheck   bool
	RemovePrivate bool
	Default       bool // a default route is sent
	TwoOctetAS    bool // the four-octet AS capability is not sent
	NoRefresh     bool // nor that of route refresh
}

// Defaults of BGP.
const (
	DefaultHoldTime     = 90 * time.Second // RFC 4271 10
	DefaultConnectRetry = 30 * time.Second // RFC 4271 10 suggests 120 s
	// Of MinRouteAdvertisementInterval, RFC 4271 10.
	DefaultExternalInterval = 30 * time.Second
	DefaultInternalInterval = 5 * time.Second
)

// External says whether the peer is in another AS.
func (b *BGP) External(p *Peer) bool { return p.AS != b.AS }

// Peer is the peer with an address, nil if there is none.
func (b *BGP) Peer(a netip.Addr) *Peer {
	for i := range b.Peers {
		if b.Peers[i].Address == a {
			return &b.Peers[i]
		}
	}
	return nil
}

// MinInterval is the MinRouteAdvertisementInterval in force on a peer.
func (b *BGP) MinInterval(p *Peer) time.Duration {
	switch {
	case p.IntervalSet:
		return p.Interval
	case b.External(p):
		return DefaultExternalInterval
	}
	return DefaultInternalInterval
}
