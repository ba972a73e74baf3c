package live

import (
	"cmp"
	"context"
	"slices"
	"sync"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
	"hellebore/core/language/labtext"
	"hellebore/server/store"
)

// Demo is a demo lab as it comes with the program.
type Demo struct {
	Slug string // stable
	Text string
}

// Shelved is a lab in the list of all.
type Shelved struct {
	store.Lab
	Cover  lab.Cover
	Lesson int // place of a demo lab in the order in which one learns, from 1; 0: no demo lab of today
}

// covers are the covers of texts that were read before.
type covers struct {
	mu   sync.Mutex
	kept map[string]cover // by lab
}

type cover struct {
	seq int // of the action that applied the text
	lab.Cover
}

// List is all labs: those that somebody made, the latest changed first, then the demo
// labs in the order in which one learns.
func (l *Labs) List(ctx context.Context) ([]Shelved, error) {
	var labs []store.Lab
	var applied map[string]int
	err := l.persist(ctx, func(ctx context.Context) (err error) {
		if labs, err = l.journal.Labs(ctx); err == nil {
			applied, err = l.journal.Applied(ctx)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	out := make([]Shelved, 0, len(labs))
	for _, row := range labs {
		c, err := l.cover(ctx, row.ID, applied[row.ID])
		if err != nil {
			return nil, err
		}
		out = append(out, Shelved{row, c, l.lesson(row.Demo)})
	}
	slices.SortStableFunc(out, func(a, b Shelved) int {
		if c := cmp.Compare(a.Lesson, b.Lesson); c != 0 {
			return c
		}
		return b.UpdatedAt.Compare(a.UpdatedAt)
	})
	l.covers.forget(labs)
	return out, nil
}

// cover is a lab's cover, read again after each text.
func (l *Labs) cover(ctx context.Context, id string, seq int) (lab.Cover, error) {
	l.covers.mu.Lock()
	kept, there := l.covers.kept[id]
	l.covers.mu.Unlock()
	if there && kept.seq == seq {
		return kept.Cover, nil
	}
	var text string
	err := l.persist(ctx, func(ctx context.Context) (err error) {
		text, err = l.journal.Text(ctx, id, seq)
		return err
	})
	if err != nil && err != store.ErrNotFound { // deleted since
		return lab.Cover{}, err
	}
	c := lab.CoverOf(text)
	l.covers.mu.Lock()
	defer l.covers.mu.Unlock()
	if l.covers.kept == nil {
		l.covers.kept = map[string]cover{}
	}
	l.covers.kept[id] = cover{seq, c}
	return c, nil
}

// forget drops the covers of labs that are gone.
func (c *covers) forget(labs []store.Lab) {
	there := map[string]bool{}
	for _, l := range labs {
		there[l.ID] = true
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	for id := range c.kept {
		if !there[id] {
			delete(c.kept, id)
		}
	}
}

func (c *covers) drop(id string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	delete(c.kept, id)
}

func (l *Labs) lesson(slug string) int {
	return 1 + slices.IndexFunc(l.demos, func(d Demo) bool { return slug != "" && d.Slug == slug })
}

// Reset puts a demo lab back to how it came: its text, and nothing done to it.
func (l *Labs) Reset(ctx context.Context, id string) error {
	if !KnownForm(id) {
		return store.ErrNotFound
	}
	var row store.Lab
	err := l.persist(ctx, func(ctx context.Context) (err error) {
		row, err = l.journal.Lab(ctx, id)
		return err
	})
	if err != nil {
		return err
	}
	lesson := l.lesson(row.Demo)
	if lesson == 0 {
		return phrase.Error("only a demo lab has an original: copy this lab before you change it, and delete the copy that you do not want")
	}
	text := l.demos[lesson-1].Text
	title := titleOf(labtext.Parse(text).Lab.Name)
	begin := func() error {
		return l.persist(ctx, func(ctx context.Context) error { return l.journal.Begin(ctx, id, title, beginning(text)) })
	}
	l.covers.drop(id)
	open, err := l.Open(ctx, id)
	if err != nil { // it cannot be replayed: nobody else writes to it either
		l.shut(id, errReset())
		return begin()
	}
	// Only the lab's goroutine writes to its journal, and this is the last that it does.
	done := make(chan error, 1)
	err = open.Do(ctx, func(*lab.Lab) error {
		err := begin()
		if err == nil {
			l.forget(open)
			open.close(errReset())
		}
		done <- err
		return err
	})
	select {
	case err = <-done: // also if closing the lab came first
	default:
	}
	return err
}

// errReset is what those see who look at a lab while it is reset.
func errReset() error {
	return phrase.Error("the lab was reset to its original: ask again")
}
