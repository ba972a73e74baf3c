package labtext

import (
	"fmt"
	"net/netip"
	"slices"

	"hellebore/core/language/config"
)

// FeedOf is the context of what a feed is made from.
const FeedOf Context = "feed"

// maxFed is how many prefixes a feed has at most.
const maxFed = 1_000_000

// feedRows are the statements of feeds.
func feedRows() []Row {
	return []Row{
		{Word: "feed", In: []Context{BGPOf}, Opens: FeedOf, Many: true, Args: []Arg{{Name: "prefixes", Kind: Number, Min: 1, Max: maxFed}},
			Effect: Reconsiders, Help: "advertises so many prefixes as if they came from networks beyond the lab, and answers for them; the same words make the same prefixes and paths (docs/feeds.md)", build: (*builder).feed},
		{Word: "within", In: []Context{FeedOf}, Inline: true, Args: []Arg{{Name: "prefix", Kind: Prefix}},
			Effect: Reconsiders, Help: "what all of them are in; from private use or documentation (RFC 1918, RFC 5737)", build: (*builder).feedWithin},
		{Word: "seed", In: []Context{FeedOf}, Inline: true, Args: []Arg{{Name: "number", Kind: Number, Max: 1 << 53}}, Default: "1",
			Effect: Reconsiders, Help: "what the prefixes and paths are drawn from: another one makes others", build: (*builder).feedSeed},
		{Word: "as-range", In: []Context{FeedOf}, Inline: true, Args: []Arg{{Name: "AS numbers", Kind: ASRange}}, Default: "4200000000..4200009999",
			Effect: Reconsiders, RFC: "6996", Help: "the ASes in the paths; from private use or documentation", build: (*builder).feedRange},
	}
}

// The ASes of a feed that names none: of private use (RFC 6996).
const firstFed, lastFed = 4_200_000_000, 4_200_009_999

func (b *builder) feed(n *Node) {
	f := config.Feed{Count: int(number(n.Args[0])), Seed: 1, FirstAS: firstFed, LastAS: lastFed}
	b.fill(n, &f)
	g := &of[config.Routing](b).BGP
	other := slices.IndexFunc(g.Feeds, func(o config.Feed) bool { return o.Within.Overlaps(f.Within) })
	switch {
	case !f.Within.IsValid():
		b.errorf(n.Word, "write for example within 10.0.0.0/8", "what the feed's prefixes are within is not said")
		return
	case f.Within.Addr().IsUnspecified():
		b.errorf(n.Word, "take one from private use, such as 10.0.0.0/8", "%v begins with the address 0", f.Within)
		return
	case uint64(f.Count) > f.Most():
		b.errorf(n.Args[0], "write fewer, or take a shorter prefix", "%v has room for %d prefixes", f.Within, f.Most())
		return
	case other >= 0:
		b.errorf(n.Word, "keep one of them, or take prefixes apart from each other", "%v and %v of another feed of this router overlap", f.Within, g.Feeds[other].Within)
		return
	}
	b.place(feedPlace(of[config.Device](b).Name, f), n.Word)
	g.Feeds = append(g.Feeds, f)
}

// feedPlace is where a feed is written.
func feedPlace(device string, f config.Feed) string {
	return fmt.Sprintf("%s feed %v", device, f.Within)
}

func (b *builder) feedWithin(n *Node) {
	of[config.Feed](b).Within, _ = netip.ParsePrefix(n.Args[0].Text)
}
func (b *builder) feedSeed(n *Node) { of[config.Feed](b).Seed = number(n.Args[0]) }
func (b *builder) feedRange(n *Node) {
	f := of[config.Feed](b)
	f.FirstAS, f.LastAS, _ = parseASRange(n.Args[0].Text)
}

// parseASRange reads "64600..64999", or "64600" for just that AS.
func parseASRange(s string) (first, last uint32, ok bool) {
	a, b, ok := parseRange(s, 32)
	return uint32(a), uint32(b), ok && a > 0
}

// feedFacts write feeds as facts, for differences.
func feedFacts(feeds []config.Feed, add func(what, value, word string)) {
	for _, f := range feeds {
		add(fmt.Sprintf("bgp feed within %v", f.Within), fmt.Sprintf("%d prefixes, seed %d, ASes %d..%d", f.Count, f.Seed, f.FirstAS, f.LastAS), "feed")
	}
}

// Numbers that nobody else has: for private use and for documentation.
var (
	ownPrefixes = parsed("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "100.64.0.0/10", "198.18.0.0/15", "192.0.2.0/24", "198.51.100.0/24",
		"203.0.113.0/24")
	ownASes = [][2]uint32{{64496, 65534}, {65536, 65551}, {4_200_000_000, 4_294_967_294}} // RFC 5398, RFC 6996
)

func parsed(list ...string) (out []netip.Prefix) {
	for _, s := range list {
		out = append(out, netip.MustParsePrefix(s))
	}
	return out
}

// feeds warns of feeds that take what is somebody's, or what the lab itself has.
func (w *warner) feeds(d *config.Device) {
	for _, f := range d.BGP.Feeds {
		place := feedPlace(d.Name, f)
		if !slices.ContainsFunc(ownPrefixes, func(p netip.Prefix) bool { return p.Bits() <= f.Within.Bits() && p.Contains(f.Within.Addr()) }) {
			w.at(place, "take one from private use or documentation, such as 10.0.0.0/8", "the feed's prefixes, within %v, are those of real networks", f.Within)
		}
		if !slices.ContainsFunc(ownASes, func(r [2]uint32) bool { return r[0] <= f.FirstAS && f.LastAS <= r[1] }) {
			w.at(place, "take ASes from private use or documentation, such as 64512..65534", "the feed's ASes, %d..%d, are those of real networks", f.FirstAS, f.LastAS)
		}
		for _, o := range w.nodes {
			if o != d && o.BGP.AS != 0 && f.FirstAS <= o.BGP.AS && o.BGP.AS <= f.LastAS {
				w.at(place, "leave it out of as-range", "AS %d of %s is among the feed's: it rejects the paths that hold it", o.BGP.AS, o.Name)
				break
			}
		}
	}
}
