package labtext

import "hellebore/core/language/config"

// Sketch is what a text would draw on the map before it is applied: devices, and what
// joins them.
type Sketch struct {
	Devices  []SketchDevice  `json:"devices"`
	Links    []SketchLink    `json:"links"`
	Segments []SketchSegment `json:"segments"`
}

// SketchDevice is a device of a sketch.
type SketchDevice struct {
	Name    string       `json:"name"`
	Kind    string       `json:"kind" enum:"router,host"`
	Address string       `json:"address,omitempty" doc:"loopback, or the first port's"`
	AS      uint32       `json:"as,omitempty"`
	Areas   []string     `json:"areas"`
	At      *SketchPoint `json:"at,omitempty" doc:"where the text puts it"`
}

// SketchLink is a link by its two ports.
type SketchLink struct {
	A string `json:"a" doc:"a port: viaduct.e1, or a host"`
	B string `json:"b"`
}

// SketchSegment is a segment with the ports on it.
type SketchSegment struct {
	Name  string       `json:"name"`
	Ports []string     `json:"ports"`
	At    *SketchPoint `json:"at,omitempty"`
}

// SketchPoint is a place on the map in pixels.
type SketchPoint struct {
	X int `json:"x"`
	Y int `json:"y"`
}

func sketchPoint(p config.Point) *SketchPoint {
	if !p.Set {
		return nil
	}
	return &SketchPoint{p.X, p.Y}
}

// SketchOf draws a text, as far as it can be understood.
func SketchOf(text string) Sketch {
	lab := Parse(text).Lab
	out := Sketch{Devices: []SketchDevice{}, Links: []SketchLink{}, Segments: []SketchSegment{}}
	for i := range lab.Devices {
		d := &lab.Devices[i]
		x := SketchDevice{Name: d.Name, Kind: d.Kind.String(), AS: d.BGP.AS, Areas: []string{}, At: sketchPoint(d.At)}
		if a := d.Address(); a.IsValid() {
			x.Address = a.String()
		}
		for _, a := range areasOf(d) {
			x.Areas = append(x.Areas, FormatArea(a))
		}
		out.Devices = append(out.Devices, x)
	}
	for _, l := range lab.Links {
		out.Links = append(out.Links, SketchLink{l.A.String(), l.B.String()})
	}
	for _, s := range lab.Segments {
		x := SketchSegment{Name: s.Name, Ports: []string{}, At: sketchPoint(s.At)}
		for _, p := range s.Ports {
			x.Ports = append(x.Ports, p.String())
		}
		out.Segments = append(out.Segments, x)
	}
	return out
}
