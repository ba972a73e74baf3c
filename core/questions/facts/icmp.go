package facts

import (
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/wire/inet"
)

const TimeExceeded = "time to live exceeded"

// ICMPWords names an ICMP message by its type and code (RFC 792).
func ICMPWords(t, code uint8) string {
	switch t {
	case inet.EchoRequest:
		return phrase.Text("echo request")
	case inet.EchoReply:
		return phrase.Text("echo reply")
	case inet.TimeExceeded:
		return TimeExceeded
	}
	switch code {
	case inet.CodeNet:
		return phrase.Text("network unreachable")
	case inet.CodeHost:
		return phrase.Text("host unreachable")
	}
	return "unreachable"
}
