package playback

import (
	"cmp"
	"slices"
	"strings"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/ground/phrase"
	"hellebore/core/questions/capture"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/history"
)

// mostOfFlows bounds the flights of flows in one stretch that is given at once.
const mostOfFlows = 2000

// longestTrip is how long before a stretch a packet may be sent that is still on its way in it.
const longestTrip = event.Second

// flows adds the packets of flows to a stretch. They are followed through the tables as these change, hop by hop: the
// simulation itself does not send them. A stretch with more of them than are given at once ends where they do.
func (p *player) flows(h *history.History, out *Stretch, all bool, stop func() bool) {
	to := event.FromSeconds(out.To)
	var trips []traffic.Trip
	steps := h.Steps()
	for i, s := range steps {
		if !s.Done || s.End < p.from-longestTrip || s.Start > to {
			continue
		}
		each := map[string]int{}
		traffic.Trips(h.Whole(s.Seq), i == len(steps)-1, all, p.from-longestTrip, to, func(t traffic.Trip) bool {
			if t.When < p.from {
				return true
			}
			trips = append(trips, t)
			each[t.Flow] += weightOf(&t, p.from)
			return each[t.Flow] <= mostOfFlows
		}, stop)
	}
	slices.SortStableFunc(trips, func(a, b traffic.Trip) int { return cmp.Compare(a.Sent, b.Sent) })
	if end := enough(trips, p.from); end < to {
		to = end
		out.To, out.More = to.Seconds(), true
		out.Flights = slices.DeleteFunc(out.Flights, func(f Flight) bool { return f.At > out.To })
		out.Events = slices.DeleteFunc(out.Events, func(e Occurrence) bool { return e.At > out.To })
	}
	for _, t := range trips {
		for _, l := range t.Legs {
			if l.At <= to && l.Until >= p.from {
				out.Flights = append(out.Flights, Flight{At: l.At.Seconds(), Until: l.Until.Seconds(), From: l.From, To: l.To,
					Class: capture.Flow, Kind: t.Flow, Lost: l.Lost, Transit: !l.Ends, Loops: l.Around})
			}
		}
		if t.Lost != "" && t.When >= p.from && t.When <= to {
			name, _, _ := strings.Cut(t.At, "/")
			out.Events = append(out.Events, Occurrence{At: t.When.Seconds(), Device: name, Lane: string(note.Packet),
				About: "flow " + t.Flow, Word: phrase.Text("packet lost"), Text: phrase.Say("a packet of %s is lost: %s", t.Flow, t.Lost)})
		}
	}
	slices.SortStableFunc(out.Flights, func(a, b Flight) int { return cmp.Compare(a.At, b.At) })
	slices.SortStableFunc(out.Events, func(a, b Occurrence) int { return cmp.Compare(a.At, b.At) })
}

// weightOf is how much a trip counts towards what is given at once: those that were sent before are there in any case.
func weightOf(t *traffic.Trip, from event.Time) int {
	if t.Sent <= from {
		return 0
	}
	return len(t.Legs) + 1
}

// enough is up to when the packets of flows are as many as are given at once.
func enough(trips []traffic.Trip, from event.Time) event.Time {
	n := 0
	for i := range trips {
		if n += weightOf(&trips[i], from); n > mostOfFlows {
			return max(from, trips[i].Sent-1)
		}
	}
	return event.Never
}
