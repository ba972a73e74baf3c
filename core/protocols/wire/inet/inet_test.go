package inet

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"hellebore/core/ground/ip"
)

// checksumSlow is RFC 1071's definition, two bytes at a time.
func checksumSlow(b []byte) uint16 {
	var sum uint32
	for i := 0; i < len(b); i += 2 {
		word := uint32(b[i]) << 8
		if i+1 < len(b) {
			word |= uint32(b[i+1])
		}
		sum += word
		if sum > 0xffff {
			sum -= 0xffff
		}
	}
	return ^uint16(sum)
}

func TestChecksumAgainstDefinition(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := rapid.SliceOfN(rapid.Byte(), 1, 300).Draw(t, "bytes")
		require.Equal(t, checksumSlow(b), Checksum(b))
	})
}

func TestPacketsReadBackAsWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := ICMP{Type: EchoRequest, ID: rapid.Uint16().Draw(t, "id"), Seq: 3, Data: rapid.SliceOf(rapid.Byte()).Draw(t, "data")}
		p := Packet{TTL: 64, Protocol: ProtoICMP, ID: 9, Src: ip.V4(0x0a000001), Dst: ip.V4(0x0a000002), Payload: m.Append(nil)}
		frame := AppendFrameHeader(nil, PortMAC(1, 2), PortMAC(3, 4), TypeIPv4)
		frame = p.Append(frame)

		f, ok := ReadFrame(frame)
		require.True(t, ok)
		require.Equal(t, PortMAC(1, 2), f.Dst)
		got, ok := ReadPacket(f.Payload)
		require.True(t, ok)
		require.Equal(t, p, got)
		echo, ok := ReadICMP(got.Payload)
		require.True(t, ok)
		require.Equal(t, m.ID, echo.ID)
		require.Equal(t, string(m.Data), string(echo.Data))

		quoted, ok := ReadQuote(p.Quote())
		require.True(t, ok)
		require.Equal(t, p.Dst, quoted.Dst)
		require.Len(t, quoted.Payload, 8)

		f.Payload[8]-- // a changed TTL without a new checksum
		_, ok = ReadPacket(f.Payload)
		require.False(t, ok)
	})
	arp := ARP{Op: ARPRequest, SenderMAC: PortMAC(1, 1), Sender: ip.V4(1), Target: ip.V4(2)}
	got, ok := ReadARP(arp.Append(nil))
	require.True(t, ok)
	require.Equal(t, arp, got)
	require.Equal(t, MAC{1, 0, 0x5e, 0, 0, 5}, GroupMAC(ip.V4(0xe0000005)))
	require.True(t, GroupMAC(ip.V4(0xe0000005)).Group())
}

func FuzzRead(f *testing.F) {
	p := Packet{TTL: 1, Protocol: ProtoICMP, Payload: (&ICMP{Type: EchoRequest}).Append(nil)}
	f.Add(p.Append(AppendFrameHeader(nil, Broadcast, MAC{}, TypeIPv4)))
	f.Add((&ARP{Op: ARPReply}).Append(nil))
	f.Fuzz(func(t *testing.T, b []byte) {
		if frame, ok := ReadFrame(b); ok {
			b = frame.Payload
		}
		if a, ok := ReadARP(b); ok {
			require.Equal(t, b[:28], a.Append(nil))
		}
		if p, ok := ReadPacket(b); ok {
			if m, ok := ReadICMP(p.Payload); ok {
				again := m.Append(nil)
				if p.Payload[2] == 0xff && p.Payload[3] == 0xff && again[2] == 0 && again[3] == 0 {
					again[2], again[3] = 0xff, 0xff // the other form of the same sum
				}
				require.Equal(t, p.Payload, again)
			}
			_, ok := ReadQuote(p.Quote())
			require.True(t, ok)
		}
	})
}
