package labtext

import (
	"maps"
	"slices"
	"strings"
)

// The lab's policies and sets change router by router: in the stages between, a router
// that is ahead of the lab has the new ones of its own, one that is behind the old ones.

// policyChange is what a change does to policies and sets of the lab that are there before
// and after it.
type policyChange struct {
	old, now         map[string][]string        // by key of a changed block, its lines
	oldUses, nowUses map[string]map[string]bool // by device, the keys that it leads to and has not of its own
}

// policyChangeOf is the change from a text to another one, if both have no errors.
func policyChangeOf(before, after string) policyChange {
	c := policyChange{old: map[string][]string{}, now: map[string][]string{}}
	oldLines, newLines := strings.Split(before, "\n"), strings.Split(after, "\n")
	old := byKey(Outline(before))
	news := Outline(after)
	for i := range news {
		b := &news[i]
		if row := rowFor(b.Kind, RouterOf); row == nil || !slices.Contains(row.In, Top) {
			continue // no router has such a thing of its own
		}
		if o := old[b.key()]; o != nil && o.canon != b.canon {
			c.old[b.key()], c.now[b.key()] = o.of(oldLines), b.of(newLines)
		}
	}
	if len(c.now) == 0 {
		return c
	}
	was, is := Parse(before), Parse(after)
	if !was.OK() || !is.OK() {
		return policyChange{}
	}
	c.oldUses, c.nowUses = c.usesOf(was), c.usesOf(is)
	return c
}

// usesOf are the changed blocks that each device leads to and has not of its own.
func (c policyChange) usesOf(r *Result) map[string]map[string]bool {
	out := map[string]map[string]bool{}
	for i := range r.Lab.Devices {
		d := &r.Lab.Devices[i]
		p := d.Policies.Over(&r.Lab.Policies)
		uses := reached(d, &p)
		maps.DeleteFunc(uses, func(key string, _ bool) bool {
			kind, name, _ := strings.Cut(key, " ")
			return c.now[key] == nil || slices.Contains(namesOfKind(&d.Policies, kind), name)
		})
		out[d.Name] = uses
	}
	return out
}

// touches says whether the change is one of a device.
func (c policyChange) touches(device string) bool {
	return len(c.oldUses[device])+len(c.nowUses[device]) > 0
}

// used says whether a changed block is of a policy or a set that some device leads to.
func (c policyChange) used(key string) bool {
	for _, uses := range []map[string]map[string]bool{c.oldUses, c.nowUses} {
		for _, keys := range uses {
			if keys[key] {
				return true
			}
		}
	}
	return false
}

// copies are the lines that devices have more in their blocks at a stage: named are all
// parts of the order, done those up to this stage.
func (c policyChange) copies(named, done map[string]bool) map[string][]string {
	out := map[string][]string{}
	for device := range named {
		uses, blocks := c.oldUses[device], c.old
		if done[device] {
			uses, blocks = c.nowUses[device], c.now
		}
		if done[device] == done[Shared] {
			continue // the lab's own are what it has
		}
		for _, key := range slices.Sorted(maps.Keys(uses)) {
			for _, line := range blocks[key] {
				if line != "" {
					line = "  " + line
				}
				out[device] = append(out[device], line)
			}
		}
	}
	return out
}
