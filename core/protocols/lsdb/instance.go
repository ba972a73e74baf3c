// Package lsdb is what link-state routing keeps of LSAs, whatever is in them: a
// database of instances by the number of their key, the lists that a neighbour has of
// them, and the rules by which a received instance is taken, acknowledged and passed
// on (RFC 2328 12 to 14; RFC 5340 4.5 keeps them for OSPFv3). It knows no packet, no
// address and no LSA.
package lsdb

import (
	"cmp"

	"hellebore/core/ground/event"
)

// Architectural constants (RFC 2328 appendix B). Ages are in seconds.
const (
	MaxAge        = 3600
	MaxAgeDiff    = 900
	LSRefreshTime = 1800
	InitialSeq    = int32(-0x7fffffff) // 0x80000001
	MaxSeq        = int32(0x7fffffff)

	MinLSArrival  = event.Second
	MinLSInterval = 5 * event.Second
)

// Version is what distinguishes the instances of one LSA.
type Version struct {
	Seq int32
	Sum uint16
	Age uint16 // seconds
}

// Compare says which of two instances is more recent: above 0 if v, below 0 if o, 0
// if they are the same (RFC 2328 13.1).
func (v Version) Compare(o Version) int {
	if by := cmp.Or(cmp.Compare(v.Seq, o.Seq), cmp.Compare(v.Sum, o.Sum)); by != 0 {
		return by
	}
	if (v.Age >= MaxAge) != (o.Age >= MaxAge) {
		return cmp.Compare(v.Age, o.Age)
	}
	if diff := int(v.Age) - int(o.Age); diff > MaxAgeDiff || diff < -MaxAgeDiff {
		return -diff // the younger one
	}
	return 0
}

// Instance is one LSA in a database. Its age is now minus birth: nothing has to be
// done for it to grow.
type Instance struct {
	Birth   event.Time // when its age was 0; may be before the lab began
	Arrived event.Time
	// Answered is when it was last sent to a neighbour that had an older one; 0 for
	// never.
	Answered event.Time
	Body     uint32 // number of its contents; 0: no LSA
	Seq      int32
	Sum      uint16
	Flooded  bool // arrived by flooding: MinLSArrival counts
	Dying    bool // MaxAge: on its way out
	Outbid   bool // an own LSA whose next instance must be newer than this, whatever it says
}

// Age is the LSA's age in seconds.
func (e *Instance) Age(now event.Time) uint16 {
	if e.Dying {
		return MaxAge
	}
	return uint16(min(MaxAge, (now-e.Birth)/event.Second))
}

// Version is the instance's version as of now.
func (e *Instance) Version(now event.Time) Version { return Version{e.Seq, e.Sum, e.Age(now)} }
