package e2e

import (
	"database/sql"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/require"

	"hellebore/demo"
)

func TestALabThatDoesNotSettleSaysWhatKeepsMovingAndGoesOn(t *testing.T) {
	s := start(t)
	text, err := os.ReadFile("../core/simulation/network/testdata/ospf/dup.lab")
	require.NoError(t, err)
	id := s.lab(t, string(text))
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map"), sees("what keeps moving"), sees("they have the same router ID"),
		button("Go on"), sees("settle"))
	require.Eventually(t, func() bool {
		var lab struct{ Actions []struct{ Action string } }
		require.Equal(t, 200, s.call(t, "GET", "/api/labs/"+id, nil, &lab))
		return len(lab.Actions) == 2 && lab.Actions[1].Action == "settle"
	}, time.Minute, 100*time.Millisecond)
}

func TestALabThatCannotBeReplayedOpensAsText(t *testing.T) {
	s := start(t)
	id := s.lab(t, "lab \"Torn\"\nrouter mill\n")
	db, err := sql.Open("pgx", database.URL())
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	_, err = db.Exec(`INSERT INTO journal (lab_id, seq, action, text, start, until, done, outcome, ended, settled, events, digest, engine, created_at)
		VALUES ($1, 2, 'burn mill', '', 0, 0, false, 0, 0, 0, 0, 0, '', now())`, id)
	require.NoError(t, err)
	tab := page(t)
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map"), sees("cannot be replayed; its texts are kept"), sees("burn mill"), sees("router mill"))
	do(t, tab, button("Go on from this text as a new lab"), sees("Torn"), until(`!location.pathname.includes("`+id+`")`))
	do(t, tab, chromedp.Navigate(s.url+"/lab/"+id+"/map"), button("Delete the lab"), button("Delete it for good"), until(`location.pathname === "/"`))
	require.Equal(t, 404, s.call(t, "GET", "/api/labs/"+id, nil, nil))
}

// TestOfALabOnlyWhatIsNewIsSent asks for a lab as a page does that has seen a part of it.
func TestOfALabOnlyWhatIsNewIsSent(t *testing.T) {
	s := start(t)
	text := demo.Text("triangle-with-ospf")
	id := s.lab(t, text)
	type state struct {
		Opened, Text   string
		After, TextSeq int
		Actions        []struct {
			Seq    int
			Action string
		}
	}
	get := func(query string) (got state) {
		require.Equal(t, 200, s.call(t, "GET", "/api/labs/"+id+query, nil, &got))
		return got
	}
	act := func(action, text string, base int) {
		require.Equal(t, 200, s.call(t, "POST", "/api/labs/"+id+"/actions", map[string]any{"action": action, "text": text, "base": base}, nil))
	}
	act("cut viaduct.e2", "", 0)
	whole := get("")
	require.Len(t, whole.Actions, 2)
	require.Equal(t, text, whole.Text)
	act("mend viaduct.e2", "", 0)
	known := "?opened=" + whole.Opened + "&after="
	news := get(known + "2")
	require.Equal(t, 2, news.After)
	require.Empty(t, news.Text)
	require.Len(t, news.Actions, 1)
	require.Equal(t, "mend viaduct.e2", news.Actions[0].Action)
	act("apply", strings.Replace(text, "Triangle", "Other triangle", 1), 1)
	news = get(known + "3")
	require.Equal(t, 4, news.TextSeq)
	require.Contains(t, news.Text, "Other triangle")
	require.Len(t, news.Actions, 1)
	// What is not of this opening, or not there, is all.
	for _, query := range []string{"?opened=other&after=3", known + "5", "?after=3"} {
		all := get(query)
		require.Zero(t, all.After, query)
		require.Len(t, all.Actions, 4, query)
		require.NotEmpty(t, all.Text, query)
	}
	require.Equal(t, 422, s.call(t, "GET", "/api/labs/"+id+known+"-1", nil, nil))
}
