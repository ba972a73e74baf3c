package history_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/simulation/history"
)

// TestThePastKeepsWhatARouterHadBeforeItWasRemoved removes a router with static routes in an instance of its own: the text and the
// worlds before know them all the same.
func TestThePastKeepsWhatARouterHadBeforeItWasRemoved(t *testing.T) {
	h := history.New()
	rest := "router stays\n  port e1 10.0.0.1/30\n"
	does(t, h, rest+"router goes\n  port e1 10.0.0.2/30\n  instance spur\n    static 10.9.0.0/16 blackhole\nlink stays.e1 goes.e1\n")
	does(t, h, rest)
	require.Nil(t, h.Head().Find("goes"))
	require.Len(t, h.Steps()[0].Lab.Devices[1].Instances[0].Statics, 1, "the text that was applied")
	require.Len(t, h.Steps()[0].After.Find("goes").Config().Instances[0].Statics, 1, "the world of then")
}
