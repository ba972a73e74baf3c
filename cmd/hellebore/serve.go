package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"runtime/debug"
	"strconv"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"hellebore/demo"
	"hellebore/server/api"
	"hellebore/server/cluster"
	"hellebore/server/live"
	"hellebore/server/store"
	"hellebore/server/sweeps"
	"hellebore/web"
)

// defaultPort is where the workbench listens.
const defaultPort = 8440

func serveCommand() *cobra.Command {
	var port, memory, slots int
	var data string
	var demos, verbose bool
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the workbench on 127.0.0.1",
		Long: `Serve the workbench on 127.0.0.1.

DATABASE_URL names the PostgreSQL server that keeps the labs. Without it, a
private server is started on loopback, with its data in --data.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			level := slog.LevelInfo
			if verbose {
				level = slog.LevelDebug
			}
			slog.SetDefault(slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level})))
			if memory < 1 {
				return fmt.Errorf("--memory %d is no memory to work in; give MiB, such as %d", memory, live.DefaultMemory>>20)
			}
			if slots < 0 {
				return fmt.Errorf("--sweepers %d cannot be; 0 leaves sweeps to hellebore worker", slots)
			}
			return serve(serving{port, data, demos, uint64(memory) << 20, slots})
		},
	}
	c.Flags().IntVar(&port, "port", defaultPort, "port to listen on; 0 takes a free one")
	c.Flags().StringVar(&data, "data", cluster.DefaultDir(), "directory of the private database")
	c.Flags().IntVar(&memory, "memory", live.DefaultMemory>>20, "MiB that the worlds of open labs may take; beyond that, labs that nobody looks at are closed, and old worlds let go of")
	c.Flags().IntVar(&slots, "sweepers", sweeps.DefaultSlots(), "failures of sweeps that are tried side by side; 0 leaves sweeps to hellebore worker")
	c.Flags().BoolVar(&demos, "demo", false, "load the demo labs, once")
	c.Flags().BoolVar(&verbose, "verbose", false, "log every request")
	return c
}

// serving is how the server is to run.
type serving struct {
	port   int
	data   string
	demos  bool
	memory uint64
	slots  int // of sweeps
}

func serve(s serving) (err error) {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()

	// The port first: finding it taken after a minute of setting up is late.
	listener, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)))
	if errors.Is(err, syscall.EADDRINUSE) {
		return fmt.Errorf("port %d is in use; choose another with --port, or PORT=%d make demo", s.port, s.port+1)
	} else if err != nil {
		return err
	}
	url := os.Getenv("DATABASE_URL")
	if url == "" {
		c, err := cluster.Start(s.data, cluster.Options{})
		if err != nil {
			return err
		}
		defer func() {
			if err := c.Stop(); err != nil {
				slog.Error("the private database does not stop", "error", err)
			}
		}()
		url = c.URL()
	}
	db, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	labs := live.New(db, originals()...)
	labs.Memory = s.memory
	collectLess()
	keepBelow(s.memory)
	if s.demos {
		if err := loadDemos(ctx, db, labs); err != nil {
			return err
		}
	}
	pool, err := sweeps.New(db, 0)
	if err != nil {
		return err
	}
	stopSweepers, err := startSweepers(ctx, url, s.slots)
	if err != nil {
		return err
	}
	defer stopSweepers()
	server := &http.Server{Handler: api.New(labs, pool, web.Files()), ReadHeaderTimeout: 10 * time.Second}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(listener) }()
	fmt.Printf("Hellebore is at http://%s\n", listener.Addr())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	stop() // a second Ctrl-C ends it at once
	fmt.Println("stopping")
	done, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	if err := server.Shutdown(done); err != nil {
		return server.Close() // event streams stay open for ever
	}
	return nil
}

// collectLess has garbage collected half as often as Go would, unless the environment says how often: copies of networks are much of
// it, and who waits for the network waits for the collector.
func collectLess() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(200)
	}
}

// keepBelow has garbage collected as often as needed near twice the memory of the worlds, unless the environment gives a limit.
func keepBelow(memory uint64) {
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(int64(2 * memory))
	}
}

// originals are the demo labs as they come with this program.
func originals() []live.Demo {
	var out []live.Demo
	for _, d := range demo.Labs() {
		out = append(out, live.Demo{Slug: d.Slug, Text: d.Text})
	}
	return out
}

// loadDemos makes the demo labs the first time.
func loadDemos(ctx context.Context, db *store.Store, labs *live.Labs) error {
	for _, d := range demo.Labs() {
		if err := db.Once(ctx, "demo "+d.Slug, func() error {
			_, err := labs.Create(ctx, d.Text, d.Slug)
			return err
		}); err != nil {
			return fmt.Errorf("the demo lab %s cannot be loaded: %w", d.Slug, err)
		}
	}
	return nil
}
