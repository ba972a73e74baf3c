// Package store keeps labs and their journals in PostgreSQL, through GORM.
package store

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"hellebore/core/ground/event"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// Lab is a lab's row.
type Lab struct {
	ID        string `gorm:"primaryKey"`
	Title     string
	Demo      string // slug of the demo lab it was made from, "" if none
	ForkOf    string // ID of the lab it was forked from, "" if none
	Actions   int    // in its journal
	CreatedAt time.Time
	UpdatedAt time.Time
}

// entry is a row of the journal.
type entry struct {
	LabID     string `gorm:"primaryKey"`
	Seq       int    `gorm:"primaryKey;autoIncrement:false"`
	Action    string
	Text      string
	Start     int64
	Until     int64
	Done      bool
	Outcome   uint8
	End       int64 `gorm:"column:ended"`
	Settled   int64
	Events    int64
	Digest    int64 // the bits of a uint64
	State     string
	UID       string `gorm:"column:uid"` // history.Record.ID
	Engine    string
	Author    string
	Message   string
	Origin    string
	CreatedAt time.Time // when it was done, by the clock on the wall
}

func (entry) TableName() string { return "journal" }

// meta remembers what was done once: loading the demo labs.
type meta struct {
	Key   string `gorm:"primaryKey"`
	Value string
}

func (meta) TableName() string { return "meta" }

// Store is the database.
type Store struct {
	db   *gorm.DB
	pool *pgxpool.Pool // what db takes its connections from
}

// ErrNotFound says that there is no lab with an ID.
var ErrNotFound = errors.New("there is no such lab")

// ErrRefused says that the database does not take what it was given, however
// often one tries.
var ErrRefused = errors.New("the database does not take it")

// Refused says whether an error is about what the database was given, and not
// about the database: SQLSTATE classes 22 (data) and 23 (integrity).
func Refused(err error) bool {
	var pg *pgconn.PgError
	return errors.Is(err, ErrRefused) ||
		errors.As(err, &pg) && (strings.HasPrefix(pg.Code, "22") || strings.HasPrefix(pg.Code, "23"))
}

// ErrMovedOn says that a journal has grown since the caller looked.
var ErrMovedOn = errors.New("the journal has moved on")

// Open connects and migrates.
func Open(ctx context.Context, url string) (*Store, error) {
	s, err := connect(ctx, url, nil)
	if err != nil {
		return nil, err
	}
	if err := s.migrate(); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// Join connects a worker to a database that a server of the same version has migrated. What it commits need not be on disk at once: if
// the database dies within a moment, what is lost is a shard with the end of its job, which is done again. So nobody who works with
// the server waits for the disk because of it.
func Join(ctx context.Context, url string) (*Store, error) {
	s, err := connect(ctx, url, map[string]string{"synchronous_commit": "off"})
	if err != nil {
		return nil, err
	}
	if err := s.same(); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// maxConnections is of one process: requests, jobs, and who listens for jobs.
const maxConnections = 16

func connect(ctx context.Context, url string, settings map[string]string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database cannot be reached: %w", err)
	}
	maps.Copy(config.ConnConfig.RuntimeParams, settings)
	if !strings.Contains(url, "pool_max_conns") {
		config.MaxConns = maxConnections
	}
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("the database cannot be reached: %w", err)
	}
	db, err := gorm.Open(postgres.New(postgres.Config{Conn: stdlib.OpenDBFromPool(pool)}), &gorm.Config{
		Logger: logger.NewSlogLogger(slog.Default(), logger.Config{
			SlowThreshold: time.Second, LogLevel: logger.Warn, IgnoreRecordNotFoundError: true,
			ParameterizedQueries: true}), // texts hold keys: they never come into the log
		TranslateError: true,
	})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database cannot be reached: %w", err)
	}
	return &Store{db: db.WithContext(ctx), pool: pool}, nil
}

// Pool is where all connections come from; it belongs to the store.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

// Close closes all connections.
func (s *Store) Close() error {
	defer s.pool.Close()
	db, err := s.db.DB()
	if err != nil {
		return err
	}
	return db.Close()
}

// migrate brings the schema to the newest version. Migrations are never
// changed, only added: each has tables of its own time.
func (s *Store) migrate() error {
	options := *gormigrate.DefaultOptions
	options.UseTransaction = true
	steps := migrations()
	if err := s.newer(&options, steps); err != nil {
		return err
	}
	if err := gormigrate.New(s.db, &options, steps).Migrate(); err != nil {
		return err
	}
	return s.migrateJobs()
}

