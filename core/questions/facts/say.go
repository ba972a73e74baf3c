package facts

import (
	"fmt"

	"hellebore/core/ground/event"
)

// Seconds is a time in seconds, three digits after the point: "12.346 s".
func Seconds(t event.Time) string { return fmt.Sprintf("%.3f s", t.Seconds()) }
