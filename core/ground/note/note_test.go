package note

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestEveryKindAndReasonHasItsRow(t *testing.T) {
	slugs := map[string]bool{}
	for c := range codes {
		info := c.Info()
		require.NotEmpty(t, info.Slug, "reason %d", c)
		require.False(t, slugs[info.Slug], "slug %s is given twice", info.Slug)
		slugs[info.Slug] = true
		if c != None {
			require.NotEmpty(t, info.Text, info.Slug)
			require.NotEmpty(t, info.What, info.Slug)
		}
	}
	for k := Kind(1); k < kinds; k++ {
		require.NotEmpty(t, Kinds[k].Name, "kind %d", k)
		require.NotEmpty(t, Kinds[k].Lane, Kinds[k].Name)
	}
}

func TestExpand(t *testing.T) {
	value := func(name, kind string) string { return "<" + name + "," + kind + ">" }
	require.Equal(t, "x <a,lsa> y <port,>", Expand("x {a:lsa} y {port}", value))
	require.Equal(t, "open {brace", Expand("open {brace", value))
}
