// Package note holds what happened (Note) and why something did not (Reason):
// two tables that the protocols write by code and that views, logs and
// documentation read. A note carries numbers only; words are made when
// somebody looks.
package note

import "strings"

// Note is one occurrence at a device. What A, B and C mean is in the Kinds
// table.
type Note struct {
	At       int64 // virtual time, ns
	A, B, C  uint64
	Device   uint32
	Port     Port
	Kind     Kind
	Reason   Code   // None if nothing went wrong
	Instance uint16 // of the device, 0 for main
}

// Port is the port of the device that a note concerns; the zero Port is none.
type Port uint16

// PortOf is the port with a number.
func PortOf(i uint32) Port { return Port(i + 1) }

// Number is the port's number; ok is false if the note concerns none.
func (p Port) Number() (i uint32, ok bool) { return uint32(p) - 1, p != 0 }

// Kind names what happened.
type Kind uint8

// The kinds of notes.
const (
	_ Kind = iota
	PortUp
	PortDown
	NeighbourState
	HelloRefused
	PacketDropped
	LSAOriginated
	LSAFlushed
	LSAReceived
	LSADiscarded
	SPFScheduled
	SPFRun
	RouteChanged
	HopChanged
	RouterIDChosen
	AddressUnresolved
	PortRole
	SessionState
	ConnectionTurnedAway
	NotificationSent
	NotificationReceivedFrom
	UpdateReceived
	UpdateSent
	AttributeFault
	kinds
)

// Lane is the group in which the timeline draws a kind.
type Lane string

// The lanes of the timeline.
const (
	Detection  Lane = "detection"
	Adjacency  Lane = "adjacency"
	Flooding   Lane = "flooding"
	SPF        Lane = "spf"
	Forwarding Lane = "forwarding"
	Packet     Lane = "packet"
	Session    Lane = "session"
	Updates    Lane = "updates"
)

// KindInfo describes a kind. Text is a template: {x:kind} is argument x (a, b
// or c) written as a value of that kind, {port} and {reason} mean
// themselves.
type KindInfo struct {
	Name string
	Lane Lane
	Text string
}

// Kinds is the table of kinds, by Kind.
var Kinds = [kinds]KindInfo{
	PortUp:                   {"port-up", Detection, "port {port} came up"},
	PortDown:                 {"port-down", Detection, "port {port} went down: {reason}"},
	NeighbourState:           {"neighbour-state", Adjacency, "neighbour {a:identity} on {port}: {b:nbrState} to {c:nbrState}{because}"},
	HelloRefused:             {"hello-refused", Adjacency, "{port} refuses packets from {a:address}: {reason}"},
	PacketDropped:            {"packet-dropped", Packet, "dropped a packet for {a:address}: {reason}"},
	LSAOriginated:            {"lsa-originated", Flooding, "originated {a:lsa}, sequence {b:sequence}"},
	LSAFlushed:               {"lsa-flushed", Flooding, "flushed {a:lsa}"},
	LSAReceived:              {"lsa-received", Flooding, "received {a:lsa} on {port}, sequence {b:sequence}"},
	LSADiscarded:             {"lsa-discarded", Flooding, "discarded {a:lsa} from {port}: {reason}"},
	SPFScheduled:             {"spf-scheduled", SPF, "shortest paths due in {a:duration} ({b:spfState})"},
	SPFRun:                   {"spf-run", SPF, "computed routes, looking at {a:vertices} of the shortest-path tree; {b:routes} changed"},
	RouteChanged:             {"route-changed", Forwarding, "{a:prefix}: {b:hop} to {c:hop}"},
	HopChanged:               {"hop-changed", Forwarding, "next hop {a:hop}: {b:set} to {c:set}"},
	RouterIDChosen:           {"router-id", Adjacency, "router ID {a:identity}"},
	PortRole:                 {"port-role", Adjacency, "port {port} is {c:portState}; DR {a:router}, BDR {b:router}"},
	SessionState:             {"session-state", Session, "session with {a:peer}: {b:sessionState} to {c:sessionState}{because}"},
	ConnectionTurnedAway:     {"connection-turned-away", Session, "turned a connection from {a:peer} away: {reason}"},
	NotificationSent:         {"notification-sent", Session, "sent {a:peer} a NOTIFICATION: {b:notification}"},
	NotificationReceivedFrom: {"notification-received", Session, "{a:peer} sent a NOTIFICATION: {b:notification}"},
	UpdateReceived:           {"update-received", Updates, "{a:peer} {did}"},
	UpdateSent:               {"update-sent", Updates, "{did} to {a:peer}"},
	AttributeFault:           {"attribute-fault", Updates, "an attribute that {a:peer} sent is malformed, type {b:count}: {c:verdict}"},
	AddressUnresolved:        {"address-unresolved", Packet, "nobody answers for {a:address} on {port}"},
}

func (k Kind) String() string { return Kinds[k].Name }

// Bounded says whether notes of a kind may be dropped when there are too many:
// those of the work that protocols do. What outages, messages and reasons are made
// of is kept in any case.
func (k Kind) Bounded() bool {
	if k.Lasts() {
		return false
	}
	switch Kinds[k].Lane {
	case Flooding, SPF, Packet, Updates:
		return true
	}
	return false
}

// Lasts says whether notes of a kind are kept when others of their time are let go of: there are few of them, and a log is made of
// them.
func (k Kind) Lasts() bool {
	switch Kinds[k].Lane {
	case Detection, Adjacency, Session:
		return true
	}
	return k == AttributeFault || k == AddressUnresolved
}

// Expand writes a template of this package: value is asked for each {name} or
// {name:kind} in it.
func Expand(template string, value func(name, kind string) string) string {
	var out strings.Builder
	for {
		before, rest, found := strings.Cut(template, "{")
		out.WriteString(before)
		if !found {
			return out.String()
		}
		inside, after, found := strings.Cut(rest, "}")
		if !found {
			out.WriteString("{" + rest)
			return out.String()
		}
		name, kind, _ := strings.Cut(inside, ":")
		out.WriteString(value(name, kind))
		template = after
	}
}
