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

// shardJob does some parts of a sweep.
type shardJob struct {
	Sweep string `json:"sweep"`
	Round int    `json:"round"`
	From  int    `json:"from"` // numbers of parts
	To    int    `json:"to"`   // the first that is not of it
}

func (shardJob) Kind() string { return "sweep-shard" }

// chooseJob chooses which pairs are tried, by what each failure does alone.
type chooseJob struct {
	Sweep string `json:"sweep"`
	Round int    `json:"round"`
}

func (chooseJob) Kind() string { return "choose-pairs" }

// kinds are those of all jobs of sweeps.
func kinds() []string { return []string{prepareJob{}.Kind(), shardJob{}.Kind(), chooseJob{}.Kind()} }

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
	twin := s.take()
	failures, err := failuresOf(twin, row)
	s.give(twin)
	if err != nil {
		return p.fail(ctx, job.Args.Sweep, err, stop)
	}
	what := plan{List: failures}
	row.Choosing = row.Depth == 2 && row.Budget > 0
	began := time.Now()
	results := p.try(s, &row, &what, 0, len(failures), began.Add(preparing), stop)
	if stop() {
		return left(ctx)
	}
	list, err := json.Marshal(what)
	if err != nil {
		return err
	}
	return p.done(ctx, job.Args.Sweep, began, results, func(tx *gorm.DB, jobs pgx.Tx, w *store.Sweep) error {
		if _, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, jobs, job); err != nil || w.State != store.SweepPreparing || w.Round != job.Args.Round {
			return err
		}
		now := time.Now()
		w.State, w.Total, w.Digest, w.BegunAt, w.Handed = store.SweepRunning, len(failures), int64(s.digest), &now, len(results)
		w.Choosing, w.Expected = row.Choosing, expected(len(failures), w.Depth, w.Budget)
		if err := store.SavePlan(tx, w.ID, list); err != nil {
			return err
		}
		return p.goOn(ctx, tx, jobs, w, results)
	})
}

// expected is how many failures and pairs of them a sweep tries at most.
func expected(failures, depth, budget int) int {
	pairs := failures * (failures - 1) / 2
	switch {
	case depth == 1:
		return failures
	case budget > 0:
		pairs = min(pairs, budget)
	}
	return failures + pairs
}

// done changes a sweep, after some work for it; the job is ended in the same transaction. It is nothing if the sweep is gone.
func (p *Pool) done(ctx context.Context, id string, began time.Time, results []store.SweepResult, change func(tx *gorm.DB, jobs pgx.Tx, w *store.Sweep) error) error {
	err := p.store.WithJobs(ctx, func(tx *gorm.DB, jobs pgx.Tx) error {
		w, err := store.LockSweep(tx, id)
		if errors.Is(err, store.ErrNoSweep) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := change(tx, jobs, &w); err != nil {
			return err
		}
		return store.SaveSweep(tx, &w)
	})
	if err == nil {
		p.count(tried(results), time.Since(began))
	}
	return err
}

func tried(results []store.SweepResult) (n int) {
	for i := range results {
		n += results[i].Found
	}
	return n
}

// running is a sweep that goes on, for a job of it.
type running struct {
	row   store.Sweep
	what  plan
	state *state
	stop  func() bool
}

// join finds the sweep of a job; it is nil if there is nothing more to do.
func (p *Pool) join(ctx context.Context, id string, round int) (*running, error) {
	row, err := p.store.SweepByID(ctx, id)
	if errors.Is(err, store.ErrNoSweep) || err == nil && (row.State != store.SweepRunning || row.Round != round) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	x := &running{row: row, stop: stopOf(ctx)}
	if x.what, err = planOf(&row); err != nil {
		return nil, err
	}
	if x.state, err = p.states.get(ctx, row, x.stop); err != nil {
		return nil, p.fail(ctx, id, err, x.stop)
	}
	return x, nil
}

// shard is the work of a shardJob.
func (p *Pool) shard(ctx context.Context, job *river.Job[shardJob]) error {
	a := job.Args
	x, err := p.join(ctx, a.Sweep, a.Round)
	if err != nil || x == nil {
		return err
	}
	began := time.Now()
	results := p.try(x.state, &x.row, &x.what, a.From, min(a.To, x.row.Total), time.Time{}, x.stop)
	if x.stop() {
		return left(ctx)
	}
	return p.done(ctx, a.Sweep, began, results, func(tx *gorm.DB, jobs pgx.Tx, w *store.Sweep) error {
		if _, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, jobs, job); err != nil || w.Round != a.Round {
			return err
		}
		if w.State != store.SweepRunning {
			return store.AddResults(tx, w, results)
		}
		w.Waiting--
		return p.goOn(ctx, tx, jobs, w, results)
	})
}

