package bgp

import (
	"fmt"
	"unicode/utf8"
)

// Codes of a NOTIFICATION (RFC 4271 4.5, RFC 2918).
const (
	MessageHeaderError = 1
	OpenError          = 2
	UpdateError        = 3
	HoldTimerExpired   = 4
	FSMError           = 5
	Cease              = 6
)

// Subcodes of MessageHeaderError.
const (
	NotSynchronized  = 1
	BadMessageLength = 2
	BadMessageType   = 3
)

// Subcodes of OpenError; 0 is a malformed OPEN.
const (
	UnsupportedVersion    = 1
	BadPeerAS             = 2
	BadBGPIdentifier      = 3
	UnsupportedParameter  = 4
	UnacceptableHoldTime  = 6
	UnsupportedCapability = 7 // RFC 5492
)

// Subcodes of UpdateError.
const (
	MalformedAttributes = 1
	InvalidNetworkField = 10
)

// Subcodes of Cease (RFC 4486).
const (
	MaximumPrefixes     = 1
	AdministrativeStop  = 2
	PeerDeconfigured    = 3
	AdministrativeReset = 4
	ConnectionRejected  = 5
	OtherChange         = 6
	CollisionResolution = 7
)

// codeNames and subcodeNames are the words for codes, as in the IANA registry.
var codeNames = [...]string{"", "message header error", "OPEN message error", "UPDATE message error",
	"hold timer expired", "finite state machine error", "cease"}

var subcodeNames = [...][]string{
	MessageHeaderError: {"", "connection not synchronized", "bad message length", "bad message type"},
	OpenError: {"malformed", "unsupported version number", "bad peer AS", "bad BGP identifier",
		"unsupported optional parameter", "",
		"unacceptable hold time", "unsupported capability"},
	UpdateError: {"", "malformed attribute list", "unrecognized well-known attribute", "missing well-known attribute",
		"attribute flags error",
		"attribute length error", "invalid ORIGIN attribute", "", "invalid NEXT_HOP attribute",
		"optional attribute error", "invalid network field", "malformed AS_PATH"},
	FSMError: {"", "unexpected message in OpenSent", "unexpected message in OpenConfirm", "unexpected message in Established"}, // RFC 6608
	Cease: {"", "maximum number of prefixes reached", "administrative shutdown", "peer de-configured",
		"administrative reset",
		"connection rejected", "other configuration change", "connection collision resolution", "out of resources"},
}

// Notification is a NOTIFICATION message (RFC 4271 4.5).
type Notification struct {
	Code, Subcode uint8
	Data          []byte
}

// CodeWords are the words for a code and subcode: "OPEN message error: bad peer
// AS".
func CodeWords(code, subcode uint8) string {
	name := fmt.Sprintf("code %d", code)
	if int(code) < len(codeNames) && code > 0 {
		name = codeNames[code]
		if subs := subcodeNames[min(int(code), len(subcodeNames)-1)]; int(subcode) < len(subs) &&
			int(code) < len(subcodeNames) && subs[subcode] != "" {
			return name + ": " + subs[subcode]
		}
	}
	if subcode != 0 {
		name += fmt.Sprintf(", subcode %d", subcode)
	}
	return name
}

// Words are the words for a notification, with the text that comes with it.
func (n *Notification) Words() string {
	s := CodeWords(n.Code, n.Subcode)
	if t := n.ShutdownText(); t != "" {
		s += fmt.Sprintf(", %q", t)
	}
	return s
}

// ShutdownText is the message that an operator gave with a shutdown or a reset
// (RFC 9003 2); "" if there is none.
func (n *Notification) ShutdownText() string {
	if n.Code != Cease || n.Subcode != AdministrativeStop && n.Subcode != AdministrativeReset || len(n.Data) == 0 {
		return ""
	}
	if l := int(n.Data[0]); l+1 == len(n.Data) && utf8.Valid(n.Data[1:]) {
		return string(n.Data[1:])
	}
	return ""
}

// ShutdownData is an operator's message as it is in a notification; it is cut
// to 255 bytes between two characters (RFC 9003 2).
func ShutdownData(text string) []byte {
	if text == "" {
		return nil
	}
	for len(text) > 255 {
		_, n := utf8.DecodeLastRuneInString(text)
		text = text[:len(text)-n]
	}
	return append([]byte{byte(len(text))}, text...)
}

// Append appends the message.
func (n *Notification) Append(b []byte) []byte {
	start := len(b)
	b = append(begin(b, TypeNotification), n.Code, n.Subcode)
	return finish(append(b, n.Data...), start)
}

// ReadNotification reads the body of a NOTIFICATION, which Split found long
// enough.
func ReadNotification(body []byte) Notification {
	return Notification{Code: body[0], Subcode: body[1], Data: body[2:]}
}
