package adjacency

import "hellebore/core/ground/ip"

// Candidate is a router that can become DR or BDR of a segment, and what it declares
// in its hellos.
type Candidate struct {
	Priority uint8
	ID       ip.Quad // router ID
	// Name is how hellos name it as DR or BDR: by its address in OSPFv2 (RFC 2328
	// A.3.2), by its router ID in OSPFv3 (RFC 5340 A.3.2). 0 is nobody.
	Name    ip.Quad
	DR, BDR ip.Quad // whom it declares, by name
}

// best is the candidate of the highest priority, then of the highest router ID; its
// name is 0 if there is none.
func best(list []Candidate, counts func(Candidate) bool) Candidate {
	var b Candidate
	for _, c := range list {
		if counts(c) && (b.Name == 0 || c.Priority > b.Priority || c.Priority == b.Priority && c.ID > b.ID) {
			b = c
		}
	}
	return b
}

// choose is steps 2 and 3 of RFC 2328 9.4.
func choose(list []Candidate) (dr, bdr ip.Quad) {
	bdr = best(list, func(c Candidate) bool { return c.DR != c.Name && c.BDR == c.Name }).Name
	if bdr == 0 {
		bdr = best(list, func(c Candidate) bool { return c.DR != c.Name }).Name
	}
	dr = best(list, func(c Candidate) bool { return c.DR == c.Name }).Name
	if dr == 0 {
		dr = bdr
	}
	return dr, bdr
}

// Elect is who is DR and BDR by this router's count (RFC 2328 9.4), 0 for nobody. self
// is this router, with whom it takes for DR and BDR so far; others are the neighbours
// that hear it. Those of priority 0 are no candidates. Nobody who is DR or BDR has to
// give way to a better candidate that comes later.
func Elect(self Candidate, others []Candidate) (dr, bdr ip.Quad) {
	list := make([]Candidate, 0, len(others)+1)
	for _, c := range append([]Candidate{self}, others...) {
		if c.Priority > 0 {
			list = append(list, c)
		}
	}
	dr, bdr = choose(list)
	me := self.Name
	if (dr == me) != (self.DR == me) || (bdr == me) != (self.BDR == me) { // step 4
		if self.Priority > 0 {
			list[0].DR, list[0].BDR = dr, bdr
		}
		dr, bdr = choose(list)
	}
	return dr, bdr
}
