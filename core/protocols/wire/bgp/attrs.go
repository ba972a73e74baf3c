package bgp

import (
	"encoding/binary"
	"slices"

	"golang.org/x/crypto/cryptobyte"

	"hellebore/core/ground/attr"
	"hellebore/core/ground/ip"
)

// Types of path attributes.
const (
	attrOrigin        = 1
	attrPath          = 2
	attrNextHop       = 3
	attrMED           = 4
	attrLocalPref     = 5
	attrAtomic        = 6
	attrAggregator    = 7
	attrCommunities   = 8
	attrOriginator    = 9
	attrClusters      = 10
	attrExtended      = 16
	attrAS4Path       = 17
	attrAS4Aggregator = 18
	attrLarge         = 32
)

// Flags of a path attribute (RFC 4271 4.3).
const (
	optional   = 0x80
	transitive = 0x40
	partial    = 0x20
	extended   = 0x10
)

// Verdict is how an UPDATE with a malformed attribute is taken (RFC 7606 2),
// mildest first.
type Verdict uint8

// The verdicts.
const (
	Fine Verdict = iota
	AttributeDiscarded
	TreatedAsWithdraw
)

var verdictNames = [...]string{"fine", "attribute discarded", "treated as withdraw"}

func (v Verdict) String() string { return verdictNames[v] }

// rule is what must hold of an attribute, and how a breach of it is taken.
type rule struct {
	name    string
	flags   uint8
	breach  Verdict
	section string
}

// attributes is the table of attributes that we know (RFC 7606 7 and 8).
var attributes = map[uint8]rule{
	attrOrigin:        {"ORIGIN", transitive, TreatedAsWithdraw, "7606 7.1"},
	attrPath:          {"AS_PATH", transitive, TreatedAsWithdraw, "7606 7.2"},
	attrNextHop:       {"NEXT_HOP", transitive, TreatedAsWithdraw, "7606 7.3"},
	attrMED:           {"MULTI_EXIT_DISC", optional, TreatedAsWithdraw, "7606 7.4"},
	attrLocalPref:     {"LOCAL_PREF", transitive, TreatedAsWithdraw, "7606 7.5"},
	attrAtomic:        {"ATOMIC_AGGREGATE", transitive, AttributeDiscarded, "7606 7.6"},
	attrAggregator:    {"AGGREGATOR", optional | transitive, AttributeDiscarded, "7606 7.7"},
	attrCommunities:   {"COMMUNITIES", optional | transitive, TreatedAsWithdraw, "7606 7.8"},
	attrOriginator:    {"ORIGINATOR_ID", optional, TreatedAsWithdraw, "7606 7.9"},
	attrClusters:      {"CLUSTER_LIST", optional, TreatedAsWithdraw, "7606 7.10"},
	attrExtended:      {"EXTENDED COMMUNITIES", optional | transitive, TreatedAsWithdraw, "7606 7.14"},
	attrAS4Path:       {"AS4_PATH", optional | transitive, AttributeDiscarded, "6793 6"},
	attrAS4Aggregator: {"AS4_AGGREGATOR", optional | transitive, AttributeDiscarded, "6793 6"},
	attrLarge:         {"LARGE_COMMUNITY", optional | transitive, TreatedAsWithdraw, "8092 5"},
}

// AttributeName is the name of an attribute by type, "" if we do not know it.
func AttributeName(t uint8) string { return attributes[t].name }

// Update is an UPDATE message (RFC 4271 4.3). Its fields share the bytes that it
// was read from.
type Update struct {
	Withdrawn, Attributes, Announced []byte
}

