package timeline

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"

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

// Messages is a part of the lines that routers wrote, newest first.
type Messages struct {
	Messages []Message `json:"messages"`
	Offset   int       `json:"offset" doc:"of the first of them, among those that were found"`
	Found    int       `json:"found" doc:"that are what was asked for"`
	All      int       `json:"all" doc:"of the device, after the number, whatever their weight and words"`
	Fresh    int       `json:"fresh" doc:"of those, the ones that were not seen yet"`
	Newest   uint32    `json:"newest" doc:"number of the latest of all devices; 0 if there is none"`
}

// MessagesAsk is which messages are asked for. The zero value asks for all.
type MessagesAsk struct {
	Device string // of one device; "" for all
	Weight string // of one weight; "" for all
	Find   string // only those that have this in their words, their device or port
	After  uint32 // those with a greater number
	Read   uint32 // those up to this number were seen
	Unread bool   // only those that were not
	Offset int
	Limit  int // 0 for all
}

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

// MessagesOf is a part of the messages up to a world's moment. Words are made for those alone that are in it, or looked through.
func MessagesOf(w *network.World, ask MessagesAsk, stop func() bool) Messages {
	out := Messages{Messages: []Message{}, Offset: ask.Offset}
	words := facts.NewWriter(w)
	find := strings.ToLower(ask.Find)
	looked := 0
	w.LatestNote(func(number uint32, n note.Note) bool {
		if looked++; looked%4096 == 0 && stop != nil && stop() || number < ask.After {
			return true
		}
		weight, logged := weightOf(n)
		if !logged {
			return false
		}
		out.Newest = max(out.Newest, number+1)
		d := w.Device(n.Device)
		if ask.Device != "" && d.Name() != ask.Device {
			return false
		}
		out.All++
		fresh := number >= ask.Read
		if fresh {
			out.Fresh++
		}
		if ask.Unread && !fresh || ask.Weight != "" && weight != ask.Weight {
			return false
		}
		m := Message{Number: number + 1, At: event.Time(n.At).Seconds(), Device: d.Name(), Weight: weight}
		if i, ok := n.Port.Number(); ok {
			m.Port = d.Ports()[i].Config.Name
		}
		in := out.Found >= ask.Offset && (ask.Limit == 0 || len(out.Messages) < ask.Limit)
		if in || find != "" {
			m.Text = words.Words(n)
		}
		if find != "" && !strings.Contains(strings.ToLower(m.Device+"."+m.Port+" "+m.Text), find) {
			return false
		}
		out.Found++
		if in {
			out.Messages = append(out.Messages, m)
		}
		return false
	})
	return out
}

// WriteMessages writes messages as CSV (RFC 4180), newest first.
func WriteMessages(to io.Writer, m Messages) error {
	c := csv.NewWriter(to)
	rows := [][]string{{"at", "device", "port", "weight", "message"}}
	for _, x := range m.Messages {
		rows = append(rows, []string{strconv.FormatFloat(x.At, 'f', 6, 64), x.Device, x.Port, x.Weight, x.Text})
	}
	return c.WriteAll(rows)
}
