package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Version is a published version of a game's plan. It never changes.
type Version struct {
	Game        string `gorm:"primaryKey"`
	Version     int    `gorm:"primaryKey"`
	ETag        string `gorm:"column:etag"`
	Text        string
	Why         string // why it was published although its trial was not clean; "" where it was
	Trial       int    // the trial that it was published after; 0 where there was none
	PublishedAt time.Time
}

// ErrNext says that a version cannot be the next one.
var ErrNext = errors.New("it is not the version that comes next")

// Versions lists the published versions of a game, newest first, without their texts.
func (s *Store) Versions(ctx context.Context, game string) ([]Version, error) {
	var list []Version
	return list, s.read.WithContext(ctx).Omit("text").Order("version DESC").Find(&list, "game = ?", game).Error
}

// Version gives one published version with its text.
func (s *Store) Version(ctx context.Context, game string, version int) (Version, error) {
	var v Version
	err := s.read.WithContext(ctx).First(&v, "game = ? AND version = ?", game, version).Error
	return v, notFound(err, "published version %d of %s", version, game)
}

// Newest gives the newest published version; ErrNotFound where there is none.
func (s *Store) Newest(ctx context.Context, game string) (Version, error) {
	var v Version
	err := s.read.WithContext(ctx).Order("version DESC").First(&v, "game = ?", game).Error
	return v, notFound(err, "published version of %s", game)
}

// Playing gives the text that sessions are opened under: the newest published version, or where none was published yet
// the plan as it is.
func (s *Store) Playing(ctx context.Context, game string) (string, error) {
	v, err := s.Newest(ctx, game)
	if err == nil || !errors.Is(err, ErrNotFound) {
		return v.Text, err
	}
	g, err := s.Game(ctx, game)
	return g.Text, err
}

// Publish makes the game's plan, whose entity tag is etag, a published version: the one after the newest (rule 31).
// With instead, that text takes its place, and is published: both or neither. Standings that it renames are renamed in
// what is kept of the best numbers.
func (s *Store) Publish(ctx context.Context, v Version, etag string, instead *Game,
	standings map[string]string) (Version, error) {
	v.PublishedAt = s.now().UTC()
	err := s.wait(ctx, func(tx *gorm.DB) error {
		if instead != nil {
			g := *instead
			g.ETag, g.UpdatedAt = ETagOf(g.Text), v.PublishedAt
			if err := putPlan(tx, g, etag); err != nil {
				return err
			}
			etag = g.ETag
		}
		var g Game
		if err := tx.First(&g, "id = ?", v.Game).Error; err != nil {
			return notFound(err, "game %s", v.Game)
		}
		if g.ETag != etag {
			return ErrConflict
		}
		var newest int
		if err := tx.Model(&Version{}).Where("game = ?",
			v.Game).Select("COALESCE(MAX(version), 0)").Scan(&newest).Error; err != nil {
			return err
		}
		if newest > 0 && v.Version != newest+1 {
			return fmt.Errorf("%w: the newest published version is %d, so that the next is %d, not %d", ErrNext, newest,
				newest+1, v.Version)
		}
		v.ETag, v.Text = g.ETag, g.Text
		if err := renameRanks(tx, v.Game, standings); err != nil {
			return err
		}
		return tx.Create(&v).Error
	})
	return v, err
}

// renameRanks gives the best numbers of standings their new names, all at once, so that names can be swapped.
func renameRanks(tx *gorm.DB, game string, standings map[string]string) error {
	const aside = "\x00"
	for from := range standings {
		if err := tx.Exec("UPDATE ranks SET standing = ? WHERE game = ? AND standing = ?", aside+from, game,
			from).Error; err != nil {
			return err
		}
	}
	for from, to := range standings {
		if err := tx.Exec("UPDATE OR REPLACE ranks SET standing = ? WHERE game = ? AND standing = ?", to, game,
			aside+from).Error; err != nil {
			return err
		}
	}
	return nil
}

// keptWorld is a world as it was under an earlier version.
type keptWorld struct {
	Game     string `gorm:"primaryKey"`
	Session  string `gorm:"primaryKey"`
	Version  int    `gorm:"primaryKey"`
	SavedAt  time.Time
	Doc      []byte
	Checksum string
}

// KeepWorld keeps a world as it was before it was upgraded to a later version, and writes the one that it became: both
// or neither.
func (s *Store) KeepWorld(ctx context.Context, game, session string, from int, before, after []byte) error {
	now := s.now().UTC()
	return s.wait(ctx, func(tx *gorm.DB) error {
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&keptWorld{game, session, from, now, before,
			checksum(before)}).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&worldRow{game, session, now, after,
			checksum(after)}).Error
	})
}

// SealKey is a key that seals what leaves the service.
type SealKey struct {
	ID     string `gorm:"primaryKey"`
	Secret []byte
	MadeAt time.Time
}

// TableName names the table.
func (SealKey) TableName() string { return "seal_keys" }

// SealKeys lists the keys, the newest last. Where there is none yet, one is made.
func (s *Store) SealKeys(ctx context.Context) ([]SealKey, error) {
	var list []SealKey
	err := s.read.WithContext(ctx).Order("made_at, id").Find(&list).Error
	if err != nil || len(list) > 0 {
		return list, err
	}
	return s.NewSealKey(ctx)
}

// NewSealKey makes a key that seals from now on; the older ones go on verifying (rule 34).
func (s *Store) NewSealKey(ctx context.Context) ([]SealKey, error) {
	var list []SealKey
	err := s.wait(ctx, func(tx *gorm.DB) error {
		if err := tx.Order("made_at, id").Find(&list).Error; err != nil {
			return err
		}
		key := SealKey{Secret: make([]byte, 32), MadeAt: s.now().UTC()}
		_, _ = rand.Read(key.Secret) // it never fails (crypto/rand)
		key.ID = fmt.Sprintf("k%d-%s", len(list)+1, hex.EncodeToString(key.Secret[28:])[:4])
		key.Secret = key.Secret[:28]
		list = append(list, key)
		return tx.Create(&key).Error
	})
	return list, err
}

// ReadSealKeys reads the keys out of a file, also while a service has it open; the newest is the last.
func ReadSealKeys(path string) ([]SealKey, error) {
	db, err := openData(path)
	if err != nil {
		return nil, err
	}
	defer closeDB(db)
	var list []SealKey
	return list, db.Order("made_at, id").Find(&list).Error
}
