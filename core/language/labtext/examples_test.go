package labtext

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestEveryStatementHasAnExample: the lab of all examples has every row of the grammar in
// every block, and earns neither an error nor a warning.
func TestEveryStatementHasAnExample(t *testing.T) {
	require.Empty(t, Parse(Examples).Problems)
	formatted, ok := Format(Examples)
	require.True(t, ok)
	require.Equal(t, formatted, Examples)
	var missing []string
	seen := map[string]bool{}
	for _, s := range Statements() {
		if s.Example == "" {
			missing = append(missing, string(s.In)+": "+s.Usage)
			continue
		}
		if !strings.HasPrefix(s.Word, "PREFIX") {
			require.Contains(t, s.Example, strings.Fields(s.Word)[0], s.Usage)
		}
		require.NotEmpty(t, s.Help)
		seen[s.Word] = true
	}
	require.Empty(t, missing)
	for _, row := range Grammar {
		require.True(t, seen[row.Word], row.Word)
	}
}

// TestWhatFollowsAListStaysAStatement: what stands behind an argument that can be repeated
// is not read as one more of it, neither after formatting nor after an edit.
func TestWhatFollowsAListStaysAStatement(t *testing.T) {
	const text = "policy p\n  statement s\n    remove community 64500:1\n      med\n      private-as\n    accept\n"
	formatted, ok := Format(text)
	require.True(t, ok)
	require.Equal(t, text, formatted)
	const short = "policy p\n  statement s\n    remove community 64500:1\n    accept\n"
	edits, err := ParseEdits("policy p statement s remove med")
	require.NoError(t, err)
	edited, err := EditText(short, edits...)
	require.NoError(t, err)
	require.Equal(t, "policy p\n  statement s\n    remove community 64500:1\n    remove med\n    accept\n", edited)
}

func TestTheStatementsOfAPlace(t *testing.T) {
	for text, want := range map[string][]Context{
		"|":                {Top},
		"router mill\n  |": {RouterOf},
		"router mill\n  port e1 10.0.0.1/30\n    ospf area 0 |":        {PortOSPF},
		"router mill\n  port e1 10.0.0.1/30\n    ospf area 0\n      |": {PortOSPF},
		"router mill\n  port e1 10.0.0.1/30\n    |":                    {PortOf},
		"# nothing |": {},
	} {
		above, _, _ := strings.Cut(text, "|")
		rows := strings.Split(above, "\n")
		got := Complete(strings.ReplaceAll(text, "|", ""), len(rows), len(rows[len(rows)-1])+1).In
		require.Equal(t, want, got, text)
	}
}

// TestATemplateSaysWhatAllThatTakeItCanHave: an edit that one of them cannot have is refused.
func TestATemplateSaysWhatAllThatTakeItCanHave(t *testing.T) {
	const text = "template cable bandwidth 100M\nrouter mill\n  port e1 10.0.12.1/30 like cable\n  port e2\n    vlan 10 10.0.13.1/30 like cable\n"
	require.Empty(t, Parse(text).Problems)
	for line, ok := range map[string]bool{"template cable mtu 1400": true, "template cable vlan 1": false} {
		edits, err := ParseEdits(line)
		require.NoError(t, err)
		after, err := EditText(text, edits...)
		if ok {
			require.NoError(t, err)
			require.Empty(t, Parse(after).Problems)
			continue
		}
		require.ErrorContains(t, err, "not everything that takes the template can have that")
	}
}
