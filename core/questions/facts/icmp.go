package facts

import (
	"hellebore/core/protocols/wire/inet"
)

const TimeExceeded = "time to live exceeded"

// ICMPWords names an ICMP message by its type and code (RFC 792).
func ICMPWords(t, code uint8) string {
	switch t {
	case inet.EchoRequest:
		return "echo request"
	case inet.EchoReply:
		return "echo reply"
	case inet.TimeExceeded:
		return TimeExceeded
	}
	switch code {
	case inet.CodeNet:
		return "network unreachable"
	case inet.CodeHost:
		return "host unreachable"
	}
	return "unreachable"
}
