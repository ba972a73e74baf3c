package labtext

import (
	"cmp"
	"slices"
	"strings"

	"github.com/aymanbagabas/go-udiff"
)

// Hunk is a stretch of lines in which two texts are different.
type Hunk struct {
	Line    int      `json:"line" doc:"of the new text: where the added lines begin, or the removed ones were"`
	Block   string   `json:"block" doc:"the statement at the top that it is in: router viaduct"`
	Removed []string `json:"removed"`
	Added   []string `json:"added"`
}

// Hunks are the lines in which two texts are different, in order.
func Hunks(before, after string) []Hunk {
	out := []Hunk{}
	if before == after {
		return out
	}
	was, now := blocksByLine(before), blocksByLine(after)
	shift := 0 // lines that the new text has more so far
	for _, e := range udiff.Lines(before, after) {
		line := strings.Count(before[:e.Start], "\n") + 1
		h := Hunk{Line: line + shift, Removed: linesOf(before[e.Start:e.End]), Added: linesOf(e.New)}
		if h.Block = now(h.Line); len(h.Added) == 0 {
			h.Block = was(line)
		} else if strings.TrimSpace(h.Added[0]) == "" && len(h.Added) > 1 {
			h.Block = now(h.Line + 1)
		}
		shift += len(h.Added) - len(h.Removed)
		out = append(out, h)
	}
	return out
}

func linesOf(s string) []string {
	if s == "" {
		return []string{}
	}
	return strings.Split(strings.TrimSuffix(s, "\n"), "\n")
}

// blocksByLine says of each line of a text in which block it is; comments above a block
// are its own.
func blocksByLine(text string) func(line int) string {
	type start struct {
		line int
		name string
	}
	var starts []start
	lines := strings.Split(text, "\n")
	for i, s := range lines {
		if s == "" || s[0] == ' ' || s[0] == '\t' || s[0] == '#' {
			continue
		}
		var l line
		(&parser{}).words(&l, s)
		if len(l.tokens) > 0 {
			n := &Node{Word: l.tokens[0], Args: l.tokens[1:]}
			if n.Word.Text == "link" && len(n.Args) > 2 {
				n.Args = n.Args[:2]
			}
			starts = append(starts, start{i + 1 - commentsAbove(lines, i+1), strings.TrimSpace(n.Word.Text + " " + blockName(n))})
		}
	}
	return func(line int) string {
		i, found := slices.BinarySearchFunc(starts, line, func(s start, line int) int { return cmp.Compare(s.line, line) })
		if !found {
			i--
		}
		if i < 0 {
			return ""
		}
		return starts[i].name
	}
}
