package capture

import (
	"cmp"
	"strings"
)

// Class is what a packet is part of.
type Class string

// The classes.
const (
	Hello          Class = "hello"
	Exchange       Class = "exchange" // of databases
	Flooding       Class = "flooding"
	Acknowledgment Class = "acknowledgment"
	Session        Class = "session" // it is opened
	Keepalive      Class = "keepalive"
	Update         Class = "update"
	Notification   Class = "notification"
	TCP            Class = "tcp"
	ARP            Class = "arp"
	Other          Class = "packet"
	Flow           Class = "flow" // traffic between devices of the lab, as its flows say
)

var classes = map[string]Class{
	"Hello": Hello, "Database Description": Exchange, "Link State Request": Exchange,
	"Link State Update": Flooding, "Link State Acknowledgment": Acknowledgment,
	"BGP OPEN": Session, "BGP KEEPALIVE": Keepalive, "BGP UPDATE": Update, "BGP NOTIFICATION": Notification,
	"BGP ROUTE-REFRESH": Update, "BGP, continued": Update, "ARP request": ARP, "ARP reply": ARP,
}

// ClassOf is the class of a frame.
func ClassOf(frame []byte) Class {
	kind := KindOf(frame)
	if strings.HasPrefix(kind, "TCP") {
		return TCP
	}
	return cmp.Or(classes[kind], Other)
}
