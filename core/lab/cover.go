package lab

import (
	"hellebore/core/language/config"
	"hellebore/core/language/labtext"
)

// Cover is what a list of labs shows of one, from its text alone.
type Cover struct {
	About      string    `json:"about,omitempty" doc:"a sentence"`
	Difficulty string    `json:"difficulty,omitempty" enum:"easy,medium,hard"`
	Topics     []Topic   `json:"topics" doc:"what the text configures"`
	Routers    int       `json:"routers"`
	Hosts      int       `json:"hosts"`
	Links      int       `json:"links" doc:"segments included"`
	Tasks      int       `json:"tasks" doc:"of its brief"`
	SmallMap   *SmallMap `json:"smallMap,omitempty" doc:"absent if the lab is too large for a small map"`
}

// Topic is a subject that a lab is about.
type Topic string

// The topics, in the order in which one learns.
const (
	TopicOSPF           Topic = "OSPF"
	TopicElection       Topic = "DR election"
	TopicAreas          Topic = "areas"
	TopicSummaries      Topic = "summaries"
	TopicStub           Topic = "stub and NSSA"
	TopicVirtual        Topic = "virtual links"
	TopicInjection      Topic = "injected routes"
	TopicVLAN           Topic = "VLANs"
	TopicAuthentication Topic = "authentication"
	TopicEBGP           Topic = "eBGP"
	TopicIBGP           Topic = "iBGP"
	TopicReflection     Topic = "route reflection"
	TopicPolicies       Topic = "policies"
)

// topics is that order.
var topics = []Topic{TopicOSPF, TopicElection, TopicAreas, TopicSummaries, TopicStub, TopicVirtual, TopicInjection, TopicVLAN,
	TopicAuthentication, TopicEBGP, TopicIBGP, TopicReflection, TopicPolicies}

// SmallMap is a small map: devices and segments as points, with what joins them.
type SmallMap struct {
	Nodes []SmallNode `json:"nodes"`
	Edges [][2]int    `json:"edges" doc:"indexes of nodes"`
}

// SmallNode is a point of a small map.
type SmallNode struct {
	Name string `json:"name"`
	Kind string `json:"kind" enum:"router,host,segment"`
	AS   uint32 `json:"as,omitempty"`
	X    *int   `json:"x,omitempty" doc:"from the text, pixels; absent if it gives no place"`
	Y    *int   `json:"y,omitempty"`
}

// drawable is the largest number of points on a small map.
const drawable = 60

// CoverOf is the cover of a text. A text with mistakes has what can be read of it.
func CoverOf(text string) Cover {
	r := labtext.Parse(text)
	l := &r.Lab
	c := Cover{About: l.About, Difficulty: l.Difficulty, Topics: []Topic{}, Links: len(l.Links) + len(l.Segments), Tasks: len(l.Brief.Tasks)}
	for i := range l.Devices {
		if l.Devices[i].Kind == config.Router {
			c.Routers++
		} else {
			c.Hosts++
		}
	}
	has := topicsOf(l)
	for _, t := range topics {
		if has[t] {
			c.Topics = append(c.Topics, t)
		}
	}
	if len(l.Devices)+len(l.Segments) <= drawable && len(l.Devices) > 0 {
		c.SmallMap = smallMap(l)
	}
	return c
}

func topicsOf(l *config.Lab) map[Topic]bool {
	has := map[Topic]bool{TopicPolicies: len(l.Policies.List) > 0}
	speaks := map[config.PortRef]bool{} // ports that take part in OSPF
	for i := range l.Devices {
		d := &l.Devices[i]
		areas := map[uint32]bool{} // of this router
		for _, p := range d.Ports {
			has[TopicVLAN] = has[TopicVLAN] || p.VLAN > 0
			if p.OSPF.On {
				has[TopicOSPF] = true
				areas[p.OSPF.Area] = true
				has[TopicAuthentication] = has[TopicAuthentication] || p.OSPF.Keys != nil
				speaks[config.PortRef{Device: d.Name, Port: p.Name}] = !p.OSPF.Passive
			}
		}
		has[TopicAreas] = has[TopicAreas] || len(areas) > 1
		for _, a := range d.OSPF.Areas {
			has[TopicSummaries] = has[TopicSummaries] || len(a.Ranges)+len(a.Summaries) > 0
			has[TopicStub] = has[TopicStub] || a.Closed()
			has[TopicVirtual] = has[TopicVirtual] || len(a.Virtual) > 0
		}
		has[TopicInjection] = has[TopicInjection] || len(d.OSPF.Injects) > 0 || d.OSPF.Default.On || len(d.BGP.Injects) > 0
		for _, p := range d.BGP.Peers {
			inside := p.AS == d.BGP.AS
			has[TopicIBGP] = has[TopicIBGP] || inside
			has[TopicEBGP] = has[TopicEBGP] || !inside
			has[TopicReflection] = has[TopicReflection] || p.Client
			has[TopicAuthentication] = has[TopicAuthentication] || p.Keys != nil
		}
	}
	for _, s := range l.Segments {
		n := 0
		for _, p := range s.Ports {
			if speaks[p] {
				n++
			}
		}
		has[TopicElection] = has[TopicElection] || n > 2
	}
	return has
}

func smallMap(l *config.Lab) *SmallMap {
	s := &SmallMap{Nodes: []SmallNode{}, Edges: [][2]int{}}
	at := map[string]int{}
	add := func(n SmallNode, p config.Point) int {
		if p.Set {
			n.X, n.Y = &p.X, &p.Y
		}
		s.Nodes = append(s.Nodes, n)
		return len(s.Nodes) - 1
	}
	for i := range l.Devices {
		d := &l.Devices[i]
		at[d.Name] = add(SmallNode{Name: d.Name, Kind: d.Kind.String(), AS: d.BGP.AS}, d.At)
	}
	join := func(a int, device string) {
		if b, there := at[device]; there {
			s.Edges = append(s.Edges, [2]int{a, b})
		}
	}
	for _, x := range l.Links {
		if a, there := at[x.A.Device]; there {
			join(a, x.B.Device)
		}
	}
	for _, x := range l.Segments {
		n := add(SmallNode{Name: x.Name, Kind: "segment"}, x.At)
		for _, p := range x.Ports {
			join(n, p.Device)
		}
	}
	return s
}
