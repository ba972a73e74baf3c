package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"hellebore/core/ground/event"
	"hellebore/core/questions/topology"
	"hellebore/core/simulation/history"
)

// Draft is a text that somebody is writing for a lab; everybody has one at most.
type Draft struct {
	LabID     string `gorm:"primaryKey"`
	Owner     string `gorm:"primaryKey"` // the browser that it is written in
	Text      string
	Base      int // the action that applied the text which it was made from
	Author    string
	UpdatedAt time.Time
}

// Drafts are the drafts of a lab, the latest first.
func (s *Store) Drafts(ctx context.Context, id string) ([]Draft, error) {
	drafts := []Draft{}
	err := s.db.WithContext(ctx).Order("updated_at DESC").Find(&drafts, "lab_id = ?", id).Error
	return drafts, err
}

// KeepDraft writes a draft over the one that there was.
func (s *Store) KeepDraft(ctx context.Context, d Draft) error {
	d.UpdatedAt = time.Now()
	err := s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&d).Error
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		return ErrNotFound
	}
	return err
}

// DropDraft throws somebody's draft away, if there is one.
func (s *Store) DropDraft(ctx context.Context, id, owner string) error {
	return s.db.WithContext(ctx).Delete(&Draft{}, "lab_id = ? AND owner = ?", id, owner).Error
}

// moment is a moment that has a name.
type moment struct {
	LabID     string `gorm:"primaryKey"`
	Name      string `gorm:"primaryKey"`
	Step      int
	At        int64
	CreatedAt time.Time
}

// Moments are the named moments of a lab.
func (s *Store) Moments(ctx context.Context, id string) (map[string]history.Moment, error) {
	var rows []moment
	if err := s.db.WithContext(ctx).Find(&rows, "lab_id = ?", id).Error; err != nil {
		return nil, err
	}
	out := make(map[string]history.Moment, len(rows))
	for _, r := range rows {
		out[r.Name] = history.Moment{Step: r.Step, At: event.Time(r.At)}
	}
	return out, nil
}

// NameMoment gives a moment a name; a name that was taken moves.
func (s *Store) NameMoment(ctx context.Context, id, name string, m history.Moment) error {
	row := moment{LabID: id, Name: name, Step: m.Step, At: int64(m.At)}
	err := s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		return ErrNotFound
	}
	return err
}

// ForgetMoment takes a name away.
func (s *Store) ForgetMoment(ctx context.Context, id, name string) error {
	return s.db.WithContext(ctx).Delete(&moment{}, "lab_id = ? AND name = ?", id, name).Error
}

// place is where a card was put on the map.
type place struct {
	LabID string `gorm:"primaryKey"`
	Name  string `gorm:"primaryKey"` // of a device, or "segment" and its name
	X, Y  int
}

// Places are where cards of a lab were put.
func (s *Store) Places(ctx context.Context, id string) (map[string]topology.Position, error) {
	var rows []place
	if err := s.db.WithContext(ctx).Find(&rows, "lab_id = ?", id).Error; err != nil {
		return nil, err
	}
	out := make(map[string]topology.Position, len(rows))
	for _, r := range rows {
		out[r.Name] = topology.Position{X: r.X, Y: r.Y}
	}
	return out, nil
}

// Place keeps where cards were put.
func (s *Store) Place(ctx context.Context, id string, places map[string]topology.Position) error {
	rows := make([]place, 0, len(places))
	for name, p := range places {
		rows = append(rows, place{id, name, p.X, p.Y})
	}
	err := s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(rows, 1000).Error
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		return ErrNotFound
	}
	return err
}

// ForgetPlaces forgets where cards of a lab were put.
func (s *Store) ForgetPlaces(ctx context.Context, id string) error {
	return s.db.WithContext(ctx).Delete(&place{}, "lab_id = ?", id).Error
}
