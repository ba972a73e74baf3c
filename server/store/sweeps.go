package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// MaxSweeps is how many sweeps of a lab are kept: older ones go.
const MaxSweeps = 12

// SweepState is how far a sweep is.
type SweepState string

// The states of sweeps.
const (
	SweepPreparing SweepState = "preparing" // which failures there are is not known yet
	SweepRunning   SweepState = "running"
	SweepStopped   SweepState = "stopped" // by somebody; what it found stays, and it can go on
	SweepDone      SweepState = "done"
	SweepFailed    SweepState = "failed" // it cannot be carried out: Error says why
)

// Sweep is a sweep's row.
type Sweep struct {
	ID      string `gorm:"primaryKey"`
	LabID   string
	Actions int    // the state that it is of is that after so many actions
	Text    string // of a draft that is applied first, "" for none
	Name    string // what the sweep is of, in words
	Kinds   string // of which failures, as JSON
	Own     string // failures of one's own instead, as JSON
	Depth   int
	Budget  int // of pairs, the most suspicious ones; 0 for all
	Engine  string
	Digest  int64 // of the state, the bits of a uint64; 0 as long as it is not known

	State SweepState
	Error string
	Round int // jobs of an earlier one are void

	Failures    []byte // what is tried, as JSON, in parts: a failure, or a first one with all that are tried after it
	Total       int    // parts there are
	Handed      int    // how many of them have been handed to jobs
	Waiting     int    // jobs that have not ended
	Tried       int    // how many have a result
	Choosing    bool   // which pairs are tried is chosen when all parts there are have a result; then there are more
	Expected    int    // failures and pairs that are tried, at most
	Found       int    // how many of those have been
	Nanoseconds int64  // that they took
	CreatedAt   time.Time
	BegunAt     *time.Time
	EndedAt     *time.Time
}

// SweepResult is what the failures and pairs of a part do.
type SweepResult struct {
	SweepID     string `gorm:"primaryKey"`
	Number      int    `gorm:"primaryKey;autoIncrement:false"` // of the part
	Impacts     []byte // as JSON
	Found       int    // how many
	Nanoseconds int64
	Worker      string
	Seq         int64 `gorm:"->"` // later results have higher ones: they are written while the sweep is locked
}

// SweepWorker is a process that tries failures.
type SweepWorker struct {
	ID          string `gorm:"primaryKey"` // of its client of the job queue
	Host        string
	Engine      string
	Slots       int
	Busy        []int64 `gorm:"serializer:json"` // the jobs that it is at work with
	Shards      int64
	Failures    int64
	Nanoseconds int64
	Says        string // what somebody should know of it
	BeganAt     time.Time
	BeatAt      time.Time // when it was heard of last
}

// ErrNoSweep says that there is no sweep with an ID.
var ErrNoSweep = errors.New("there is no such sweep")

// WithJobs runs a transaction in which jobs can be inserted and completed too: the queue takes transactions of the driver, and both
// use one connection.
func (s *Store) WithJobs(ctx context.Context, do func(tx *gorm.DB, jobs pgx.Tx) error) error {
	session := s.db.Session(&gorm.Session{SkipDefaultTransaction: true, Context: ctx})
	return session.Connection(func(tx *gorm.DB) error {
		conn, ok := tx.Statement.ConnPool.(*sql.Conn)
		if !ok {
			return fmt.Errorf("a connection is a %T", tx.Statement.ConnPool)
		}
		var driver *pgx.Conn
		if err := conn.Raw(func(c any) error {
			driver = c.(*stdlib.Conn).Conn()
			return nil
		}); err != nil {
			return err
		}
		jobs, err := driver.Begin(ctx)
		if err != nil {
			return err
		}
		if err := do(tx.Session(&gorm.Session{}), jobs); err != nil { // each statement begins anew
			_ = jobs.Rollback(context.WithoutCancel(ctx)) // err says more
			return err
		}
		return jobs.Commit(ctx)
	})
}

// CreateSweep keeps a new sweep; the oldest ones of its lab go.
func CreateSweep(tx *gorm.DB, w Sweep) error {
	err := tx.Create(&w).Error
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		return ErrNotFound
	}
	if err != nil {
		return err
	}
	old := tx.Model(&Sweep{}).Select("id").Where("lab_id = ?", w.LabID).Order("created_at DESC").Offset(MaxSweeps)
	return tx.Delete(&Sweep{}, "id IN (?)", old).Error
}

// Sweeps are the sweeps of a lab, the newest first, without their lists of failures.
func (s *Store) Sweeps(ctx context.Context, lab string) ([]Sweep, error) {
	out := []Sweep{}
	err := s.db.WithContext(ctx).Omit("failures", "text").Order("created_at DESC, id").Find(&out, "lab_id = ?", lab).Error
	return out, err
}

// Sweep is one sweep of a lab.
func (s *Store) Sweep(ctx context.Context, lab, id string) (Sweep, error) {
	var w Sweep
	err := s.db.WithContext(ctx).First(&w, "id = ? AND lab_id = ?", id, lab).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return w, ErrNoSweep
	}
	return w, err
}

// SweepByID is one sweep, whichever lab it is of.
func (s *Store) SweepByID(ctx context.Context, id string) (Sweep, error) {
	var w Sweep
	err := s.db.WithContext(ctx).First(&w, "id = ?", id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return w, ErrNoSweep
	}
	return w, err
}

