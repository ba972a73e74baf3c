package device_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/note"
	"hellebore/core/language/labtext"
	"hellebore/core/protocols/wire/inet"
	"hellebore/core/simulation/device"
	"hellebore/core/simulation/network"
)

const text = `
router depot
  port a 10.1.0.1/24
  port b 10.2.0.1/24
  static 10.7.0.0/16 blackhole
host kiosk 10.1.0.10/24 gateway 10.1.0.1
host clock 10.1.0.11/24 gateway 10.1.0.1
host booth 10.2.0.10/24 gateway 10.2.0.1
segment hall depot.a kiosk clock
link depot.b booth
`

// bench is a small network with all steps of ICMP packets, and the frames that
// were sent.
type bench struct {
	*network.World
	steps []device.Fate
	arps  int
}

func newBench(t *testing.T) *bench {
	r := labtext.Parse(text)
	require.True(t, r.OK(), r.Problems)
	b := &bench{World: network.New()}
	b.Configure(&r.Lab)
	b.Tracer = func(s device.Fate) { b.steps = append(b.steps, s) }
	b.OnFrame = func(_ event.Time, _, _ uint32, frame []byte) {
		if f, _ := inet.ReadFrame(frame); f.Type == inet.TypeARP {
			b.arps++
		}
	}
	return b
}

// echo sends one request and runs until all is over.
func (b *bench) echo(from string, to ip.Addr, ttl uint8) device.Fate {
	b.steps = nil
	b.Find(from).Main().Echo(ip.Addr{}, to, ttl, 0, 1)
	b.RunUntil(b.Now()+10*event.Second, 1e6)
	return b.steps[len(b.steps)-1]
}

var booth, clock = ip.V4(0x0a02000a), ip.V4(0x0a01000b)

func TestEchoThereAndBack(t *testing.T) {
	b := newBench(t)
	last := b.echo("kiosk", booth, 64)
	require.Equal(t, device.Delivered, last.Action)
	require.Equal(t, uint8(inet.EchoReply), last.Type)
	require.Equal(t, "kiosk", b.Device(last.Device).Name())
	require.Equal(t, uint8(63), last.TTL, "one router on the way")
	require.Positive(t, b.arps)
	require.Empty(t, b.Check())

	b.arps = 0
	b.echo("kiosk", booth, 64)
	require.Zero(t, b.arps, "every address is known by now")
	b.RunUntil(b.Now()+1300*event.Second, 1e6)
	b.echo("kiosk", booth, 64)
	require.Positive(t, b.arps, "and forgotten after twenty minutes")
}

func TestHostsOnOneNetworkNeedNoGateway(t *testing.T) {
	b := newBench(t)
	b.echo("kiosk", clock, 64)
	for _, s := range b.steps {
		require.NotEqual(t, "depot", b.Device(s.Device).Name())
	}
}

// TestWhyPacketsDoNotArrive: each reason at its place, and the error that tells
// the source (RFC 792, RFC 1812 4.3.3).
func TestWhyPacketsDoNotArrive(t *testing.T) {
	for name, c := range map[string]struct {
		from      string
		to        ip.Addr
		ttl       uint8
		at        string
		why       note.Code
		typ, code uint8 // of the answer that comes back; 255 for none
	}{
		"no route":            {"kiosk", ip.V4(0x0a090000), 64, "depot", note.NoRoute, inet.Unreachable, inet.CodeNet},
		"TTL":                 {"kiosk", booth, 1, "depot", note.TTLExpired, inet.TimeExceeded, 0},
		"nobody answers":      {"kiosk", ip.V4(0x0a020063), 64, "depot", note.NoAnswerToARP, inet.Unreachable, inet.CodeHost},
		"blackhole":           {"kiosk", ip.V4(0x0a070001), 64, "depot", note.Blackholed, 255, 0},
		"no route at its own": {"depot", ip.V4(0x0a090000), 64, "depot", note.NoRoute, 255, 0},
	} {
		t.Run(name, func(t *testing.T) {
			b := newBench(t)
			b.echo(c.from, c.to, c.ttl)
			var dropped, answer *device.Fate
			for i := range b.steps {
				s := &b.steps[i]
				if s.Action == device.Dropped {
					dropped = s
				}
				if s.Action == device.Delivered && s.Type != inet.EchoRequest {
					answer = s
				}
			}
			require.NotNil(t, dropped)
			require.Equal(t, c.at, b.Device(dropped.Device).Name())
			require.Equal(t, c.why, dropped.Reason)
			if c.typ == 255 {
				require.Nil(t, answer)
				return
			}
			require.NotNil(t, answer)
			require.Equal(t, [2]uint8{c.typ, c.code}, [2]uint8{answer.Type, answer.Code})
			require.Equal(t, uint16(1), answer.Seq, "the error quotes the request")
			require.Equal(t, ip.V4(0x0a010001), answer.Src, "from the port by which the request came")
		})
	}
}

func TestHostsDoNotForward(t *testing.T) {
	b := newBench(t)
	r := labtext.Parse(text + "router stray\n  port e 10.1.0.99/24\n  static 10.2.0.0/24 via 10.1.0.10\n")
	lab := r.Lab
	lab.Segments[0].Ports = append(lab.Segments[0].Ports, labtext.ParseRef("stray.e"))
	b.Configure(&lab)
	last := b.echo("stray", booth, 64)
	require.Equal(t, note.NotForThisHost, last.Reason)
	require.Equal(t, "kiosk", b.Device(last.Device).Name())
}

func TestPortThatGoesDownTakesItsRouteAndNeighbours(t *testing.T) {
	b := newBench(t)
	b.echo("kiosk", booth, 64)
	d := b.Find("depot")
	i, _ := d.Port("b")
	b.Cut(d.ID(), i)
	up, why := d.Up(i)
	require.False(t, up)
	require.Equal(t, note.LinkCut, why)
	last := b.echo("depot", booth, 64)
	require.Equal(t, note.NoRoute, last.Reason)
	b.Mend(d.ID(), i)
	b.arps = 0
	last = b.echo("kiosk", booth, 64)
	require.Equal(t, device.Delivered, last.Action)
	require.Positive(t, b.arps, "what was behind the port has to be asked for again")
	require.Empty(t, b.Check())
}

func TestAtMostAFewPacketsWaitForAnAddress(t *testing.T) {
	b := newBench(t)
	for range 20 {
		b.Find("depot").Main().Echo(ip.Addr{}, ip.V4(0x0a020063), 64, 0, 1)
	}
	dropped := 0
	for _, s := range b.steps {
		if s.Reason == note.QueuedTooLong {
			dropped++
		}
	}
	require.Equal(t, 12, dropped, "eight wait (RFC 1122 2.3.2.2 asks for at least one)")
}
