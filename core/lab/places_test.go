package lab

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/topology"
)

// TestCardsAreWhereTheyWerePut: the text says where, and above it whoever moved a card;
// no network changes by it.
func TestCardsAreWhereTheyWerePut(t *testing.T) {
	l := open(t, "router mill at 10 20\n  port e1 10.0.0.1/30\nrouter halt\n  port e1 10.0.0.2/30\nsegment yard at 5 6\nlink mill.e1 halt.e1\n")
	now := l.History().Now()
	require.Equal(t, map[string]topology.Position{"mill": {X: 10, Y: 20}, "segment yard": {X: 5, Y: 6}}, l.Map(now).Places)
	before := l.Reader()
	digest := l.History().Head().Digest(true)
	require.NoError(t, l.Move(map[string]topology.Position{"halt": {X: 1, Y: 2}, "mill": {X: -3, Y: 4}}))
	require.Equal(t, map[string]topology.Position{"mill": {X: -3, Y: 4}, "halt": {X: 1, Y: 2}, "segment yard": {X: 5, Y: 6}}, l.Map(now).Places)
	require.Len(t, before.Map(now).Places, 2, "a reader sees what was there when it was made")
	require.Equal(t, digest, l.History().Head().Digest(true))
	require.Len(t, l.History().Steps(), 1)
	l.LayOut()
	require.Len(t, l.Map(now).Places, 2)
}
