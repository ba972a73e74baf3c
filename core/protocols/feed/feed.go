// Package feed makes large tables from a few words: the prefixes that a network beyond the lab would advertise, and their path
// attributes, drawn from distributions that are like those of large tables. The same words give the same table on every
// machine; docs/feeds.md has the distributions.
package feed

import (
	"cmp"
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
	"hellebore/core/language/config"
)

// Row is a prefix of a feed.
type Row struct {
	Prefix ip.Prefix
	Set    uint32 // its attributes, in Table.Sets
	// Turn is when its turn comes to be withdrawn: below Turns, and 30 % of a feed are those below 30 % of Turns.
	Turn uint16
}

// Turns is one more than the highest turn.
const Turns = 10_000

// Table is what a feed advertises.
type Table struct {
	Rows []Row // in no order of their own; each prefix once
	Sets []attr.Set
}

// weight is how many of a thousand prefixes have a length.
type weight struct {
	length uint8
	share  int
}

// lengths are the prefix lengths of a feed, from the shortest. Those that do not fit within its prefix are longer instead.
var lengths = []weight{{16, 10}, {17, 5}, {18, 12}, {19, 25}, {20, 40}, {21, 50}, {22, 118}, {23, 100}, {24, 640}}

// hops are how many ASes of a hundred paths are behind the speaker's own: one, two, ...
var hops = []int{8, 32, 34, 17, 7, 2}

// groups are how many prefixes share an origin AS and its path: of a hundred groups, so many have from one size to the other.
var groups = []struct{ share, from, to int }{{40, 1, 1}, {25, 2, 3}, {20, 4, 10}, {12, 11, 50}, {3, 51, 200}}

// Purposes of what is drawn.
const (
	drawOffset = iota + 1
	drawStride
	drawSize
	drawHops
	drawAS
	drawOrigin
	drawCommunities
	drawTurn
	drawOrder
)

// Make makes the table of a feed. own is the speaker's AS, which is in none of the paths.
func Make(f config.Feed, own uint32) Table {
	m := maker{f: f, own: own}
	prefixes := m.prefixes()
	t := Table{Rows: make([]Row, 0, len(prefixes))}
	for n := 0; n < len(prefixes); {
		size := min(m.size(len(t.Sets)), len(prefixes)-n)
		for _, p := range prefixes[n : n+size] {
			t.Rows = append(t.Rows, Row{p, uint32(len(t.Sets)), uint16(m.draw(drawTurn, len(t.Rows), Turns))})
		}
		t.Sets = append(t.Sets, m.attributes(len(t.Sets)))
		n += size
	}
	return t
}

type maker struct {
	f   config.Feed
	own uint32
}

// draw is a number below a limit that depends on the seed, on what it is for and on which one it is.
func (m *maker) draw(purpose uint64, which int, below uint64) uint64 {
	return store.Below(store.Keyed(m.f.Seed, 0, purpose, uint64(which)), below)
}

// prefixes are the feed's, in an order in which those of one length are not together.
func (m *maker) prefixes() []ip.Prefix {
	within := ip.PrefixFrom(m.f.Within)
	out := make([]ip.Prefix, 0, m.f.Count)
	left := 0 // prefixes that did not fit
	for length := min(lengths[0].length, within.Len); length <= config.LongestFed; length++ {
		want := left
		for _, w := range lengths {
			if w.length == length {
				want += m.f.Count * w.share / 1000
			}
		}
		if length == lengths[len(lengths)-1].length { // what rounding left
			want = m.f.Count - len(out)
		}
		fits := 0
		if length > within.Len {
			fits = min(want, 1<<(length-within.Len))
		}
		out = m.ofLength(out, within, length, fits)
		left = want - fits
	}
	order := make([]uint64, len(out))
	for i := range order {
		order[i] = store.Keyed(m.f.Seed, 0, drawOrder, uint64(i))
	}
	index := make([]int, len(out))
	for i := range index {
		index[i] = i
	}
	slices.SortFunc(index, func(a, b int) int { return cmp.Or(cmp.Compare(order[a], order[b]), cmp.Compare(a, b)) })
	mixed := make([]ip.Prefix, len(out))
	for i, from := range index {
		mixed[i] = out[from]
	}
	return mixed
}

// ofLength appends so many prefixes of one length, each once: an odd stride through all that there are.
func (m *maker) ofLength(out []ip.Prefix, within ip.Prefix, length uint8, count int) []ip.Prefix {
	if count == 0 {
		return out
	}
	all := uint64(1) << (length - within.Len)
	at, stride := m.draw(drawOffset, int(length), all), m.draw(drawStride, int(length), all)|1
	base := within.Addr.Quad()
	for range count {
		out = append(out, ip.MakePrefix(ip.V4(base+ip.Quad(at)<<(32-length)), length))
		at = (at + stride) % all
	}
	return out
}

// size is how many prefixes share the attributes of a group.
func (m *maker) size(group int) int {
	d := int(m.draw(drawSize, 2*group, 100))
	for _, g := range groups {
		if d < g.share {
			return g.from + int(m.draw(drawSize, 2*group+1, uint64(g.to-g.from+1)))
		}
		d -= g.share
	}
	return 1
}

// attributes are those of a group: a path of ASes of the feed's range, of which those near the speaker are few.
func (m *maker) attributes(group int) attr.Set {
	n, d := 0, int(m.draw(drawHops, group, 100))
	for i, share := range hops {
		if n = i + 1; d < share {
			break
		}
		d -= share
	}
	all := uint64(m.f.LastAS-m.f.FirstAS) + 1
	var path []uint32
	for i := range n {
		among := all
		if i < n-1 {
			among = max(1, all/16) // carriers: a sixteenth of the range
		}
		as := m.f.FirstAS + uint32(m.draw(drawAS, 8*group+i, among))
		if as != m.own && !slices.Contains(path, as) {
			path = append(path, as)
		}
	}
	s := attr.Set{Path: attr.Path{}.Prepend(path...)}
	if m.draw(drawOrigin, group, 10) == 0 {
		s.Origin = attr.Incomplete
	}
	if len(path) > 0 && path[0] <= 0xffff {
		for i := range int(m.draw(drawCommunities, 4*group, 3)) {
			c := path[0]<<16 | uint32(100*m.draw(drawCommunities, 4*group+1+i, 10))
			if !slices.Contains(s.Communities, c) {
				s.Communities = append(s.Communities, c)
			}
		}
		slices.Sort(s.Communities)
	}
	return s
}
