package labtext

import (
	"fmt"
	"hash/fnv"
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// Build functions of key chains.

// noKeys means no authentication, where an area has one.
const noKeys = "none"

func (b *builder) keyChain(n *Node) {
	name := n.Args[0]
	if name.Text == noKeys || b.taken("key chain", name.Text) {
		b.errorf(name, "choose another name", "the name %s is taken", name.Text)
		return
	}
	b.place("key-chain "+name.Text, name)
	c := config.KeyChain{Name: name.Text}
	b.fill(n, &c)
	if len(c.Keys) == 0 {
		b.errorf(n.Word, `write for example key 1 hmac-sha-256 "a secret"`, "the key chain %s has no key", name.Text)
	}
	b.result.Chains = append(b.result.Chains, c)
}

func (b *builder) key(n *Node) {
	k := config.Key{ID: uint8(number(n.Args[0])), Algorithm: n.Args[1].Text, Secret: n.Args[2].Text}
	c := of[config.KeyChain](b)
	limit := 64
	switch k.Algorithm {
	case "simple":
		limit = 8
	case "md5":
		limit = 16
	}
	switch {
	case k.Secret == "" || len(k.Secret) > limit:
		b.errorf(n.Args[2], phrase.Say("a %s key has 1 to %d characters", k.Algorithm, limit),
			"the secret has %d characters", len(k.Secret))
	case slices.ContainsFunc(c.Keys, func(o config.Key) bool { return o.ID == k.ID }):
		b.errorf(n.Args[0], "choose another ID", "key %d is given twice", k.ID)
	case len(c.Keys) > 0 && (c.Keys[0].Algorithm == "simple" || k.Algorithm == "simple"):
		b.errorf(n.Args[1], "put a simple key into a chain of its own", "a simple key must be alone in its chain")
	}
	b.fill(n, &k)
	c.Keys = append(c.Keys, k)
}

func (b *builder) sendTime(n *Node) {
	of[config.Key](b).Send, _ = parseSpan(n.Args[0].Text)
}

func (b *builder) acceptTime(n *Node) {
	of[config.Key](b).Accept, _ = parseSpan(n.Args[0].Text)
}

// keys is on a port and in an area; names are resolved when all is read.
func (b *builder) keys(n *Node) {
	name := n.Args[0].Text
	if name != noKeys {
		b.chainRefs = append(b.chainRefs, n.Args[0])
	}
	if b.in == AreaOf {
		of[config.Area](b).Keys = name
		return
	}
	of[config.Port](b).OSPF.Keys = &config.KeyChain{Name: name}
}

// peerKeys is at a peer or a group.
func (b *builder) peerKeys(n *Node) {
	of[config.Peer](b).Keys = nil
	if n.Args[0].Text != noKeys {
		b.signRefs = append(b.signRefs, n.Args[0])
		of[config.Peer](b).Keys = &config.KeyChain{Name: n.Args[0].Text}
	}
}

// resolveSessionKeys gives every peer its key chain. RFC 2385 knows only MD5.
func (b *builder) resolveSessionKeys() {
	for _, r := range b.signRefs {
		c := b.chainNamed(r.Text)
		if c == nil {
			b.noChain(r)
			continue
		}
		for _, k := range c.Keys {
			if k.Algorithm != "md5" {
				b.errorf(r, "name a key chain of md5 keys",
					"key %d of %s is %s, and sessions are signed with md5 (RFC 2385)", k.ID, c.Name, k.Algorithm)
				break
			}
		}
	}
	for i := range b.result.Devices {
		d := &b.result.Devices[i]
		for _, name := range d.InstanceNames() {
			peers := d.Instance(name).BGP.Peers
			for k := range peers {
				if p := &peers[k]; p.Keys != nil {
					p.Keys = b.chainNamed(p.Keys.Name)
				}
			}
		}
	}
}

// noChain says that a key chain is not there.
func (b *builder) noChain(r Token) {
	var names []string
	for _, c := range b.result.Chains {
		names = append(names, c.Name)
	}
	b.unnamed(r, r.Text, names, "there is no key chain named %s", r.Text)
}

// resolveKeys gives every port the key chain that is in force on it: its own, or
// its area's.
func (b *builder) resolveKeys() {
	for _, r := range b.chainRefs {
		if b.chainNamed(r.Text) == nil {
			b.noChain(r)
		}
	}
	for i := range b.result.Devices {
		d := &b.result.Devices[i]
		for k := range d.Ports {
			o := &d.Ports[k].OSPF
			if !o.On {
				continue
			}
			if o.Keys != nil {
				o.Keys, o.KeysFrom = b.chainNamed(o.Keys.Name), phrase.Text("the port")
				continue
			}
			b.keysOfArea(d.Instance(d.Ports[k].Instance), o)
		}
		for _, name := range d.InstanceNames() {
			b.keysOfVirtual(d.Instance(name))
		}
	}
}

// keysOfVirtual gives virtual links their keys: they belong to the backbone (RFC 2328 15).
func (b *builder) keysOfVirtual(r *config.Routing) {
	for k := range r.OSPF.Areas {
		for v := range r.OSPF.Areas[k].Virtual {
			o := &r.OSPF.Areas[k].Virtual[v].OSPF
			if o.Keys != nil {
				o.Keys, o.KeysFrom = b.chainNamed(o.Keys.Name), "the virtual link"
				continue
			}
			b.keysOfArea(r, o)
		}
	}
}

// keysOfArea gives a port the keys of its area, if that has any.
func (b *builder) keysOfArea(r *config.Routing, o *config.PortOSPF) {
	for _, a := range r.OSPF.Areas {
		if a.ID == o.Area && a.Keys != "" && a.Keys != noKeys {
			o.Keys, o.KeysFrom = b.chainNamed(a.Keys), "area "+FormatArea(a.ID)
		}
	}
}

func (b *builder) chainNamed(name string) *config.KeyChain {
	for i := range b.result.Chains {
		if b.result.Chains[i].Name == name {
			return &b.result.Chains[i]
		}
	}
	return nil
}

// keyWords describes a key without giving its secret away: other secrets have
// other marks.
func keyWords(k config.Key) string {
	h := fnv.New32a()
	_, _ = h.Write([]byte(k.Secret)) // never fails
	words := fmt.Sprintf("%s, secret with mark %04x", k.Algorithm, h.Sum32()&0xffff)
	if s := spanWords(k.Send); s != "" {
		words += ", sent with" + s
	}
	if s := spanWords(k.Accept); s != "" {
		words += ", taken" + s
	}
	return words
}

// ChainWords describes a key chain in force: "larch (key 3 md5)".
func ChainWords(c *config.KeyChain) string {
	if c == nil {
		return phrase.Text("none")
	}
	var keys []string
	for _, k := range c.Keys {
		keys = append(keys, fmt.Sprintf("key %d %s%s", k.ID, k.Algorithm, spanWords(k.Send)))
	}
	return c.Name + " (" + strings.Join(keys, ", ") + ")"
}

// authWords is what must be the same on both ends of an adjacency.
func authWords(c *config.KeyChain) string {
	if c == nil {
		return ""
	}
	k := c.Sending(0)
	return fmt.Sprintf("%d %s %s", k.ID, k.Algorithm, k.Secret)
}