// migrateJobs brings the tables of the job queue to the version that this program works with.
func (s *Store) migrateJobs() error {
	m, err := rivermigrate.New(riverpgxv5.New(s.pool), &rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err != nil {
		return err
	}
	_, err = m.Migrate(s.db.Statement.Context, rivermigrate.DirectionUp, nil)
	return err
}

// ErrOtherVersion says that a database is not for this version of the program.
var ErrOtherVersion = errors.New("the database is that of another version of this program, or of none: start the server first, and workers of the same version")

// same refuses a database that another version of this program works with.
func (s *Store) same() error {
	var done []string
	if s.db.Migrator().HasTable(gormigrate.DefaultOptions.TableName) {
		err := s.db.Table(gormigrate.DefaultOptions.TableName).Pluck(gormigrate.DefaultOptions.IDColumnName, &done).Error
		if err != nil {
			return err
		}
	}
	var ours []string
	for _, m := range migrations() {
		ours = append(ours, m.ID)
	}
	slices.Sort(done)
	slices.Sort(ours)
	if !slices.Equal(done, ours) {
		return ErrOtherVersion
	}
	return nil
}

// newer refuses a database that a newer version of this program has changed.
func (s *Store) newer(options *gormigrate.Options, known []*gormigrate.Migration) error {
	if !s.db.Migrator().HasTable(options.TableName) {
		return nil
	}
	var done []string
	if err := s.db.Table(options.TableName).Order(options.IDColumnName).Pluck(options.IDColumnName,
		&done).Error; err != nil {
		return err
	}
	for _, id := range done {
		if !slices.ContainsFunc(known, func(m *gormigrate.Migration) bool { return m.ID == id }) {
			return fmt.Errorf("a newer version of this program has changed the database (%s): run that version, or give another directory with --data", id)
		}
	}
	return nil
}

func migrations() []*gormigrate.Migration {
	return []*gormigrate.Migration{
		{
			ID: "2026-11-23-labs-and-journal",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`
CREATE TABLE labs (
  id text PRIMARY KEY, title text NOT NULL, demo text NOT NULL, fork_of text NOT NULL,
  actions bigint NOT NULL, created_at timestamptz NOT NULL, updated_at timestamptz NOT NULL
);
CREATE TABLE journal (
  lab_id text NOT NULL REFERENCES labs (id) ON DELETE CASCADE, seq bigint NOT NULL,
  action text NOT NULL, text text NOT NULL, start bigint NOT NULL, until bigint NOT NULL,
  done boolean NOT NULL, outcome smallint NOT NULL, ended bigint NOT NULL, settled bigint NOT NULL,
  events bigint NOT NULL, digest bigint NOT NULL, engine text NOT NULL, created_at timestamptz NOT NULL,
  PRIMARY KEY (lab_id, seq)
);
CREATE TABLE meta (key text PRIMARY KEY, value text NOT NULL);`).Error
			},
		},
		{
			ID: "2026-11-23-drafts-and-moments",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`
ALTER TABLE journal ADD author text NOT NULL DEFAULT '', ADD message text NOT NULL DEFAULT '';
CREATE TABLE drafts (
  lab_id text NOT NULL REFERENCES labs (id) ON DELETE CASCADE, owner text NOT NULL,
  text text NOT NULL, base bigint NOT NULL, author text NOT NULL, updated_at timestamptz NOT NULL,
  PRIMARY KEY (lab_id, owner)
);
CREATE TABLE moments (
  lab_id text NOT NULL REFERENCES labs (id) ON DELETE CASCADE, name text NOT NULL,
  step bigint NOT NULL, at bigint NOT NULL, created_at timestamptz NOT NULL,
  PRIMARY KEY (lab_id, name)
);`).Error
			},
		},
		{
			ID: "2026-11-28-action-ids-and-states",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`ALTER TABLE journal ADD uid text NOT NULL DEFAULT '', ADD state text NOT NULL DEFAULT '';`).Error
			},
		},
		{
			// Until then only the message said that the lab had taken a change back.
			ID: "2026-11-28-origins",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`
ALTER TABLE journal ADD origin text NOT NULL DEFAULT '';
UPDATE journal SET origin = 'reverted', message = substr(message, length('taken back by itself: ') + 1)
  WHERE message LIKE 'taken back by itself: %';`).Error
			},
		},
		{
			ID: "2026-11-28-places",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`
CREATE TABLE places (
  lab_id text NOT NULL REFERENCES labs (id) ON DELETE CASCADE, name text NOT NULL,
  x bigint NOT NULL, y bigint NOT NULL, PRIMARY KEY (lab_id, name)
);`).Error
			},
		},
		{
			ID: "2026-11-29-answers",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`
CREATE TABLE answers (
  lab_id text NOT NULL REFERENCES labs (id) ON DELETE CASCADE, number bigserial PRIMARY KEY,
  moment text NOT NULL, at text NOT NULL, said text NOT NULL, error text NOT NULL, created_at timestamptz NOT NULL
);
CREATE INDEX answers_by_lab ON answers (lab_id, number);`).Error
			},
		},
		{
			// Images are compressed already.
			ID: "2026-11-30-images",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`
CREATE TABLE images (
  lab_id text PRIMARY KEY REFERENCES labs (id) ON DELETE CASCADE, version text NOT NULL,
  actions bigint NOT NULL, data bytea NOT NULL, created_at timestamptz NOT NULL
);
ALTER TABLE images ALTER COLUMN data SET STORAGE EXTERNAL;`).Error
			},
		},
		{
			ID: "2026-11-30-sweeps",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`
CREATE TABLE sweeps (
  id text PRIMARY KEY, lab_id text NOT NULL REFERENCES labs (id) ON DELETE CASCADE, actions bigint NOT NULL,
  text text NOT NULL, name text NOT NULL, kinds text NOT NULL, own text NOT NULL, depth bigint NOT NULL, budget bigint NOT NULL,
  engine text NOT NULL, digest bigint NOT NULL, state text NOT NULL, error text NOT NULL, round bigint NOT NULL,
  failures bytea NOT NULL, total bigint NOT NULL, handed bigint NOT NULL, waiting bigint NOT NULL, tried bigint NOT NULL,
  nanoseconds bigint NOT NULL, created_at timestamptz NOT NULL, begun_at timestamptz, ended_at timestamptz
);
CREATE INDEX sweeps_by_lab ON sweeps (lab_id, created_at);
CREATE TABLE sweep_results (
  sweep_id text NOT NULL REFERENCES sweeps (id) ON DELETE CASCADE, number bigint NOT NULL,
  impacts bytea NOT NULL, nanoseconds bigint NOT NULL, worker text NOT NULL, PRIMARY KEY (sweep_id, number)
);
CREATE TABLE sweep_workers (
  id text PRIMARY KEY, host text NOT NULL, engine text NOT NULL, slots bigint NOT NULL, busy text NOT NULL,
  shards bigint NOT NULL, failures bigint NOT NULL, nanoseconds bigint NOT NULL, says text NOT NULL,
  began_at timestamptz NOT NULL, beat_at timestamptz NOT NULL
);`).Error
			},
		},
		{
			ID: "2026-11-30-sweeps-in-pairs",
			Migrate: func(db *gorm.DB) error {
				return db.Exec(`
ALTER TABLE sweeps ADD choosing boolean NOT NULL DEFAULT false, ADD expected bigint NOT NULL DEFAULT 0, ADD found bigint NOT NULL DEFAULT 0;
UPDATE sweeps SET expected = total, found = tried;
ALTER TABLE sweep_results ADD found bigint NOT NULL DEFAULT 0, ADD seq bigserial;
CREATE INDEX sweep_results_in_order ON sweep_results (sweep_id, seq);`).Error
			},
		},
	}
}

