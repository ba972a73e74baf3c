package capture

import (
	"encoding/binary"
	"fmt"
	"strings"

	"hellebore/core/ground/ip"
	"hellebore/core/ground/phrase"
	"hellebore/core/protocols/lsdb"
	"hellebore/core/protocols/ospf"
	wire "hellebore/core/protocols/wire/ospf"
	"hellebore/core/questions/facts"
)

func (r *reader) ospf(b []byte) string {
	head, fail := wire.Read(b)
	if fail != wire.OK {
		return "unreadable"
	}
	r.layer("OSPF header", "2328 A.3.1")
	r.field("version", "2")
	r.field("type", "%d", head.Type)
	r.field("packet length", "%d bytes", len(head.Raw))
	r.field("router ID", "%s", r.named(head.RouterID))
	r.field("area ID", "%v", ip.Quad(head.Area))
	r.field("authentication type", "%d", head.AuType)
	if head.AuType == wire.AuthCryptographic {
		r.field("key ID", "%d", head.KeyID())
		r.field("cryptographic sequence", "%d", head.Sequence())
		r.field("digest", "%d bytes", len(head.Trailer))
	}
	switch head.Type {
	case wire.TypeHello:
		return r.hello(head.Body)
	case wire.TypeDD:
		return r.dd(head.Body)
	case wire.TypeRequest:
		return r.request(head.Body)
	case wire.TypeUpdate:
		return r.update(head.Body)
	case wire.TypeAck:
		r.layer("Link State Acknowledgment", "2328 A.3.6")
		return phrase.Say("acknowledges %s", r.headers(head.Body))
	}
	return "unreadable"
}

func (r *reader) hello(b []byte) string {
	h, ok := wire.ReadHello(b)
	if !ok {
		return "unreadable"
	}
	r.layer("Hello", "2328 A.3.2")
	n, _ := ip.MaskLen(h.Mask)
	r.field("network mask", "/%d", n)
	r.field("hello interval", "%d s", h.Interval)
	r.field("options", "%s", helloOptionWords(h.Options))
	r.field("priority", "%d", h.Priority)
	r.field("router dead interval", "%d s", h.DeadInterval)
	r.field("designated router", "%s", r.holder(ip.V4(h.DR)))
	r.field("backup designated router", "%s", r.holder(ip.V4(h.BDR)))
	var names []string
	for list := h.Neighbours; len(list) >= 4; list = list[4:] {
		id := ip.Quad(binary.BigEndian.Uint32(list))
		r.field("neighbour", "%s", r.named(id))
		names = append(names, r.owners.Name(id))
	}
	if len(names) == 0 {
		return phrase.Text("hears nobody yet")
	}
	return phrase.Say("hears %s", strings.Join(names, ", "))
}

// helloOptionWords writes the options of a hello, where the N bit is not the P
// bit of an LSA.
func helloOptionWords(o uint8) string {
	switch {
	case o&wire.OptionN != 0:
		return phrase.Text("N: the area is an NSSA")
	case o&wire.OptionE != 0:
		return phrase.Text("E: the area takes external routes")
	}
	return phrase.Text("none: the area is a stub")
}

func (r *reader) dd(b []byte) string {
	d, ok := wire.ReadDD(b)
	if !ok {
		return "unreadable"
	}
	r.layer("Database Description", "2328 A.3.3")
	r.field("interface MTU", "%d bytes", d.MTU)
	r.field("options", "%s", facts.OptionWords(d.Options))
	var flags []string
	for _, f := range []struct {
		bit  uint8
		word string
	}{{wire.FlagInit, phrase.Text("I: the first")}, {wire.FlagMore, phrase.Text("M: more follow")},
		{wire.FlagMaster, phrase.Text("MS: the sender is master")}} {
		if d.Flags&f.bit != 0 {
			flags = append(flags, f.word)
		}
	}
	if len(flags) == 0 {
		flags = []string{phrase.Text("none")}
	}
	r.field("flags", "%s", strings.Join(flags, "; "))
	r.field("sequence number", "%d", d.Seq)
	role := phrase.Text("slave")
	if d.Flags&wire.FlagMaster != 0 {
		role = phrase.Text("master")
	}
	if d.Flags&wire.FlagInit != 0 {
		return phrase.Say("wants to be master, sequence %d", d.Seq)
	}
	return phrase.Say("%s, sequence %d: describes %s", role, d.Seq, r.headers(d.Headers))
}

// headers writes a list of LSA headers, and says how many there were.
func (r *reader) headers(b []byte) string {
	n := 0
	for len(b) >= wire.LSAHeaderLen {
		h, _ := wire.ReadLSAHeader(b)
		b = b[wire.LSAHeaderLen:]
		r.field("LSA header", "%v, sequence %s, age %d s", h.Key, facts.Sequence(h.Seq), h.Age)
		n++
	}
	return phrase.Plural(n, "LSA")
}

func (r *reader) request(b []byte) string {
	r.layer("Link State Request", "2328 A.3.4")
	n := 0
	for len(b) > 0 {
		k, ok := wire.NextRequest(&b)
		if !ok {
			break
		}
		r.field("asks for", "%v", k)
		n++
	}
	return phrase.Say("asks for %s", phrase.Plural(n, "LSA"))
}

func (r *reader) update(b []byte) string {
	count, list, ok := wire.UpdateCount(b)
	if !ok {
		return "unreadable"
	}
	r.layer("Link State Update", "2328 A.3.5")
	r.field("number of LSAs", "%d", count)
	var says []string
	for range count {
		h, raw, ok := wire.NextLSA(&list)
		if !ok {
			break
		}
		name := fmt.Sprint(h.Key)
		r.layer(name, "2328 A.4")
		r.field("age", "%d s", h.Age)
		r.field("options", "%s", facts.OptionWords(h.Options))
		r.field("sequence", "%s", facts.Sequence(h.Seq))
		r.field("checksum", "%#04x", h.Checksum)
		r.field("length", "%d bytes", h.Length)
		body, ok := bodyOf(h.Key.Type, raw[wire.LSAHeaderLen:])
		if !ok {
			r.field("body", "unreadable")
			continue
		}
		what, fields, _ := facts.LSAFields(r.owners, &ospf.LSAView{Header: h, Body: body})
		l := &r.layers[len(r.layers)-1]
		l.Fields = append(l.Fields, fields...)
		if h.Age >= lsdb.MaxAge {
			what = phrase.Text("withdrawn")
		}
		says = append(says, name+": "+what)
	}
	switch len(says) {
	case 0:
		return phrase.Text("nothing")
	case 1:
		return says[0]
	}
	return phrase.Say("%s, and %s", says[0], phrase.Plural(len(says)-1, "more LSA"))
}

// bodyOf reads the body of an LSA that is in no database.
func bodyOf(typ uint8, raw []byte) (b *ospf.Body, ok bool) {
	b = &ospf.Body{}
	switch typ {
	case wire.RouterLSA:
		b.Router, ok = wire.ReadRouter(raw)
	case wire.NetworkLSA:
		b.Network, ok = wire.ReadNetwork(raw)
	case wire.SummaryLSA, wire.ASBRSummaryLSA:
		b.Summary, ok = wire.ReadSummary(raw)
	case wire.ExternalLSA, wire.NSSALSA:
		b.External, ok = wire.ReadExternal(raw)
	}
	return b, ok
}
