// Package sweeps carries sweeps out as jobs of a queue in the database: by the server's own pool, and by workers on other machines.
package sweeps

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"
	"gorm.io/gorm"

	"hellebore/core/ground/phrase"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
)

// timing is how soon workers notice each other.
type timing struct {
	beat  time.Duration // how often a worker says that it is there, and asks whether a sweep that it works on was stopped
	alive time.Duration // for how long a worker counts as there after it was heard of
	redo  time.Duration // how often somebody looks for shards whose worker died
}

var usual = timing{beat: time.Second, alive: 10 * time.Second, redo: 3 * time.Second}

// DefaultSlots is how many failures the server tries at a time: it leaves one core to whoever works with it.
func DefaultSlots() int { return max(1, runtime.NumCPU()-1) }

// Pool is a process's part in sweeps: it begins and reads them, and has workers if it has slots.
type Pool struct {
	store  *store.Store
	client *river.Client[pgx.Tx]
	states states
	found  founds
	id     string
	host   string
	slots  int
	timing timing

	ended chan struct{} // closed when the pool is
	beats sync.WaitGroup

	mu      sync.Mutex
	works   map[int64]*work // by job
	shards  atomic.Int64
	tried   atomic.Int64
	worked  atomic.Int64 // nanoseconds
	says    string
	stopped bool
}

// work is a job that is being done.
type work struct {
	sweep string
	round int
	over  atomic.Bool // the sweep is not running any more
}

// New makes a pool with so many slots, which may be none. Start has it begin.
func New(s *store.Store, slots int) (*Pool, error) {
	host, err := os.Hostname()
	if err != nil {
		host = "unknown host"
	}
	p := &Pool{store: s, host: host, slots: slots, timing: usual, ended: make(chan struct{}), works: map[int64]*work{}}
	p.id = fmt.Sprintf("%s-%d-%s", host, os.Getpid(), strings.ToLower(rand.Text()[:8]))
	p.states = states{store: s}
	config := &river.Config{ID: p.id, JobTimeout: -1, FetchCooldown: 20 * time.Millisecond, FetchPollInterval: 500 * time.Millisecond,
		SoftStopTimeout: time.Second, Logger: slog.New(&quieter{slog.Default().Handler()})}
	if slots > 0 {
		workers := river.NewWorkers()
		river.AddWorker(workers, river.WorkFunc(during(p, func(a prepareJob) (string, int) { return a.Sweep, a.Round }, p.prepare)))
		river.AddWorker(workers, river.WorkFunc(during(p, func(a chooseJob) (string, int) { return a.Sweep, a.Round }, p.choose)))
		river.AddWorker(workers, river.WorkFunc(during(p, func(a shardJob) (string, int) { return a.Sweep, a.Round }, p.shard)))
		config.Workers = workers
		config.Queues = map[string]river.QueueConfig{Queue(history.Engine): {MaxWorkers: slots}}
	}
	p.client, err = river.NewClient(riverpgxv5.New(s.Pool()), config)
	return p, err
}

// during has a job known as being done while it is.
func during[A river.JobArgs](p *Pool, of func(A) (sweep string, round int), do func(context.Context, *river.Job[A]) error) func(context.Context, *river.Job[A]) error {
	return func(ctx context.Context, job *river.Job[A]) error {
		x := &work{}
		x.sweep, x.round = of(job.Args)
		p.mu.Lock()
		p.works[job.ID] = x
		p.mu.Unlock()
		defer func() {
			p.mu.Lock()
			delete(p.works, job.ID)
			p.mu.Unlock()
		}()
		lower()
		return do(context.WithValue(ctx, workKey{}, x), job)
	}
}

type workKey struct{}

// stopOf says whether a job is to be given up: its sweep is stopped or gone, or this process ends.
func stopOf(ctx context.Context) func() bool {
	x, _ := ctx.Value(workKey{}).(*work)
	return func() bool { return ctx.Err() != nil || x != nil && x.over.Load() }
}

func (p *Pool) count(failures int, took time.Duration) {
	p.shards.Add(1)
	p.tried.Add(int64(failures))
	p.worked.Add(int64(took))
}

// ID is the worker's name.
func (p *Pool) ID() string { return p.id }

// Start begins to take jobs, until Stop.
func (p *Pool) Start(ctx context.Context) error {
	if p.slots == 0 {
		return nil
	}
	if err := p.beat(ctx); err != nil {
		return err
	}
	if err := p.client.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	p.beats.Go(func() {
		tick := time.NewTicker(p.timing.beat)
		defer tick.Stop()
		for {
			select {
			case <-p.ended:
				return
			case <-tick.C:
				p.look()
			}
		}
	})
	return nil
}

// Stop gives back the shards that it is at work with, and ends.
func (p *Pool) Stop(ctx context.Context) error {
	p.mu.Lock()
	was := p.stopped
	p.stopped = true
	p.mu.Unlock()
	if was || p.slots == 0 {
		return nil
	}
	close(p.ended)
	err := p.client.StopAndCancel(ctx)
	p.beats.Wait()
	return errors.Join(err, p.store.Leave(ctx, p.id))
}

