package e2e

import (
	"database/sql"
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/require"
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
