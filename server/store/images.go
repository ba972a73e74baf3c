package store

import (
	"bytes"
	"context"
	"errors"
	"io"
	"time"

	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// MaxImage is how many bytes an image of a lab may have, compressed.
const MaxImage = 64 << 20

// ErrImageTooLarge says that an image has more bytes than that.
var ErrImageTooLarge = errors.New("the image is too large to be kept")

// image is what a lab goes on from instead of a replay, compressed (RFC 8878). Nothing is lost with it.
type image struct {
	LabID     string `gorm:"primaryKey"`
	Version   string // of what reads it
	Actions   int    // that it has
	Data      []byte
	CreatedAt time.Time
}

// Image is the image of a lab of a version, to be read, and how many actions it has; nil if there is none.
func (s *Store) Image(ctx context.Context, id, version string) (data io.Reader, actions int, err error) {
	var row image
	err = s.db.WithContext(ctx).First(&row, "lab_id = ? AND version = ?", id, version).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, 0, nil
	}
	if err != nil {
		return nil, 0, err
	}
	z, err := zstd.NewReader(bytes.NewReader(row.Data), zstd.WithDecoderConcurrency(1))
	if err != nil {
		return nil, 0, err
	}
	return z.IOReadCloser(), row.Actions, nil
}

// KeepImage keeps what write writes, over the image that the lab had.
func (s *Store) KeepImage(ctx context.Context, id, version string, actions int, write func(io.Writer) error) error {
	var data limited
	z, err := zstd.NewWriter(&data, zstd.WithEncoderConcurrency(1))
	if err != nil {
		return err
	}
	if err := errors.Join(write(z), z.Close()); err != nil {
		return err
	}
	row := image{LabID: id, Version: version, Actions: actions, Data: data.Bytes(), CreatedAt: time.Now()}
	err = s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		return ErrNotFound
	}
	return err
}

// DropImage throws the image of a lab away, if there is one.
func (s *Store) DropImage(ctx context.Context, id string) error {
	return s.db.WithContext(ctx).Delete(&image{}, "lab_id = ?", id).Error
}

// limited takes MaxImage bytes.
type limited struct{ bytes.Buffer }

func (l *limited) Write(b []byte) (int, error) {
	if l.Len()+len(b) > MaxImage {
		return 0, ErrImageTooLarge
	}
	return l.Buffer.Write(b)
}
