package paths

import (
	"hellebore/core/ground/phrase"
	"hellebore/core/simulation/network"
)

// PolicyUse is a policy of the lab and who uses it.
type PolicyUse struct {
	Name       string   `json:"name"`
	Statements []string `json:"statements"`
	Uses       []Use    `json:"uses"`
}

// Use is a place where a policy is applied.
type Use struct {
	Device string `json:"device"`
	Peer   string `json:"peer,omitempty" doc:"address of the session"`
	Role   string `json:"role" enum:"in,out,originate,inject,aggregate,policy"`
	Words  string `json:"words" doc:"a few words"`
}

// PoliciesOf are the policies of a lab, in the order of its text.
func PoliciesOf(w *network.World) []PolicyUse {
	out := []PolicyUse{}
	uses := map[string][]Use{}
	use := func(policy string, u Use) {
		if policy != "" {
			uses[policy] = append(uses[policy], u)
		}
	}
	for _, d := range w.Devices() {
		if d.Gone() {
			continue
		}
		g := &d.Config().BGP
		for _, p := range g.Peers {
			a := p.Address.String()
			use(p.Import, Use{d.Name(), a, "in", phrase.Say("%s, what %s sends", d.Name(), a)})
			use(p.Export, Use{d.Name(), a, "out", phrase.Say("%s, what %s is sent", d.Name(), a)})
		}
		for _, o := range g.Originates {
			use(o.Policy, Use{d.Name(), "", "originate", phrase.Say("%s originates %v", d.Name(), o.Prefix)})
		}
		for _, i := range g.Injects {
			use(i.Policy, Use{d.Name(), "", "inject", phrase.Say("%s injects %s into BGP", d.Name(), i.Source)})
		}
		for _, a := range g.Aggregates {
			use(a.Policy, Use{d.Name(), "", "aggregate", phrase.Say("%s aggregates into %v", d.Name(), a.Prefix)})
		}
		for _, i := range d.Config().OSPF.Injects {
			if i.Policy {
				use(i.Through, Use{d.Name(), "", "inject", phrase.Say("%s injects %s into OSPF", d.Name(), i.Source)})
			}
		}
	}
	for _, p := range w.Policies().List {
		for _, s := range p.Statements {
			for _, c := range s.Where {
				if c.What == "policy" {
					use(c.Set, Use{"", "", "policy", phrase.Say("policy %s asks it", p.Name)})
				}
			}
		}
	}
	for _, p := range w.Policies().List {
		x := PolicyUse{Name: p.Name, Statements: []string{}, Uses: uses[p.Name]}
		if x.Uses == nil {
			x.Uses = []Use{}
		}
		for _, s := range p.Statements {
			x.Statements = append(x.Statements, s.Name)
		}
		out = append(out, x)
	}
	return out
}
