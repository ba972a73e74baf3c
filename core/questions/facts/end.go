package facts

// End is one end of a relation.
type End struct {
	Device   string   `json:"device" doc:"empty if nobody is there"`
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

// Name is the end's device, or nobody.
func (e End) Name() string {
	if e.Absent {
		return "nobody"
	}
	return e.Device
}
