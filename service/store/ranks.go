package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Rank is the number by which a save puts its player into a standing.
type Rank struct {
	Standing string
	Number   float64 // to order by; 15 digits, which is what a stored number has
	Text     string  // as it is written; "" where none counts
	Last     bool    // the last save of a player counts, in whichever slot
}

type rankRow struct {
	Game     string `gorm:"primaryKey"`
	Standing string `gorm:"primaryKey"`
	Player   string `gorm:"primaryKey"`
	Slot     int    `gorm:"primaryKey"`
	Number   float64
	Text     string
}

// TableName names the table.
func (rankRow) TableName() string { return "ranks" }

// writeRanks takes what a revision says of its player's numbers. Recovery state is not yet one.
func writeRanks(tx *gorm.DB, c Cut, p PlayerCut) error {
	if p.Moment == "" {
		return nil
	}
	for _, r := range p.Ranks {
		where := tx.Where("game = ? AND standing = ? AND player = ?", c.Game, r.Standing, p.Player)
		if !r.Last {
			where = where.Where("slot = ?", p.Slot)
		}
		if r.Last || r.Text == "" {
			if err := where.Delete(&rankRow{}).Error; err != nil {
				return err
			}
		}
		if r.Text == "" {
			continue
		}
		row := rankRow{c.Game, r.Standing, p.Player, p.Slot, r.Number, r.Text}
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
			return err
		}
	}
	return nil
}

// Place is a player's place in a standing, from 1. Players with the same number stand by their id.
type Place struct {
	Place  int
	Player string
	Text   string
}

// Standing gives a part of a standing: most places from the one after skip; and how many there are.
func (s *Store) Standing(ctx context.Context, game, standing string, high bool, skip, most int) ([]Place, int, error) {
	var total int64
	if err := s.read.WithContext(ctx).Model(&rankRow{}).Where("game = ? AND standing = ?", game,
		standing).Distinct("player").Count(&total).Error; err != nil {
		return nil, 0, err
	}
	var list []Place
	err := s.read.WithContext(ctx).Raw("SELECT r.player, r.text"+bestOf(high)+" ORDER BY r.number "+direction(high)+
		", r.player LIMIT ? OFFSET ?", game, standing, most, skip).Scan(&list).Error
	for i := range list {
		list[i].Place = skip + i + 1
	}
	return list, int(total), err
}

// PlaceOf gives a player's place in a standing; 0 where they have none.
func (s *Store) PlaceOf(ctx context.Context, game, standing string, high bool, player string) (int, error) {
	var mine []float64
	db := s.read.WithContext(ctx)
	if err := db.Raw("SELECT r.number"+bestOf(high)+" AND r.player = ?", game, standing, player).Scan(&mine).Error; err != nil ||
		len(mine) == 0 {
		return 0, err
	}
	var before, equal int
	beyond := "<"
	if high {
		beyond = ">"
	}
	err := db.Raw("SELECT COUNT(*)"+bestOf(high)+" AND r.number "+beyond+" ?", game, standing, mine[0]).Scan(&before).Error
	if err != nil {
		return 0, err
	}
	err = db.Raw("SELECT COUNT(*)"+bestOf(high)+" AND r.number = ? AND r.player < ?", game, standing, mine[0],
		player).Scan(&equal).Error
	return before + equal + 1, err
}

// bestOf are the rows of a standing that have each player's best number over their slots, so that they are found in the
// order of an index.
func bestOf(high bool) string {
	better := "<"
	if high {
		better = ">"
	}
	return " FROM ranks AS r WHERE r.game = ? AND r.standing = ? AND NOT EXISTS (SELECT 1 FROM ranks AS o" +
		" INDEXED BY sqlite_autoindex_ranks_1 WHERE o.game = r.game AND o.standing = r.standing AND o.player = r.player AND o.slot <> r.slot" +
		" AND (o.number " + better + " r.number OR o.number = r.number AND o.slot < r.slot))"
}

func direction(high bool) string {
	if high {
		return "DESC"
	}
	return "ASC"
}
