package timeline

import (
	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/adjacency"
	"hellebore/core/protocols/bgp"
	"hellebore/core/protocols/ospf"
	"hellebore/core/questions/facts"
	"hellebore/core/simulation/network"
)

// Message is a line that a router would write to its log.
type Message struct {
	Number uint32  `json:"number" doc:"rises with time; a later moment keeps the numbers"`
	At     float64 `json:"at" doc:"seconds since the lab began"`
	Device string  `json:"device"`
	Port   string  `json:"port,omitempty"`
	Weight string  `json:"weight" enum:"trouble,notice" doc:"trouble: something was lost or refused"`
	Text   string  `json:"text"`
}

// Messages are the lines that routers wrote, newest first.
type Messages struct {
	Messages []Message `json:"messages"`
	Omitted  int       `json:"omitted" doc:"older ones, beyond the bound of what is shown"`
}

// maxMessages bounds what is shown.
const maxMessages = 2000

// weightOf says whether a note is one that a router would log, and how it would
// weigh it.
func weightOf(n note.Note) (weight string, logged bool) {
	switch n.Kind {
	case note.PortUp, note.RouterIDChosen:
		return "notice", true
	case note.PortDown, note.HelloRefused, note.AddressUnresolved:
		return "trouble", true
	case note.PortRole:
		return "notice", ospf.PortState(n.C) == ospf.PortDR || ospf.PortState(n.C) == ospf.PortBackup
	case note.SessionState:
		switch {
		case bgp.State(n.C) == bgp.Established:
			return "notice", true
		case bgp.State(n.B) == bgp.Established:
			return "trouble", true
		}
	case note.NotificationSent, note.NotificationReceivedFrom, note.ConnectionTurnedAway, note.AttributeFault:
		return "trouble", true
	case note.NeighbourState:
		switch {
		case adjacency.State(n.C) == adjacency.Full:
			return "notice", true
		case adjacency.State(n.B) == adjacency.Full, adjacency.State(n.C) == adjacency.Down && adjacency.State(n.B) >= adjacency.TwoWay:
			return "trouble", true
		}
	}
	return "", false
}

// MessagesOf are the messages of all devices up to a world's moment.
func MessagesOf(w *network.World) Messages {
	out := Messages{Messages: []Message{}}
	words := facts.NewWriter(w)
	w.LatestNote(func(number uint32, n note.Note) bool {
		weight, logged := weightOf(n)
		if !logged {
			return false
		}
		if len(out.Messages) == maxMessages {
			out.Omitted++
			return false
		}
		d := w.Device(n.Device)
		m := Message{Number: number + 1, At: event.Time(n.At).Seconds(), Device: d.Name(), Weight: weight,
			Text: words.Words(n)}
		if i, ok := n.Port.Number(); ok {
			m.Port = d.Ports()[i].Config.Name
		}
		out.Messages = append(out.Messages, m)
		return false
	})
	return out
}
