package note

// Wait names what passes between a cause and its effect: a packet on its way, or a
// timer that runs.
type Wait uint8

// The waits.
const (
	NoWait Wait = iota
	OnLink
	HelloWait
	DeadWait
	ElectionWait
	ExchangeWait
	RequestWait
	RetransmitWait
	PacingWait
	AcknowledgeWait
	SPFWait
	OriginateWait
	SyncWait
	AgeWait
	ConnectWait
	HoldWait
	KeepaliveWait
	AdvertiseWait
	FlapWait
	TCPRetransmitWait
	TCPOpenWait
	TCPCloseWait
	ResolveWait
	DecideWait
	waits
)

// WaitInfo describes a wait.
type WaitInfo struct {
	Name    string // stable
	Text    string // what is waited for
	Setting string // the statement that sets how long; "" where the engine or an RFC fixes it
	RFC     string // section
}

// Waits is the table of waits, by Wait.
var Waits = [waits]WaitInfo{
	OnLink:            {"on-link", "a packet is on its way", "delay", ""},
	HelloWait:         {"hello-interval", "the next hello is due", "hello-interval", "2328 9.5"},
	DeadWait:          {"dead-interval", "no hello is heard", "dead-interval", "2328 10.5"},
	ElectionWait:      {"election", "a segment's routers are heard before the DR is elected", "dead-interval", "2328 9.1"},
	ExchangeWait:      {"exchange", "a database description is sent again", "retransmit-interval", "2328 10.8"},
	RequestWait:       {"request", "a request for LSAs is sent again", "retransmit-interval", "2328 10.9"},
	RetransmitWait:    {"retransmit-interval", "an LSA that nobody acknowledged is sent again", "retransmit-interval", "2328 13.6"},
	PacingWait:        {"flood-pacing", "LSAs for one port are gathered", "", "2328 13.5"},
	AcknowledgeWait:   {"ack-delay", "acknowledgments are gathered", "", "2328 13.5"},
	SPFWait:           {"spf-delay", "the SPF computation is held back", "spf-delay", "8405 5"},
	OriginateWait:     {"origination", "an LSA of its own is held back", "", "2328 12.4"},
	SyncWait:          {"origination", "an LSA of its own is held back", "", "2328 12.4"},
	AgeWait:           {"age", "an LSA grows old", "", "2328 14"},
	ConnectWait:       {"connect-retry", "the next attempt to connect is due", "connect-retry", "4271 8"},
	HoldWait:          {"hold-time", "no message of the peer is heard", "hold-time", "4271 6.5"},
	KeepaliveWait:     {"keepalive", "the next KEEPALIVE is due", "hold-time", "4271 4.4"},
	AdvertiseWait:     {"min-advertisement-interval", "an UPDATE is held back", "min-advertisement-interval", "4271 9.2.1.1"},
	FlapWait:          {"flap", "what flaps is advertised again", "", ""},
	TCPRetransmitWait: {"tcp-retransmission", "a TCP segment that nobody acknowledged is sent again", "", "6298 5"},
	TCPOpenWait:       {"tcp-retransmission", "a TCP connection is asked for again", "", "6298 5"},
	TCPCloseWait:      {"tcp-close", "a TCP connection is kept until late segments are gone", "", "9293 3.6"},
	ResolveWait:       {"arp", "an address is asked for again", "", "826"},
	DecideWait:        {"decision", "the decision goes on", "", ""},
}

func (w Wait) String() string { return Waits[w].Name }
