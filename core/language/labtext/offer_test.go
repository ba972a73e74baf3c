package labtext

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

// TestWhatAWarningOffersMendsIt makes each edit that a warning offers, alone: the text
// has no errors, and the warning is gone.
func TestWhatAWarningOffersMendsIt(t *testing.T) {
	var texts []string
	for _, file := range []string{"testdata/warnings.lab", "testdata/bgp-warnings.lab"} {
		b, err := os.ReadFile(file)
		require.NoError(t, err)
		texts = append(texts, regexp.MustCompile(`(?m)\s*#! .*$`).ReplaceAllString(string(b), ""))
	}
	for _, l := range demo.Labs() {
		texts = append(texts, l.Text)
	}
	warned, offered := 0, map[string]bool{}
	for _, text := range texts {
		for _, p := range Parse(text).Problems {
			warned++
			for _, way := range p.Edits {
				edits, err := ParseEdits(way)
				require.NoError(t, err, way)
				after, err := EditText(text, edits...)
				require.NoError(t, err, "%v: %s", p, way)
				r := Parse(after)
				require.True(t, r.OK(), "%s: %v", way, r.Problems)
				for _, q := range r.Problems {
					require.NotEqual(t, p.Message, q.Message, "%s does not mend it", way)
				}
				offered[regexp.MustCompile(`[\d./]+`).ReplaceAllString(p.Message, "N")] = true
			}
		}
	}
	require.Greater(t, len(offered), 20, "of %d", warned)
}

// TestOffersAreWritten holds every hint that names one edit against what is offered.
func TestOffersAreWritten(t *testing.T) {
	for text, edit := range map[string]string{
		"router a\n  port e1 10.0.0.1/30\n    ospf area 0\nrouter b\n  port e1 10.0.0.2/30\n    ospf area 1\nlink a.e1 b.e1\n": "a.e1 ospf area 1",
		"policy lost\n  otherwise accept\n": "remove policy lost",
	} {
		var all []string
		for _, p := range Parse(text).Problems {
			all = append(all, p.Edits...)
		}
		require.Contains(t, all, edit, strings.TrimSpace(text))
	}
}
