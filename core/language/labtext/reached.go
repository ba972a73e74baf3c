package labtext

import (
	"hellebore/core/language/config"
)

// reached are the policies and sets that the statements of a router lead to, as keys of
// blocks: "policy out", "prefix-set ours". p are those that it has.
func reached(d *config.Device, p *config.Policies) map[string]bool {
	out := map[string]bool{}
	var follow func(x *config.Policy)
	set := func(kind, name string) {
		if name != "" {
			out[setWords[kind]+" "+name] = true
		}
	}
	named := func(name string) {
		if x := p.Policy(name); x != nil {
			follow(x)
		} else {
			set("prefix set", name)
		}
	}
	follow = func(x *config.Policy) {
		if key := "policy " + x.Name; !out[key] {
			out[key] = true
			for _, s := range x.Statements {
				for _, c := range s.Where {
					if c.What == "policy" {
						named(c.Set)
					} else {
						set(setKinds[c.What], c.Set)
					}
				}
				for _, a := range s.Actions {
					set("community set", a.Set)
				}
			}
		}
	}
	for _, name := range d.InstanceNames() {
		r := d.Instance(name)
		for _, x := range r.BGP.Peers {
			named(x.Import)
			named(x.Export)
		}
		for _, x := range r.BGP.Originates {
			named(x.Policy)
		}
		for _, x := range r.BGP.Injects {
			named(x.Policy)
		}
		for _, x := range r.BGP.Aggregates {
			named(x.Policy)
		}
		for _, x := range r.OSPF.Injects {
			named(x.Through)
		}
		for _, x := range r.Takes {
			named(x.Through)
		}
	}
	return out
}
