package labtext

import (
	"math"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/config"
)

// Edits that build: each is a few plain edits, with names and addresses that are free.

// construct makes an edit that builds out of plain ones.
func (e Edit) construct(text string) (string, error) {
	s, err := newSite(text)
	if err != nil {
		return "", err
	}
	words := strings.Fields(e.Statement)
	switch e.Do {
	case ToNew:
		err = s.makeNew(words)
	case ToConnect:
		err = s.connect(words)
	default:
		err = s.run(e.Statement)
	}
	if err != nil {
		return "", err
	}
	edits, err := ParseEdits(strings.Join(s.edits, "\n"))
	if err != nil {
		return "", err
	}
	return EditText(text, edits...)
}

// cutAt cuts the place off: at X Y.
func cutAt(words []string) ([]string, config.Point, error) {
	i := slices.Index(words, "at")
	if i < 0 {
		return words, config.Point{}, nil
	}
	if len(words) != i+3 {
		return nil, config.Point{}, phrase.Error("write at X Y, in pixels")
	}
	x, errX := strconv.Atoi(words[i+1])
	y, errY := strconv.Atoi(words[i+2])
	if errX != nil || errY != nil || max(x, -x, y, -y) > maxPixels {
		return nil, config.Point{}, phrase.Error("write at X Y, two whole numbers of pixels")
	}
	return words[:i], config.Point{X: x, Y: y, Set: true}, nil
}

func wantNew() error {
	return phrase.Error("write new router, new host, new segment, or new line 4, new ring 6, new star 5, new mesh 4, new grid 3x4, new tiers 2x4")
}

// makeNew adds a device, a segment or a whole shape.
func (s *site) makeNew(words []string) error {
	words, at, err := cutAt(words)
	if err != nil {
		return err
	}
	if len(words) == 0 || len(words) > 2 {
		return wantNew()
	}
	name := ""
	if len(words) > 1 {
		name = words[1]
	}
	switch words[0] {
	case "router":
		_, err = s.newRouter(name, at)
	case "host":
		err = s.newHost(name, at)
	case "segment":
		if name == "" {
			name = s.free(segmentNames, "segment")
		}
		s.say("add segment %s%s", name, pointWords(at))
	default:
		return s.shape(words[0], name, at)
	}
	return err
}

func pointWords(p config.Point) string {
	if !p.Set {
		return ""
	}
	return " at " + p.String()
}

// newRouter adds a router with a loopback; where all other routers run OSPF in one area,
// its loopback is in it too.
func (s *site) newRouter(name string, at config.Point) (string, error) {
	if name == "" {
		name = s.free(routerNames, "r")
	}
	w, one := where{}, true
	for i := range s.lab.Devices {
		d := &s.lab.Devices[i]
		if d.Kind != config.Router {
			continue
		}
		in := areasOf(d)
		if len(in) != 1 || w.inArea && in[0] != w.area {
			one = false
			break
		}
		w.area, w.inArea = in[0], true
	}
	w.inArea = w.inArea && one
	lo, err := s.take("loopbacks", w)
	if err != nil {
		return "", err
	}
	s.say("add router %s%s", name, pointWords(at))
	s.say("router %s loopback lo %v", name, lo)
	if w.inArea {
		s.say("router %s loopback lo ospf area %s passive", name, FormatArea(w.area))
	}
	d := config.Device{Name: name, Ports: []config.Port{{Name: "lo", Loopback: true, Address: lo, OSPF: config.PortOSPF{On: w.inArea, Area: w.area}}}}
	s.lab.Devices = append(s.lab.Devices, d)
	s.places[name], s.ports[name] = config.Router, map[string]bool{"lo": true}
	return name, nil
}

func (s *site) newHost(name string, at config.Point) error {
	if name == "" {
		name = s.free(hostNames, "h")
	}
	n, err := s.take("lans", where{})
	if err != nil {
		return err
	}
	s.say("add host %s %v%s", name, nth(n, min(10, 1<<(32-n.Bits())-2)), pointWords(at))
	s.places[name] = config.Host
	return nil
}

