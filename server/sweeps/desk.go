package sweeps

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
)

// Order is what somebody wants to have swept.
type Order struct {
	Lab     string
	Actions int    // of the lab, after which it is swept
	Text    string // a draft that is applied first; "" for none
	Name    string // of that, in words
	Kinds   []string
	Own     []string
	Depth   int
	Budget  int // with a depth of 2, of pairs; 0 for all
}

// A sweep that has ended cannot be stopped, and one that was not stopped cannot go on.
var (
	errNotRunning = phrase.Error("the sweep has ended already")
	errNotStopped = phrase.Error("only a sweep that was stopped can go on")
)

// Begin puts a sweep into the queue.
func (p *Pool) Begin(ctx context.Context, o Order) (store.Sweep, error) {
	w, err := rowOf(o)
	if err != nil {
		return w, err
	}
	err = p.store.WithJobs(ctx, func(tx *gorm.DB, jobs pgx.Tx) error {
		if err := store.CreateSweep(tx, w); err != nil {
			return err
		}
		_, err := p.client.InsertTx(ctx, jobs, prepareJob{w.ID, w.Round}, p.opts())
		return err
	})
	return w, err
}

func rowOf(o Order) (w store.Sweep, err error) {
	if _, err := failure.ParseKinds(o.Kinds); err != nil {
		return w, err
	}
	for _, line := range o.Own {
		if _, err := failure.OwnOf(line); err != nil {
			return w, phrase.Errorf("%s: %s", line, err.Error())
		}
	}
	if o.Depth != 1 && o.Depth != 2 {
		return w, phrase.Errorf("a depth of %d cannot be tried: write 1 or 2", o.Depth)
	}
	if o.Budget < 0 || o.Budget > 0 && o.Depth != 2 {
		return w, phrase.Error("a budget is how many pairs are tried: it needs a depth of 2")
	}
	if o.Text != "" {
		o.Text = labtext.Normal(o.Text)
		if r := labtext.Parse(o.Text); !r.OK() {
			return w, &history.TextError{Problems: r.Problems}
		}
	}
	kinds, err := json.Marshal(append([]string{}, o.Kinds...))
	if err != nil {
		return w, err
	}
	own, err := json.Marshal(append([]string{}, o.Own...))
	if err != nil {
		return w, err
	}
	id := make([]byte, 6)
	_, _ = rand.Read(id) // never fails (crypto/rand)
	return store.Sweep{ID: hex.EncodeToString(id), LabID: o.Lab, Actions: o.Actions, Text: o.Text, Name: o.Name, Kinds: string(kinds), Own: string(own), Depth: o.Depth, Budget: o.Budget,
		Engine: history.Engine, State: store.SweepPreparing, Failures: []byte{}, CreatedAt: time.Now()}, nil
}

// change changes a sweep of a lab that nobody else changes meanwhile.
func (p *Pool) change(ctx context.Context, lab, id string, do func(tx *gorm.DB, jobs pgx.Tx, w *store.Sweep) error) error {
	return p.store.WithJobs(ctx, func(tx *gorm.DB, jobs pgx.Tx) error {
		w, err := store.LockSweep(tx, id)
		if err == nil && w.LabID != lab {
			err = store.ErrNoSweep
		}
		if err != nil {
			return err
		}
		if err := do(tx, jobs, &w); err != nil {
			return err
		}
		return store.SaveSweep(tx, &w)
	})
}

// StopSweep ends a sweep; what it found stays.
func (p *Pool) StopSweep(ctx context.Context, lab, id string) error {
	return p.change(ctx, lab, id, func(_ *gorm.DB, _ pgx.Tx, w *store.Sweep) error {
		if w.State != store.SweepRunning && w.State != store.SweepPreparing {
			return errNotRunning
		}
		now := time.Now()
		w.State, w.EndedAt = store.SweepStopped, &now
		return nil
	})
}

// GoOn has a sweep that was stopped go on with what has no result yet.
func (p *Pool) GoOn(ctx context.Context, lab, id string) error {
	return p.change(ctx, lab, id, func(tx *gorm.DB, jobs pgx.Tx, w *store.Sweep) error {
		if w.State != store.SweepStopped {
			return errNotStopped
		}
		if w.Engine != history.Engine {
			return phrase.Errorf("the sweep is of engine %s, and this is engine %s: begin another", w.Engine, history.Engine)
		}
		w.Round++
		w.EndedAt, w.Waiting = nil, 0
		if w.Total == 0 {
			w.State = store.SweepPreparing
			_, err := p.client.InsertTx(ctx, jobs, prepareJob{w.ID, w.Round}, p.opts())
			return err
		}
		w.State = store.SweepRunning
		there, err := store.ResultNumbers(tx, w.ID)
		if err != nil {
			return err
		}
		if w.Tried = len(there); w.Tried == w.Total {
			return p.allTried(ctx, jobs, w)
		}
		var next []river.InsertManyParams
		for _, gap := range gaps(there, w.Handed) {
			next = append(next, river.InsertManyParams{Args: shardJob{w.ID, w.Round, gap[0], gap[1]}, InsertOpts: p.opts()})
		}
		if len(next) == 0 {
			next = append(next, river.InsertManyParams{Args: shardJob{w.ID, w.Round, w.Handed, w.Handed + 1}, InsertOpts: p.opts()})
			w.Handed++
		}
		w.Waiting = len(next)
		_, err = p.client.InsertManyTx(ctx, jobs, next)
		return err
	})
}

