package config

import (
	"net/netip"
	"time"
)

// BGP is a router's BGP speaker. It runs if AS is not 0.
type BGP struct {
	AS           uint32 // 0: no BGP
	Disabled     bool
	ClusterID    netip.Addr // of a reflector; the zero Addr: its router ID
	Originates   []Originate
	Injects      []BGPInject
	Aggregates   []Aggregate
	Feeds        []Feed
	Peers        []Peer        // addresses are unique; groups are worked in
	MEDAmongAll  bool          // MED is compared between paths from different neighbouring ASes
	Multipath    int           // equal paths used, at most
	MultipathAny bool          // those of other neighbouring ASes too
	InUseOnly    bool          // learned paths are advertised while the table uses them
	BestExternal bool          // internal peers receive the best external path while an internal one is best
	NeedPolicy   bool          // RFC 8212: external sessions without a policy let nothing through
	NoLoopCheck  bool          // peers are sent paths that hold their AS
	ConnectRetry time.Duration // RFC 4271 8.2.2, before jitter
}

// Originate announces a prefix that the table has exactly.
type Originate struct {
	Prefix  netip.Prefix
	Policy  string // "" for none
	Depends Depends
}

// BGPInject announces the routes of another source.
type BGPInject struct {
	Source  string // connected, static or ospf
	Policy  string // "" for none
	Depends Depends
}

// Depends is a route that has to be in the table for something to be announced, or
// must not be. The zero value asks for nothing.
type Depends struct {
	Prefix netip.Prefix // exactly this one
	Name   string       // or any that this policy or prefix set accepts
	Unless bool         // it must not be there
}

// IsValid says whether anything is asked for.
func (d Depends) IsValid() bool { return d.Prefix.IsValid() || d.Name != "" }

// String is the condition as it is written; "" for none.
func (d Depends) String() string {
	if !d.IsValid() {
		return ""
	}
	word := "when "
	if d.Unless {
		word = "unless "
	}
	if d.Name != "" {
		return word + d.Name
	}
	return word + d.Prefix.String()
}

// Aggregate joins more specific routes of Loc-RIB into one (RFC 4271 9.2.2.2).
type Aggregate struct {
	Prefix netip.Prefix
	Alone  bool // without the details
	ASSet  bool // the ASes of the details go with it as a set
	Policy string
}

// Feed is many prefixes that the speaker advertises as if it had them from networks beyond the lab, made from a seed.
type Feed struct {
	Count           int
	Seed            uint64
	Within          netip.Prefix
	FirstAS, LastAS uint32 // of the ASes in the paths
}

// LongestFed is the length of the longest prefixes of a feed.
const LongestFed = 30

// Most is how many prefixes the feed has room for.
func (f Feed) Most() uint64 {
	return 1<<(max(LongestFed-f.Within.Bits(), 0)+1) - 2 // of each length above that of Within, to the longest
}

// Peer is a session as one router has it configured, its group worked in.
type Peer struct {
	Address       netip.Addr
	Group         string // "" for none
	AS            uint32
	Description   string
	Disabled      bool
	Shutdown      string    // the message the other end receives when the peer is disabled
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
	OwnAS         uint8  // how often our AS may be in a path
	NoLoopCheck   bool
	RemovePrivate bool
	Default       bool // a default route is sent
	DefaultWhen   Depends
	LocalAS       uint32 // the AS that the peer sees us in (RFC 7705); 0: our own
	NoPrependIn   bool   // LocalAS is not put before the paths that the peer sends
	ReplaceOldAS  bool   // paths sent to the peer carry LocalAS instead of our own AS
	TwoOctetAS    bool   // the four-octet AS capability is not sent
	NoRefresh     bool   // nor that of route refresh
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

// ASTowards is the AS that a peer sees the router in (RFC 7705).
func (b *BGP) ASTowards(p *Peer) uint32 {
	if p.LocalAS != 0 {
		return p.LocalAS
	}
	return b.AS
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
