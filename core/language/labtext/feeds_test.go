package labtext

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestFeedsThatCannotBe writes feeds with mistakes, and some that take what is somebody's.
func TestFeedsThatCannotBe(t *testing.T) {
	for feed, says := range map[string]string{
		"feed 5":                                                   "what the feed's prefixes are within is not said; write for example within 10.0.0.0/8",
		"feed 100 within 10.0.0.0/28":                              "10.0.0.0/28 has room for 6 prefixes",
		"feed 2000000 within 10.0.0.0/8":                           "2000000 is out of range; from 1 to 1000000",
		"feed 7 within 0.0.0.0/4":                                  "0.0.0.0/4 begins with the address 0",
		"feed 7 within 10.0.0.0/20 as-range 5..4":                  `"5..4" is not a range of AS numbers; write for example 64600..64999`,
		"feed 7 within 10.0.0.0/20 as-range 0..4":                  `"0..4" is not a range of AS numbers`,
		"feed 7 within 10.0.0.0/20\n    feed 8 within 10.0.8.0/24": "10.0.8.0/24 and 10.0.0.0/20 of another feed of this router overlap",
		"feed 7 within 11.0.0.0/8":                                 "the feed's prefixes, within 11.0.0.0/8, are those of real networks",
		"feed 7 within 10.0.0.0/7":                                 "the feed's prefixes, within 10.0.0.0/7, are those of real networks",
		"feed 7 within 10.0.0.0/8 as-range 60000..64400":           "the feed's ASes, 60000..64400, are those of real networks",
		"feed 7 within 10.0.0.0/8 as-range 64496..64600":           "AS 64500 of edge is among the feed's: it rejects the paths that hold it; leave it out of as-range",
		"feed 7 within 10.0.0.0/8":                                 "",
		"feed 6 seed 0 within 192.0.2.64/28 as-range 64511":        "",
	} {
		r := Parse("router carrier\n  port e1 203.0.113.1/30\n  bgp as 64510\n    " + feed + `
    peer 203.0.113.2 as 64500
router edge
  port e1 203.0.113.2/30
  bgp as 64500
    peer 203.0.113.1 as 64510
link carrier.e1 edge.e1
`)
		var all []string
		for _, p := range r.Problems {
			if !strings.Contains(p.Message, "has no policy") { // not about feeds
				all = append(all, p.Message+"; "+p.Hint)
			}
		}
		if says == "" {
			require.Empty(t, all, feed)
			continue
		}
		require.Contains(t, strings.Join(all, "\n"), says, feed)
		require.Len(t, all, 1, feed)
	}
}
