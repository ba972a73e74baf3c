package main

import (
	"context"
	"log/slog"
	"os"
	"os/exec"
	"runtime"
	"strconv"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// How long it takes until a worker that died is started again: the first time, and at most, if each dies at once.
const (
	againAfter     = time.Second
	mostAgainAfter = 30 * time.Second
)

// sweepersEnd is how long a worker may take to end.
const sweepersEnd = 5 * time.Second

// startSweepers runs a worker of sweeps beside the server, with so many slots, until the context is over or stop. It is a process of its own, so that the
// garbage of sweeps is not collected on the time of who works with the server, and the system lets it run when nothing else wants to.
// If it dies, another is started.
func startSweepers(ctx context.Context, url string, slots int) (stop func(), err error) {
	if slots == 0 {
		return func() {}, nil
	}
	program, err := os.Executable()
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		// A process inherits the priority of the thread that starts it. A thread cannot take back what it gave up: this one ends with the
		// goroutine.
		runtime.LockOSThread()
		if err := unix.SchedSetAttr(0, &unix.SchedAttr{Policy: unix.SCHED_IDLE}, 0); err != nil {
			slog.Warn("sweeps have the priority of all else", "error", err)
		}
		keepSweepers(ctx, program, url, slots)
	}()
	return func() { cancel(); <-done }, nil
}

// keepSweepers runs one worker after another.
func keepSweepers(ctx context.Context, program, url string, slots int) {
	for wait := againAfter; ; wait = min(2*wait, mostAgainAfter) {
		began := time.Now()
		err := runSweepers(ctx, program, url, slots)
		if ctx.Err() != nil {
			return
		}
		if time.Since(began) > time.Minute {
			wait = againAfter
		}
		slog.Error("the worker of sweeps died, and is started again", "error", err, "after", wait)
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return
		}
	}
}

// runSweepers is the life of one worker. It ends when its input does, so also when the server is killed.
func runSweepers(ctx context.Context, program, url string, slots int) error {
	c := exec.CommandContext(ctx, program, "worker", "--of-server", "--slots", strconv.Itoa(slots))
	// The URL is no argument, which everybody on the machine can read. The collector, too, stays on the cores of the slots.
	c.Env = append(os.Environ(), "DATABASE_URL="+url, "GOMAXPROCS="+strconv.Itoa(slots))
	c.Stdout, c.Stderr = os.Stdout, os.Stderr
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // Ctrl-C is for the server, which ends it
	input, err := c.StdinPipe()
	if err != nil {
		return err
	}
	c.Cancel, c.WaitDelay = input.Close, sweepersEnd
	return c.Run()
}
