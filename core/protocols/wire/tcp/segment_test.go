package tcp

import (
	"crypto/md5"
	"testing"

	"hellebore/core/ground/ip"

	"github.com/stretchr/testify/require"
)

func TestSegmentsReadBackAsWritten(t *testing.T) {
	for name, s := range map[string]Segment{
		"SYN":     {SrcPort: 40000, DstPort: 80, Seq: 1, Flags: SYN, Window: 65535, MSS: 1460},
		"SYN-ACK": {SrcPort: 80, DstPort: 40000, Seq: 9, Ack: 2, Flags: SYN | ACK, Window: 1000},
		"data":    {SrcPort: 1, DstPort: 2, Seq: 3, Ack: 4, Flags: ACK | PSH, Payload: []byte("odd")},
		"RST-ACK": {Flags: RST | ACK},
		"FIN-ACK": {Flags: FIN | ACK, Payload: []byte("last")},
		"ACK":     {Flags: ACK},
	} {
		t.Run(name, func(t *testing.T) {
			require.Equal(t, name, s.Words())
			b := s.Append(nil, ip.V4(0x0a000001), ip.V4(0x0a000002))
			got, ok := Read(b, ip.V4(0x0a000001), ip.V4(0x0a000002))
			require.True(t, ok)
			if len(s.Payload) == 0 {
				s.Payload = got.Payload[:0]
			}
			require.Equal(t, s, got)
			_, ok = Read(b, ip.V4(0x0a000001), ip.V4(0x0a000003))
			require.False(t, ok, "the addresses are in the checksum")
			b[5] ^= 1
			_, ok = Read(b, ip.V4(0x0a000001), ip.V4(0x0a000002))
			require.False(t, ok)
		})
	}
	require.EqualValues(t, 2, (&Segment{Flags: SYN | FIN}).Len())
}

// TestSignaturesAreOfRFC2385 writes the digest out from the RFC's words.
func TestSignaturesAreOfRFC2385(t *testing.T) {
	s := Segment{SrcPort: 40000, DstPort: 179, Seq: 7, Ack: 9, Flags: SYN, Window: 100, MSS: 1460, Payload: []byte("news")}
	b := s.AppendSigned(nil, ip.V4(0x0a000001), ip.V4(0x0a000002), "orange-tip")
	require.Len(t, b, HeaderLen+4+SignatureLen+4)
	text := []byte{10, 0, 0, 1, 10, 0, 0, 2, 0, 6, 0, byte(len(b))}
	text = append(text, b[:16]...)
	text = append(text, 0, 0, 0, 0)
	want := md5.Sum(append(append(text, "news"...), "orange-tip"...))
	got, ok := Read(b, ip.V4(0x0a000001), ip.V4(0x0a000002))
	require.True(t, ok)
	require.Equal(t, want[:], got.Digest)
	require.EqualValues(t, 1460, got.MSS)
	require.True(t, got.SignedWith(b, ip.V4(0x0a000001), ip.V4(0x0a000002), "orange-tip"))
	require.False(t, got.SignedWith(b, ip.V4(0x0a000001), ip.V4(0x0a000002), "brimstone"))
	require.False(t, got.SignedWith(b, ip.V4(0x0a000003), ip.V4(0x0a000002), "orange-tip"))
}

func FuzzRead(f *testing.F) {
	f.Add((&Segment{Flags: SYN, MSS: 1460}).Append(nil, ip.V4(1), ip.V4(2)))
	f.Add((&Segment{Flags: ACK, Payload: []byte("x")}).Append(nil, ip.V4(1), ip.V4(2)))
	f.Add([]byte{0, 1, 0, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0xf0, 2, 0, 0, 0, 0, 0, 0, 2, 0})
	f.Fuzz(func(t *testing.T, b []byte) {
		if s, ok := Read(b, ip.V4(1), ip.V4(2)); ok {
			s.SignedWith(b, ip.V4(1), ip.V4(2), "x")
			require.LessOrEqual(t, len(s.Payload), len(b)-HeaderLen)
			again, ok := Read(s.Append(nil, ip.V4(1), ip.V4(2)), ip.V4(1), ip.V4(2))
			require.True(t, ok)
			require.Equal(t, s.Seq, again.Seq)
		}
	})
}