// Labs are all labs, oldest first.
func (s *Store) Labs(ctx context.Context) ([]Lab, error) {
	labs := []Lab{}
	err := s.db.WithContext(ctx).Order("created_at, id").Find(&labs).Error
	return labs, err
}

// Lab is one lab.
func (s *Store) Lab(ctx context.Context, id string) (Lab, error) {
	var l Lab
	err := s.db.WithContext(ctx).First(&l, "id = ?", id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return l, ErrNotFound
	}
	return l, err
}

// Create makes a lab with the beginning of a journal.
func (s *Store) Create(ctx context.Context, l Lab, journal []history.Record) error {
	l.Actions = len(journal)
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Create(&l).Error; err != nil {
			return err
		}
		for _, r := range journal {
			e := toEntry(l.ID, r)
			if err := tx.Create(&e).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// Begin puts another beginning in the place of a lab's journal, and forgets all that
// belonged to the old one: drafts, moments, places, answers.
func (s *Store) Begin(ctx context.Context, id, title string, r history.Record) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var l Lab
		err := tx.First(&l, "id = ?", id).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if err := tx.Delete(&Lab{}, "id = ?", id).Error; err != nil { // all else goes with it
			return err
		}
		l.Title, l.Actions, l.UpdatedAt = title, 1, time.Now()
		if err := tx.Create(&l).Error; err != nil {
			return err
		}
		e := toEntry(id, r)
		return tx.Create(&e).Error
	})
}

// Applied says for each lab which action applied the text in force.
func (s *Store) Applied(ctx context.Context) (map[string]int, error) {
	var rows []struct {
		LabID string
		Seq   int
	}
	err := s.db.WithContext(ctx).Model(&entry{}).Select("lab_id, max(seq) AS seq").Where("action = ?",
		history.Apply.String()).Group("lab_id").Find(&rows).Error
	out := make(map[string]int, len(rows))
	for _, r := range rows {
		out[r.LabID] = r.Seq
	}
	return out, err
}

