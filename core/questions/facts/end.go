package facts

import (
	"strings"

	"hellebore/core/language/config"
)

// End is one end of a relation.
type End struct {
	Device   string   `json:"device" doc:"empty if nobody is there"`
	Instance string   `json:"instance,omitempty" doc:"the routing instance, beside main"`
	Port     string   `json:"port" doc:"empty if nobody is there, or no port has the address"`
	Absent   bool     `json:"absent,omitempty" doc:"nobody is there"`
	Address  string   `json:"address,omitempty"`
	RouterID string   `json:"routerId,omitempty"`
	State    string   `json:"state" doc:"of the other end, as this end sees it: an RFC 2328 10.1 name; of BGP the state of the session at this end, an RFC 4271 8.2.2 name"`
	Since    float64  `json:"since" doc:"seconds since the lab began"`
	DeadIn   *float64 `json:"deadIn,omitempty" doc:"seconds until the inactivity timer runs out"`
	Area     string   `json:"area,omitempty"`
	Hello    string   `json:"hello,omitempty"`
	Dead     string   `json:"dead,omitempty"`
	Cost     uint16   `json:"cost,omitempty"`
	Role     string   `json:"role,omitempty" doc:"on a segment: DR, Backup, DR Other or Waiting (RFC 2328 9.1)"`
	Priority *uint8   `json:"priority,omitempty" doc:"to become DR, on a segment"`
}

// Name is the end's device, with its instance beside main, or nobody.
func (e End) Name() string {
	if e.Absent {
		return "nobody"
	}
	return config.InstanceRef(e.Device, e.Instance)
}

// Is says whether the end is at a device, or at an instance of one: "junction" is all of
// its instances, "junction/main" and "junction/ferry" one each.
func (e End) Is(name string) bool {
	device, instance, one := strings.Cut(name, "/")
	if instance == config.MainInstance {
		instance = ""
	}
	return device == e.Device && (!one || instance == e.Instance)
}
