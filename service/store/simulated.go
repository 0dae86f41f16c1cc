package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// simulatedRow marks a player that no human plays.
type simulatedRow struct {
	Game   string `gorm:"primaryKey"`
	Player string `gorm:"primaryKey"`
}

// TableName names the table.
func (simulatedRow) TableName() string { return "simulated" }

// MarkSimulated marks a player as simulated, before anything of them is saved. Somebody who has saves that are not so
// marked stays a player like any other.
func (s *Store) MarkSimulated(ctx context.Context, game, player string) error {
	return s.do(ctx, &marksSimulated{game, player})
}

// marksSimulated is MarkSimulated as a change.
type marksSimulated struct{ Game, Player string }

func (c *marksSimulated) apply(tx *gorm.DB, _ time.Time) error {
	var real int64
	if err := tx.Model(&slotRow{}).Where("game = ? AND player = ?", c.Game, c.Player).Count(&real).Error; err != nil ||
		real > 0 {
		return err
	}
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&simulatedRow{c.Game, c.Player}).Error
}

// Simulated lists the simulated players of a game.
func (s *Store) Simulated(ctx context.Context, game string) (map[string]bool, error) {
	var rows []simulatedRow
	err := s.read.WithContext(ctx).Find(&rows, "game = ?", game).Error
	out := make(map[string]bool, len(rows))
	for _, r := range rows {
		out[r.Player] = true
	}
	return out, err
}
