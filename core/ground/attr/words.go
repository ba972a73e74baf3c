package attr

import (
	"fmt"
	"strconv"
	"strings"
)

// wellKnown are the names of communities that RFC 1997 gives a meaning.
var wellKnown = map[uint32]string{NoExport: "no-export", NoAdvertise: "no-advertise",
	NoExportSubconfed: "no-export-subconfed"}

// CommunityWords writes a community: its name if it has one, else AS:VALUE.
func CommunityWords(c uint32) string {
	if name, ok := wellKnown[c]; ok {
		return name
	}
	return fmt.Sprintf("%d:%d", c>>16, c&0xffff)
}

// String is a large community as RFC 8092 5 writes it.
func (l Large) String() string { return fmt.Sprintf("%d:%d:%d", l.Admin, l.Data1, l.Data2) }

// ParseCommunity reads a community: a well-known name, AS:VALUE, or A:B:C for a
// large one.
func ParseCommunity(s string) (c uint32, l Large, large, ok bool) {
	for value, name := range wellKnown {
		if s == name {
			return value, l, false, true
		}
	}
	parts := strings.Split(s, ":")
	var n [3]uint32
	bits := 16
	if len(parts) == 3 {
		bits = 32
	}
	if len(parts) < 2 || len(parts) > 3 {
		return 0, l, false, false
	}
	for i, p := range parts {
		v, err := strconv.ParseUint(p, 10, bits)
		if err != nil {
			return 0, l, false, false
		}
		n[i] = uint32(v)
	}
	if len(parts) == 3 {
		return 0, Large{n[0], n[1], n[2]}, true, true
	}
	return n[0]<<16 | n[1], l, false, true
}

// CommunityList writes all communities of a set, standard ones first.
func (s *Set) CommunityList() []string {
	out := []string{}
	for _, c := range s.Communities {
		out = append(out, CommunityWords(c))
	}
	for _, l := range s.Large {
		out = append(out, l.String())
	}
	for _, e := range s.Extended {
		out = append(out, fmt.Sprintf("extended %016x", e))
	}
	return out
}

// String writes the path, sets in braces: "64496 64510 {64500 64501}"; "" for a
// path made in our own AS.
func (p Path) String() string {
	var words []string
	for _, s := range p {
		var list []string
		for _, a := range s.AS {
			list = append(list, strconv.FormatUint(uint64(a), 10))
		}
		w := strings.Join(list, " ")
		if s.Kind == ASSet {
			w = "{" + w + "}"
		}
		words = append(words, w)
	}
	return strings.Join(words, " ")
}
