package labtext

import (
	"slices"
	"strings"

	"hellebore/core/language/config"
)

// Contexts of routing instances.
const (
	InstanceOf Context = "instance"
	TakeOf     Context = "take"
)

// instanceRows are the statements of routing instances.
func instanceRows() []Row {
	return []Row{
		{Word: "instance", In: []Context{RouterOf}, Opens: InstanceOf, Many: true, Args: []Arg{{Name: "name", Kind: Name}},
			Effect: Rewrites, RFC: "8529 3", Help: "a routing instance: the ports in it have a table and protocols of their own, and nothing crosses into another instance unless a take says so", build: (*builder).routingInstance},
		{Word: "take", In: []Context{RouterOf, InstanceOf}, Opens: TakeOf, Many: true, Args: []Arg{{Name: "instance", Kind: Name}},
			Effect: Rewrites, Help: "routes of another instance of the router, main or one by name, appear in this one's table if the policy accepts them; their packets cross over", build: (*builder).take},
		{Word: "through", In: []Context{TakeOf}, Inline: true, Args: []Arg{{Name: "policy or prefix set", Kind: Name}},
			Effect: Rewrites, RFC: "9067 2", Help: "what crosses: what this policy accepts, with the tag and metric that it sets; or the prefixes of this set", build: (*builder).takeThrough},
	}
}

func (b *builder) routingInstance(n *Node) {
	d := of[config.Device](b)
	name := n.Args[0]
	switch {
	case name.Text == config.MainInstance:
		b.errorf(name, "choose another name, or write what is in it below the router itself", "every router has an instance main")
		return
	case d.Instance(name.Text) != nil:
		b.errorf(name, "write both in one block, or choose another name", "%s has another instance named %s, on line %d", d.Name,
			name.Text, b.places[config.InstanceRef(d.Name, name.Text)].Line)
		return
	}
	b.instance = name.Text
	b.place(b.owner(), name)
	inst := config.Instance{Name: name.Text, Routing: newRouting()}
	groups, peers := b.groups, b.peerNodes
	b.fill(n, &inst.Routing)
	b.groups, b.peerNodes = groups, peers
	b.instance = ""
	d.Instances = append(d.Instances, inst)
}

func (b *builder) take(n *Node) {
	name := n.Args[0]
	t := config.Take{From: name.Text}
	if t.From == config.MainInstance {
		t.From = ""
	}
	b.fill(n, &t)
	r := of[config.Routing](b)
	switch {
	case t.From == b.instance:
		b.errorf(name, "name the instance that the routes come from", "%s takes from itself", b.owner())
	case slices.ContainsFunc(r.Takes, func(o config.Take) bool { return o.From == t.From }):
		b.errorf(name, "let one policy say all that crosses", "%s takes from %s twice", b.owner(), name.Text)
	case t.Through == "":
		b.errorf(n.Word, "add through POLICY: nothing crosses unless it is said", "take does not say what crosses")
	}
	b.place(takePlace(b.owner(), t.From), name)
	b.takeRefs = append(b.takeRefs, takeRef{name, of[config.Device](b).Name})
	r.Takes = append(r.Takes, t)
}

func (b *builder) takeThrough(n *Node) {
	of[config.Take](b).Through = n.Args[0].Text
	b.policyRefs = append(b.policyRefs, policyRef{n.Args[0], true, b.device})
}

// takePlace is what the place of a take is filed under.
func takePlace(owner, from string) string {
	if from == "" {
		from = config.MainInstance
	}
	return owner + " take " + from
}

// takeRef is an instance that a take names, of a router.
type takeRef struct {
	token  Token
	router string
}

// instanceReferences checks that takes name instances that are there.
func (b *builder) instanceReferences() {
	for _, t := range b.takeRefs {
		d := b.find(t.router)
		if d == nil || t.token.Text == config.MainInstance || d.Instance(t.token.Text) != nil {
			continue
		}
		b.unnamed(t.token, t.token.Text, instancesOf(d), "%s has no instance named %s", d.Name, t.token.Text)
	}
}

// atReference checks that a device, or an instance of one, is there.
func (b *builder) atReference(t Token, devices []string) {
	device, instance, _ := strings.Cut(t.Text, "/")
	d := b.find(device)
	switch {
	case d == nil:
		b.unnamed(t, device, devices, "there is no device named %s", device)
	case instance != "" && instance != config.MainInstance && d.Instance(instance) == nil:
		b.unnamed(t, instance, instancesOf(d), "%s has no instance named %s", d.Name, instance)
	}
}

// instancesOf are the names of a device's instances, main first.
func instancesOf(d *config.Device) []string {
	names := d.InstanceNames()
	names[0] = config.MainInstance
	return names
}
