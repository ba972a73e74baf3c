package labtext

import (
	"regexp"
	"strings"
)

// Replacement is a change of the text that makes a problem go away: the text from
// Column to End of the problem's line becomes Text.
type Replacement struct {
	Title  string `json:"title"`
	Column int    `json:"column"` // from 1
	End    int    `json:"end"`    // the column after the last
	Text   string `json:"text"`
}

var (
	meantWord = regexp.MustCompile(`^did you mean (\S+)\?$`)
	writeWord = regexp.MustCompile(`^write (\d[\d.]*(?:/\d+)?|"[^"]*")$`)
	maskWords = regexp.MustCompile(`: (\S+/\d+)$`)
)

// fixOf makes a fix of a problem's hint, nil if the hint names no single right
// word. rows are the lines of the text.
func fixOf(p Problem, rows []string) *Replacement {
	switch {
	case meantWord.MatchString(p.Hint):
		to := meantWord.FindStringSubmatch(p.Hint)[1]
		return &Replacement{"write " + to, p.Column, p.End, to}
	case writeWord.MatchString(p.Hint):
		to := writeWord.FindStringSubmatch(p.Hint)[1]
		return &Replacement{"write " + to, p.Column, p.End, to}
	case p.Hint == "write it without quotes" && p.Line <= len(rows):
		r := []rune(rows[p.Line-1])
		to := strings.Trim(string(r[p.Column-1:min(p.End-1, len(r))]), `"`)
		return &Replacement{p.Hint, p.Column, p.End, to}
	case p.Message == "masks are written as prefix lengths" && p.Line <= len(rows):
		// The address is before the mask.
		r := []rune(rows[p.Line-1])
		left := strings.TrimRight(string(r[:p.Column-1]), " ")
		start := strings.LastIndex(left, " ") + 2
		if to := maskWords.FindStringSubmatch(p.Hint); to != nil {
			return &Replacement{"write " + to[1], start, p.End, to[1]}
		}
	case p.Message == "a tab in the indentation":
		return &Replacement{p.Hint, p.Column, p.Column + 1, "  "}
	}
	return nil
}