// connect joins two devices, or one to a segment, by new ports.
func (s *site) connect(words []string) error {
	if len(words) != 2 {
		return phrase.Error("write connect A B, with the names of two routers, hosts or segments")
	}
	a, b := words[0], words[1]
	if a == b {
		return phrase.Errorf("%s is not connected to itself", a)
	}
	x, err := s.place(a)
	if err != nil {
		return err
	}
	y, err := s.place(b)
	if err != nil {
		return err
	}
	if x == segmentKind || x == config.Host && y == config.Router {
		a, b, x, y = b, a, y, x
	}
	switch {
	case x == segmentKind:
		return phrase.Errorf("%s and %s are two segments: join a router to both", a, b)
	case y == segmentKind:
		return s.toSegment(a, b)
	case y == config.Host:
		return s.toHost(a, b)
	}
	return s.routers(a, b)
}

// routers joins two routers by a link.
func (s *site) routers(a, b string) error {
	w := agreed(s.lab.Device(a), s.lab.Device(b))
	n, err := s.take("links", w)
	if err != nil {
		return err
	}
	p, q := s.nextPort(a, "e"), s.nextPort(b, "e")
	first := 1
	if n.Bits() == 31 {
		first = 0
	}
	area := ""
	if w.inArea {
		area = "\n  ospf area " + FormatArea(w.area)
	}
	s.say("router %s port %s %v%s", a, p, nth(n, first), area)
	s.say("router %s port %s %v%s", b, q, nth(n, first+1), area)
	s.say("link %s.%s %s.%s", a, p, b, q)
	return nil
}

// toHost joins a host to a router or to another host: the router gets an address of the
// host's network, and is its gateway if it has none.
func (s *site) toHost(a, b string) error {
	host := s.lab.Device(b)
	if s.joined[b] {
		return phrase.Errorf("%s is joined already: part it first", b)
	}
	if s.places[a] == config.Host {
		if s.joined[a] {
			return phrase.Errorf("%s is joined already: part it first", a)
		}
		network := s.lab.Device(a).Port(config.HostPort).Address
		if network.Masked() != host.Port(config.HostPort).Address.Masked() {
			free, err := s.freeIn(network, s.addresses())
			if err != nil {
				return err
			}
			s.say("host %s %v", b, free)
		}
		s.say("link %s %s", a, b)
		return nil
	}
	own, err := s.gatewayAddress(host)
	if err != nil {
		return err
	}
	p := s.nextPort(a, "lan")
	s.say("router %s port %s %v%s", a, p, own, s.passive(a))
	if len(host.Statics) == 0 {
		s.say("host %s gateway %v", b, own.Addr())
	}
	s.say("link %s.%s %s", a, p, b)
	return nil
}

// gatewayAddress is what a host takes for its router: its gateway, or the first free
// address of its network.
func (s *site) gatewayAddress(host *config.Device) (netip.Prefix, error) {
	n := host.Port(config.HostPort).Address
	taken := s.addresses()
	if len(host.Statics) > 0 && !taken[host.Statics[0].Via] {
		return netip.PrefixFrom(host.Statics[0].Via, n.Bits()), nil
	}
	return s.freeIn(n, taken)
}

// passive is OSPF on a router's port towards hosts, if the router runs it.
func (s *site) passive(router string) string {
	if w := ofRouter(s.lab.Device(router)); w.inArea {
		return "\n  ospf area " + FormatArea(w.area) + " passive"
	}
	return ""
}

// toSegment joins a device to a segment, with an address of the segment's network.
func (s *site) toSegment(device, segment string) error {
	i := slices.IndexFunc(s.lab.Segments, func(g config.Segment) bool { return g.Name == segment })
	var network netip.Prefix
	var gateway netip.Addr
	var on *config.Port
	for _, r := range s.lab.Segments[i].Ports {
		p := s.lab.Device(r.Device).Port(r.Port)
		if p.Address.IsValid() {
			network = p.Address.Masked()
		}
		if s.places[r.Device] == config.Router {
			gateway, on = p.Address.Addr(), p
		}
	}
	host := s.lab.Device(device)
	isHost := s.places[device] == config.Host
	if isHost && s.joined[device] {
		return phrase.Errorf("%s is joined already: part it first", device)
	}
	if !network.IsValid() && isHost {
		s.say("join %s %s", device, segment)
		return nil
	}
	if !network.IsValid() {
		n, err := s.take("lans", ofRouter(host))
		if err != nil {
			return err
		}
		network = n
	}
	taken := s.addresses()
	if isHost {
		if network != host.Port(config.HostPort).Address.Masked() {
			a, err := s.freeIn(network, taken)
			if err != nil {
				return err
			}
			s.say("host %s %v", device, a)
		}
		if gateway.IsValid() && len(host.Statics) == 0 {
			s.say("host %s gateway %v", device, gateway)
		}
		s.say("join %s %s", device, segment)
		return nil
	}
	a, err := s.freeIn(network, taken)
	if err != nil {
		return err
	}
	p := s.nextPort(device, "e")
	ospf := ""
	switch w := ofRouter(host); {
	case on != nil && on.OSPF.On:
		ospf = "\n  ospf area " + FormatArea(on.OSPF.Area)
	case on == nil && w.inArea:
		ospf = "\n  ospf area " + FormatArea(w.area)
	}
	s.say("router %s port %s %v%s", device, p, a, ospf)
	s.say("join %s.%s %s", device, p, segment)
	for _, r := range s.lab.Segments[i].Ports {
		if h := s.lab.Device(r.Device); h.Kind == config.Host && len(h.Statics) == 0 && !gateway.IsValid() {
			s.say("host %s gateway %v", h.Name, a.Addr())
		}
	}
	return nil
}

