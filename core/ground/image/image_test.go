package image

import (
	"bytes"
	"fmt"
	"io"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

type leaf struct {
	a   uint8
	b   uint64
	c   bool
	in  [3]uint16
	out float64
}

type node struct {
	name   string
	leaf   leaf
	leaves []leaf
	next   *node
	also   []*node
	by     map[string]*node
	at     netip.Addr
	texts  [2]string
	hidden func() `image:"-"`
	tail   int32
}

func form[T any](t require.TestingT, rules ...Rule) *Form[T] {
	f, err := Of[T](rules...)
	require.NoError(t, err)
	return f
}

func again[T any](t require.TestingT, f *Form[T], v *T) *T {
	var b bytes.Buffer
	require.NoError(t, f.Write(&b, v))
	out, err := f.Read(&b)
	require.NoError(t, err)
	return out
}

// TestAnyGraphComesBack draws graphs with whatever leads wherever, and holds the copy against the graph: equal values, and
// two things that are one there are one here.
func TestAnyGraphComesBack(t *testing.T) {
	f := form[node](t)
	rapid.Check(t, func(t *rapid.T) {
		nodes := make([]*node, rapid.IntRange(1, 12).Draw(t, "nodes"))
		for i := range nodes {
			nodes[i] = &node{}
		}
		pick := func() *node {
			if i := rapid.IntRange(-1, len(nodes)-1).Draw(t, "to"); i >= 0 {
				return nodes[i]
			}
			return nil
		}
		address := rapid.SampledFrom([]string{"", "10.0.0.1", "fe80::1", "::ffff:10.0.0.1", "fe80::1%e0"})
		var shared []leaf
		for _, n := range nodes {
			n.name = rapid.String().Draw(t, "name")
			n.leaf = leaf{rapid.Byte().Draw(t, "a"), rapid.Uint64().Draw(t, "b"), rapid.Bool().Draw(t, "c"), [3]uint16{1, 2, 3}, 0.5}
			n.next = pick()
			switch rapid.IntRange(0, 3).Draw(t, "leaves") {
			case 0:
				n.leaves = []leaf{}
			case 1:
				n.leaves = make([]leaf, rapid.IntRange(0, 5).Draw(t, "length"))
				shared = n.leaves
			case 2:
				n.leaves = shared
			}
			for range rapid.IntRange(0, 3).Draw(t, "also") {
				n.also = append(n.also, pick())
			}
			if rapid.Bool().Draw(t, "by") {
				n.by = map[string]*node{}
				for range rapid.IntRange(0, 4).Draw(t, "entries") {
					n.by[rapid.StringN(0, 2, 4).Draw(t, "key")] = pick()
				}
			}
			n.at, _ = netip.ParseAddr(address.Draw(t, "address"))
			n.texts[1] = n.name
			n.tail = rapid.Int32().Draw(t, "tail")
			n.hidden = func() {}
		}
		was := nodes[0]
		is := again(t, f, was)
		pair := map[*node]*node{}
		seen := map[*node]bool{}
		var same func(a, b *node)
		same = func(a, b *node) {
			if a == nil || b == nil {
				require.Equal(t, a == nil, b == nil)
				return
			}
			if known := pair[a]; known != nil {
				require.Same(t, known, b, "what was one is one")
				return
			}
			require.False(t, seen[b], "what was two is two")
			pair[a], seen[b] = b, true
			require.Equal(t, a.name, b.name)
			require.Equal(t, a.leaf, b.leaf)
			require.Equal(t, a.leaves, b.leaves)
			require.Equal(t, a.leaves == nil, b.leaves == nil)
			require.Equal(t, a.texts, b.texts)
			require.Equal(t, a.tail, b.tail)
			require.Nil(t, b.hidden)
			require.True(t, a.at == b.at, "addresses are compared by identity")
			same(a.next, b.next)
			require.Len(t, b.also, len(a.also))
			for i := range a.also {
				same(a.also[i], b.also[i])
			}
			require.Equal(t, a.by == nil, b.by == nil)
			require.Len(t, b.by, len(a.by))
			for k := range a.by {
				same(a.by[k], b.by[k])
			}
		}
		// The root itself is written as a value: what leads to it leads to a copy.
		same(was.next, is.next)
		root := *was
		root.next = nil
		copied := *is
		copied.next = nil
		same(&root, &copied)
	})
}

func TestSlicesThatShareTheirElementsGoOnSharingThem(t *testing.T) {
	type two struct{ a, b []uint32 }
	elements := []uint32{1, 2, 3}
	is := again(t, form[two](t), &two{elements, elements})
	is.a[1] = 7
	require.Equal(t, uint32(7), is.b[1])
	is.a = append(is.a, 8)
	is.b = append(is.b, 9)
	require.Equal(t, uint32(8), is.a[3], "growing parts them")
}

func TestALandmarkIsFoundAgain(t *testing.T) {
	type holder struct{ a, b *leaf }
	absent := &leaf{}
	is := again(t, form[holder](t, Landmark(absent)), &holder{a: absent, b: &leaf{}})
	require.Same(t, absent, is.a)
	require.NotSame(t, absent, is.b)
}

func TestWhatCannotBeWrittenIsMadeOfWhatCan(t *testing.T) {
	type rule struct {
		text string
		does func() string
	}
	made := func(text string) rule { return rule{text, func() string { return "does " + text }} }
	type holder struct{ a, b *rule }
	r := made("this")
	is := again(t, form[holder](t, As(func(r *rule) string { return r.text }, made)), &holder{&r, &r})
	require.Equal(t, "does this", is.a.does())
	require.Same(t, is.a, is.b)

	_, err := Of[holder]()
	require.EqualError(t, err, "no image can be made of image.holder: image.holder.a: image.rule.does: func() string is a func")
}

func TestADamagedImageIsAnError(t *testing.T) {
	f := form[node](t)
	var b bytes.Buffer
	require.NoError(t, f.Write(&b, &node{name: "a", also: []*node{{name: "b"}, {name: "c"}}}))
	data := b.Bytes()
	for i := range data {
		bad := append([]byte(nil), data...)
		bad[i] ^= 0x41
		_, err := f.Read(bytes.NewReader(bad))
		require.EqualError(t, err, "the image is damaged", i)
		_, err = f.Read(bytes.NewReader(data[:i]))
		require.EqualError(t, err, "the image is damaged", i)
	}

	type other struct{ Name, More string }
	_, err := form[other](t).Read(bytes.NewReader(data))
	require.EqualError(t, err, "the image is of another version")
}

// TestALargeImageIsWrittenInPieces is of more than a chunk, of flat things and others, and fails to be written at any write.
func TestALargeImageIsWrittenInPieces(t *testing.T) {
	type holder struct {
		flat  []uint64
		nodes []node
		text  string
	}
	f := form[holder](t)
	v := &holder{make([]uint64, 300_000), make([]node, 20_000), strings.Repeat("text ", 500_000)}
	for i := range v.flat {
		v.flat[i] = uint64(i)
	}
	for i := range v.nodes {
		v.nodes[i].name = fmt.Sprint(i)
	}
	require.Equal(t, v, again(t, f, v))
	for writes := range 10 {
		require.ErrorIs(t, f.Write(&full{writes}, v), io.ErrShortWrite)
	}
}

// full takes so many writes.
type full struct{ left int }

func (f *full) Write(b []byte) (int, error) {
	if f.left--; f.left < 0 {
		return 0, io.ErrShortWrite
	}
	return len(b), nil
}

func TestWhatIsSharedWeighsOnce(t *testing.T) {
	type holder struct{ a, b []uint64 }
	f := form[holder](t)
	one, other := make([]uint64, 1000), make([]uint64, 1000)
	alone := f.Weigh(&holder{a: one})
	require.GreaterOrEqual(t, alone, uint64(8000))
	require.Less(t, f.Weigh(&holder{a: one, b: one}), alone+100)
	require.Less(t, f.Weigh(&holder{a: one}, &holder{a: one}), alone+100)
	require.GreaterOrEqual(t, f.Weigh(&holder{a: one, b: other}), alone+8000)
}
