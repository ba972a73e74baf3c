package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
)

// MaxAnswers is how many answers of a lab are kept: older ones go.
const MaxAnswers = 200

// Answer is a question that was typed, and its answer.
type Answer struct {
	LabID     string
	Number    int64  `gorm:"primaryKey;autoIncrement"`
	Moment    string // in words
	At        string // as it was asked for: now, before-2 ...
	Said      string // the answer, as JSON
	Error     string // why there is none
	CreatedAt time.Time
}

// Answers are the answers of a lab, the newest first.
func (s *Store) Answers(ctx context.Context, id string) ([]Answer, error) {
	answers := []Answer{}
	err := s.db.WithContext(ctx).Order("number DESC").Find(&answers, "lab_id = ?", id).Error
	return answers, err
}

// KeepAnswer keeps an answer, as the newest of its lab.
func (s *Store) KeepAnswer(ctx context.Context, a Answer) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		err := tx.Create(&a).Error
		if errors.Is(err, gorm.ErrForeignKeyViolated) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		old := tx.Model(&Answer{}).Select("number").Where("lab_id = ?", a.LabID).Order("number DESC").Offset(MaxAnswers)
		return tx.Delete(&Answer{}, "number IN (?)", old).Error
	})
}

// ForgetAnswers forgets the answers of a lab.
func (s *Store) ForgetAnswers(ctx context.Context, id string) error {
	return s.db.WithContext(ctx).Delete(&Answer{}, "lab_id = ?", id).Error
}