// look is what a worker does each second besides work.
func (p *Pool) look() {
	ctx, done := context.WithTimeout(context.Background(), p.timing.alive/2)
	defer done()
	if err := p.beat(ctx); err != nil {
		slog.Warn("the database does not answer a worker", "worker", p.id, "error", err)
		return
	}
	if err := p.heed(ctx); err != nil {
		slog.Warn("whether sweeps were stopped is not known", "worker", p.id, "error", err)
	}
	if mine, err := p.store.MyTurn(ctx, "redo sweeps", p.timing.redo); err != nil || !mine {
		return
	}
	if err := p.redo(ctx); err != nil {
		slog.Warn("shards of dead workers are not found", "worker", p.id, "error", err)
	}
}

func (p *Pool) beat(ctx context.Context) error {
	p.mu.Lock()
	busy := []int64{}
	for id := range p.works {
		busy = append(busy, id)
	}
	says := p.says
	p.mu.Unlock()
	slices.Sort(busy)
	return p.store.Beat(ctx, store.SweepWorker{ID: p.id, Host: p.host, Engine: history.Engine, Slots: p.slots, Busy: busy,
		Shards: p.shards.Load(), Failures: p.tried.Load(), Nanoseconds: p.worked.Load(), Says: says})
}

// heed gives up work on sweeps that were stopped or deleted.
func (p *Pool) heed(ctx context.Context) error {
	p.mu.Lock()
	var ids []string
	works := []*work{}
	for _, x := range p.works {
		ids, works = append(ids, x.sweep), append(works, x)
	}
	p.mu.Unlock()
	if len(ids) == 0 {
		return nil
	}
	states, err := p.store.SweepStates(ctx, ids)
	if err != nil {
		return err
	}
	for _, x := range works {
		s, there := states[x.sweep]
		if !there || s.Round != x.round || s.State != store.SweepRunning && s.State != store.SweepPreparing {
			x.over.Store(true)
		}
	}
	return nil
}

// redo has the jobs done again whose worker died, or has lost them: the queue says that they run, and nobody is at work with them.
func (p *Pool) redo(ctx context.Context) error {
	workers, err := p.store.Workers(ctx, p.timing.alive)
	if err != nil {
		return err
	}
	busy := map[string]map[int64]bool{}
	other := map[string]bool{}
	for _, w := range workers {
		busy[w.ID] = map[int64]bool{}
		for _, id := range w.Busy {
			busy[w.ID][id] = true
		}
	}
	jobs, err := p.client.JobList(ctx, river.NewJobListParams().Kinds(kinds()...).
		States(rivertype.JobStateRunning, rivertype.JobStateAvailable, rivertype.JobStateRetryable).First(1000))
	if err != nil {
		return err
	}
	for _, job := range jobs.Jobs {
		if job.Queue != Queue(history.Engine) {
			other[strings.TrimPrefix(job.Queue, "sweeps-")] = true
			continue
		}
		if job.State != rivertype.JobStateRunning || len(job.AttemptedBy) == 0 || job.AttemptedAt == nil || time.Since(*job.AttemptedAt) < p.timing.redo+2*p.timing.beat || cancelled(job) {
			continue
		}
		if by := job.AttemptedBy[len(job.AttemptedBy)-1]; busy[by][job.ID] {
			continue
		}
		slog.Warn("a shard is done again: its worker died", "job", job.ID, "worker", job.AttemptedBy[len(job.AttemptedBy)-1])
		if err := p.again(ctx, job); err != nil {
			return err
		}
	}
	p.mu.Lock()
	p.says = ""
	for engine := range other {
		p.says = phrase.Say("sweeps of engine %s wait; this worker is of engine %s and takes none of them", engine, history.Engine)
	}
	if p.says != "" {
		slog.Warn(p.says)
	}
	p.mu.Unlock()
	return nil
}

// cancelled says whether a job has been inserted anew already.
func cancelled(job *rivertype.JobRow) bool {
	var m map[string]json.RawMessage
	return json.Unmarshal(job.Metadata, &m) == nil && m["cancel_attempted_at"] != nil
}

// again inserts a job anew, and cancels the one that nobody does.
func (p *Pool) again(ctx context.Context, job *rivertype.JobRow) error {
	var args river.JobArgs
	var err error
	switch job.Kind {
	case prepareJob{}.Kind():
		args, err = argsOf[prepareJob](job)
	case chooseJob{}.Kind():
		args, err = argsOf[chooseJob](job)
	default:
		args, err = argsOf[shardJob](job)
	}
	if err != nil {
		return err
	}
	return p.store.WithJobs(ctx, func(_ *gorm.DB, jobs pgx.Tx) error {
		if _, err := p.client.JobCancelTx(ctx, jobs, job.ID); err != nil && !errors.Is(err, rivertype.ErrNotFound) {
			return err
		}
		_, err := p.client.InsertTx(ctx, jobs, args, p.opts())
		return err
	})
}

func argsOf[A river.JobArgs](job *rivertype.JobRow) (a A, err error) {
	err = json.Unmarshal(job.EncodedArgs, &a)
	return a, err
}

// quieter passes on what the queue has to say if it is a warning or worse.
type quieter struct{ slog.Handler }

func (quieter) Enabled(_ context.Context, l slog.Level) bool { return l >= slog.LevelWarn }
