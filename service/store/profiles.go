package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// profileRow is what a player has over all slots of a game. There is one of it and no earlier ones.
type profileRow struct {
	Game     string `gorm:"primaryKey"`
	Player   string `gorm:"primaryKey"`
	Version  int    // of the plan
	SavedAt  time.Time
	Doc      []byte
	Checksum string
}

// TableName names the table.
func (profileRow) TableName() string { return "profiles" }

// Profile gives what a player has over all slots; nil where there is nothing. It is ErrDamaged where the bytes are not
// as they were written.
func (s *Store) Profile(ctx context.Context, game, player string) ([]byte, error) {
	var row profileRow
	err := s.read.WithContext(ctx).First(&row, "game = ? AND player = ?", game, player).Error
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return nil, nil
	case err != nil:
		return nil, err
	case row.Checksum != checksum(row.Doc):
		return row.Doc, ErrDamaged
	}
	return row.Doc, nil
}

// Profiles gives what each player of a game has over all slots, one after another by player; no bytes where they are
// not as they were written.
func (s *Store) Profiles(ctx context.Context, game string, visit func(player string, doc []byte) error) error {
	rows, err := s.read.WithContext(ctx).Model(&profileRow{}).Where("game = ?", game).Order("player").Rows()
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var row profileRow
		if err := s.read.ScanRows(rows, &row); err != nil {
			return err
		}
		if row.Checksum != checksum(row.Doc) {
			row.Doc = nil
		}
		if err := visit(row.Player, row.Doc); err != nil {
			return err
		}
	}
	return rows.Err()
}

// profile is a part's as a row; none where the plan has nothing of the kind.
func (p *PlayerCut) profile(game string, now time.Time) []profileRow {
	if p.Profile == nil {
		return nil
	}
	return []profileRow{{game, p.Player, p.Version, now, p.Profile, checksum(p.Profile)}}
}

// writeProfile writes what a player has over all slots, with the part of the slot that they play in.
func writeProfile(tx *gorm.DB, c Cut, p PlayerCut, now time.Time) error {
	return create(tx.Clauses(clause.OnConflict{UpdateAll: true}), p.profile(c.Game, now))
}
