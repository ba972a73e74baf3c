package main

import (
	"fmt"
	"os"
	"os/signal"
	"sync/atomic"
	"syscall"
	"time"

	"hellebore/core/ground/event"
	"hellebore/core/lab"
	"hellebore/core/simulation/history"
	"hellebore/core/simulation/network"
)

// How long a run is silent, and how often it says how far it is after that.
const (
	quietFor      = 2 * time.Second
	progressEvery = 2 * time.Second
)

// patience says whether the user still wants the answer: until the first Ctrl-C.
// A second one ends the program at once.
type patience struct{ over atomic.Bool }

func newPatience() *patience {
	p := &patience{}
	signals := make(chan os.Signal, 1)
	signal.Notify(signals, os.Interrupt, syscall.SIGTERM)
	go func() {
		<-signals
		signal.Stop(signals)
		p.over.Store(true)
	}()
	return p
}

func (p *patience) stop() bool { return p.over.Load() }

// do performs an action, and says on standard error how far it is if that takes
// long.
func (p *patience) do(l *lab.Lab, a history.Action, until event.Time) error {
	s, err := l.Begin(a, until)
	if err != nil {
		return err
	}
	start, next := time.Now(), quietFor
	err = l.Run(s, func() bool {
		if took := time.Since(start); took > next {
			next = took + progressEvery
			fmt.Fprintf(os.Stderr, "%s: at %.1f s of lab time, %d events; Ctrl-C stops it\n", a,
				float64(l.History().Head().Now())/1e9, l.History().Head().Handled())
		}
		return p.stop()
	})
	if err == nil && s.Outcome == network.Stopped {
		return errStopped
	}
	return err
}
