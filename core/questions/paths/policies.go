package paths

import (
	"cmp"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// PolicyUse is a policy and who uses it.
type PolicyUse struct {
	Name       string   `json:"name"`
	Device     string   `json:"device,omitempty" doc:"the router whose own it is: it hides the lab's of the same name there"`
	Statements []string `json:"statements"`
	Uses       []Use    `json:"uses"`
}

// Use is a place where a policy is applied.
type Use struct {
	Device string `json:"device" doc:"or an instance of one: junction/ferry"`
	Peer   string `json:"peer,omitempty" doc:"address of the session; of a take, the instance that routes come from"`
	Role   string `json:"role" enum:"in,out,originate,inject,aggregate,take,policy"`
	Words  string `json:"words" doc:"a few words"`
}

// PoliciesOf are the policies of a lab in the order of its text, then each router's own.
func PoliciesOf(w *network.World) []PolicyUse {
	out := []PolicyUse{}
	uses := map[string][]Use{}
	use := func(policy string, u Use) {
		if p, ok := facts.PolicyOn(w, u.Device, policy); ok {
			uses[p.Place()] = append(uses[p.Place()], u)
		}
	}
	for _, inst := range facts.AllInstances(w) {
		name, g := inst.Ref(), &inst.Config().BGP
		for _, p := range g.Peers {
			a := p.Address.String()
			use(p.Import, Use{name, a, "in", phrase.Say("%s, what %s sends", name, a)})
			use(p.Export, Use{name, a, "out", phrase.Say("%s, what %s is sent", name, a)})
		}
		for _, o := range g.Originates {
			use(o.Policy, Use{name, "", "originate", phrase.Say("%s originates %v", name, o.Prefix)})
		}
		for _, i := range g.Injects {
			use(i.Policy, Use{name, "", "inject", phrase.Say("%s injects %s into BGP", name, i.Source)})
		}
		for _, a := range g.Aggregates {
			use(a.Policy, Use{name, "", "aggregate", phrase.Say("%s aggregates into %v", name, a.Prefix)})
		}
		for _, i := range inst.Config().OSPF.Injects {
			use(i.Through, Use{name, "", "inject", phrase.Say("%s injects %s into OSPF", name, i.Source)})
		}
		for _, t := range inst.Config().Takes {
			from := cmp.Or(t.From, config.MainInstance)
			use(t.Through, Use{name, from, "take", phrase.Say("%s, what it takes from %s", name, from)})
		}
	}
	all := facts.Policies(w)
	for _, p := range all {
		for _, s := range p.Statements {
			for _, c := range s.Where {
				if c.What != "policy" {
					continue
				}
				u := Use{p.Device, "", "policy", phrase.Say("%s asks it", p.Words())}
				use(c.Set, u)
				for _, own := range all { // a policy of the lab asks what each router has of the name
					if p.Device == "" && own.Device != "" && own.Name == c.Set {
						if there, _ := facts.PolicyOn(w, own.Device, p.Name); there.Policy == p.Policy {
							uses[own.Place()] = append(uses[own.Place()], u)
						}
					}
				}
			}
		}
	}
	for _, p := range all {
		x := PolicyUse{Name: p.Name, Device: p.Device, Statements: []string{}, Uses: uses[p.Place()]}
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
