package e2e

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
)

// toTheEnd scrolls a table to its last row and column, as often as that needs, and waits for a text there; few rows are drawn.
func toTheEnd(label, text string) step {
	return until(fmt.Sprintf(`(() => {
		const box = document.querySelector('[aria-label=%q]');
		if (!box) return false;
		box.scrollTo(box.scrollWidth, box.scrollHeight);
		return box.innerText.includes(%q) && box.scrollTop > 2000 && box.querySelectorAll("tr, [role=row]").length < 150;
	})()`, label, text))
}

// TestTablesOfManyRouters scrolls through the routes, ports and neighbours of 160 routers: what is in sight is asked for, and no answer is above 1 MB on the wire,
// whatever else is open.
func TestTablesOfManyRouters(t *testing.T) {
	s := start(t)
	id := s.lab(t, testlabs.Grid(16, 10))
	tab := stranger(t)
	var all struct {
		Prefixes, Routes int
		Devices          []string
		Rows             []struct{ Prefix string }
	}
	s.call(t, "GET", "/api/labs/"+id+"/routes?offset=100000", nil, &all)
	require.Len(t, all.Devices, 160)
	require.Empty(t, all.Rows)
	var end struct {
		Rows []struct {
			Prefix string
			Cells  map[string]struct {
				NextHops []struct{ To string }
			}
		}
	}
	s.call(t, "GET", fmt.Sprintf("/api/labs/%s/routes?offset=%d&column=159", id, all.Prefixes-1), nil, &end)
	last := end.Rows[0]
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/routes"), sees(fmt.Sprintf("%d\nprefixes", all.Prefixes)), sees("160\ncolumns"),
		until(`document.querySelectorAll("button[data-cell]").length > 50`),
		toTheEnd("Routes", "r159"), until(fmt.Sprintf(`document.querySelector('button[data-cell="%s at r159"]') !== null`, last.Prefix)))
	if hops := last.Cells["r159"].NextHops; len(hops) > 0 && hops[0].To != "" {
		do(t, tab, until(fmt.Sprintf(`document.querySelector('button[data-cell="%s at r159"]').innerText.includes(%q)`, last.Prefix, hops[0].To)))
	}
	do(t, tab, until(`document.querySelectorAll("button[data-cell]").length < 1500`), // of 60,000
		key("m"), mapReady(), key("j"), key("o"), sees("588\nports up"), toTheEnd("Ports", "r159"), key("n"), sees("294\nOSPF adjacencies Full"),
		toTheEnd("Neighbours", "r99"), key("l"), sees("routes in all tables"),
		until(`performance.getEntriesByType("resource").every((e) => !e.name.includes("/api/") || e.encodedBodySize < 1e6)`))

	// All of it is a file.
	r, err := http.Get(s.url + "/api/labs/" + id + "/routes/csv?instance=r7")
	require.NoError(t, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(b)), "\r\n")
	require.Equal(t, "prefix,router,source,kind,cost,cost 2,tag,preference,next hops", lines[0])
	require.Len(t, lines, all.Prefixes+1)
	require.True(t, strings.Contains(lines[1], ",r7,"))
}
