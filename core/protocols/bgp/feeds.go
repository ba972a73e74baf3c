package bgp

import (
	"slices"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/event"
	"hellebore/core/language/config"
	"hellebore/core/protocols/feed"
)

// What feeds bring in: paths as if they were learned from networks beyond the lab. A share of them can be withdrawn, and
// advertised again.

// fed is what a feed brings in for a prefix.
type fed struct {
	attr attr.ID // 0 for nothing
	turn uint16  // when its turn comes to be withdrawn: feed.Row
}

// FlapTime is how long what flaps is withdrawn.
const FlapTime = 10 * event.Second

// syncFeeds makes the tables of the configured feeds, if they are others than before, and says whether they are. Of two feeds with
// one prefix the first counts.
func (s *Speaker) syncFeeds(h Host, started bool) (changed bool) {
	if !started && slices.Equal(s.feeds, s.config.Feeds) {
		return false
	}
	s.fed.Each(func(prefix uint32, f *fed) bool {
		if f.attr != 0 {
			*s.fed.Edit(prefix) = fed{}
			changed = true
		}
		return true
	})
	s.feeds = slices.Clone(s.config.Feeds)
	for _, f := range s.feeds {
		changed = true
		t := feed.Make(f, s.config.AS)
		sets := make([]attr.ID, len(t.Sets))
		for i := range t.Sets {
			sets[i] = h.Attrs().ID(&t.Sets[i])
		}
		for _, r := range t.Rows {
			if row := s.fed.Edit(h.Shared().Prefixes.ID(r.Prefix)); row.attr == 0 {
				*row = fed{sets[r.Set], r.Turn}
			}
		}
	}
	return changed
}

// stopFeeds forgets what feeds bring in.
func (s *Speaker) stopFeeds(h Host) {
	s.feeds = nil
	s.flap.Stop(h, event.Pending)
}

// fedPath is the path that a feed brings in for a prefix; none if it is withdrawn.
func (s *Speaker) fedPath(prefix uint32) local {
	f := s.fed.Get(prefix)
	if f.attr == 0 || f.turn < s.held {
		return local{}
	}
	return local{attr: f.attr, preference: ExternalPreference, how: fromFeed}
}

// Feeds are the feeds in force, and how much of each is withdrawn, of feed.Turns.
func (s *Speaker) Feeds() (feeds []config.Feed, withdrawn uint16) { return s.feeds, s.held }

// Withdraw withdraws a share of what the feeds bring in, of feed.Turns, and advertises the rest; ok is false if there is none.
func (s *Speaker) Withdraw(h Host, share uint16) (ok bool) {
	if !s.running || len(s.feeds) == 0 {
		return false
	}
	s.flap.Stop(h, event.Pending)
	s.hold(h, share)
	return true
}

// Flap withdraws a share of what the feeds bring in, and advertises it again after FlapTime.
func (s *Speaker) Flap(h Host, share uint16) (ok bool) {
	if ok = s.Withdraw(h, share); ok {
		s.flap.Set(h, h.Now()+FlapTime, feedTimer, event.Pending, 0, 0)
	}
	return ok
}

// hold makes so many turns be withdrawn.
func (s *Speaker) hold(h Host, share uint16) {
	from, to := min(s.held, share), max(s.held, share)
	s.held = share
	s.fed.Each(func(prefix uint32, f *fed) bool {
		if f.attr != 0 && f.turn >= from && f.turn < to {
			s.Touch(h, prefix)
		}
		return true
	})
}