// ReadUpdate cuts the body of an UPDATE into its fields. fault is the NOTIFICATION
// that one earns of which even that fails (RFC 7606 3 and 5.3).
func ReadUpdate(body []byte) (u Update, fault *Notification) {
	s := cryptobyte.String(body)
	var withdrawn, attributes cryptobyte.String
	if !s.ReadUint16LengthPrefixed(&withdrawn) || !s.ReadUint16LengthPrefixed(&attributes) {
		return u, &Notification{Code: UpdateError, Subcode: MalformedAttributes}
	}
	u = Update{withdrawn, attributes, s}
	none := func(ip.Prefix) {}
	if !Prefixes(u.Withdrawn, none) || !Prefixes(u.Announced, none) {
		return u, &Notification{Code: UpdateError, Subcode: InvalidNetworkField}
	}
	return u, nil
}

// Peer is what of the sender matters for reading attributes.
type Peer struct {
	FourOctet bool // both ends said so (RFC 6793)
	External  bool
}

// Fault names the attribute on which a verdict rests.
type Fault struct {
	Verdict Verdict
	Type    uint8 // of the attribute; 0 for the list itself
}

// ReadAttributes reads the attributes of an UPDATE that announces something.
// fault is the worst that was found, and says how the message is to be taken.
func ReadAttributes(field []byte, from Peer) (a attr.Set, fault Fault) {
	r := reader{from: from}
	worst := func(v Verdict, t uint8) {
		if v > r.fault.Verdict {
			r.fault = Fault{v, t}
		}
	}
	s := cryptobyte.String(field)
	for !s.Empty() {
		var flags, kind uint8
		var value cryptobyte.String
		ok := s.ReadUint8(&flags) && s.ReadUint8(&kind)
		if ok && flags&extended != 0 {
			ok = s.ReadUint16LengthPrefixed(&value)
		} else if ok {
			ok = s.ReadUint8LengthPrefixed(&value)
		}
		if !ok { // RFC 7606 4: the last attribute overruns the list
			worst(TreatedAsWithdraw, 0)
			break
		}
		known, is := attributes[kind]
		if slices.Contains(r.seen, kind) {
			worst(AttributeDiscarded, kind) // RFC 7606 3 g: the first one counts
			continue
		}
		r.seen = append(r.seen, kind)
		switch {
		case !is && flags&optional == 0:
			worst(TreatedAsWithdraw, kind) // RFC 7606 3 c: an unknown well-known attribute
		case !is && flags&transitive != 0:
			r.a.Unknown = append(r.a.Unknown, attr.Unknown{Flags: flags&^extended | partial, Type: kind, Value: string(value)})
		case !is:
			// RFC 4271 5: an unknown non-transitive attribute is ignored.
		case flags&(optional|transitive) != known.flags:
			worst(TreatedAsWithdraw, kind) // RFC 7606 3 c
		default:
			if !r.read(kind, value) {
				worst(known.breach, kind)
			}
		}
	}
	for _, t := range []uint8{attrOrigin, attrPath, attrNextHop} {
		if !slices.Contains(r.seen, t) {
			worst(TreatedAsWithdraw, t) // RFC 7606 3 d
		}
	}
	if !from.External && !slices.Contains(r.seen, attrLocalPref) {
		worst(TreatedAsWithdraw, attrLocalPref)
	}
	r.merge()
	return r.a, r.fault
}

type reader struct {
	a       attr.Set
	from    Peer
	fault   Fault
	seen    []uint8
	as4     attr.Path // AS4_PATH
	aggAS4  uint32
	aggAddr ip.Quad
}