// choose is the work of a chooseJob.
func (p *Pool) choose(ctx context.Context, job *river.Job[chooseJob]) error {
	a := job.Args
	x, err := p.join(ctx, a.Sweep, a.Round)
	if err != nil || x == nil || !x.row.Choosing {
		return err
	}
	what := &x.what
	rows, err := p.store.Results(ctx, a.Sweep, 0)
	if err != nil {
		return err
	}
	alone := make([]sweep.Impact, len(what.List))
	for _, r := range rows {
		var impacts []sweep.Impact
		if err := json.Unmarshal(r.Impacts, &impacts); err != nil {
			return err
		}
		if r.Number < len(alone) && len(impacts) > 0 {
			alone[r.Number] = impacts[0]
		}
	}
	chosen := 0
	twin := x.state.take()
	defer x.state.give(twin)
	for i, seconds := range twin.Suspicious(what.List, alone, x.row.Budget) {
		if len(seconds) > 0 {
			what.Pairs = append(what.Pairs, pairs{i, seconds})
			chosen += len(seconds)
		}
	}
	list, err := json.Marshal(what)
	if err != nil {
		return err
	}
	return p.done(ctx, a.Sweep, time.Now(), nil, func(tx *gorm.DB, jobs pgx.Tx, w *store.Sweep) error {
		if _, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, jobs, job); err != nil || w.Round != a.Round || w.State != store.SweepRunning || !w.Choosing {
			return err
		}
		w.Waiting--
		w.Choosing, w.Total, w.Expected = false, len(what.List)+len(what.Pairs), len(what.List)+chosen
		if err := store.SavePlan(tx, w.ID, list); err != nil {
			return err
		}
		return p.goOn(ctx, tx, jobs, w, nil)
	})
}

// left is what becomes of a job that was stopped: it is done again if it was this worker that ended, not the sweep.
func left(ctx context.Context) error {
	if ctx.Err() != nil {
		return river.JobSnooze(0)
	}
	return nil
}

// goOn adds results to a sweep that is locked, and hands out what comes next.
func (p *Pool) goOn(ctx context.Context, tx *gorm.DB, jobs pgx.Tx, w *store.Sweep, results []store.SweepResult) error {
	if err := store.AddResults(tx, w, results); err != nil {
		return err
	}
	if w.Tried >= w.Total {
		return p.allTried(ctx, jobs, w)
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
		_, err = p.client.InsertManyTx(ctx, jobs, next)
	}
	return err
}

// allTried is what becomes of a sweep of which all parts have a result: it has ended, or pairs are chosen.
func (p *Pool) allTried(ctx context.Context, jobs pgx.Tx, w *store.Sweep) error {
	if w.Choosing {
		w.Waiting = 1
		_, err := p.client.InsertTx(ctx, jobs, chooseJob{w.ID, w.Round}, p.opts())
		return err
	}
	now := time.Now()
	w.State, w.EndedAt, w.Waiting = store.SweepDone, &now, 0
	return nil
}

// shardSize is how many parts the next shard of a sweep has: as many as take about shardTakes by what was measured, and fewer at the
// end, so that all workers end at the same time.
func shardSize(w *store.Sweep, slots int) int {
	left := w.Total - w.Handed
	n := 1
	if w.Found > 0 && w.Tried < w.Total {
		part := w.Nanoseconds / int64(w.Found) * int64(w.Expected-w.Found) / int64(w.Total-w.Tried)
		n = int(int64(shardTakes) / max(part, 1))
	}
	return max(1, min(n, left/(2*slots), left))
}

// try does parts from one number to another, until a time if there is one.
func (p *Pool) try(s *state, row *store.Sweep, what *plan, from, to int, until time.Time, stop func() bool) (out []store.SweepResult) {
	twin := s.take()
	defer func() { s.give(twin) }()
	for i := from; i < to && !stop() && (until.IsZero() || time.Now().Before(until)); i++ {
		began := time.Now()
		impacts, err := part(twin, row, what, i, stop)
		if err != nil {
			twin = s.take() // the other one is let go of: a mistake may have left it half done
			impacts = []sweep.Impact{sweep.NotTried(what.List[min(i, len(what.List)-1)], err.Error())}
			if i >= len(what.List) {
				impacts = nil // it was tried alone, and that says why not
			}
		}
		data, err := json.Marshal(append([]sweep.Impact{}, impacts...))
		if err != nil {
			slog.Error("a result cannot be written", "sweep", row.ID, "failure", what.name(i), "error", err)
			continue
		}
		out = append(out, store.SweepResult{SweepID: row.ID, Number: i, Impacts: data, Found: len(impacts), Nanoseconds: int64(time.Since(began)), Worker: p.id})
	}
	return out
}

// part does a part of a sweep; a mistake of the program is an error, and nothing else is lost.
func part(twin *sweep.Sweep, row *store.Sweep, what *plan, i int, stop func() bool) (out []sweep.Impact, err error) {
	defer func() {
		if cause := recover(); cause != nil {
			err = live.Report("trying a failure panicked: "+what.name(i), cause)
		}
	}()
	switch n := len(what.List); {
	case i >= n:
		x := what.Pairs[i-n]
		return sweep.Behind(twin, what.List, x.First, x.Seconds, stop)
	case row.Budget > 0:
		return sweep.Branch(twin, what.List, i, 1, stop)
	default:
		return sweep.Branch(twin, what.List, i, row.Depth, stop)
	}
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
func failuresOf(s *sweep.Sweep, row store.Sweep) ([]failure.Failure, error) {
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
	return s.Failures(of), nil
}
