package api

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"sync"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"

	"hellebore/core/ground/phrase"
)

// known are texts that browsers sent lately, by key, so that they can send what they changed since instead of all of it for each
// key that is pressed.
type known struct {
	lock  sync.Mutex
	texts []knownText // the latest used last
}

type knownText struct{ key, text string }

// mostKnown bounds the texts that are known: some per person who types.
const mostKnown = 32

// keep makes a text known, and gives its key.
func (k *known) keep(text string) (key string) {
	sum := sha256.Sum256([]byte(text))
	key = hex.EncodeToString(sum[:12])
	k.use(key, func() (string, bool) { return text, true })
	return key
}

// get is a known text.
func (k *known) get(key string) (text string, ok bool) {
	return k.use(key, func() (string, bool) { return "", false })
}

func (k *known) use(key string, otherwise func() (string, bool)) (text string, ok bool) {
	k.lock.Lock()
	defer k.lock.Unlock()
	if i := slices.IndexFunc(k.texts, func(t knownText) bool { return t.key == key }); i >= 0 {
		t := k.texts[i]
		k.texts = append(slices.Delete(k.texts, i, i+1), t)
		return t.text, true
	}
	if text, ok = otherwise(); ok {
		if len(k.texts) == mostKnown {
			k.texts = slices.Delete(k.texts, 0, 1)
		}
		k.texts = append(k.texts, knownText{key, text})
	}
	return text, ok
}

// TextOrEdit is a text, whole or as an edit of one that is known.
type TextOrEdit struct {
	Text string  `json:"text,omitempty" doc:"the whole text; its key comes back"`
	Edit *EditOf `json:"edit,omitempty" doc:"instead of the text: what is different from a text of which the server gave the key"`
}

type EditOf struct {
	Key    string `json:"key" maxLength:"64"`
	From   int    `json:"from" minimum:"0" doc:"where what is replaced begins, in UTF-16 code units"`
	To     int    `json:"to" minimum:"0" doc:"where it ends"`
	Insert string `json:"insert" doc:"what is there instead"`
}

// whole is the whole text, with its key if it was sent whole.
func (k *known) whole(in TextOrEdit) (text, key string, err error) {
	if in.Edit == nil {
		return in.Text, k.keep(in.Text), nil
	}
	base, ok := k.get(in.Edit.Key)
	if !ok {
		return "", "", huma.Error410Gone(phrase.Text("the server does not know the text that this is an edit of; send the whole text"))
	}
	from, ok1 := offsetOf(base, in.Edit.From)
	to, ok2 := offsetOf(base, in.Edit.To)
	if !ok1 || !ok2 || from > to {
		return "", "", huma.Error422UnprocessableEntity(phrase.Say("the edit replaces %d to %d, which is not in the text; send the whole text", in.Edit.From, in.Edit.To))
	}
	return base[:from] + in.Edit.Insert + base[to:], "", nil
}

// offsetOf is the offset in bytes of one in UTF-16 code units; ok is false if it is behind the end, or within a character.
func offsetOf(text string, units int) (offset int, ok bool) {
	for units > 0 && offset < len(text) {
		if text[offset] < utf8.RuneSelf {
			offset++
			units--
			continue
		}
		r, size := utf8.DecodeRuneInString(text[offset:])
		offset += size
		units--
		if r > 0xffff {
			units--
		}
	}
	return offset, units == 0
}
