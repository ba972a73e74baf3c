package network_test

import (
	"encoding/binary"
	"math/rand"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/protocols/wire/inet"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/simulation/network"
	"hellebore/demo"
)

// TestAPortFedWithNoise feeds routers random bytes, and packets of their
// neighbours with bytes changed whose checksums are right again: whatever that
// does for a while, they keep running and come back to the same tables.
func TestAPortFedWithNoise(t *testing.T) {
	for _, slug := range []string{"three-areas", "station-yard", "shared-cable", "guarded-line", "beyond-the-pass"} {
		t.Run(slug, func(t *testing.T) {
			w := network.New()
			type sent struct {
				device, port uint32
				frame        []byte
			}
			var heard []sent
			w.OnFrame = func(_ event.Time, dev, port uint32, f []byte) { heard = append(heard, sent{dev, port, f}) }
			configure(t, w, demo.Text(slug))
			settle(t, w)
			w.OnFrame = nil
			before := map[string]string{}
			for _, d := range w.Devices() {
				before[d.Name()] = table(w, d.Name())
			}
			mark := w.Notes()
			r := rand.New(rand.NewSource(1))
			for range 2000 {
				f := make([]byte, r.Intn(120))
				_, _ = r.Read(f) // never fails
				at := heard[r.Intn(len(heard))]
				if r.Intn(4) > 0 {
					f = spoil(r, at.frame)
				}
				for _, e := range w.Facing(at.device, at.port) {
					w.Device(e.Device).Receive(w.Device(e.Device).Carries(e.Port), f)
				}
				w.RunUntil(w.Now()+event.Time(r.Intn(int(20*event.Millisecond))), bound)
			}
			refused := 0
			for i := mark; i < w.Notes(); i++ {
				if k := w.NoteAt(i).Kind; k == note.HelloRefused || k == note.LSADiscarded {
					refused++
				}
			}
			require.Greater(t, refused, 20, "the noise is heard")
			// LSAs that noise made up would live for an hour.
			w.RunUntil(w.Now()+70*60*event.Second, bound)
			settle(t, w)
			for name, want := range before {
				require.Equal(t, want, table(w, name), name)
			}
		})
	}
}

// spoil changes bytes of a frame, and makes its checksums right again.
func spoil(r *rand.Rand, frame []byte) []byte {
	f := slices.Clone(frame)
	start := inet.FrameHeader
	if f[12] == 0x81 {
		start += inet.TagLen
	}
	const header = inet.HeaderLen
	if len(f) < start+header+wire.HeaderLen || f[start+9] != inet.ProtoOSPF {
		return f
	}
	for range 1 + r.Intn(4) {
		f[start+header+r.Intn(len(f)-start-header)] = byte(r.Intn(256))
	}
	if r.Intn(3) == 0 {
		f = f[:start+header+wire.HeaderLen+r.Intn(len(f)-start-header-wire.HeaderLen+1)]
	}
	binary.BigEndian.PutUint16(f[start+2:], uint16(len(f)-start))
	f[start+10], f[start+11] = 0, 0
	binary.BigEndian.PutUint16(f[start+10:], inet.Checksum(f[start:start+header]))
	if packet := f[start+header:]; packet[15] != wire.AuthCryptographic {
		wire.Finish(packet, 0)
	}
	return f
}
