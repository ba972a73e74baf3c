package tcp

import (
	"bytes"
	"fmt"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/ip"
	"hellebore/core/ground/store"
	wire "hellebore/core/protocols/wire/tcp"
)

// rig is two stacks and what carries segments between them, which may lose,
// delay and double them.
type rig struct {
	now   event.Time
	queue event.Queue
	calm  event.Calm
	ends  [2]*end
	fate  func(from int, g *wire.Segment) (copies int, late event.Time)
	seen  []string // segments sent: "0 SYN"
}

type end struct {
	*rig
	n     int
	stack Stack
	terms Terms
	news  []News
	got   []byte
	deaf  bool // its user does not read
	seq   uint64
}

const arrives event.Kind = 1

func newRig() *rig {
	r := &rig{}
	for i := range r.ends {
		r.ends[i] = &end{rig: r, n: i, terms: Terms{TTL: DefaultTTL}}
	}
	r.ends[1].stack.Listen([]uint16{80})
	return r
}

func address(n int) ip.Addr { return ip.V4(ip.Quad(0x0a000001 + n)) }

func (e *end) Now() event.Time               { return e.now }
func (e *end) Calm() *event.Calm             { return &e.calm }
func (e *end) Rand(purpose, c uint64) uint64 { return store.Keyed(1, uint64(e.n), purpose, c) }
func (e *end) Connection(id uint32, news News) {
	e.news = append(e.news, news)
	if news == Arrived && !e.deaf {
		e.got = append(e.got, e.stack.Read(e, id)...)
	}
	if news == Ended {
		e.stack.Close(e, id)
	}
}
func (e *end) Schedule(x event.Event) {
	e.seq++
	x.Dest, x.Source, x.Seq = uint32(e.n), uint32(e.n), e.seq
	e.queue.Push(x)
}

func (e *end) Admits(_, _ ip.Addr, _ uint16) (terms Terms, ok bool) {
	return e.terms, true
}

func (e *end) SendTCP(src, dst ip.Addr, _ uint8, b []byte) {
	g, _ := wire.Read(b, src, dst)
	e.seen = append(e.seen, fmt.Sprintf("%d %s", e.n, g.Words()))
	copies, late := 1, event.Time(0)
	if e.fate != nil {
		copies, late = e.fate(e.n, &g)
	}
	for range copies {
		e.seq++
		e.calm.Begin()
		e.queue.Push(event.Event{At: e.now + 5*event.Millisecond + late, Dest: uint32(1 - e.n), Source: uint32(e.n), Seq: e.seq, Kind: arrives, Frame: b})
	}
}

func (r *rig) run(d event.Time) {
	until := r.now + d
	for r.queue.Next() <= until {
		x := r.queue.Pop()
		r.now = x.At
		e := r.ends[x.Dest]
		if x.Kind == arrives {
			r.calm.End()
			e.stack.Receive(e, address(1-e.n), address(e.n), DefaultTTL, x.Frame, 1460)
			continue
		}
		e.stack.Timer(e, &x)
	}
	r.now = until
}

func (r *rig) open(port uint16) uint32 {
	return r.ends[0].stack.Open(r.ends[0], address(0), address(1), port, 1460, r.ends[0].terms)
}

func TestAConnectionOpensAndCloses(t *testing.T) { // RFC 9293 3.5, 3.6
	r := newRig()
	id := r.open(80)
	r.run(event.Second)
	require.Equal(t, []string{"0 SYN", "1 SYN-ACK", "0 ACK"}, r.seen)
	require.Equal(t, Established, r.ends[0].stack.View(id).State)
	require.Equal(t, []News{Opened}, r.ends[1].news)

	r.seen = nil
	r.ends[0].stack.Write(r.ends[0], id, []byte("a ticket to the summit"))
	r.ends[0].stack.Close(r.ends[0], id)
	r.run(event.Second)
	require.Equal(t, "a ticket to the summit", string(r.ends[1].got))
	require.Equal(t, []News{Opened, Arrived, Ended, Closed}, r.ends[1].news)
	require.Equal(t, []News{Opened, Closed}, r.ends[0].news)
	require.Equal(t, TimeWait, r.ends[0].stack.View(id).State)
	require.Equal(t, StateClosed, r.ends[1].stack.View(0).State)
	r.run(57 * event.Second)
	require.Equal(t, TimeWait, r.ends[0].stack.View(id).State, "twice the MSL of 30 s")
	r.run(4 * event.Second)
	require.Equal(t, StateClosed, r.ends[0].stack.View(id).State)
	require.Zero(t, r.calm.Pending())
}