// LockSweep is one sweep, which nobody else changes until the transaction ends, without what is large of it.
func LockSweep(tx *gorm.DB, id string) (Sweep, error) {
	var w Sweep
	err := tx.Omit("failures", "text").Clauses(clause.Locking{Strength: "UPDATE"}).First(&w, "id = ?", id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return w, ErrNoSweep
	}
	return w, err
}

// SaveSweep writes a sweep that is locked.
func SaveSweep(tx *gorm.DB, w *Sweep) error { return tx.Omit("failures", "text").Save(w).Error }

// SavePlan writes what a sweep that is locked tries.
func SavePlan(tx *gorm.DB, id string, failures []byte) error {
	return tx.Model(&Sweep{}).Where("id = ?", id).Update("failures", failures).Error
}

// DeleteSweep removes a sweep and what it found.
func (s *Store) DeleteSweep(ctx context.Context, lab, id string) error {
	r := s.db.WithContext(ctx).Delete(&Sweep{}, "id = ? AND lab_id = ?", id, lab)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNoSweep
	}
	return r.Error
}

// SweepStates are the states of sweeps, with their rounds, by ID; those that are gone are not there.
func (s *Store) SweepStates(ctx context.Context, ids []string) (map[string]Sweep, error) {
	var rows []Sweep
	err := s.db.WithContext(ctx).Select("id", "state", "round").Find(&rows, "id IN ?", ids).Error
	out := map[string]Sweep{}
	for _, r := range rows {
		out[r.ID] = r
	}
	return out, err
}

// AddResults keeps results of a sweep that is locked, and counts them; those that are there already stay as they are.
func AddResults(tx *gorm.DB, w *Sweep, results []SweepResult) error {
	for i := range results {
		r := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&results[i])
		if r.Error != nil {
			return r.Error
		}
		if r.RowsAffected > 0 {
			w.Tried++
			w.Found += results[i].Found
			w.Nanoseconds += results[i].Nanoseconds
		}
	}
	return nil
}

// Results are the results of a sweep that came after one, in the order in which they came; 0 for all.
func (s *Store) Results(ctx context.Context, sweep string, after int64) ([]SweepResult, error) {
	var out []SweepResult
	err := s.db.WithContext(ctx).Order("seq").Find(&out, "sweep_id = ? AND seq > ?", sweep, after).Error
	return out, err
}

// ResultNumbers are the numbers of the failures that have a result, in order.
func ResultNumbers(tx *gorm.DB, sweep string) (out []int, err error) {
	err = tx.Model(&SweepResult{}).Where("sweep_id = ?", sweep).Order("number").Pluck("number", &out).Error
	return out, err
}

// Beat says that a worker is there. The clock is the database's.
func (s *Store) Beat(ctx context.Context, w SweepWorker) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var now time.Time
		if err := tx.Raw("SELECT now()").Scan(&now).Error; err != nil {
			return err
		}
		w.BeganAt, w.BeatAt = now, now
		return tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}},
			DoUpdates: clause.AssignmentColumns([]string{"busy", "shards", "failures", "nanoseconds", "says", "beat_at"})}).Create(&w).Error
	})
}

// Leave says that a worker is not there any more.
func (s *Store) Leave(ctx context.Context, id string) error {
	return s.db.WithContext(ctx).Delete(&SweepWorker{}, "id = ?", id).Error
}

// Workers are those that were heard of lately, the oldest first; those of which nobody has heard for a day are forgotten.
func (s *Store) Workers(ctx context.Context, lately time.Duration) ([]SweepWorker, error) {
	out := []SweepWorker{}
	db := s.db.WithContext(ctx)
	if err := db.Exec("DELETE FROM sweep_workers WHERE beat_at < now() - interval '1 day'").Error; err != nil {
		return nil, err
	}
	err := db.Order("began_at, id").Find(&out, "beat_at > now() - make_interval(secs => ?)", lately.Seconds()).Error
	return out, err
}

// Slots is how many failures the workers of an engine that were heard of lately try at a time.
func Slots(tx *gorm.DB, engine string, lately time.Duration) (n int, err error) {
	err = tx.Model(&SweepWorker{}).Where("engine = ? AND beat_at > now() - make_interval(secs => ?)", engine, lately.Seconds()).
		Select("coalesce(sum(slots), 0)").Scan(&n).Error
	return n, err
}

// MyTurn says whether something that one process does now and then for all of them is due, and then it is the caller's to do.
func (s *Store) MyTurn(ctx context.Context, what string, every time.Duration) (bool, error) {
	r := s.db.WithContext(ctx).Exec(`
INSERT INTO meta (key, value) VALUES (?, extract(epoch FROM now())::text)
ON CONFLICT (key) DO UPDATE SET value = excluded.value WHERE meta.value::float8 < extract(epoch FROM now()) - ?`,
		"turn "+what, every.Seconds())
	return r.RowsAffected > 0, r.Error
}

// RunningSweeps are the sweeps that have not ended, the oldest first.
func (s *Store) RunningSweeps(ctx context.Context) ([]Sweep, error) {
	out := []Sweep{}
	err := s.db.WithContext(ctx).Omit("failures", "text").Order("created_at, id").
		Find(&out, "state IN ?", []SweepState{SweepPreparing, SweepRunning}).Error
	return out, err
}
