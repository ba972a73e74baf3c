package sweeps

import (
	"context"
	"log/slog"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/testlabs"
	"hellebore/server/live"
	"hellebore/server/store"
)

// quick is the timing of tests: who is killed is missed soon.
var quick = timing{beat: 100 * time.Millisecond, alive: time.Second, redo: 200 * time.Millisecond}

// asWorker names the database for which this program is a worker, and no test.
const asWorker = "HELLEBORE_TEST_WORKER"

func TestMain(m *testing.M) {
	if url := os.Getenv(asWorker); url != "" {
		beWorker(url)
	}
	os.Exit(m.Run())
}

// beWorker works until it is killed.
func beWorker(url string) {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	s, err := store.Join(context.Background(), url)
	for err != nil { // the database is down
		time.Sleep(50 * time.Millisecond)
		s, err = store.Join(context.Background(), url)
	}
	p, err := New(s, 1)
	if err != nil {
		panic(err)
	}
	p.timing = quick
	for p.Start(context.Background()) != nil { // the database may be down
		time.Sleep(50 * time.Millisecond)
	}
	select {}
}

// worker is a process of its own.
func worker(t *testing.T, url string) *exec.Cmd {
	t.Helper()
	c := exec.Command(os.Args[0])
	c.Env = append(os.Environ(), asWorker+"="+url)
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	return c
}

func kill(c *exec.Cmd) {
	_ = c.Process.Kill()
	_ = c.Wait()
}

// TestNothingIsLostOrDoneTwice kills workers and the database at random instants while sweeps run: the results are those by hand.
func TestNothingIsLostOrDoneTwice(t *testing.T) {
	if testing.Short() {
		t.Skip("its workers are processes of their own, in which races are not looked for")
	}
	s, url, dir := openIn(t)
	labs := live.New(s)
	desk, err := New(s, 0)
	require.NoError(t, err)
	desk.timing = quick
	seed, _ := strconv.ParseUint(os.Getenv("SEED"), 10, 64) // another one each time it is given
	r := rand.New(rand.NewPCG(7, 19+seed))
	budgets := []int{0, 50, 0} // of pairs
	begin := func(lab string, budget int) store.Sweep {
		w, err := desk.Begin(t.Context(), Order{Lab: lab, Actions: 1, Depth: 2, Budget: budget})
		require.NoError(t, err)
		return w
	}
	texts := []string{text(t, "one-bridge"), testlabs.Random(r), testlabs.Random(r)}
	ids := make([]string, len(texts))
	for i, x := range texts {
		row, err := labs.Create(t.Context(), x, "")
		require.NoError(t, err)
		ids[i] = row.ID
		_, err = labs.Open(t.Context(), row.ID) // its first action is done
		require.NoError(t, err)
	}
	workers := []*exec.Cmd{worker(t, url), worker(t, url)}
	defer func() {
		for _, w := range workers {
			kill(w)
		}
	}()
	var sweeps []store.Sweep
	for i, id := range ids {
		sweeps = append(sweeps, begin(id, budgets[i]))
	}
	kills, downs := 0, 0
	over := func() bool {
		for i, w := range sweeps {
			row, err := s.Sweep(t.Context(), ids[i], w.ID)
			if err != nil || row.State == store.SweepRunning || row.State == store.SweepPreparing {
				return false
			}
		}
		return true
	}
	for deadline := time.Now().Add(2 * time.Minute); !over(); {
		require.True(t, time.Now().Before(deadline), "the sweeps do not end")
		time.Sleep(time.Duration(r.IntN(700)) * time.Millisecond)
		switch {
		case kills < 8:
			i := r.IntN(len(workers))
			kill(workers[i])
			workers[i] = worker(t, url)
			if kills++; kills%4 == 2 {
				postmaster(t, s, dir)
				downs++
			}
		default:
			time.Sleep(200 * time.Millisecond)
		}
	}
	t.Log(kills, "workers killed, the database", downs, "times")
	for i, w := range sweeps {
		row, got, err := desk.Found(t.Context(), ids[i], w.ID)
		require.NoError(t, err)
		require.Equal(t, store.SweepDone, row.State, row.Error)
		require.Equal(t, row.Total, row.Tried)
		same(t, byHand(t, texts[i], nil, 2, budgets[i]), got)
	}
}

// postmaster kills the database as the worst would, and waits until it is back.
func postmaster(t *testing.T, s *store.Store, dir string) {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(dir, "db", "data", "postmaster.pid"))
	require.NoError(t, err)
	first, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(first)
	require.NoError(t, err)
	require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
	require.Eventually(t, func() bool { _, err := s.Labs(t.Context()); return err != nil }, time.Minute, 10*time.Millisecond)
	require.Eventually(t, func() bool { _, err := s.Labs(t.Context()); return err == nil }, time.Minute, 50*time.Millisecond)
}