func TestNobodyListens(t *testing.T) { // 3.10.7.1
	r := newRig()
	id := r.open(81)
	r.run(event.Second)
	require.Equal(t, []string{"0 SYN", "1 RST-ACK"}, r.seen)
	require.Equal(t, []News{Refused}, r.ends[0].news)
	require.Equal(t, Refused, r.ends[0].stack.View(id).Why)
}

func TestNobodyAnswers(t *testing.T) { // RFC 9293 3.8.3, RFC 6298 5
	r := newRig()
	r.fate = func(int, *wire.Segment) (int, event.Time) { return 0, 0 }
	r.open(80)
	r.run(3 * 60 * event.Second)
	require.Empty(t, r.ends[0].news, "a SYN is tried for at least three minutes")
	r.run(5 * 60 * event.Second)
	require.Equal(t, []News{Lost}, r.ends[0].news)
	require.Zero(t, r.calm.Pending())
}

func TestAnAbortIsAReset(t *testing.T) { // 3.10.5
	r := newRig()
	id := r.open(80)
	r.run(event.Second)
	r.ends[0].stack.Abort(r.ends[0], id)
	r.run(event.Second)
	require.Equal(t, []News{Opened, Reset}, r.ends[1].news)
}

func TestBothOpenAtOnce(t *testing.T) { // 3.5, figure 8
	r := newRig()
	for i, e := range r.ends {
		e.stack.ephemeral = uint16(50000 + i)
	}
	a := r.ends[0].stack.Open(r.ends[0], address(0), address(1), 50002, 1460, r.ends[0].terms)
	b := r.ends[1].stack.Open(r.ends[1], address(1), address(0), 50001, 1460, r.ends[1].terms)
	r.run(event.Second)
	require.Equal(t, Established, r.ends[0].stack.View(a).State)
	require.Equal(t, Established, r.ends[1].stack.View(b).State)
}

// TestDataArriveWhateverHappens carries a text over a line that loses, doubles
// and overtakes, both ways: it arrives whole and in order, and both ends close.
func TestDataArriveWhateverHappens(t *testing.T) {
	whole := 0
	for seed := range 200 {
		rnd := rand.New(rand.NewSource(int64(seed)))
		r := newRig()
		r.fate = func(int, *wire.Segment) (int, event.Time) {
			switch rnd.Intn(10) {
			case 0, 1:
				return 0, 0
			case 2:
				return 2, 0
			case 3:
				return 1, event.Time(rnd.Intn(int(20 * event.Millisecond)))
			}
			return 1, 0
		}
		id := r.open(80)
		there, back := make([]byte, rnd.Intn(60_000)), make([]byte, rnd.Intn(20_000))
		_, _ = rnd.Read(there) // never fails
		_, _ = rnd.Read(back)
		e := r.ends[0]
		for rest := there; len(rest) > 0; {
			n := min(len(rest), 1+rnd.Intn(5000))
			e.stack.Write(e, id, rest[:n])
			rest = rest[n:]
			r.run(event.Time(rnd.Intn(int(event.Second))))
		}
		if len(r.ends[1].stack.conns) > 0 {
			r.ends[1].stack.Write(r.ends[1], 0, back)
		} else {
			back = nil
		}
		r.run(30 * 60 * event.Second)
		e.stack.Close(e, id)
		r.run(30 * 60 * event.Second)
		if e.stack.View(id).Why == Lost {
			continue // a fifth lost seven times in a row does happen
		}
		require.True(t, bytes.Equal(there, r.ends[1].got), "seed %d: %d of %d", seed, len(r.ends[1].got), len(there))
		require.True(t, bytes.Equal(back, e.got), "seed %d", seed)
		require.Equal(t, StateClosed, e.stack.View(id).State, "seed %d", seed)
		require.Zero(t, r.calm.Pending(), "seed %d", seed)
		whole++
	}
	require.Greater(t, whole, 150)
}

