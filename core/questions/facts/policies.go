package facts

import (
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
	"hellebore/core/simulation/network"
)

// Policy is a policy, and the router whose own it is; "" if it is the lab's.
type Policy struct {
	*config.Policy
	Device string
}

// Policies are those of the lab in the order of its text, then each router's own.
func Policies(w *network.World) []Policy {
	var out []Policy
	add := func(device string, list []config.Policy) {
		for i := range list {
			out = append(out, Policy{&list[i], device})
		}
	}
	add("", w.Policies().List)
	for _, d := range w.Devices() {
		if !d.Gone() {
			add(d.Name(), d.Config().Policies.List)
		}
	}
	return out
}

// PolicyOn is the policy that a name means on a device, or an instance of one; ok is
// false if it means none, or a prefix set.
func PolicyOn(w *network.World, device, name string) (p Policy, ok bool) {
	device, _, _ = strings.Cut(device, "/")
	if d := w.Find(device); d != nil {
		if own := d.Config().Policies.Policy(name); own != nil {
			return Policy{own, device}, true
		}
	}
	p.Policy = w.Policies().Policy(name)
	return p, p.Policy != nil
}

// Place is where the policy is in the text, and its name in edits.
func (p Policy) Place() string { return labtext.PolicyPlace(p.Device, p.Own, p.Name, "") }

// Words are the policy in a sentence.
func (p Policy) Words() string {
	if p.Own {
		return phrase.Say("policy %s of %s", p.Name, p.Device)
	}
	return phrase.Say("policy %s", p.Name)
}
