package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Rehearsal is a scripted run of a game's plan that is kept beside it.
type Rehearsal struct {
	Game      string `gorm:"primaryKey"`
	Name      string `gorm:"primaryKey"`
	Title     string
	Text      string
	UpdatedAt time.Time `gorm:"autoUpdateTime:false"`
}

// Rehearsals lists a game's rehearsals by name, without their texts.
func (s *Store) Rehearsals(ctx context.Context, game string) ([]Rehearsal, error) {
	var list []Rehearsal
	return list, s.read.WithContext(ctx).Omit("text").Order("name").Find(&list, "game = ?", game).Error
}

// Rehearsal gives one with its text, or ErrNotFound.
func (s *Store) Rehearsal(ctx context.Context, game, name string) (Rehearsal, error) {
	var r Rehearsal
	err := s.read.WithContext(ctx).First(&r, "game = ? AND name = ?", game, name).Error
	return r, notFound(err, "rehearsal %s of %s", name, game)
}

// PutRehearsal keeps a rehearsal, in place of one of its name.
func (s *Store) PutRehearsal(ctx context.Context, r Rehearsal) error {
	return s.do(ctx, &putsRehearsal{r})
}

// putsRehearsal is PutRehearsal as a change.
type putsRehearsal struct{ Rehearsal Rehearsal }

func (c *putsRehearsal) apply(tx *gorm.DB, at time.Time) error {
	c.Rehearsal.UpdatedAt = at
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&c.Rehearsal).Error
}

// DropRehearsal deletes a rehearsal; ErrNotFound where there is none.
func (s *Store) DropRehearsal(ctx context.Context, game, name string) error {
	return s.do(ctx, &dropsRehearsal{game, name})
}

// dropsRehearsal is DropRehearsal as a change.
type dropsRehearsal struct{ Game, Name string }

func (c *dropsRehearsal) apply(tx *gorm.DB, _ time.Time) error {
	done := tx.Delete(&Rehearsal{}, "game = ? AND name = ?", c.Game, c.Name)
	if done.Error == nil && done.RowsAffected == 0 {
		return notFound(gorm.ErrRecordNotFound, "rehearsal %s of %s", c.Name, c.Game)
	}
	return done.Error
}
