package live

import (
	"bytes"
	"context"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/lab"
	"hellebore/demo"
	"hellebore/server/store"
)

// imageOf is an image that a memory keeps.
type imageOf struct {
	version string
	actions int
	data    []byte
}

func (m *memory) Image(_ context.Context, id, version string) (data io.Reader, actions int, err error) {
	return data, actions, m.locked(func() error {
		if x, ok := m.images[id]; ok && x.version == version {
			data, actions = bytes.NewReader(x.data), x.actions
		}
		return nil
	})
}

func (m *memory) KeepImage(_ context.Context, id, version string, actions int, write func(io.Writer) error) error {
	var b bytes.Buffer
	if err := write(&b); err != nil {
		return err
	}
	return m.locked(func() error {
		if _, ok := m.labs[id]; !ok {
			return store.ErrNotFound
		}
		m.images[id] = imageOf{version, actions, b.Bytes()}
		return nil
	})
}

func (m *memory) DropImage(_ context.Context, id string) error {
	return m.locked(func() error { delete(m.images, id); return nil })
}

func (m *memory) image(id string) (x imageOf, ok bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	x, ok = m.images[id]
	return x, ok
}

// tidied has the lab tidied as it is now and then, and waits until that is done.
func tidied(t *testing.T, l *Lab) {
	t.Helper()
	require.NoError(t, l.Do(t.Context(), func(x *lab.Lab) error {
		l.acted = time.Time{}
		l.tidy(x)
		return nil
	}))
	l.labs.tidying.Lock()
	defer l.labs.tidying.Unlock()
}

func TestALabWithMuchToReplayOpensFromItsImage(t *testing.T) {
	m, labs, l := open(t)
	tidied(t, l)
	_, kept := m.image(l.ID)
	require.False(t, kept, "it has little to replay")

	labs.imageAfter = 100
	_, err := l.Act(t.Context(), Order{Action: action(t, "cut viaduct.e2"), Author: "Ada"})
	require.NoError(t, err)
	tidied(t, l)
	image, kept := m.image(l.ID)
	require.True(t, kept)
	require.Equal(t, 2, image.actions)
	tidied(t, l)
	_, err = l.Act(t.Context(), Order{Action: action(t, "wait 1s")})
	require.NoError(t, err)
	tidied(t, l)
	again, _ := m.image(l.ID)
	require.Equal(t, 2, again.actions, "little has happened since")
	want := digest(t, l)

	opened := func() (*Lab, bool) {
		o, err := New(m).Open(t.Context(), l.ID)
		require.NoError(t, err)
		require.Equal(t, want, digest(t, o))
		require.Equal(t, m.records[l.ID], o.view.Load().History().Records())
		return o, o.imaged.Load() > 0
	}
	_, resumed := opened()
	require.True(t, resumed)
	_, kept = m.image(l.ID)
	require.True(t, kept)

	// What does not fit is thrown away: the journal has all.
	for _, spoil := range []func(x *imageOf){
		func(x *imageOf) { x.data = append(bytes.Clone(x.data[:900]), x.data[901:]...) },
		func(x *imageOf) { x.data = x.data[:len(x.data)/2] },
		func(x *imageOf) { x.data = otherImage(t) },
	} {
		spoilt := again
		spoil(&spoilt)
		m.mu.Lock()
		m.images[l.ID] = spoilt
		m.mu.Unlock()
		_, resumed = opened()
		require.False(t, resumed)
		_, kept = m.image(l.ID)
		require.False(t, kept)
	}
}

// otherImage is an image of another lab with as many actions.
func otherImage(t *testing.T) []byte {
	m, labs, l := open(t)
	labs.imageAfter = 1
	for _, s := range []string{"cut viaduct.e1", "wait 1s"} {
		_, err := l.Act(t.Context(), Order{Action: action(t, s)})
		require.NoError(t, err)
	}
	tidied(t, l)
	x, kept := m.image(l.ID)
	require.True(t, kept)
	return x.data
}

func TestAnImageWaitsUntilNobodyIsAtWork(t *testing.T) {
	m, labs, l := open(t)
	labs.imageAfter = 1
	require.NoError(t, l.Do(t.Context(), func(x *lab.Lab) error {
		l.acted = time.Now()
		require.False(t, l.imageDue(x), "something was done just now")
		l.acted = time.Time{}
		require.True(t, l.imageDue(x))
		l.doubt = true
		require.False(t, l.imageDue(x), "the journal may have more")
		l.doubt = false
		return nil
	}))
	m.setAway(true)
	tidied(t, l)
	m.setAway(false)
	_, kept := m.image(l.ID)
	require.False(t, kept, "without the database there is none, and nothing else happens")
	digest(t, l)
}

// TestLabsMakeRoom has labs take more memory than they may: the one that nobody looks at is closed, with its image kept, and
// opens again for whoever asks for it; the one that is looked at gets lighter.
func TestLabsMakeRoom(t *testing.T) {
	m, labs, idle := open(t)
	row, err := labs.Create(t.Context(), demo.Text("tarn-valley"), "")
	require.NoError(t, err)
	watched, err := labs.Open(t.Context(), row.ID)
	require.NoError(t, err)
	_, done := watched.Watch()
	defer done()
	for _, s := range []string{"cut viaduct.e1", "mend viaduct.e1"} {
		_, err := watched.Act(t.Context(), Order{Action: action(t, s)})
		require.NoError(t, err)
	}
	want, wantWatched := digest(t, idle), digest(t, watched)
	ago := time.Now().Add(-2 * unused).UnixNano()
	idle.used.Store(ago)
	watched.used.Store(ago)
	tidied(t, idle)
	tidied(t, watched)
	isOpen := func(id string) bool {
		labs.mu.Lock()
		defer labs.mu.Unlock()
		return labs.open[id] != nil
	}
	require.True(t, isOpen(idle.ID), "there is room")
	before := watched.held.Load()
	require.Positive(t, before)
	require.Positive(t, idle.held.Load())

	labs.Memory, labs.imageAfter = 1, 1
	labs.makeRoom()
	require.False(t, isOpen(idle.ID))
	_, kept := m.image(idle.ID)
	require.True(t, kept)
	require.True(t, isOpen(watched.ID))
	require.Less(t, watched.held.Load(), before)
	require.Equal(t, wantWatched, digest(t, watched))
	require.Nil(t, watched.view.Load().History().Steps()[0].Before, "its oldest worlds are gone")

	// A lab alone may take half.
	labs.Memory = 2*watched.held.Load() - 2
	_, err = watched.Act(t.Context(), Order{Action: action(t, "cut viaduct.e1")})
	require.NoError(t, err)
	tidied(t, watched)
	require.Less(t, watched.held.Load(), labs.Memory)
	require.Nil(t, watched.view.Load().History().Steps()[2].Before, "it is as light as it can be")

	_, err = idle.Act(t.Context(), Order{Action: action(t, "wait 1s")})
	require.ErrorIs(t, err, errRoom)
	again, err := labs.Open(t.Context(), idle.ID)
	require.NoError(t, err)
	require.Equal(t, want, digest(t, again))
	require.Positive(t, again.imaged.Load(), "from its image")
}
