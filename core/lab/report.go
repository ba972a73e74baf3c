package lab

import (
	"hellebore/core/language/config"
	"hellebore/core/questions/check"
	"hellebore/core/questions/critical"
	"hellebore/core/questions/facts"
	"hellebore/core/questions/relations"
	"hellebore/core/questions/tables"
	"hellebore/core/questions/traffic"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

// Report is the end state of a run, as "hellebore run --json" prints it. Its
// shape is documented in docs/cli.md and only ever grows.
type Report struct {
	Settled    bool                    `json:"settled"`
	Time       float64                 `json:"time"` // seconds of virtual time
	Actions    []ReportAction          `json:"actions"`
	Devices    map[string]ReportDevice `json:"devices"`
	Neighbours []relations.Neighbour   `json:"neighbours"`
	Flows      []ReportFlow            `json:"flows"`
	Checks     []check.Result          `json:"checks"`
}

// ReportAction is an action of the run. Convergence is null if no forwarding
// changed.
type ReportAction struct {
	Action      string   `json:"action"`
	At          float64  `json:"at"`
	Convergence *float64 `json:"convergence"`
	// Path is what the convergence waited for; absent for the first action, and where no
	// forwarding changed.
	Path *critical.Chain `json:"path,omitempty"`
}

// ReportDevice is a router's table.
type ReportDevice struct {
	Routes []tables.Route `json:"routes"`
}

// ReportFlow is a flow: its path at the end, and when it was out.
type ReportFlow struct {
	Name    string           `json:"name"`
	From    string           `json:"from"`
	To      string           `json:"to"`
	Arrives bool             `json:"arrives"`
	Path    []string         `json:"path"`
	Reason  string           `json:"reason"`
	Outages []traffic.Outage `json:"outages"`
}

// Report is the lab's present.
func (l *Lab) Report() Report {
	r := l.ReportWithoutRoutes()
	l.eachRouter(func(inst *device.Instance) {
		r.Devices[inst.Ref()] = ReportDevice{tables.RoutesOf(l.history.Head(), inst)}
	})
	return r
}

// RouteCounts is how many routes each router has, by source.
func (l *Lab) RouteCounts() (by map[string]map[string]int, all int) {
	by = map[string]map[string]int{}
	l.eachRouter(func(inst *device.Instance) {
		counts := tables.CountRoutes(inst)
		by[inst.Ref()] = counts
		for _, n := range counts {
			all += n
		}
	})
	return by, all
}

// eachRouter visits the instances of all routers.
func (l *Lab) eachRouter(visit func(*device.Instance)) {
	for _, d := range l.history.Head().Devices() {
		if !d.Gone() && d.Kind() == config.Router {
			for _, inst := range facts.Instances(d) {
				visit(inst)
			}
		}
	}
}

// ReportWithoutRoutes is the lab's present without the tables, of which large networks have millions of rows.
func (l *Lab) ReportWithoutRoutes() Report {
	w := l.history.Head()
	r := Report{Settled: true, Time: float64(w.Now()) / 1e9, Actions: []ReportAction{},
		Devices:    map[string]ReportDevice{},
		Neighbours: relations.NeighboursOf(w), Flows: []ReportFlow{}}
	for i, a := range l.Timeline() {
		x := ReportAction{Action: a.Action, At: a.Start, Convergence: a.Convergence}
		if i > 0 {
			x.Path, _ = l.CriticalPath(a.Seq, critical.About{}) // nothing stops it here
		}
		r.Actions = append(r.Actions, x)
		r.Settled = l.history.Steps()[i].Outcome == network.Settled && w.Calm().Settled()
	}
	for _, f := range traffic.FlowsOf(w) {
		row := ReportFlow{Name: f.Name, From: f.From, To: f.To, Arrives: f.Arrives, Path: []string{}, Reason: f.Reason,
			Outages: l.flowOutages(f.Name)}
		for _, h := range f.Hops {
			row.Path = append(row.Path, h.Device)
		}
		r.Flows = append(r.Flows, row)
	}
	r.Checks, _ = l.Checks(l.history.Now())
	return r
}

// flowOutages are the outages of a flow over all actions but the first, which
// brings the network up; one that goes on from one action into the next is one.
func (l *Lab) flowOutages(name string) []traffic.Outage {
	out := []traffic.Outage{}
	for _, s := range l.history.Steps() {
		if s.Seq == 1 {
			continue
		}
		for _, f := range l.outagesOf(s) {
			if f.Name != name {
				continue
			}
			for _, o := range f.Outages {
				if n := len(out); n > 0 && out[n-1].To != nil && *out[n-1].To == o.From {
					out[n-1].To = o.To
					continue
				}
				out = append(out, o)
			}
		}
	}
	return out
}