// gaps are the numbers below an end that are not in a list in order, as ranges: the first, and the first behind.
func gaps(there []int, end int) (out [][2]int) {
	from := 0
	for _, n := range append(there, end) {
		if n > from {
			out = append(out, [2]int{from, min(n, end)})
		}
		from = n + 1
	}
	return out
}

// List are the sweeps of a lab, the newest first.
func (p *Pool) List(ctx context.Context, lab string) ([]store.Sweep, error) {
	return p.store.Sweeps(ctx, lab)
}

// Delete removes a sweep.
func (p *Pool) Delete(ctx context.Context, lab, id string) error {
	return p.store.DeleteSweep(ctx, lab, id)
}

// Found is what a sweep has found so far, the worst first. It belongs to all who ask.
func (p *Pool) Found(ctx context.Context, lab, id string) (store.Sweep, []sweep.Impact, error) {
	w, err := p.store.Sweep(ctx, lab, id)
	if err != nil {
		return w, nil, err
	}
	f := p.found.of(id)
	f.mu.Lock()
	defer f.mu.Unlock()
	rows, err := p.store.Results(ctx, id, f.last)
	if err != nil || len(rows) == 0 && f.ranked != nil {
		return w, f.ranked, err
	}
	for _, r := range rows {
		var impacts []sweep.Impact
		if err := json.Unmarshal(r.Impacts, &impacts); err != nil {
			return w, nil, err
		}
		f.parts[r.Number], f.last = impacts, r.Seq
	}
	f.ranked = []sweep.Impact{}
	for _, n := range slices.Sorted(maps.Keys(f.parts)) {
		f.ranked = append(f.ranked, f.parts[n]...)
	}
	sweep.Rank(f.ranked)
	return w, f.ranked, nil
}

// mostFound is of how many sweeps the results are kept in memory: a page that shows one asks for them twice a second.
const mostFound = 4

// found are the results of a sweep, as far as they were read.
type found struct {
	sweep  string
	mu     sync.Mutex
	parts  map[int][]sweep.Impact // by number
	last   int64                  // the latest
	ranked []sweep.Impact         // all of them; never written, but replaced
}

// founds are results that were asked for lately, the latest last.
type founds struct {
	mu   sync.Mutex
	kept []*found
}

func (f *founds) of(id string) *found {
	f.mu.Lock()
	defer f.mu.Unlock()
	x := &found{sweep: id, parts: map[int][]sweep.Impact{}}
	if i := slices.IndexFunc(f.kept, func(o *found) bool { return o.sweep == id }); i >= 0 {
		x = f.kept[i]
		f.kept = slices.Delete(f.kept, i, i+1)
	}
	if len(f.kept) == mostFound {
		f.kept = slices.Delete(f.kept, 0, 1)
	}
	f.kept = append(f.kept, x)
	return x
}

// Left is how long a sweep still takes, by how long it took so far; ok is false if nobody knows.
func Left(w *store.Sweep, now time.Time) (left time.Duration, ok bool) {
	if w.State != store.SweepRunning || w.BegunAt == nil || w.Found == 0 {
		return 0, false
	}
	took := now.Sub(w.CreatedAt)
	return took / time.Duration(w.Found) * time.Duration(max(0, w.Expected-w.Found)), true
}

// About is how sweeps are carried out on this database.
type About struct {
	Workers []store.SweepWorker
	Running []store.Sweep
	Failed  []Trouble
	Queued  int // shards that wait
}

// Trouble is a job that failed, and is tried again.
type Trouble struct {
	Job     int64
	Attempt int
	Error   string
	At      time.Time
}

// About says who works on sweeps, and what waits.
func (p *Pool) About(ctx context.Context) (out About, err error) {
	if out.Workers, err = p.store.Workers(ctx, p.timing.alive); err != nil {
		return out, err
	}
	if out.Running, err = p.store.RunningSweeps(ctx); err != nil {
		return out, err
	}
	jobs, err := p.client.JobList(ctx, river.NewJobListParams().Kinds(kinds()...).First(maxListed).
		OrderBy(river.JobListOrderByID, river.SortOrderDesc))
	if err != nil {
		return out, err
	}
	for _, job := range jobs.Jobs {
		if job.FinalizedAt == nil && job.AttemptedAt == nil {
			out.Queued++
		}
		if n := len(job.Errors); n > 0 && len(out.Failed) < maxTroubles {
			last := job.Errors[n-1]
			out.Failed = append(out.Failed, Trouble{job.ID, job.Attempt, last.Error, last.At})
		}
	}
	return out, nil
}

const (
	maxListed   = 1000
	maxTroubles = 20
)
