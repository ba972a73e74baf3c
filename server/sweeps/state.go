package sweeps

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
	"hellebore/core/questions/failure"
	"hellebore/core/questions/sweep"
	"hellebore/core/simulation/history"
	"hellebore/server/live"
	"hellebore/server/store"
)

// state is the network that a sweep is of: built once by each worker, then copied.
type state struct {
	sweep  *sweep.Sweep
	digest uint64
	mu     sync.Mutex
	idle   []*sweep.Sweep // copies that nobody works with: they know paths already
}

// plan is what a sweep tries, as it is kept. It has a part for each failure; with a depth of 2, those behind it are tried after it there.
// If pairs are chosen, each failure is tried alone, and the pairs are parts of their own, behind all failures.
type plan struct {
	List  []failure.Failure `json:"list"`
	Pairs []pairs           `json:"pairs,omitempty"`
}

// pairs are failures that are tried after one, by their numbers.
type pairs struct {
	First   int   `json:"first"`
	Seconds []int `json:"seconds"`
}

func planOf(row *store.Sweep) (p plan, err error) {
	err = json.Unmarshal(row.Failures, &p)
	return p, err
}

// name is that of the failure that a part is of.
func (p *plan) name(part int) string {
	if part < len(p.List) {
		return p.List[part].Name
	}
	return p.List[p.Pairs[part-len(p.List)].First].Name
}

// take is the sweep on a copy, for one goroutine, which gives it back.
func (s *state) take() *sweep.Sweep {
	s.mu.Lock()
	defer s.mu.Unlock()
	if n := len(s.idle); n > 0 {
		twin := s.idle[n-1]
		s.idle = s.idle[:n-1]
		return twin
	}
	return s.sweep.Twin()
}

func (s *state) give(twin *sweep.Sweep) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.idle = append(s.idle, twin)
}

// maxStates is of how many sweeps a worker keeps the network.
const maxStates = 3

// states are the networks that a worker has built, the latest used last.
type states struct {
	store *store.Store
	mu    sync.Mutex
	kept  []*building
}

// building is a state that is there, or being built.
type building struct {
	id    string
	ready chan struct{}
	state *state
	err   error
}

// get is the network of a sweep. Who comes while it is being built waits.
func (s *states) get(ctx context.Context, row store.Sweep, stop func() bool) (*state, error) {
	s.mu.Lock()
	i := slices.IndexFunc(s.kept, func(b *building) bool { return b.id == row.ID })
	if i >= 0 {
		b := s.kept[i]
		s.kept = append(slices.Delete(s.kept, i, i+1), b)
		s.mu.Unlock()
		select {
		case <-b.ready:
			return b.state, b.err
		case <-ctx.Done():
			return nil, &retry{ctx.Err()}
		}
	}
	b := &building{id: row.ID, ready: make(chan struct{})}
	if len(s.kept) == maxStates {
		s.kept = slices.Delete(s.kept, 0, 1)
	}
	s.kept = append(s.kept, b)
	s.mu.Unlock()
	b.state, b.err = s.guarded(ctx, row, stop)
	if b.err != nil { // the next one tries again
		s.mu.Lock()
		s.kept = slices.DeleteFunc(s.kept, func(x *building) bool { return x == b })
		s.mu.Unlock()
	}
	close(b.ready)
	return b.state, b.err
}

func (s *states) guarded(ctx context.Context, row store.Sweep, stop func() bool) (_ *state, err error) {
	defer func() {
		if cause := recover(); cause != nil {
			err = live.Report("the network of a sweep cannot be built", cause)
		}
	}()
	return s.build(ctx, row, stop)
}

func (s *states) build(ctx context.Context, row store.Sweep, stop func() bool) (*state, error) {
	l, err := s.load(ctx, row, stop)
	if err != nil {
		return nil, err
	}
	h := l.History()
	if row.Text != "" {
		h = h.Branch()
		step, err := h.Begin(history.Action{Kind: history.Apply, Text: row.Text}, 0)
		if err != nil {
			return nil, err
		}
		if err := h.Run(step, stop); err != nil {
			return nil, err
		}
	}
	if stop() {
		return nil, &retry{history.ErrStopped}
	}
	out := &state{digest: h.Head().Digest(true)}
	if row.Digest != 0 && row.Digest != int64(out.digest) {
		return nil, phrase.Errorf("this worker comes to another state of the network (%016x) than that which the sweep is of (%016x)", out.digest, uint64(row.Digest))
	}
	out.sweep, err = sweep.New(h, stop)
	return out, err
}

// load is the lab of a journal: from its image if there is one that fits, else replayed.
func (s *states) load(ctx context.Context, row store.Sweep, stop func() bool) (*lab.Lab, error) {
	records, err := s.store.Journal(ctx, row.LabID)
	if err != nil {
		return nil, &retry{err}
	}
	if len(records) < row.Actions {
		return nil, phrase.Error("the lab was reset since the sweep began: begin another")
	}
	records = records[:row.Actions]
	var image io.Reader
	if data, actions, err := s.store.Image(ctx, row.LabID, lab.ImageVersion()); err == nil && actions <= row.Actions {
		image = data
	}
	if image != nil {
		if l, err := lab.Resume(image, records, stop); err == nil {
			return l, nil
		}
	}
	l, err := lab.Open(records, stop)
	switch {
	case errors.Is(err, history.ErrStopped):
		return nil, &retry{err}
	case err != nil:
		return nil, fmt.Errorf("%s: %w", phrase.Text("the lab cannot be replayed"), err)
	}
	return l, nil
}
