package sweeps

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"gorm.io/gorm"

	"hellebore/core/ground/phrase"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/simulation/history"
	"hellebore/server/live"
	"hellebore/server/store"
)

// Queue is where the jobs of sweeps of an engine wait. Each engine has its own: workers of another one never see them.
func Queue(engine string) string { return "sweeps-" + engine }

// prepareJob finds out which failures there are, and hands them to shards.
type prepareJob struct {
	Sweep string `json:"sweep"`
	Round int    `json:"round"`
}

func (prepareJob) Kind() string { return "prepare-sweep" }

// shardJob tries some failures of a sweep.
type shardJob struct {
	Sweep string `json:"sweep"`
	Round int    `json:"round"`
	From  int    `json:"from"` // numbers of failures
	To    int    `json:"to"`   // the first that is not of it
}

func (shardJob) Kind() string { return "sweep-shard" }

const (
	// shardTakes is how long a shard should take: short enough to see results come and to lose little, long enough that the queue
	// does not matter.
	shardTakes = time.Second
	// aheadPerSlot is how many shards wait for each slot, so that no worker has to.
	aheadPerSlot = 2
	// preparing is for how long the job that prepares a sweep tries failures itself: the time of one is known then, and a small sweep is done.
	preparing = 300 * time.Millisecond
	// tries is how often a job is tried. Mistakes in a failure are results, so what is left is the database.
	tries = 25
)

func (p *Pool) opts() *river.InsertOpts {
	return &river.InsertOpts{Queue: Queue(history.Engine), MaxAttempts: tries}
}

// prepare is the work of a prepareJob.
func (p *Pool) prepare(ctx context.Context, job *river.Job[prepareJob]) error {
	row, err := p.store.SweepByID(ctx, job.Args.Sweep)
	if errors.Is(err, store.ErrNoSweep) || err == nil && (row.State != store.SweepPreparing || row.Round != job.Args.Round) {
		return nil
	}
	if err != nil {
		return err
	}
	stop := stopOf(ctx)
	s, err := p.states.get(ctx, row, stop)
	if err != nil {
		return p.fail(ctx, job.Args.Sweep, err, stop)
	}
	failures, err := failuresOf(s, row)
	if err != nil {
		return p.fail(ctx, job.Args.Sweep, err, stop)
	}
	s.list = failures
	if row.Depth == 2 && row.Budget > 0 {
		alone := make([]sweep.Impact, len(failures))
		twin := s.twin()
		for i := range failures {
			if found, err := tryOne(twin, s, i, 1, stop); err == nil && len(found) > 0 {
				alone[i] = found[0]
			}
		}
		s.seconds = twin.Suspicious(failures, alone, row.Budget)
	}
	began := time.Now()
	results := p.try(s, row, 0, len(failures), began.Add(preparing), stop)
	if stop() {
		return left(ctx)
	}
	list, err := json.Marshal(plan{failures, s.seconds})
	if err != nil {
		return err
	}
	err = p.store.WithJobs(ctx, func(tx *gorm.DB, jobs pgx.Tx) error {
		w, err := store.LockSweep(tx, row.ID)
		if errors.Is(err, store.ErrNoSweep) {
			return nil
		}
		if err != nil || w.State != store.SweepPreparing {
			return err
		}
		now := time.Now()
		w.State, w.Failures, w.Total, w.Digest, w.BegunAt, w.Handed = store.SweepRunning, list, len(failures), int64(s.digest), &now, len(results)
		if _, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, jobs, job); err != nil {
			return err
		}
		return p.goOn(ctx, tx, jobs, &w, results)
	})
	if err == nil {
		p.count(len(results), time.Since(began))
	}
	return err
}

// shard is the work of a shardJob.
func (p *Pool) shard(ctx context.Context, job *river.Job[shardJob]) error {
	a := job.Args
	row, err := p.store.SweepByID(ctx, a.Sweep)
	if errors.Is(err, store.ErrNoSweep) || err == nil && (row.State != store.SweepRunning || row.Round != a.Round) {
		return nil
	}
	if err != nil {
		return err
	}
	stop := stopOf(ctx)
	s, err := p.states.get(ctx, row, stop)
	if err != nil {
		return p.fail(ctx, a.Sweep, err, stop)
	}
	began := time.Now()
	results := p.try(s, row, a.From, min(a.To, row.Total), time.Time{}, stop)
	if stop() {
		return left(ctx)
	}
	err = p.store.WithJobs(ctx, func(tx *gorm.DB, jobs pgx.Tx) error {
		w, err := store.LockSweep(tx, a.Sweep)
		if errors.Is(err, store.ErrNoSweep) {
			return nil
		}
		if err != nil || w.Round != a.Round {
			return err
		}
		if _, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, jobs, job); err != nil {
			return err
		}
		if w.State != store.SweepRunning {
			_, _, err := store.AddResults(tx, results)
			return err
		}
		w.Waiting--
		return p.goOn(ctx, tx, jobs, &w, results)
	})
	if err == nil {
		p.count(len(results), time.Since(began))
	}
	return err
}

