package live

import (
	"context"
	"slices"

	"hellebore/core/ground/phrase"
	"hellebore/core/lab"
	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
	"hellebore/server/store"
)

// Drafts are the drafts of a lab, the latest first.
func (l *Labs) Drafts(ctx context.Context, id string) (drafts []store.Draft, err error) {
	err = l.persist(ctx, func(ctx context.Context) error {
		drafts, err = l.journal.Drafts(ctx, id)
		return err
	})
	return drafts, err
}

// KeepDraft keeps a draft, over the one that its owner had.
func (l *Labs) KeepDraft(ctx context.Context, d store.Draft) error {
	if !KnownForm(d.LabID) {
		return store.ErrNotFound
	}
	if err := plain(d.Text, d.Author); err != nil {
		return phrase.Error("the draft holds a NUL character; take it out")
	}
	return l.persist(ctx, func(ctx context.Context) error { return l.journal.KeepDraft(ctx, d) })
}

// DropDraft throws somebody's draft away.
func (l *Labs) DropDraft(ctx context.Context, id, owner string) error {
	return l.persist(ctx, func(ctx context.Context) error { return l.journal.DropDraft(ctx, id, owner) })
}

// Answers are the answers of a lab, the newest first.
func (l *Labs) Answers(ctx context.Context, id string) (answers []store.Answer, err error) {
	err = l.persist(ctx, func(ctx context.Context) error {
		answers, err = l.journal.Answers(ctx, id)
		return err
	})
	return answers, err
}

// KeepAnswer keeps an answer, as the newest of its lab.
func (l *Labs) KeepAnswer(ctx context.Context, a store.Answer) error {
	if !KnownForm(a.LabID) {
		return store.ErrNotFound
	}
	if err := plain(a.Moment, a.At, a.Said, a.Error); err != nil {
		return phrase.Error("the answer holds a NUL character; take it out")
	}
	return l.persist(ctx, func(ctx context.Context) error { return l.journal.KeepAnswer(ctx, a) })
}

// ForgetAnswers forgets the answers of a lab.
func (l *Labs) ForgetAnswers(ctx context.Context, id string) error {
	return l.persist(ctx, func(ctx context.Context) error { return l.journal.ForgetAnswers(ctx, id) })
}

// Journal is the journal of a lab as the database has it, replayed or not.
func (l *Labs) Journal(ctx context.Context, id string) (records []history.Record, moments map[string]history.Moment,
	err error) {
	if !KnownForm(id) {
		return nil, nil, store.ErrNotFound
	}
	err = l.persist(ctx, func(ctx context.Context) error {
		if _, err = l.journal.Lab(ctx, id); err != nil {
			return err
		}
		if records, err = l.journal.Journal(ctx, id); err != nil {
			return err
		}
		moments, err = l.journal.Moments(ctx, id)
		return err
	})
	return records, moments, err
}

// Places are where cards of a lab were put, as the database has it.
func (l *Labs) Places(ctx context.Context, id string) (places map[string]topology.Position, err error) {
	err = l.persist(ctx, func(ctx context.Context) error {
		places, err = l.journal.Places(ctx, id)
		return err
	})
	return places, err
}

// NameMoment gives a moment a name.
func (o *Lab) NameMoment(ctx context.Context, name, at string) error {
	return o.Do(ctx, func(x *lab.Lab) error {
		m, err := x.ParseMoment(at)
		if err != nil {
			return err
		}
		was, had := x.MomentOf(name)
		if err := x.NameMoment(name, m); err != nil {
			return err
		}
		err = o.labs.persist(ctx,
			func(ctx context.Context) error { return o.labs.journal.NameMoment(ctx, o.ID, name, m) })
		if err != nil {
			x.ForgetMoment(name)
			if had {
				_ = x.NameMoment(name, was) // which was a name before
			}
			return err
		}
		o.publish(x)
		return nil
	})
}

// ForgetMoment takes a name away.
func (o *Lab) ForgetMoment(ctx context.Context, name string) error {
	return o.Do(ctx, func(x *lab.Lab) error {
		err := o.labs.persist(ctx,
			func(ctx context.Context) error { return o.labs.journal.ForgetMoment(ctx, o.ID, name) })
		if err == nil {
			x.ForgetMoment(name)
			o.publish(x)
		}
		return err
	})
}

// Move puts cards of the map in other places; with none it forgets all places, and the
// map is laid out again.
func (o *Lab) Move(ctx context.Context, places map[string]topology.Position) error {
	return o.Do(ctx, func(x *lab.Lab) error {
		known := x.Map(x.History().Now())
		for name := range places {
			device := slices.ContainsFunc(known.Devices, func(d topology.MapDevice) bool { return d.Name == name })
			if !device && !slices.ContainsFunc(known.Links, func(l topology.MapLink) bool { return l.ID == name }) {
				return phrase.Errorf("there is no device or segment named %s", name)
			}
		}
		err := o.labs.persist(ctx, func(ctx context.Context) error {
			if len(places) == 0 {
				return o.labs.journal.ForgetPlaces(ctx, o.ID)
			}
			return o.labs.journal.Place(ctx, o.ID, places)
		})
		if err != nil {
			return err
		}
		if len(places) == 0 {
			x.LayOut()
		} else if err := x.Move(places); err != nil {
			return err
		}
		o.publish(x)
		return nil
	})
}

// Import makes a lab of a bundle: it is replayed, and what does not come out as
// recorded is marked as it would be in any other lab.
func (l *Labs) Import(ctx context.Context, data []byte) (store.Lab, error) {
	u, err := lab.ReadBundle(data)
	if err != nil {
		return store.Lab{}, err
	}
	x, err := lab.Open(u.Records, func() bool { return ctx.Err() != nil })
	if err != nil {
		return store.Lab{}, err
	}
	row, err := l.create(ctx, store.Lab{ID: newID(), Title: titleOf(x.Title())}, u.Records)
	if err != nil {
		return row, err
	}
	if len(u.Places) > 0 && x.Move(u.Places) == nil {
		if err := l.persist(ctx, func(ctx context.Context) error { return l.journal.Place(ctx, row.ID, u.Places) }); err != nil {
			return row, err
		}
	}
	for _, m := range u.Moments {
		if m.Step < 0 || m.Step > len(u.Records) {
			continue
		}
		at := history.Moment{Step: m.Step, At: lab.Nanoseconds(m.At)}
		if x.NameMoment(m.Name, at) == nil {
			if err := l.persist(ctx,
				func(ctx context.Context) error { return l.journal.NameMoment(ctx, row.ID, m.Name, at) }); err != nil {
				return row, err
			}
		}
	}
	return row, nil
}
