package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// Game is a game with its current plan.
type Game struct {
	ID        string `gorm:"primaryKey"`
	Title     string
	Version   int
	ETag      string `gorm:"column:etag"`
	Text      string
	UpdatedAt time.Time `gorm:"autoUpdateTime:false"`
}

// planText is one edition of a game's plan: every text that was ever current is kept.
type planText struct {
	Game    string
	Edition int
	Version int
	ETag    string `gorm:"column:etag"`
	Text    string
	SavedAt time.Time
}

// ETagOf is the entity tag of a plan's text (RFC 9110, section 8.8.3), without its quotes.
func ETagOf(text string) string { return checksum([]byte(text))[:32] }

// Games lists all games, by id.
func (s *Store) Games(ctx context.Context) ([]Game, error) {
	var games []Game
	return games, s.read.WithContext(ctx).Order("id").Find(&games).Error
}

// Game gives one game, or ErrNotFound.
func (s *Store) Game(ctx context.Context, id string) (Game, error) {
	var g Game
	err := s.read.WithContext(ctx).First(&g, "id = ?", id).Error
	return g, notFound(err, "game %s", id)
}

// PutPlan makes a text the current plan of a game. ifMatch is the entity tag of the text that it is to
// replace, "" where there has to be none yet; where that is not so, the answer is ErrConflict.
func (s *Store) PutPlan(ctx context.Context, g Game, ifMatch string) (Game, error) {
	c := &putsPlan{g, ifMatch}
	err := s.do(ctx, c)
	return c.Game, err
}

// putsPlan is PutPlan as a change.
type putsPlan struct {
	Game    Game
	IfMatch string
}

func (c *putsPlan) apply(tx *gorm.DB, at time.Time) error {
	c.Game.ETag, c.Game.UpdatedAt = ETagOf(c.Game.Text), at
	return putPlan(tx, c.Game, c.IfMatch)
}

// putPlan makes a text the current plan of a game, and keeps it as an edition. A text that is the current one already
// is put as often as anybody likes.
func putPlan(tx *gorm.DB, g Game, ifMatch string) error {
	var same int64
	if err := tx.Model(&Game{}).Where("id = ? AND etag = ?", g.ID, g.ETag).Count(&same).Error; err != nil || same > 0 &&
		(ifMatch == "" || ifMatch == g.ETag) {
		return err
	}
	if err := replaceGame(tx, g, ifMatch); err != nil {
		return err
	}
	var last int
	if err := tx.Model(&planText{}).Where("game = ?",
		g.ID).Select("COALESCE(MAX(edition), 0)").Scan(&last).Error; err != nil {
		return err
	}
	return tx.Create(&planText{g.ID, last + 1, g.Version, g.ETag, g.Text, g.UpdatedAt}).Error
}

func replaceGame(tx *gorm.DB, g Game, ifMatch string) error {
	if ifMatch == "" {
		var there int64
		if err := tx.Model(&Game{}).Where("id = ?", g.ID).Count(&there).Error; err != nil {
			return err
		}
		if there > 0 {
			return ErrConflict
		}
		return tx.Create(&g).Error
	}
	done := tx.Model(&Game{}).Where("id = ? AND etag = ?", g.ID, ifMatch).
		Updates(map[string]any{"title": g.Title, "version": g.Version, "etag": g.ETag, "text": g.Text,
			"updated_at": g.UpdatedAt})
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrConflict
	}
	return done.Error
}