// Text is the text that an action of a lab applied.
func (s *Store) Text(ctx context.Context, id string, seq int) (string, error) {
	var e entry
	err := s.db.WithContext(ctx).Select("text").First(&e, "lab_id = ? AND seq = ?", id, seq).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return "", ErrNotFound
	}
	return e.Text, err
}

// Delete removes a lab and its journal.
func (s *Store) Delete(ctx context.Context, id string) error {
	r := s.db.WithContext(ctx).Delete(&Lab{}, "id = ?", id)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// Journal is a lab's journal, in order.
func (s *Store) Journal(ctx context.Context, id string) ([]history.Record, error) {
	var entries []entry
	if err := s.db.WithContext(ctx).Order("seq").Find(&entries, "lab_id = ?", id).Error; err != nil {
		return nil, err
	}
	records := make([]history.Record, len(entries))
	for i, e := range entries {
		records[i] = e.record()
	}
	return records, nil
}

// Append writes actions to the journal, before they take effect: all of them or
// none. It fails with ErrMovedOn if others have their place.
func (s *Store) Append(ctx context.Context, id, title string, records ...history.Record) error {
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		for _, r := range records {
			e := toEntry(id, r)
			if err := tx.Create(&e).Error; err != nil {
				return err
			}
		}
		last := records[len(records)-1].Seq
		return tx.Model(&Lab{}).Where("id = ?",
			id).Updates(map[string]any{"title": title, "actions": last, "updated_at": time.Now()}).Error
	})
	switch {
	case errors.Is(err, gorm.ErrForeignKeyViolated):
		return ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		// Entries with our IDs are ours: a try before this one was committed, and
		// only its answer was lost.
		for _, r := range records {
			var there entry
			if err := s.db.WithContext(ctx).First(&there, "lab_id = ? AND seq = ?", id, r.Seq).Error; err != nil &&
				!errors.Is(err, gorm.ErrRecordNotFound) {
				return err
			}
			if there.Seq == 0 || there.UID == "" || there.UID != r.ID {
				return ErrMovedOn
			}
		}
		return nil
	}
	return err
}

// Complete writes what an action came to.
func (s *Store) Complete(ctx context.Context, id string, r history.Record) error {
	e := toEntry(id, r)
	return s.db.WithContext(ctx).Model(&entry{}).Where("lab_id = ? AND seq = ?", id, r.Seq).
		Select("Done", "Outcome", "End", "Settled", "Events", "Digest", "State", "Engine").Updates(&e).Error
}

// Once runs what has to be done once in a database's life, under a key.
func (s *Store) Once(ctx context.Context, key string, do func() error) error {
	var m meta
	err := s.db.WithContext(ctx).First(&m, "key = ?", key).Error
	if err == nil {
		return nil
	}
	if !errors.Is(err, gorm.ErrRecordNotFound) {
		return err
	}
	if err := do(); err != nil {
		return err
	}
	return s.db.WithContext(ctx).Create(&meta{Key: key, Value: time.Now().UTC().Format(time.RFC3339)}).Error
}

func toEntry(id string, r history.Record) entry {
	return entry{LabID: id, Seq: r.Seq, Action: r.Action, Text: r.Text, Start: int64(r.Start), Until: int64(r.Until),
		Done: r.Done, Outcome: uint8(r.Outcome), End: int64(r.End), Settled: int64(r.Settled),
		Events: int64(r.Events), Digest: int64(r.Digest), State: stateOf(r), UID: r.ID, Engine: r.Engine,
		Author: r.Author, Message: r.Message, Origin: string(r.Origin), CreatedAt: wall(r.Made)}
}

// stateOf is a record's state as it is kept, "" if it has none.
func stateOf(r history.Record) string {
	if r.State == (network.State{}) {
		return ""
	}
	return r.State.String()
}

// wall is a time of unix milliseconds; 0 leaves it to the database's client.
func wall(ms int64) time.Time {
	if ms == 0 {
		return time.Time{}
	}
	return time.UnixMilli(ms)
}

func (e entry) record() history.Record {
	return history.Record{Seq: e.Seq, Action: e.Action, Text: e.Text, Start: event.Time(e.Start),
		Until: event.Time(e.Until),
		Done:  e.Done, Outcome: network.Outcome(e.Outcome), End: event.Time(e.End), Settled: event.Time(e.Settled),
		Events: uint64(e.Events), Digest: uint64(e.Digest), State: network.ParseState(e.State), ID: e.UID,
		Engine: e.Engine,
		Signature: history.Signature{Author: e.Author, Message: e.Message, Made: e.CreatedAt.UnixMilli(),
			Origin: history.Origin(e.Origin)}}
}
