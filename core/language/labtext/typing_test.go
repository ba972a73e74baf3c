package labtext

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const editable = `# the mill
router mill
  loopback lo 10.255.0.1/32
  port e1 10.0.12.1/30 mtu 1400
    ospf area 0
      cost 10
  bgp as 64500
    peer-group inside
      as 64500
      local-address lo
    peer 10.255.0.2 group inside
      import-policy taken
    peer 192.0.2.2 as 64496

router halt
  router-id 10.255.0.2
  loopback lo 10.255.0.2/32
  port e1 10.0.12.2/30
    ospf area 0
host gate 10.20.1.10/24
link mill.e1 halt.e1
prefix-set ours
  203.0.113.0/24
policy taken
  statement ours
    where prefix in ours
    accept
policy other
  statement all
    where policy taken
    accept
flow coal mill -> halt
check "coal arrives"
  when cut mill.e1
  expect flow coal
  expect path mill -> halt through halt
brief
  task "bring coal"
    check "coal arrives"
`

// place is the line and column of the n-th occurrence of a word in a text.
func place(t *testing.T, text, word string, n int) (line, column int) {
	t.Helper()
	at := 0
	for range n {
		i := strings.Index(text[at:], word)
		require.GreaterOrEqual(t, i, 0)
		at += i + 1
	}
	before := text[:at-1]
	return strings.Count(before, "\n") + 1, at - 1 - strings.LastIndex(before, "\n")
}

func TestNamesAreFoundWhereverTheyStand(t *testing.T) {
	for _, c := range []struct {
		word       string
		nth        int
		kind, in   string
		uses, defs int
	}{
		{"mill", 2, "device", "", 5, 1}, // the first is in the comment
		{"e1 10", 1, "port", "mill", 3, 1},
		{"lo\n", 1, "port", "mill", 2, 1},
		{"taken", 1, "policy", "", 3, 1},
		{"taken", 3, "policy", "", 3, 1},
		{"ours\n", 1, "prefix-set", "", 2, 1},
		{"inside", 1, "peer-group", "mill", 2, 1},
		{"coal mill", 1, "flow", "", 2, 1},
		{"coal arrives", 1, "check", "", 2, 1},
	} {
		line, column := place(t, editable, c.word, c.nth)
		n, err := NameAt(editable, line, column)
		require.NoError(t, err, c.word)
		require.Equal(t, c.kind, n.Kind, c.word)
		require.Equal(t, c.in, n.In, c.word)
		require.Len(t, n.Uses, c.uses, c.word)
		defs := 0
		for _, u := range n.Uses {
			if u.Definition {
				defs++
			}
		}
		require.Equal(t, c.defs, defs, c.word)
	}
	_, err := NameAt(editable, 1, 3)
	require.EqualError(t, err, "there is no name in line 1 at column 3")
}

// TestARenamedTextMeansTheSame renames everything in turn: the text stays without
// errors, and says what it said but for the name.
func TestARenamedTextMeansTheSame(t *testing.T) {
	require.True(t, Parse(editable).OK(), "%v", Parse(editable).Problems)
	root, _ := parse(editable)
	for _, o := range occurrences(root) {
		text, n, err := Rename(editable, o.line, o.from, "fresh-name")
		require.NoError(t, err, o.name)
		require.Positive(t, n)
		r := Parse(text)
		require.True(t, r.OK(), "%s %s: %v", o.kind, o.name, r.Problems)
		back, m, err := Rename(text, o.line, o.from, o.name)
		if strings.Count(editable, o.name) == 1 || err == nil {
			require.NoError(t, err)
			require.Equal(t, n, m)
		}
		if o.kind != "device" || o.definition { // columns on a line with two names move
			require.Equal(t, editable, back, o.name)
		}
	}
	line, column := place(t, editable, "taken", 1)
	_, _, err := Rename(editable, line, column, "other")
	require.ErrorContains(t, err, "there is another policy named other")
	_, _, err = Rename(editable, line, column, "9 lives")
	require.ErrorContains(t, err, "is not a name")
	line, column = place(t, editable, "coal arrives", 1)
	_, _, err = Rename(editable, line, column, `a"b`)
	require.ErrorContains(t, err, "cannot be written in quotes")
}

