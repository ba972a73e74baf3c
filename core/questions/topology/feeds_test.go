package topology

import (
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
)

func TestTheMapKnowsWhoFeeds(t *testing.T) {
	h := testlabs.Acted(t, testlabs.Fed("feed 200 within 10.64.0.0/10\n    feed 30 within 172.16.0.0/16"), "withdraw 12.5% on carrier")
	require.Equal(t, []MapFeed{{"carrier", 230, 0}}, MapOf(h.Steps()[0].After).Feeds)
	require.Equal(t, []MapFeed{{"carrier", 230, 12.5}}, MapOf(h.Head()).Feeds)
}
