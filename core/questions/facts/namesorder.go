package facts

import (
	"cmp"
	"strings"
)

// CompareNames puts names in the order in which people count: r9 comes before r10. It is -1, 0 or 1, 0 for equal names alone.
func CompareNames(a, b string) int {
	x, y := a, b
	for x != "" && y != "" {
		n, m := digits(x), digits(y)
		if n == 0 || m == 0 {
			if x[0] != y[0] {
				return cmp.Compare(x[0], y[0])
			}
			x, y = x[1:], y[1:]
			continue
		}
		p, q := strings.TrimLeft(x[:n], "0"), strings.TrimLeft(y[:m], "0")
		if c := cmp.Or(cmp.Compare(len(p), len(q)), cmp.Compare(p, q)); c != 0 {
			return c
		}
		x, y = x[n:], y[m:]
	}
	return cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(a, b))
}

// digits is how many digits a text begins with.
func digits(s string) int {
	return len(s) - len(strings.TrimLeft(s, "0123456789"))
}
