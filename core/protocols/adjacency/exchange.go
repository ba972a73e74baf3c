package adjacency

import "hellebore/core/ground/ip"

// Description is what a Database Description packet says beside LSA headers (RFC 2328
// A.3.3).
type Description struct {
	Init, More, Master bool
	Options            uint32
	Seq                uint32
}

// Verdict is what a received description comes to (RFC 2328 10.6).
type Verdict uint8

// The verdicts.
const (
	Ignored    Verdict = iota
	Negotiated         // who is master is settled; then as Taken
	Taken              // its headers are to be looked at, then Answer is asked
	Repeated           // what was sent last is to be sent again, if this router is the slave
	Mismatch           // SeqNumberMismatch: the exchange begins anew
)

// Descriptions is the exchange of database descriptions with one neighbour. The zero
// value has not begun.
type Descriptions struct {
	master  bool // we are
	more    bool // we have more to describe
	heard   bool // something was taken
	seq     uint32
	last    Description // that was taken
	summary []uint32    // keys still to describe; immutable, only ever shortened
}

// Begin starts the exchange: each end claims to be master, until it hears the other
// (RFC 2328 10.3, AdjOK?).
func (x *Descriptions) Begin(seq uint32) { *x = Descriptions{master: true, more: true, seq: seq} }

// Master says whether this router is master; Seq is the sequence number of what it
// sends.
func (x *Descriptions) Master() bool { return x.master }
func (x *Descriptions) Seq() uint32  { return x.seq }

// Receive takes a description in a state of the neighbour (RFC 2328 10.6). empty says
// that it carries no header.
func (x *Descriptions) Receive(s State, d Description, empty bool, theirs, ours ip.Quad) Verdict {
	verdict := Taken
	switch {
	case s == ExStart:
		switch {
		case d.Init && d.More && d.Master && empty && theirs > ours:
			x.master, x.seq = false, d.Seq
		case !d.Init && !d.Master && d.Seq == x.seq && theirs < ours:
			x.master = true
		default:
			return Ignored
		}
		verdict = Negotiated
	case s < ExStart:
		return Ignored
	case x.heard && d == x.last:
		return Repeated
	case s != Exchange || d.Master == x.master || d.Init || d.Options != x.last.Options || d.Seq != x.next():
		return Mismatch
	}
	x.heard, x.last = true, d
	return verdict
}

// next is the sequence number of the description that is due: the master's own, by
// which the slave answers, or the one after the last.
func (x *Descriptions) next() uint32 {
	if x.master {
		return x.seq
	}
	return x.seq + 1
}

// Describe gives the exchange what there is to describe, by the numbers of the keys;
// the list is not written to.
func (x *Descriptions) Describe(summary []uint32) { x.summary = summary }

// Answer says whether a description that was taken calls for one of ours (RFC 2328
// 10.8): the slave always answers; the master goes on until both have said all.
func (x *Descriptions) Answer() bool {
	if !x.master {
		x.seq = x.last.Seq
		return true
	}
	x.seq++
	return x.last.More || x.more
}

// Next takes the next part of what there is to describe, at most n LSAs that are still
// there.
func (x *Descriptions) Next(n int, there func(key uint32) bool) (keys []uint32) {
	for len(x.summary) > 0 && len(keys) < n {
		if there(x.summary[0]) {
			keys = append(keys, x.summary[0])
		}
		x.summary = x.summary[1:]
	}
	x.more = len(x.summary) > 0
	return keys
}

// Sent is what the packet says that carries what Next gave.
func (x *Descriptions) Sent() Description {
	return Description{Master: x.master, More: x.more, Seq: x.seq}
}

// Done says, when what Answer called for was sent, whether both have said all.
func (x *Descriptions) Done() bool { return !x.last.More && !x.more }