// Room between cards of a shape, in pixels, and how many routers it may have.
const (
	spacing  = 190
	maxShape = 64
)

// shape adds routers that are joined in a pattern: around a place, or to the right of
// what is there.
func (s *site) shape(kind, size string, at config.Point) error {
	rows, columns, ok := sizes(size)
	n := rows * columns
	grid := kind == "grid" || kind == "tiers"
	if !slices.Contains([]string{"line", "ring", "star", "mesh", "grid", "tiers"}, kind) {
		return wantNew()
	}
	if !ok || grid != (strings.Contains(size, "x")) {
		return wantNew()
	}
	if kind == "tiers" {
		n = rows + columns
	}
	if n < 2 || n > maxShape {
		return phrase.Errorf("a shape has 2 to %d routers", maxShape)
	}
	if !at.Set {
		at = config.Point{X: 400, Y: 300, Set: true}
		for _, d := range s.lab.Devices {
			at.X = max(at.X, d.At.X+2*spacing)
		}
	}
	var names []string
	for i := range n {
		name, err := s.newRouter("", spot(kind, i, n, rows, columns, at))
		if err != nil {
			return err
		}
		names = append(names, name)
	}
	for i := range n {
		for k := range i {
			if adjoins(kind, k, i, n, rows, columns) {
				if err := s.routers(names[k], names[i]); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// sizes reads the size of a shape: 6, or 3x4.
func sizes(size string) (rows, columns int, ok bool) {
	a, b, two := strings.Cut(size, "x")
	rows, err := strconv.Atoi(a)
	columns = 1
	if two && err == nil {
		columns, err = strconv.Atoi(b)
	}
	return rows, columns, err == nil && rows > 0 && columns > 0 && rows < 1000 && columns < 1000
}

// spot is where the i-th router of a shape is.
func spot(kind string, i, n, rows, columns int, at config.Point) config.Point {
	x, y := float64(at.X), float64(at.Y)
	circle := func(i, n int) {
		radius := math.Max(120, float64(n)*spacing/(2*math.Pi))
		angle := 2*math.Pi*float64(i)/float64(n) - math.Pi/2
		x += 1.25 * radius * math.Cos(angle)
		y += radius * math.Sin(angle)
	}
	switch kind {
	case "line":
		x += spacing * (float64(i) - float64(n-1)/2)
	case "grid":
		x += spacing * (float64(i%columns) - float64(columns-1)/2)
		y += 110 * (float64(i/columns) - float64(rows-1)/2)
	case "tiers":
		if i < rows {
			x += spacing * (float64(i) - float64(rows-1)/2)
			y -= 90
		} else {
			x += spacing * (float64(i-rows) - float64(columns-1)/2)
			y += 90
		}
	case "star":
		if i > 0 {
			circle(i-1, n-1)
		}
	default:
		circle(i, n)
	}
	return config.Point{X: int(x), Y: int(y), Set: true}
}

// adjoins says whether two routers of a shape are joined, a before b.
func adjoins(kind string, a, b, n, rows, columns int) bool {
	switch kind {
	case "line":
		return b == a+1
	case "ring":
		return b == a+1 || a == 0 && b == n-1 && n > 2
	case "star":
		return a == 0
	case "grid":
		return b == a+1 && b%columns != 0 || b == a+columns
	case "tiers":
		return a < rows && b >= rows
	}
	return true
}
