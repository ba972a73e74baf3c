package facts

import (
	"hellebore/core/protocols/wire/ip"
)

const TimeExceeded = "time to live exceeded"

// ICMPWords names an ICMP message by its type and code (RFC 792).
func ICMPWords(t, code uint8) string {
	switch t {
	case ip.EchoRequest:
		return "echo request"
	case ip.EchoReply:
		return "echo reply"
	case ip.TimeExceeded:
		return TimeExceeded
	}
	switch code {
	case ip.CodeNet:
		return "network unreachable"
	case ip.CodeHost:
		return "host unreachable"
	}
	return "unreachable"
}
