package live

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/lab"
	"hellebore/core/simulation/history"
	"hellebore/demo"
	"hellebore/server/store"
)

func TestTheListBeginsWithOnesOwnLabsAndGoesOnAsOneLearns(t *testing.T) {
	m := newMemory()
	first, second := demo.Labs()[1], demo.Labs()[2]
	labs := New(m, Demo{first.Slug, first.Text}, Demo{second.Slug, second.Text})
	ids := map[string]string{}
	for _, x := range []struct{ name, text, demo string }{
		{"second", second.Text, second.Slug}, {"first", first.Text, first.Slug},
		{"old", "lab \"Old\"\n  about \"two halts\"\n  difficulty hard\nrouter a\n  port e1 10.0.0.1/30\nrouter b\n  port e1 10.0.0.2/30\nlink a.e1 b.e1\n", ""},
		{"new", "lab \"New\"\n", ""}} {
		row, err := labs.Create(t.Context(), x.text, x.demo)
		require.NoError(t, err)
		ids[x.name] = row.ID
		time.Sleep(time.Millisecond) // another time of change
	}
	list := func() (names []string, rows []Shelved) {
		rows, err := labs.List(t.Context())
		require.NoError(t, err)
		for _, r := range rows {
			for name, id := range ids {
				if id == r.ID {
					names = append(names, name)
				}
			}
		}
		return names, rows
	}
	names, rows := list()
	require.Equal(t, []string{"new", "old", "first", "second"}, names)
	require.Equal(t, []int{0, 0, 1, 2}, []int{rows[0].Lesson, rows[1].Lesson, rows[2].Lesson, rows[3].Lesson})
	old := rows[1].Cover
	require.Equal(t, "two halts", old.About)
	require.Equal(t, "hard", old.Difficulty)
	require.Equal(t, []int{2, 0, 1}, []int{old.Routers, old.Hosts, old.Links})
	require.Equal(t, [][2]int{{0, 1}}, old.SmallMap.Edges)
	require.Empty(t, rows[0].Cover.Topics)
	require.Nil(t, rows[0].Cover.SmallMap)

	x, err := labs.Open(t.Context(), ids["new"])
	require.NoError(t, err)
	_, err = x.Act(t.Context(), Order{Action: history.Action{Kind: history.Apply, Text: "lab \"New\"\n  about \"said since\"\n"}, Base: 1})
	require.NoError(t, err)
	_, rows = list()
	require.Equal(t, "said since", rows[0].Cover.About, "the text in force is what counts")
	require.NoError(t, labs.Delete(t.Context(), ids["old"]))
	names, _ = list()
	require.Equal(t, []string{"new", "first", "second"}, names)
	require.Len(t, labs.covers.kept, 3)
}

func TestADemoGoesBackToItsOriginal(t *testing.T) {
	m := newMemory()
	d := demo.Labs()[2]
	labs := New(m, Demo{d.Slug, d.Text})
	row, err := labs.Create(t.Context(), d.Text, d.Slug)
	require.NoError(t, err)
	x, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	_, err = x.Act(t.Context(), Order{Action: history.Action{Kind: history.Apply, Text: strings.Replace(d.Text, "lab \"", "lab \"Not ", 1)}, Base: 1})
	require.NoError(t, err)
	_, err = x.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.NoError(t, err)
	require.Contains(t, m.labs[row.ID].Title, "Not ")

	require.NoError(t, labs.Reset(t.Context(), row.ID))
	require.Equal(t, row.Title, m.labs[row.ID].Title)
	require.Len(t, m.records[row.ID], 1)
	_, err = x.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2")})
	require.ErrorContains(t, err, "was reset to its original")
	again, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	require.NoError(t, again.Do(t.Context(), func(x *lab.Lab) error {
		require.Equal(t, d.Text, x.Text())
		require.Len(t, x.History().Steps(), 1)
		return nil
	}))

	m.records[row.ID] = append(m.records[row.ID], history.Record{Seq: 2, Action: "burn mill"})
	labs.shut(row.ID, store.ErrNotFound)
	_, err = labs.Open(t.Context(), row.ID)
	require.Error(t, err)
	require.NoError(t, labs.Reset(t.Context(), row.ID), "also if its journal cannot be replayed")
	_, err = labs.Open(t.Context(), row.ID)
	require.NoError(t, err)

	own, err := labs.Create(t.Context(), d.Text, "")
	require.NoError(t, err)
	require.ErrorContains(t, labs.Reset(t.Context(), own.ID), "only a demo lab has an original")
	require.ErrorIs(t, labs.Reset(t.Context(), "0123456789ab"), store.ErrNotFound)
}