// read takes one attribute, and says whether it is well-formed.
func (r *reader) read(kind uint8, v cryptobyte.String) bool {
	a := &r.a
	switch kind {
	case attrOrigin:
		var o uint8
		if !v.ReadUint8(&o) || !v.Empty() || o > uint8(attr.Incomplete) {
			return false
		}
		a.Origin = attr.Origin(o)
	case attrPath:
		var ok bool
		a.Path, ok = readPath(v, r.from.FourOctet)
		return ok
	case attrNextHop:
		var q ip.Quad
		ok := v.ReadUint32((*uint32)(&q)) && v.Empty()
		a.NextHop = ip.V4(q)
		return ok && a.NextHop.IsValid()
	case attrMED:
		a.HasMED = true
		return v.ReadUint32(&a.MED) && v.Empty()
	case attrLocalPref:
		if r.from.External {
			return true // RFC 7606 7.5: ignored
		}
		a.HasLocalPref = true
		return v.ReadUint32(&a.LocalPref) && v.Empty()
	case attrAtomic:
		a.Atomic = v.Empty()
		return v.Empty()
	case attrAggregator:
		return r.aggregator(v)
	case attrCommunities:
		return len(v) > 0 && readAll(v, func(s *cryptobyte.String) bool {
			var c uint32
			ok := s.ReadUint32(&c)
			a.Communities = insert(a.Communities, c)
			return ok
		})
	case attrExtended:
		return len(v) > 0 && readAll(v, func(s *cryptobyte.String) bool {
			var c uint64
			ok := s.ReadUint64(&c)
			a.Extended = append(a.Extended, c)
			return ok
		})
	case attrLarge:
		return len(v) > 0 && readAll(v, func(s *cryptobyte.String) bool {
			var l attr.Large
			ok := s.ReadUint32(&l.Admin) && s.ReadUint32(&l.Data1) && s.ReadUint32(&l.Data2)
			if i, found := slices.BinarySearchFunc(a.Large, l, attr.Large.Compare); !found {
				a.Large = slices.Insert(a.Large, i, l)
			}
			return ok
		})
	case attrOriginator:
		if r.from.External {
			return true // RFC 7606 7.9: ignored
		}
		return v.ReadUint32((*uint32)(&a.Originator)) && v.Empty()
	case attrClusters:
		if r.from.External {
			return true // RFC 7606 7.10: ignored
		}
		return len(v) > 0 && readAll(v, func(s *cryptobyte.String) bool {
			var c uint32
			ok := s.ReadUint32(&c)
			a.Clusters = append(a.Clusters, ip.Quad(c))
			return ok
		})
	case attrAS4Path:
		var ok bool
		r.as4, ok = readPath(v, true)
		if !ok {
			r.as4 = nil
		}
		return ok
	case attrAS4Aggregator:
		return v.ReadUint32(&r.aggAS4) && v.ReadUint32((*uint32)(&r.aggAddr)) && v.Empty()
	}
	return true
}

func (r *reader) aggregator(v cryptobyte.String) bool {
	a := &r.a
	if r.from.FourOctet {
		a.HasAggregator = v.ReadUint32(&a.AggregatorAS) && v.ReadUint32((*uint32)(&a.Aggregator)) && v.Empty()
	} else {
		var as uint16
		a.HasAggregator = v.ReadUint16(&as) && v.ReadUint32((*uint32)(&a.Aggregator)) && v.Empty()
		a.AggregatorAS = uint32(as)
	}
	if !a.HasAggregator {
		a.AggregatorAS, a.Aggregator = 0, 0
	}
	return a.HasAggregator
}

// merge puts what a two-octet speaker passed on in AS4 attributes in place (RFC
// 6793 4.2.3); a four-octet speaker's are passed over.
func (r *reader) merge() {
	a := &r.a
	if r.from.FourOctet {
		return
	}
	if a.HasAggregator && a.AggregatorAS != ASTrans && r.aggAS4 != 0 {
		return // both are then ignored
	}
	if a.HasAggregator && r.aggAS4 != 0 {
		a.AggregatorAS, a.Aggregator = r.aggAS4, r.aggAddr
	}
	n, have := a.Path.Len(), r.as4.Len()
	if have == 0 || n < have {
		return
	}
	var lead []uint32
	for _, s := range a.Path {
		for _, as := range s.AS {
			if len(lead) < n-have {
				lead = append(lead, as)
			}
		}
	}
	a.Path = r.as4.Prepend(lead...)
}

