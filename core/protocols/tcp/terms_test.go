package tcp

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/ground/event"
	"hellebore/core/ground/note"
	"hellebore/core/language/config"
	wire "hellebore/core/protocols/wire/tcp"
)

func chain(keys ...config.Key) *config.KeyChain { return &config.KeyChain{Name: "heron", Keys: keys} }

// TestOnlySignedSegmentsAreTaken holds RFC 2385 2.0: whoever has keys takes only
// what is signed with one of them.
func TestOnlySignedSegmentsAreTaken(t *testing.T) {
	one, two := config.Key{ID: 1, Secret: "grey-wing"}, config.Key{ID: 2, Secret: "white-wing"}
	early := config.Key{ID: 1, Secret: "grey-wing", Send: config.Span{Until: time.Second}}
	over := config.Key{ID: 1, Secret: "grey-wing", Accept: config.Span{Until: time.Millisecond}}
	for name, c := range map[string]struct {
		a, b *config.KeyChain
		up   bool
	}{
		"no keys":                           {nil, nil, true},
		"the same":                          {chain(one), chain(one), true},
		"another secret":                    {chain(one), chain(two), false},
		"only who opens signs":              {chain(one), nil, false},
		"only who is asked signs":           {nil, chain(one), false},
		"any of several is taken":           {chain(one, two), chain(two, one), true},
		"the second when the first is over": {chain(early, two), chain(one, two), true},
		"what is over is not taken":         {chain(one), chain(over, two), false},
	} {
		t.Run(name, func(t *testing.T) {
			r := newRig()
			r.ends[0].terms.Keys, r.ends[1].terms.Keys = c.a, c.b
			id := r.open(80)
			r.run(2 * event.Second)
			if !c.up {
				require.NotEqual(t, Established, r.ends[0].stack.View(id).State)
				require.Empty(t, r.ends[1].news)
				return
			}
			require.Equal(t, Established, r.ends[0].stack.View(id).State)
			data := make([]byte, 20_000)
			r.ends[0].stack.Write(r.ends[0], id, data)
			r.run(10 * event.Second)
			require.Len(t, r.ends[1].got, len(data))
		})
	}
}

// TestAnUnsignedResetIsNotBelieved is what RFC 2385 1 is for: a segment from
// somebody else does not end a connection whose segments are signed.
func TestAnUnsignedResetIsNotBelieved(t *testing.T) {
	r := newRig()
	keys := chain(config.Key{ID: 1, Secret: "grey-wing"})
	r.ends[0].terms.Keys, r.ends[1].terms.Keys = keys, keys
	id := r.open(80)
	r.run(event.Second)
	far := r.ends[1]
	c := &r.ends[0].stack.conns[id]
	reset := wire.Segment{SrcPort: c.localPort, DstPort: 80, Seq: c.nxt, Flags: wire.RST}
	why := far.stack.Receive(far, address(0), address(1), DefaultTTL, reset.Append(nil, address(0), address(1)), 1460)
	require.Equal(t, note.SignatureMissing, why)
	require.Equal(t, Established, far.stack.View(0).State)
}
