package bgp

import (
	"encoding/binary"
	"fmt"
	"slices"
)

// Family is what prefixes belong to: an address family and what they are used for
// (RFC 4760 3). It is all that distinguishes families on the wire.
type Family struct {
	AFI  uint16 // address family identifier
	SAFI uint8  // subsequent address family identifier
}

// IPv4Unicast is the family of prefixes in the fields of the UPDATE itself.
var IPv4Unicast = Family{AFI: 1, SAFI: 1}

// Families are those that a speaker takes.
var Families = []Family{IPv4Unicast}

func (f Family) String() string {
	if f == IPv4Unicast {
		return "IPv4 unicast"
	}
	return fmt.Sprintf("AFI %d, SAFI %d", f.AFI, f.SAFI)
}

// Append appends the four octets of a family, as capabilities and ROUTE-REFRESH
// have them (RFC 4760 8, RFC 2918 3).
func (f Family) Append(b []byte) []byte {
	return append(binary.BigEndian.AppendUint16(b, f.AFI), 0, f.SAFI)
}

// ReadFamily reads four octets of a family.
func ReadFamily(b []byte) (f Family, ok bool) {
	if len(b) != 4 {
		return f, false
	}
	return Family{AFI: binary.BigEndian.Uint16(b), SAFI: b[3]}, true
}

// Capability is the capability by which a speaker says that it takes a family
// (RFC 4760 8).
func (f Family) Capability() Capability {
	return Capability{Code: CapMultiprotocol, Value: f.Append(nil)}
}

// Takes says whether the sender of an OPEN takes a family. One that says nothing
// of families takes IPv4 unicast (RFC 4760 8).
func (o *Open) Takes(f Family) bool {
	said := false
	for _, c := range o.Caps {
		if c.Code != CapMultiprotocol {
			continue
		}
		said = true
		if slices.Equal(c.Value, f.Append(nil)) {
			return true
		}
	}
	return !said && f == IPv4Unicast
}
