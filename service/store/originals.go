package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"io"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Original is a file in a game's own format, as it was uploaded into a slot: what is downloaded in that format is written
// into it, so that what the plan knows nothing of stays. A slot has the newest of each format.
type Original struct {
	Game     string `gorm:"primaryKey"`
	Player   string `gorm:"primaryKey"`
	Slot     int    `gorm:"primaryKey"`
	Format   string `gorm:"primaryKey"` // by its name in the plan
	Name     string // of the file
	SavedAt  time.Time
	Doc      []byte // the file; compressed (gzip, RFC 1952) where it is stored
	Checksum string
}

// TableName names the table.
func (Original) TableName() string { return "originals" }

// KeepOriginal keeps a file that was uploaded into a slot.
func (s *Store) KeepOriginal(ctx context.Context, o Original) error {
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, err := w.Write(o.Doc)
	if err = errors.Join(err, w.Close()); err != nil {
		return err
	}
	o.Doc, o.Checksum = packed.Bytes(), checksum(packed.Bytes())
	return s.do(ctx, &keepsOriginal{o})
}

// keepsOriginal is KeepOriginal as a change.
type keepsOriginal struct{ Original Original }

func (c *keepsOriginal) apply(tx *gorm.DB, at time.Time) error {
	c.Original.SavedAt = at
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&c.Original).Error
}

// Originals are the files that were uploaded for a player, by slot and format. One that is not as it was written is left
// out.
func (s *Store) Originals(ctx context.Context, game, player string) ([]Original, error) {
	var list, out []Original
	err := s.read.WithContext(ctx).Where("game = ? AND player = ?", game, player).Order("slot, format").Find(&list).Error
	for _, o := range list {
		if o.Checksum != checksum(o.Doc) {
			continue
		}
		r, err := gzip.NewReader(bytes.NewReader(o.Doc))
		if err != nil {
			continue
		}
		if o.Doc, err = io.ReadAll(r); err == nil {
			out = append(out, o)
		}
	}
	return out, err
}