func TestACopiedRouterHasItsOwnNamesAndAddresses(t *testing.T) {
	d, err := MustDiffer(editable, "halt")
	require.NoError(t, err)
	require.Equal(t, []Differing{{"name", "halt", "halt-2"}, {"router ID", "10.255.0.2", "10.255.0.3"},
		{"address of lo", "10.255.0.2/32", "10.255.0.4/32"}, {"address of e1", "10.0.12.2/30", "10.0.12.5/30"}}, d)
	values := map[string]string{}
	for _, x := range d {
		values[x.Value] = x.Suggest
	}
	text, err := CopyRouter(editable, "halt", values)
	require.NoError(t, err)
	r := Parse(text)
	require.True(t, r.OK(), "%v", r.Problems)
	for _, p := range r.Problems {
		require.NotContains(t, p.Message, "duplicate")
	}
	twin := r.Lab.Device("halt-2")
	require.NotNil(t, twin)
	require.Equal(t, "10.0.12.5/30", twin.Port("e1").Address.String())
	require.True(t, twin.Port("e1").OSPF.On)
	_, err = MustDiffer(editable, "nobody")
	require.ErrorContains(t, err, "there is no router named nobody")
	_, err = CopyRouter(editable, "nobody", nil)
	require.Error(t, err)
}

func TestOutline(t *testing.T) {
	var got []string
	for _, b := range Outline(editable) {
		got = append(got, b.Kind+" "+b.Name)
	}
	require.Equal(t, []string{"router mill", "router halt", "host gate", "link halt.e1 mill.e1", "prefix-set ours", "policy taken", "policy other", "flow coal", "check coal arrives", "brief "}, got)
	mill := Outline(editable)[0]
	require.Equal(t, []int{1, 2, 13}, []int{mill.From, mill.Line, mill.To})
	require.Equal(t, Part{"port", "e1", 4}, mill.Parts[1])
}

// TestFixesMendTheirProblem applies the fix of a problem: the line says what was meant.
func TestFixesMendTheirProblem(t *testing.T) {
	const two = "router mill\n  port e1 10.0.12.1/30\nrouter halt\n  port e1 10.0.12.2/30\n"
	const brief = two + "flow coal mill -> halt\ncheck \"the coal comes\"\n  flow coal arrives\nbrief\n  task \"see to it\"\n"
	for _, c := range []struct{ wrong, right string }{
		{"router mill\n  prot e1 10.0.12.1/30", "  port e1 10.0.12.1/30"},
		{"router mill\n  static 203.0.113.7/24 blackhole", "  static 203.0.113.0/24 blackhole"},
		{"router mill\n  port e1 10.0.12.1/24 255.255.255.0", "  port e1 10.0.12.1/24"},
		{"router mill\n  port e1   10.0.12.1/30   255.255.255.0", "  port e1   10.0.12.1/24"},
		{"router \"mill\"", "router mill"},
		{"lab Mill", "lab \"Mill\""},
		{"router mill\n\tport e1 10.0.12.1/30", "  port e1 10.0.12.1/30"},
		{two + "link mill.e1 hall.e1", "link mill.e1 halt.e1"},
		{two + "link mill.e1 halt.e2", "link mill.e1 halt.e1"},
		{two + "link mil.e1 halt.e1", "link mill.e1 halt.e1"},
		{two + "flow coal mill -> hall", "flow coal mill -> halt"},
		{brief + "    check \"the coal come\"", "    check \"the coal comes\""},
		{"template rail\n  ospf passive\nrouter mill\n  port e1 10.0.12.1/30 like rial", "  port e1 10.0.12.1/30 like rail"},
	} {
		var p Problem
		for _, q := range Parse(c.wrong + "\n").Problems {
			if q.Fix != nil {
				p = q
				break
			}
		}
		require.NotNil(t, p.Fix, "%s: %v", c.wrong, Parse(c.wrong+"\n").Problems)
		r := []rune(strings.Split(c.wrong, "\n")[p.Line-1])
		require.Equal(t, c.right, string(r[:p.Fix.Column-1])+p.Fix.Text+string(r[p.Fix.End-1:]))
	}
	require.Nil(t, Parse("router mill\n  port e1 10.0.12.1\n").Problems[0].Fix, "nobody knows the length")
}

// TestDifferencesComeInOneOrder asks several times: the same two labs differ alike.
func TestDifferencesComeInOneOrder(t *testing.T) {
	const lab = "router mill\n  port e1\nrouter halt\n  port e1\nlink mill.e1 halt.e1"
	before, after := Parse(lab+"\n"), Parse(lab+" loss 2% reorder 3% duplicate 4%\n")
	require.True(t, before.OK() && after.OK(), "%v %v", before.Problems, after.Problems)
	for range 20 {
		var words []string
		for _, c := range Differences(&before.Lab, &after.Lab) {
			words = append(words, c.String())
		}
		require.Equal(t, []string{"link halt.e1 mill.e1 loss: 0% -> 2%", "link halt.e1 mill.e1 reorder: 0% -> 3%", "link halt.e1 mill.e1 duplicate: 0% -> 4%"}, words)
	}
}
