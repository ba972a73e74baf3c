package labtext

import (
	"bytes"
	"encoding/binary"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"hellebore/core/ground/phrase"
)

// Marks at the beginning of a text file (Unicode 23.8, byte order mark).
const mark = "\uFEFF"

// Read is the text of a file: UTF-8, with or without a byte order mark, or UTF-16
// with one. Lines end with LF, CR LF or CR; what comes out has LF.
func Read(file []byte) (string, error) {
	var order binary.ByteOrder
	switch {
	case bytes.HasPrefix(file, []byte{0xff, 0xfe}):
		order = binary.LittleEndian
	case bytes.HasPrefix(file, []byte{0xfe, 0xff}):
		order = binary.BigEndian
	default:
		return Normal(string(file)), nil
	}
	if len(file)%2 != 0 {
		return "", phrase.Errorf(phrase.Text("the text begins as UTF-16 and has an odd number of bytes, %d; save it as UTF-8"),
			len(file))
	}
	units := make([]uint16, len(file)/2)
	for i := range units {
		units[i] = order.Uint16(file[2*i:])
	}
	return Normal(string(utf16.Decode(units))), nil
}

// Normal is a text without a byte order mark, its lines ended by LF alone.
func Normal(text string) string {
	text = strings.TrimPrefix(text, mark)
	if !strings.Contains(text, "\r") {
		return text
	}
	return strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
}

// unreadable finds the first character that no text has: broken UTF-8, or NUL.
func unreadable(text string) *Problem {
	if utf8.ValidString(text) && strings.IndexByte(text, 0) < 0 {
		return nil
	}
	line, column := 1, 1
	for i, c := range text {
		p := Problem{Severity: Error, Line: line, Column: column, End: column + 1}
		switch {
		case c == 0:
			p.Message, p.Hint = "a NUL character", phrase.Text("take it out; is this a text file?")
			return &p
		case c == utf8.RuneError && !strings.HasPrefix(text[i:], string(utf8.RuneError)):
			p.Message, p.Hint = phrase.Say("the byte 0x%02x is not UTF-8", text[i]), phrase.Text("save the text as UTF-8")
			return &p
		case c == '\n':
			line, column = line+1, 0
		}
		column++
	}
	return nil
}

// limits says that a text is too large or cannot be read at all, or nil.
func limits(text string) *Problem {
	if len(text) > MaxSize {
		return &Problem{Severity: Error, Line: 1, Column: 1, End: 1,
			Message: phrase.Say("the text has %d bytes", len(text)),
			Hint:    phrase.Say("the limit is %d MiB: split the lab", MaxSize>>20)}
	}
	return unreadable(text)
}
