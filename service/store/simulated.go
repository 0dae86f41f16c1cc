package store

import (
	"context"

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
	return s.wait(ctx, func(tx *gorm.DB) error {
		var real int64
		if err := tx.Model(&slotRow{}).Where("game = ? AND player = ?", game, player).Count(&real).Error; err != nil ||
			real > 0 {
			return err
		}
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&simulatedRow{game, player}).Error
	})
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
