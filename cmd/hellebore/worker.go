package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"runtime"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"hellebore/core/simulation/history"
	"hellebore/server/store"
	"hellebore/server/sweeps"
)

func workerCommand() *cobra.Command {
	var url string
	var slots int
	var ofServer bool
	c := &cobra.Command{
		Use:   "worker",
		Short: "Try failures of sweeps for a server, on this machine or another",
		Long: `Takes shards of sweeps from a server's database, tries their failures, and writes what
each does. Any number of workers may come and go at any time; the shards of one that is
killed are done again by others. A worker takes only sweeps of its own engine.`,
		Example: `  hellebore worker --database postgres://hellebore@192.0.2.10/hellebore --slots 8`,
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if slots < 1 {
				return fmt.Errorf("%d slots try nothing: write 1 or more", slots)
			}
			if url == "" {
				url = os.Getenv("DATABASE_URL")
			}
			if url == "" {
				return errors.New("which database? Write --database URL, or set DATABASE_URL")
			}
			ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			if ofServer {
				ctx = untilInputEnds(ctx)
				slog.SetLogLoggerLevel(slog.LevelWarn)
			}
			return work(ctx, stop, url, slots)
		},
	}
	c.Flags().StringVar(&url, "database", "", "URL of the server's database; absent: that of DATABASE_URL")
	c.Flags().IntVar(&slots, "slots", runtime.NumCPU(), "how many failures are tried side by side")
	c.Flags().BoolVar(&ofServer, "of-server", false, "end when the input does: a server's own worker")
	if err := c.Flags().MarkHidden("of-server"); err != nil {
		panic(err) // it is not there
	}
	return c
}

// untilInputEnds is over when the standard input is, too.
func untilInputEnds(ctx context.Context) context.Context {
	ctx, cancel := context.WithCancel(ctx)
	go func() {
		defer cancel()
		if _, err := io.Copy(io.Discard, os.Stdin); err != nil {
			slog.Warn("a worker cannot read its input, and ends", "error", err)
		}
	}()
	return ctx
}

// work tries failures until the context is over; stop has the signals that end it do so at once.
func work(ctx context.Context, stop func(), url string, slots int) (err error) {
	collectLess()
	db, err := join(ctx, url)
	if db == nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	pool, err := sweeps.New(db, slots)
	if err != nil {
		return err
	}
	if err := pool.Start(ctx); err != nil {
		return err
	}
	slog.Info("worker is ready", "worker", pool.ID(), "engine", history.Engine, "slots", slots)
	<-ctx.Done()
	stop() // a second Ctrl-C ends it at once
	slog.Info("worker is stopping; what it did not finish goes back")
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), sweepersEnd)
	defer cancel()
	return pool.Stop(end)
}

// joinEvery is how often a worker tries to reach a database that does not answer.
const joinEvery = 2 * time.Second

// join is the server's database, as soon as it answers; nil if somebody stopped waiting, or it is for another version.
func join(ctx context.Context, url string) (*store.Store, error) {
	for {
		db, err := store.Join(ctx, url)
		switch {
		case err == nil:
			return db, nil
		case errors.Is(err, store.ErrOtherVersion):
			return nil, err
		}
		slog.Warn("the database does not answer, trying again", "error", err)
		select {
		case <-time.After(joinEvery):
		case <-ctx.Done():
			return nil, nil
		}
	}
}