// left is what becomes of a job that was stopped: it is done again if it was this worker that ended, not the sweep.
func left(ctx context.Context) error {
	if ctx.Err() != nil {
		return river.JobSnooze(0)
	}
	return nil
}

// goOn adds results to a sweep that is locked, hands out what comes next, and writes it.
func (p *Pool) goOn(ctx context.Context, tx *gorm.DB, jobs pgx.Tx, w *store.Sweep, results []store.SweepResult) error {
	added, took, err := store.AddResults(tx, results)
	if err != nil {
		return err
	}
	w.Tried, w.Nanoseconds = w.Tried+added, w.Nanoseconds+took
	if w.Tried >= w.Total {
		now := time.Now()
		w.State, w.EndedAt, w.Waiting = store.SweepDone, &now, 0
		return store.SaveSweep(tx, w)
	}
	slots, err := store.Slots(tx, w.Engine, p.timing.alive)
	if err != nil {
		return err
	}
	slots = max(slots, 1)
	var next []river.InsertManyParams
	for w.Waiting < slots*aheadPerSlot && w.Handed < w.Total {
		n := shardSize(w, slots)
		next = append(next, river.InsertManyParams{Args: shardJob{w.ID, w.Round, w.Handed, w.Handed + n}, InsertOpts: p.opts()})
		w.Handed += n
		w.Waiting++
	}
	if len(next) > 0 {
		if _, err := p.client.InsertManyTx(ctx, jobs, next); err != nil {
			return err
		}
	}
	return store.SaveSweep(tx, w)
}

// shardSize is how many failures the next shard of a sweep has: as many as take about shardTakes by what was measured, and fewer at the
// end, so that all workers end at the same time.
func shardSize(w *store.Sweep, slots int) int {
	left := w.Total - w.Handed
	n := 1
	if w.Tried > 0 {
		n = int(int64(shardTakes) * int64(w.Tried) / max(w.Nanoseconds, 1))
	}
	return max(1, min(n, left/(2*slots), left))
}

// try tries failures from one number to another, until a time if there is one.
func (p *Pool) try(s *state, row store.Sweep, from, to int, until time.Time, stop func() bool) (out []store.SweepResult) {
	twin := s.twin()
	for i := from; i < to && !stop() && (until.IsZero() || time.Now().Before(until)); i++ {
		began := time.Now()
		impacts, err := tryOne(twin, s, i, row.Depth, stop)
		if err != nil {
			impacts = []sweep.Impact{sweep.NotTried(s.list[i], err.Error())}
		}
		data, err := json.Marshal(impacts)
		if err != nil {
			slog.Error("a result cannot be written", "sweep", row.ID, "failure", s.list[i].Name, "error", err)
			continue
		}
		out = append(out, store.SweepResult{SweepID: row.ID, Number: i, Impacts: data, Nanoseconds: int64(time.Since(began)), Worker: p.id})
	}
	return out
}

// tryOne tries a failure; a mistake of the program is an error, and nothing else is lost.
func tryOne(twin *sweep.Sweep, s *state, i, depth int, stop func() bool) (out []sweep.Impact, err error) {
	defer func() {
		if cause := recover(); cause != nil {
			err = live.Report("trying a failure panicked: "+s.list[i].Name, cause)
		}
	}()
	return sweep.Branch(twin, s.list, i, depth, s.seconds, stop)
}

// fail ends a sweep that cannot be carried out.
func (p *Pool) fail(ctx context.Context, id string, why error, stop func() bool) error {
	if stop() {
		return left(ctx)
	}
	var again *retry
	if errors.As(why, &again) {
		return again.err // the queue tries again, later
	}
	slog.Warn("a sweep cannot be carried out", "sweep", id, "why", why)
	return p.store.WithJobs(ctx, func(tx *gorm.DB, _ pgx.Tx) error {
		w, err := store.LockSweep(tx, id)
		if errors.Is(err, store.ErrNoSweep) {
			return nil
		}
		if err != nil {
			return err
		}
		now := time.Now()
		w.State, w.Error, w.EndedAt = store.SweepFailed, why.Error(), &now
		return store.SaveSweep(tx, &w)
	})
}

// retry is an error that may be gone the next time: that of the database.
type retry struct{ err error }

func (r *retry) Error() string { return r.err.Error() }
func (r *retry) Unwrap() error { return r.err }

// failuresOf are the failures that a sweep tries, in order.
func failuresOf(s *state, row store.Sweep) ([]failure.Failure, error) {
	var kinds, own []string
	if err := json.Unmarshal([]byte(row.Kinds), &kinds); err != nil {
		return nil, err
	}
	if err := json.Unmarshal([]byte(row.Own), &own); err != nil {
		return nil, err
	}
	if len(own) > 0 {
		var out []failure.Failure
		for _, line := range own {
			f, err := failure.OwnOf(line)
			if err != nil {
				return nil, phrase.Errorf("%s: %s", line, err.Error())
			}
			out = append(out, f)
		}
		return out, nil
	}
	of, err := failure.ParseKinds(kinds)
	if err != nil {
		return nil, err
	}
	return s.sweep.Failures(of), nil
}
