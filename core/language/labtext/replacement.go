package labtext

import "hellebore/core/ground/phrase"

// Replacement is a change of the text that makes a problem go away: the text from
// Column to End of the problem's line becomes Text.
type Replacement struct {
	Title  string `json:"title"`
	Column int    `json:"column"` // from 1
	End    int    `json:"end"`    // the column after the last
	Text   string `json:"text"`
}

// instead says what is right where the problem is, if one word is; p is nil for a
// problem that is not kept.
func (p *Problem) instead(word string) {
	if p != nil && word != "" {
		p.Fix = &Replacement{phrase.Say("write %s", word), p.Column, p.End, word}
	}
}
