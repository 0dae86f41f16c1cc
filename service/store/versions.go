package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"slices"
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
	c := &publishes{v, etag, instead, standings}
	err := s.do(ctx, c)
	return c.Version, err
}

// publishes is Publish as a change.
type publishes struct {
	Version   Version
	ETag      string
	Instead   *Game
	Standings map[string]string
}

func (c *publishes) apply(tx *gorm.DB, at time.Time) error {
	v, etag := &c.Version, c.ETag
	if c.Instead != nil {
		g := *c.Instead
		g.ETag, g.UpdatedAt = ETagOf(g.Text), at
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
	v.ETag, v.Text, v.PublishedAt = g.ETag, g.Text, at
	if err := renameRanks(tx, v.Game, c.Standings); err != nil {
		return err
	}
	return tx.Create(v).Error
}

// renameRanks gives the best numbers of standings their new names, all at once, so that names can be swapped.
func renameRanks(tx *gorm.DB, game string, standings map[string]string) error {
	const aside = "\x00"
	for _, from := range slices.Sorted(maps.Keys(standings)) {
		if err := tx.Exec("UPDATE ranks SET standing = ? WHERE game = ? AND standing = ?", aside+from, game,
			from).Error; err != nil {
			return err
		}
	}
	for _, from := range slices.Sorted(maps.Keys(standings)) {
		if err := tx.Exec("UPDATE OR REPLACE ranks SET standing = ? WHERE game = ? AND standing = ?", standings[from], game,
			aside+from).Error; err != nil {
			return err
		}
	}
	if len(standings) == 0 {
		return nil
	}
	return countRanks(tx, game) // a player may have had a number under either name
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
	return s.do(ctx, &keepsWorld{game, session, from, before, after})
}

// keepsWorld is KeepWorld as a change.
type keepsWorld struct {
	Game, Session string
	From          int
	Before, After []byte
}

func (c *keepsWorld) apply(tx *gorm.DB, at time.Time) error {
	if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&keptWorld{c.Game, c.Session, c.From, at, c.Before,
		checksum(c.Before)}).Error; err != nil {
		return err
	}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&worldRow{c.Game, c.Session, at, c.After,
		checksum(c.After)}).Error
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
	secret := make([]byte, 32)
	_, _ = rand.Read(secret) // it never fails (crypto/rand)
	c := &addsSealKey{Secret: secret[:28], Mark: hex.EncodeToString(secret[28:])[:4]}
	err := s.do(ctx, c)
	return c.list, err
}

// addsSealKey is NewSealKey as a change.
type addsSealKey struct {
	Secret []byte
	Mark   string // what the key's name ends with
	list   []SealKey
}

func (c *addsSealKey) apply(tx *gorm.DB, at time.Time) error {
	if err := tx.Order("made_at, id").Find(&c.list).Error; err != nil {
		return err
	}
	key := SealKey{ID: fmt.Sprintf("k%d-%s", len(c.list)+1, c.Mark), Secret: c.Secret, MadeAt: at}
	c.list = append(c.list, key)
	return tx.Create(&key).Error
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
