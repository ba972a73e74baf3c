package labtext

import (
	"fmt"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const small = "router a\n  port e1 10.0.0.1/30\nrouter b\n"

func TestTextFilesOfAllKindsAreRead(t *testing.T) {
	utf16Of := func(high, low int) []byte {
		var out []byte
		for _, u := range utf16.Encode([]rune("\uFEFF" + small)) {
			pair := [2]byte{}
			pair[high], pair[low] = byte(u>>8), byte(u)
			out = append(out, pair[:]...)
		}
		return out
	}
	for name, file := range map[string][]byte{
		"plain":         []byte(small),
		"with a mark":   []byte("\uFEFF" + small),
		"CR LF":         []byte(strings.ReplaceAll(small, "\n", "\r\n")),
		"CR":            []byte(strings.ReplaceAll(small, "\n", "\r")),
		"UTF-16, big":   utf16Of(0, 1),
		"UTF-16, small": utf16Of(1, 0),
	} {
		text, err := Read(file)
		require.NoError(t, err, name)
		require.Equal(t, small, text, name)
		r := Parse(string(file)) // as a browser sends it
		if !strings.HasPrefix(name, "UTF-16") {
			require.Len(t, r.Lab.Devices, 2, name)
			require.Equal(t, 3, r.Places["b"].Line, name)
		}
	}
	_, err := Read([]byte{0xff, 0xfe, 0x41})
	require.ErrorContains(t, err, "odd number of bytes")
}

func TestWhatIsNoTextIsRefusedWithItsPlace(t *testing.T) {
	for text, want := range map[string]string{
		"router a\n  port e\x001 10.0.0.1/30\n": "line 2, column 9: a NUL character; take it out; is this a text file?",
		"router a\nrouter \xffb\n":              "line 2, column 8: the byte 0xff is not UTF-8; save the text as UTF-8",
		"# é\xc3\n":                             "line 1, column 4: the byte 0xc3 is not UTF-8; save the text as UTF-8",
	} {
		r := Parse(text)
		require.False(t, r.OK())
		require.Len(t, r.Problems, 1)
		p := r.Problems[0]
		require.Equal(t, want, fmt.Sprintf("line %d, column %d: %s; %s", p.Line, p.Column, p.Message, p.Hint))
		same, ok := Format(text)
		require.False(t, ok)
		require.Equal(t, text, same)
	}
	require.True(t, Parse("# the character \uFFFD itself is one\n").OK())
	_, ok := Format(strings.Repeat("#", MaxSize+1))
	require.False(t, ok, "the limit holds for formatting too")
}

// TestTheLargestTextsHaveAnAnswer fills a text up to its limit with each kind of
// statement again and again. The time is that of a superlinear loop: minutes.
func TestTheLargestTextsHaveAnAnswer(t *testing.T) {
	if testing.Short() {
		t.Skip("megabytes of text")
	}
	size := MaxSize / 2
	if n, err := strconv.Atoi(os.Getenv("SIZE")); err == nil {
		size = n
	}
	numbered := func(head, line string) string {
		var b strings.Builder
		b.WriteString(head)
		for i := 0; b.Len() < size-200; i++ {
			b.WriteString(strings.ReplaceAll(line, "N", fmt.Sprint(i)) + "\n")
		}
		return b.String()
	}
	const bgp = "router a\n  port e1 10.0.0.1/8\n  bgp as 64500\n"
	for name, text := range map[string]string{
		"routers":       numbered("", "router rN"),
		"hosts":         numbered("", "host hN 10.0.0.1/8"),
		"ports":         numbered("router a\n", "  port eN"),
		"unknown links": numbered("router a\nrouter b\n", "link aN.e1 bN.e1"),
		"segments":      numbered("router a\n", "segment sN a.e1"),
		"flows":         numbered("router a\n", "flow fN a -> bN"),
		"peers":         numbered(bgp, "    peer 10.1.1.1 as N"),
		"originate":     numbered(bgp, "    originate 10.0.0.0/8"),
		"statics":       numbered("router a\n", "  static 10.0.0.0/8 via 10.0.0.N"),
		"policies":      numbered("", "policy pN\n  rule 1 accept"),
		"uses":          numbered(bgp, "    peer 10.1.1.1 as N\n      import pN"),
		"prefix sets":   numbered("", "prefix-set sN\n  10.0.0.0/8"),
		"checks":        numbered("", "check \"N\"\n  expect flow fN"),
		"garbage":       numbered("", "what is N"),
		"one line":      strings.Repeat("router ", MaxSize/8),
		"quotes":        strings.Repeat("\"", size),
		"blanks":        strings.Repeat("\n", size),
	} {
		done := make(chan int, 1)
		start := time.Now()
		go func() {
			r := Parse(text)
			Format(text)
			Outline(text)
			done <- len(r.Problems)
		}()
		select {
		case problems := <-done:
			t.Log(name, time.Since(start).Round(time.Millisecond), problems)
			require.LessOrEqual(t, problems, maxProblems+1, name)
		case <-time.After(time.Minute):
			assert.Fail(t, "no answer", name)
		}
	}
}