func readAll(v cryptobyte.String, one func(*cryptobyte.String) bool) bool {
	for !v.Empty() {
		if !one(&v) {
			return false
		}
	}
	return true
}

func insert(list []uint32, v uint32) []uint32 {
	if i, found := slices.BinarySearch(list, v); !found {
		list = slices.Insert(list, i, v)
	}
	return list
}

// readPath reads the segments of an AS path (RFC 4271 4.3, RFC 7606 7.2).
func readPath(v cryptobyte.String, four bool) (p attr.Path, ok bool) {
	for !v.Empty() {
		var kind, n uint8
		if !v.ReadUint8(&kind) || !v.ReadUint8(&n) || n == 0 || kind != attr.ASSet && kind != attr.ASSequence {
			return nil, false
		}
		s := attr.Segment{Kind: kind, AS: make([]uint32, n)}
		for i := range s.AS {
			var short uint16
			switch {
			case four && v.ReadUint32(&s.AS[i]):
			case !four && v.ReadUint16(&short):
				s.AS[i] = uint32(short)
			default:
				return nil, false
			}
			if s.AS[i] == 0 { // RFC 7607
				return nil, false
			}
		}
		p = append(p, s)
	}
	return p, true
}

// AppendAttributes appends a set as it goes to a peer, in the order of types.
// Local preference, originator and cluster list are written if the set has them:
// who may see them is the sender's to decide.
func AppendAttributes(b []byte, a *attr.Set, four bool) []byte {
	b = append(b, transitive, attrOrigin, 1, byte(a.Origin))
	path, wide := appendPath(nil, a.Path, four)
	b = appendAttribute(b, transitive, attrPath, path)
	b = appendUint32(b, transitive, attrNextHop, uint32(a.NextHop.Quad()))
	if a.HasMED {
		b = appendUint32(b, optional, attrMED, a.MED)
	}
	if a.HasLocalPref {
		b = appendUint32(b, transitive, attrLocalPref, a.LocalPref)
	}
	if a.Atomic {
		b = append(b, transitive, attrAtomic, 0)
	}
	if a.HasAggregator {
		v := binary.BigEndian.AppendUint32(nil, a.AggregatorAS)
		if !four {
			v = binary.BigEndian.AppendUint16(nil, shortAS(a.AggregatorAS))
		}
		b = appendAttribute(b, optional|transitive, attrAggregator, binary.BigEndian.AppendUint32(v, uint32(a.Aggregator)))
	}
	if len(a.Communities) > 0 {
		b = appendAttribute(b, optional|transitive, attrCommunities, appendAll(a.Communities))
	}
	if a.Originator != 0 {
		b = appendUint32(b, optional, attrOriginator, uint32(a.Originator))
	}
	if len(a.Clusters) > 0 {
		b = appendAttribute(b, optional, attrClusters, appendAll(a.Clusters))
	}
	if len(a.Extended) > 0 {
		var v []byte
		for _, c := range a.Extended {
			v = binary.BigEndian.AppendUint64(v, c)
		}
		b = appendAttribute(b, optional|transitive, attrExtended, v)
	}
	if wide {
		v, _ := appendPath(nil, a.Path, true)
		b = appendAttribute(b, optional|transitive, attrAS4Path, v)
	}
	if a.HasAggregator && !four && a.AggregatorAS > 0xffff {
		v := binary.BigEndian.AppendUint32(nil, a.AggregatorAS)
		b = appendAttribute(b, optional|transitive, attrAS4Aggregator, binary.BigEndian.AppendUint32(v, uint32(a.Aggregator)))
	}
	if len(a.Large) > 0 {
		var v []byte
		for _, l := range a.Large {
			v = binary.BigEndian.AppendUint32(v, l.Admin)
			v = binary.BigEndian.AppendUint32(v, l.Data1)
			v = binary.BigEndian.AppendUint32(v, l.Data2)
		}
		b = appendAttribute(b, optional|transitive, attrLarge, v)
	}
	for _, u := range a.Unknown {
		b = appendAttribute(b, u.Flags, u.Type, []byte(u.Value))
	}
	return b
}

