package network

import (
	"fmt"

	"hellebore/core/protocols/route"
	"hellebore/core/simulation/device"
)

// checkCrossings holds the taken routes of all devices against the rules: each leads back
// to a route that did not cross, by instances that use it; and no instance leaves a route
// aside that it may take and that is better than the one it uses.
func (w *World) checkCrossings() string {
	for _, d := range w.devices {
		if len(d.Instances()) == 1 {
			continue
		}
		for i := range d.Instances() {
			to := &d.Instances()[i]
			for id := range to.Table().Len() {
				if s := w.checkCrossing(d, to, id); s != "" {
					return fmt.Sprintf("%s, %v: %s", to.Ref(), w.shared.Prefixes.Prefix(id), s)
				}
			}
		}
	}
	return ""
}

func (w *World) checkCrossing(d *device.Device, to *device.Instance, id uint32) string {
	used, has := to.Table().Best(id)
	if r := to.Table().Route(route.Taken, id); r.Present != to.Taken(id).There {
		return "a taken route and where it comes from do not agree"
	} else if r.Present {
		at, steps := to, 0
		for at.Taken(id).There {
			from := &d.Instances()[at.Taken(id).From]
			if _, uses := from.Table().Best(id); !uses {
				return fmt.Sprintf("it is taken from %s, which has no route", from.Ref())
			}
			if steps++; steps > len(d.Instances()) {
				return "it is taken in a circle"
			}
			at = from
		}
		origin := &d.Instances()[to.Taken(id).Origin]
		if _, own := origin.Table().Own(id); !own || at != origin {
			return "its origin has no route of its own"
		}
		from := &d.Instances()[to.Taken(id).From]
		source, _ := from.Table().Best(id)
		if to.Table().Set(r.Hop) != from.Table().Set(from.Table().Route(source, id).Hop) {
			return fmt.Sprintf("it leaves otherwise than from %s", from.Ref())
		}
		if v := to.Takes(from, id, nil); v != device.Accepted && v != device.Surpassed {
			return fmt.Sprintf("it is taken from %s, which may not be", from.Ref())
		}
	}
	for k := range d.Instances() {
		from := &d.Instances()[k]
		if v := to.Takes(from, id, nil); v != device.Accepted && v != device.Surpassed {
			continue
		}
		source, _ := from.Table().Best(id)
		if !has || from.Table().Route(source, id).Preference < to.Table().Route(used, id).Preference {
			return fmt.Sprintf("the route of %s may cross, and is better than what is used", from.Ref())
		}
	}
	return ""
}
