package lsdb

import "hellebore/core/ground/event"

// Step is what becomes of a received instance of an LSA (RFC 2328 13, by the number of
// the step).
type Step uint8

// The steps that end the procedure, in the RFC's order. Steps 1 to 3, which look into
// the LSA, are the caller's, for instances that are more recent than ours.
const (
	AckOnly   Step = iota // 4: at MaxAge, not in the database, and nobody exchanges
	TooSoon               // 5 a: MinLSArrival
	Install               // 5 b to f: install, flood and acknowledge
	BadReq                // 6: the neighbour was asked for it, and has nothing newer
	Implied               // 7 a: an implied acknowledgment
	Duplicate             // 7 b: acknowledge at once
	Wrapping              // 8: ours is at MaxSeq and MaxAge, its sequence begins anew: silence
	Answer                // 8: send ours back
	Silence               // 8: ours was sent less than MinLSArrival ago
)

// Receiver is what a router holds of an LSA when a neighbour sends it an instance.
type Receiver struct {
	Own        *Instance // of the database; nil for none
	Exchanging bool      // a neighbour that the database is flooded to is in Exchange or Loading
	Requested  bool      // the LSA is on the request list of the neighbour that sent it
	Unanswered bool      // it is on that neighbour's retransmission list
}

// Newer says whether a received instance is more recent than the database's, or there
// is none there.
func (r *Receiver) Newer(got Version, now event.Time) bool {
	return r.Own == nil || got.Compare(r.Own.Version(now)) > 0
}

// Step decides on a received instance (RFC 2328 13, steps 4 to 8).
func (r *Receiver) Step(got Version, now event.Time) Step {
	order := 1
	if r.Own != nil {
		order = got.Compare(r.Own.Version(now))
	}
	switch {
	case got.Age >= MaxAge && r.Own == nil && !r.Exchanging:
		return AckOnly
	case order > 0 && r.Own != nil && r.Own.Flooded && now-r.Own.Arrived < MinLSArrival:
		return TooSoon
	case order > 0:
		return Install
	case r.Requested:
		return BadReq
	case order == 0 && r.Unanswered:
		return Implied
	case order == 0:
		return Duplicate
	case r.Own.Dying && r.Own.Seq == MaxSeq:
		return Wrapping
	case now-max(r.Own.Arrived, r.Own.Answered) < MinLSArrival:
		return Silence // it is on its way already: by flooding, or as an answer
	}
	return Answer
}

// Segment is what a router knows of who floods on a segment.
type Segment struct {
	Backup bool // this router is BDR of it
	// What each says in its hellos: right after an election a router may have a role
	// before it knows.
	FromDR, FromBDR bool // the LSA came from the DR, or from the BDR, and that router says so
	DRKnows         bool // the DR says that it is
}

// PassedOn says whether an LSA that came in by a segment reaches its other routers
// without us: DR and BDR have flooded it themselves, and a BDR leaves it to the DR
// (RFC 2328 13.3 (3) and (4)). "Chances are", says the RFC. Here they must say in their
// hellos that they have the role, or the others would wait for a retransmission.
func (s *Segment) PassedOn() bool { return s.FromDR || s.FromBDR || s.Backup && s.DRKnows }

// AckNewer says whether a more recent instance gets a delayed acknowledgment; else it
// gets none (RFC 2328 13.5, table 19): what is flooded back out of the port needs none,
// and a BDR leaves all but the DR's to the DR.
func AckNewer(back, backup, fromDR bool) bool { return !back && (!backup || fromDR) }

// AckImplied is AckNewer for a duplicate that was treated as an implied acknowledgment
// (table 19). waiting says that our copy has not left yet, on a port to one router:
// theirs makes it needless, so they must have an answer.
func AckImplied(segment, backup, fromDR, waiting bool) bool {
	if segment {
		return backup && fromDR
	}
	return waiting
}