func appendAttribute(b []byte, flags, kind uint8, v []byte) []byte {
	if len(v) > 255 {
		b = append(b, flags|extended, kind)
		b = binary.BigEndian.AppendUint16(b, uint16(len(v)))
	} else {
		b = append(b, flags, kind, byte(len(v)))
	}
	return append(b, v...)
}

func appendUint32(b []byte, flags, kind uint8, v uint32) []byte {
	return binary.BigEndian.AppendUint32(append(b, flags, kind, 4), v)
}

func appendAll[T ~uint32](list []T) []byte {
	var v []byte
	for _, c := range list {
		v = binary.BigEndian.AppendUint32(v, uint32(c))
	}
	return v
}

func shortAS(as uint32) uint16 {
	if as > 0xffff {
		return ASTrans
	}
	return uint16(as)
}

// appendPath writes a path; wide says that a two-octet one lost something.
func appendPath(b []byte, p attr.Path, four bool) (out []byte, wide bool) {
	for _, s := range p {
		b = append(b, s.Kind, byte(len(s.AS)))
		for _, as := range s.AS {
			if four {
				b = binary.BigEndian.AppendUint32(b, as)
				continue
			}
			wide = wide || as > 0xffff
			b = binary.BigEndian.AppendUint16(b, shortAS(as))
		}
	}
	return b, wide
}

// room is what an UPDATE has for attributes beside one prefix.
const room = MaxLen - HeaderLen - 4 - 5

// Fits says whether an UPDATE has room for these attributes and a prefix.
func Fits(a *attr.Set, four bool) bool {
	ases, unknown := 0, 0
	for _, s := range a.Path {
		ases += len(s.AS)
	}
	for _, u := range a.Unknown {
		unknown += 4 + len(u.Value)
	}
	const others = 256 // more than all attributes of fixed size and all headers take
	if others+len(a.Path)*4+ases*6+len(a.Communities)*4+len(a.Clusters)*4+len(a.Extended)*8+len(a.Large)*12+unknown <= room {
		return true
	}
	return len(AppendAttributes(nil, a, four)) <= room
}

// AppendUpdates appends UPDATEs that withdraw some prefixes and announce others
// with the attributes a, as few as hold them; none announces if the attributes do
// not fit (Fits). a may be nil if nothing is announced.
func AppendUpdates(b []byte, withdrawn, announced []ip.Prefix, a *attr.Set, four bool) (out []byte, messages int) {
	var attributes []byte
	if len(announced) > 0 {
		attributes = AppendAttributes(nil, a, four)
	}
	if len(attributes) > room {
		announced = nil // no message holds these attributes: they are not advertised (RFC 4271 9.2)
	}
	for len(withdrawn) > 0 || len(announced) > 0 {
		start := len(b)
		b = append(begin(b, TypeUpdate), 0, 0)
		field := len(b)
		for len(withdrawn) > 0 && len(b)-start+2+5 <= MaxLen {
			b = AppendPrefix(b, withdrawn[0])
			withdrawn = withdrawn[1:]
		}
		binary.BigEndian.PutUint16(b[field-2:], uint16(len(b)-field))
		if len(announced) == 0 || len(withdrawn) > 0 || len(b)-start+2+len(attributes)+5 > MaxLen {
			b = finish(append(b, 0, 0), start)
			messages++
			continue
		}
		b = binary.BigEndian.AppendUint16(b, uint16(len(attributes)))
		b = append(b, attributes...)
		for len(announced) > 0 && len(b)-start+5 <= MaxLen {
			b = AppendPrefix(b, announced[0])
			announced = announced[1:]
		}
		b = finish(b, start)
		messages++
	}
	return b, messages
}
