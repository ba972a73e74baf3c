package facts

import (
	"fmt"
	"strings"

	"hellebore/core/ground/event"
)

// Plural is a number with its noun: "1 route", "3 prefixes".
func Plural(n int, what string) string {
	switch {
	case n == 1:
		return "1 " + what
	case strings.HasSuffix(what, "x"):
		return fmt.Sprintf("%d %ses", n, what)
	case strings.HasSuffix(what, "cy"):
		return fmt.Sprintf("%d %sies", n, strings.TrimSuffix(what, "y"))
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// Names is a list of names, cut short when long: "a, b and c", "a, b, c and 4 more".
func Names(list []string) string {
	const most = 4
	if len(list) > most {
		return strings.Join(list[:most-1], ", ") + fmt.Sprintf(" and %d more", len(list)-most+1)
	}
	if len(list) > 1 {
		return strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1]
	}
	return strings.Join(list, "")
}

// Seconds is a time in seconds, three digits after the point: "12.346 s".
func Seconds(t event.Time) string { return fmt.Sprintf("%.3f s", t.Seconds()) }