// TestAShutWindowIsProbed has the receiver not read for a while: nothing is lost,
// and it goes on when there is room (RFC 9293 3.8.6.1).
func TestAShutWindowIsProbed(t *testing.T) {
	r := newRig()
	id := r.open(80)
	r.run(event.Second)
	far := r.ends[1]
	reader := &unread{end: far}
	data := bytes.Repeat([]byte("valley"), 40_000)
	deliver := func(d event.Time) {
		until := r.now + d
		for r.queue.Next() <= until {
			x := r.queue.Pop()
			r.now = x.At
			switch {
			case x.Kind == arrives && x.Dest == 1:
				r.calm.End()
				far.stack.Receive(reader, address(0), address(1), DefaultTTL, x.Frame, 1460)
			case x.Kind == arrives:
				r.calm.End()
				r.ends[0].stack.Receive(r.ends[0], address(1), address(0), DefaultTTL, x.Frame, 1460)
			default:
				r.ends[x.Dest].stack.Timer(r.ends[x.Dest], &x)
			}
		}
		r.now = until
	}
	r.ends[0].stack.Write(r.ends[0], id, data)
	deliver(20 * event.Second)
	require.Len(t, far.stack.conns[0].in, Window)
	for range 10 {
		far.got = append(far.got, far.stack.Read(reader, 0)...)
		deliver(120 * event.Second)
	}
	far.got = append(far.got, far.stack.Read(reader, 0)...)
	require.True(t, bytes.Equal(data, far.got), "%d of %d", len(far.got), len(data))
}

// unread is an end whose user does not read what arrives.
type unread struct{ *end }

func (u *unread) Connection(_ uint32, news News) { u.news = append(u.news, news) }

// TestAnOpenWindowIsFoundByProbes loses the news that the window is open again: the
// probes find it out (RFC 9293 3.8.6.1).
func TestAnOpenWindowIsFoundByProbes(t *testing.T) {
	r := newRig()
	id := r.open(80)
	r.run(event.Second)
	c := &r.ends[0].stack.conns[id]
	r.ends[0].stack.Write(r.ends[0], id, bytes.Repeat([]byte("valley"), 1000))
	r.run(event.Second)
	require.Empty(t, c.out)
	c.window = 0 // as if the last acknowledgment had said so, and the next been lost
	r.ends[0].stack.Write(r.ends[0], id, []byte("and beyond"))
	r.run(120 * event.Second)
	require.Empty(t, c.out)
	require.Len(t, r.ends[1].got, 6010)
}

// TestAShutWindowEndsNoConnection has a receiver that does not read for an hour, and
// answers probes all the while (RFC 9293 3.8.6.1).
func TestAShutWindowEndsNoConnection(t *testing.T) {
	r := newRig()
	id := r.open(80)
	r.run(event.Second)
	far := r.ends[1]
	far.deaf = true
	data := make([]byte, Window+5000)
	r.ends[0].stack.Write(r.ends[0], id, data)
	r.run(3600 * event.Second)
	require.Equal(t, Established, r.ends[0].stack.View(id).State)
	require.Len(t, far.stack.conns[0].in, Window)
	far.deaf = false
	far.got = append(far.got, far.stack.Read(far, 0)...)
	r.run(200 * event.Second)
	require.Len(t, far.got, len(data))
}

// TestSlowStart counts the segments of each round trip: ten at first (RFC 6928 2),
// then one more for each that is acknowledged (RFC 5681 3.1).
func TestSlowStart(t *testing.T) {
	r := newRig()
	id := r.open(80)
	r.run(event.Second)
	sent := func() (n int) {
		for _, s := range r.seen {
			if s[0] == '0' {
				n++
			}
		}
		r.seen = nil
		return n
	}
	sent() // the opening
	r.ends[0].stack.Write(r.ends[0], id, make([]byte, 60_000))
	require.Equal(t, 10, sent())
	r.run(10*event.Millisecond + event.Microsecond)
	require.Equal(t, 20, sent(), "each of ten acknowledgments lets two more go")
}
