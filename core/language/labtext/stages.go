package labtext

import (
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// Shared means, in the order of a staged change, what no single router has: key chains,
// links, segments, and the lab's policies and sets. A router that the order names takes
// the lab's policies and sets at its own place in the order.
const Shared = "shared"

// Touched are the devices whose blocks a change of the text changes or whose policies and
// sets it changes, in the order of the new text, and before them Shared if it changes
// something else that they share.
func Touched(before, after string) []string {
	change := policyChangeOf(before, after)
	devices, shared := touched(before, after, change)
	for _, key := range shared {
		if !change.used(key) {
			return append([]string{Shared}, devices...)
		}
	}
	return devices
}

// touched are the devices that a change touches, and the keys of blocks of no device.
func touched(before, after string, change policyChange) (devices, shared []string) {
	old := byKey(Outline(before))
	now := Outline(after)
	devices = []string{}
	seen := map[string]bool{}
	look := func(b *Block) {
		switch {
		case b.device():
			devices = append(devices, b.Name)
		case b.Kind != "lab" && b.Kind != "flow" && b.Kind != "check" && b.Kind != "brief":
			shared = append(shared, b.key())
		}
	}
	for i := range now {
		seen[now[i].key()] = true
		if o := old[now[i].key()]; o == nil || o.canon != now[i].canon || now[i].device() && change.touches(now[i].Name) {
			look(&now[i])
		}
	}
	for _, o := range Outline(before) {
		if !seen[o.key()] {
			look(&o)
		}
	}
	return devices, shared
}

func byKey(list []Block) map[string]*Block {
	m := make(map[string]*Block, len(list))
	for i := range list {
		m[list[i].key()] = &list[i]
	}
	return m
}

// Stages are the texts of a change that is made one part after the other: groups
// names the devices of each stage, or Shared. What no group names goes with the
// last one, whose text is the new one. A stage that does not work by itself is an
// error.
func Stages(before, after string, groups [][]string) ([]string, error) {
	change := policyChangeOf(before, after)
	touches, shared := touched(before, after, change)
	if len(shared) > 0 {
		touches = append(touches, Shared)
	}
	named := map[string]bool{}
	for _, g := range groups {
		for _, name := range g {
			if !slices.Contains(touches, name) {
				return nil, phrase.Errorf("the change does not touch %s: take it out of the order", name)
			}
			if named[name] {
				return nil, phrase.Errorf("%s is in the order twice", name)
			}
			named[name] = true
		}
	}
	var out []string
	done := map[string]bool{}
	for i, g := range groups {
		if i == len(groups)-1 {
			break
		}
		for _, name := range g {
			done[name] = true
		}
		text := mix(before, after, done, change.copies(named, done))
		if r := Parse(text); !r.OK() {
			for _, p := range r.Problems {
				if p.Severity == Error {
					return nil, phrase.Errorf("stage %d (%s) does not work alone: %s; put it into one stage with what it needs", i+1, strings.Join(g, ", "), p.Message)
				}
			}
		}
		out = append(out, text)
	}
	return append(out, after), nil
}

// mix is the new text with the old blocks of all devices that are not done yet.
// What the new text adds to the policies and sets is there from the beginning,
// what it takes away goes last; links come last and go with their devices. copies are
// policies and sets that devices have of their own at this stage.
func mix(before, after string, done map[string]bool, copies map[string][]string) string {
	oldLines, newLines := strings.Split(before, "\n"), strings.Split(after, "\n")
	olds, news := Outline(before), Outline(after)
	old, now := byKey(olds), byKey(news)
	var out []string
	add := func(b *Block, lines []string) {
		out = append(out, b.of(lines)...)
		if b.device() {
			out = append(out, copies[b.Name]...)
		}
		out = append(out, "")
	}
	for i := range news {
		b := &news[i]
		o := old[b.key()]
		switch {
		case b.device() && done[b.Name], o != nil && o.canon == b.canon:
			add(b, newLines)
		case b.device() && o == nil:
		case o == nil && slices.Contains([]string{"link", "segment", "flow", "check", "brief"}, b.Kind):
		case o == nil || !b.device() && done[Shared] && b.Kind != "flow" && b.Kind != "check" && b.Kind != "brief":
			add(b, newLines)
		default:
			add(o, oldLines)
		}
	}
	for i := range olds {
		b := &olds[i]
		if now[b.key()] != nil || b.device() && done[b.Name] || b.Kind == "link" && ofDone(b.Name, done) {
			continue
		}
		add(b, oldLines)
	}
	return strings.Join(out, "\n")
}

// ofDone says whether a link ends at a device that is done.
func ofDone(link string, done map[string]bool) bool {
	for end := range strings.FieldsSeq(link) {
		if device, _, _ := strings.Cut(end, "."); done[device] {
			return true
		}
	}
	return false
}
