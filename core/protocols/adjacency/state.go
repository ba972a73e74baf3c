// Package adjacency is how two link-state routers become adjacent: the states of a
// neighbour, the election of DR and BDR, the exchange of database descriptions and the
// requests that follow from it (RFC 2328 9.4, 10; RFC 5340 4.2 keeps them for OSPFv3).
// It knows no packet, no address and no LSA.
package adjacency

// State is the state of a neighbour (RFC 2328 10.1).
type State uint8

// The states of a neighbour. Attempt belongs to NBMA networks, which have no
// place here; it keeps its number so that order and names are the RFC's.
const (
	Down State = iota
	Attempt
	Init
	TwoWay
	ExStart
	Exchange
	Loading
	Full
)

// StateNames are the RFC's names of the states, by State.
var StateNames = [...]string{"Down", "Attempt", "Init", "2-Way", "ExStart", "Exchange", "Loading", "Full"}

func (s State) String() string { return StateNames[s] }
