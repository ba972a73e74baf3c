package config

import (
	"net/netip"
	"time"
)

// Check is something that is expected of the lab, at rest or after actions.
type Check struct {
	Name   string
	When   []string // actions that are done first, as they are typed
	Fails  []AnyFailure
	Expect []Expect
}

// AnyFailure is each failure of a kind, tried alone.
type AnyFailure struct {
	Kind   string    // what fails: one of FailureKinds
	Except []PortRef // but for what is there, ports or whole devices (no port)
}

// FailureKinds are what can fail.
var FailureKinds = []string{"link", "silence", "router", "port", "segment", "session", "group"}

// Expectation is what an Expect is about.
type Expectation uint8

// The expectations.
const (
	ExpectFlow      Expectation = iota // of the flow Name
	ExpectReach                        // packets arrive, or with Not they do not
	ExpectPath                         // the way of packets
	ExpectRoute                        // a route in use, or with Not its absence
	ExpectNeighbour                    // the state of a relation
	ExpectSent                         // a prefix is sent to a peer, or with Not it is not
)

// Expect is one expectation. Which fields count depends on Kind.
type Expect struct {
	Kind     Expectation
	Not      bool
	Words    string // as it is written
	Name     string // of a flow
	From, To string // device names; of a relation its ends; of ExpectSent the router and its peer
	Through  []string
	Avoiding []string
	Prefix   netip.Prefix
	State    string // up, down or an RFC state
	// Outage bounds what is lost of a flow while the actions are done, if Bound.
	Bound   bool
	OrEqual bool          // of Outage: it may last exactly as long
	Outage  time.Duration // virtual time
	// Of a route.
	Source      string
	Via         string
	Limits      []Limit
	Communities []string
}

// Limit compares a number of a route: its metric, local preference, the length
// of its AS path.
type Limit struct {
	What    string // metric, local-preference, as-path-length
	Compare string // <, <=, =, >= or >
	Value   uint64
}

// Brief is the text for whoever opens the lab.
type Brief struct {
	Text      []string // paragraphs
	Tasks     []Task
	Questions []Question
}

// Task is something to be done; it is done when all that it names is.
type Task struct {
	Text   string
	Checks []string // their names: they pass
	Acts   []string // verbs of actions: one of each is in the journal
	Looks  []string // views and panels that the reader has opened
}

// Places to look at: the views and panels that a task can send its reader to.
var Places = []string{"map", "ports", "neighbours", "routes", "paths", "policies", "database", "messages", "packets",
	"timeline", "compare", "checks", "failures", "text", "desk", "why", "probe", "preview"}

// Acts are the verbs that a task can ask for; apply is a change of the text.
var Acts = []string{"apply", "cut", "silence", "mend", "disable", "enable", "restart", "reset", "resend", "join", "part", "withdraw", "advertise", "flap", "wait"}

// Question is one for the reader; Answer is shown when asked for, "" for none.
type Question struct {
	Text, Answer string
}
