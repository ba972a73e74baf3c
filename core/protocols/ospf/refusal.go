package ospf

import (
	"slices"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
)

// refusals are what a port refused, one a source, by address. On a segment some
// may be refused while others are heard: whoever speaks next is no news. The list
// is replaced, never written, so that copies of a process share it.
type refusals []Refusal

// maxRefusals bounds the sources that a port remembers: more than can be on a
// segment of a lab that a person reads.
const maxRefusals = 64

// of is what was refused of a source.
func (l refusals) of(from ip.Addr) (Refusal, bool) {
	for _, r := range l {
		if r.From == from {
			return r, true
		}
	}
	return Refusal{}, false
}

// put remembers a refusal in place of the one of its source. Beyond the bound the
// one that is longest ago goes.
func (l *refusals) put(r Refusal) {
	next := make(refusals, 0, len(*l)+1)
	for _, o := range *l {
		if o.From != r.From {
			next = append(next, o)
		}
	}
	if len(next) == maxRefusals {
		oldest := slices.IndexFunc(next, func(o Refusal) bool {
			return !slices.ContainsFunc(next, func(x Refusal) bool { return x.Last < o.Last })
		})
		next = slices.Delete(next, oldest, oldest+1)
	}
	at, _ := slices.BinarySearchFunc(next, r.From,
		func(o Refusal, from ip.Addr) int { return o.From.Compare(from) })
	*l = slices.Insert(next, at, r)
}

// heard takes away what was refused of a source, or of all of them, whose hello
// is taken now. What a hello does not say stays: that its MTU is too large.
func (l *refusals) heard(from ip.Addr, all bool) {
	over := func(r Refusal) bool { return (all || r.From == from) && r.Reason != note.MTUTooLarge }
	if slices.ContainsFunc(*l, over) {
		*l = slices.DeleteFunc(slices.Clone(*l), over)
	}
}

// forgetRefusal takes a source's refusal for a reason away: it is over.
func (p *Process) forgetRefusal(h Host, i uint32, from ip.Addr, why note.Code) {
	l := &p.ports[i].refusals
	if r, known := l.of(from); known && r.Reason == why {
		*l = slices.DeleteFunc(slices.Clone(*l), func(r Refusal) bool { return r.From == from })
		h.Calm().Disturb(h.Now())
	}
}
