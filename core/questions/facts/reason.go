package facts

import (
	"hellebore/core/ground/note"
)

// Reason is why something is as it is, for people.
type Reason struct {
	Code   string `json:"code" doc:"stable name of the reason"`
	What   string `json:"what" doc:"what disagrees or is missing, a few words"`
	Text   string `json:"text" doc:"one sentence"`
	Mine   string `json:"mine,omitempty" doc:"the value at the first end"`
	Theirs string `json:"theirs,omitempty" doc:"the value at the other end"`
	Remedy string `json:"remedy,omitempty"`
	RFC    string `json:"rfc,omitempty"`
	Source string `json:"source" enum:"observed,foreseen,fault" doc:"observed by a device, foreseen from the two configurations, or a fault that was put on the link"`
	Count  uint32 `json:"count,omitempty" doc:"packets refused for it in a row"`
	By     string `json:"by,omitempty" doc:"the port that observed it"`
	Fixes  []Fix  `json:"fixes,omitempty" doc:"ways to do what the remedy says, the most likely one first"`
}

// Fix is one way to do what a remedy says: edits of the lab text, an action, or both,
// the edits first; or why it is neither.
type Fix struct {
	Edits  []string `json:"edits,omitempty" doc:"as they are typed: viaduct.e1 ospf area 0"`
	Action string   `json:"action,omitempty" doc:"an action: mend viaduct.e1"`
	Why    string   `json:"why,omitempty" doc:"why it cannot be done for somebody"`
}

// PlainReason is a reason without values; source is observed, foreseen or fault.
func PlainReason(c note.Code, source string) Reason {
	i := c.Info()
	return Reason{Code: i.Slug, What: i.What, Text: i.Text, Remedy: i.Remedy, RFC: i.RFC, Source: source}
}
