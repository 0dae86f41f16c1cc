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
	err := s.read.WithContext(ctx).Raw(bestOf(high)+" ORDER BY number "+direction(high)+", player LIMIT ? OFFSET ?",
		game, standing, most, skip).Scan(&list).Error
	for i := range list {
		list[i].Place = skip + i + 1
	}
	return list, int(total), err
}

// PlaceOf gives a player's place in a standing; 0 where they have none.
func (s *Store) PlaceOf(ctx context.Context, game, standing string, high bool, player string) (int, error) {
	var place int
	before := "all_of.number > mine.best OR all_of.number = mine.best AND all_of.player < mine.player"
	if !high {
		before = "all_of.number < mine.best OR all_of.number = mine.best AND all_of.player < mine.player"
	}
	err := s.read.WithContext(ctx).Raw("WITH all_of AS ("+bestOf(high)+"), mine AS (SELECT player, number AS best FROM all_of WHERE player = ?) "+
		"SELECT (SELECT COUNT(*) FROM all_of, mine WHERE "+before+") + 1 FROM mine", game, standing, player).Scan(&place).Error
	return place, err
}

// bestOf selects each player's best number over their slots. SQLite takes text from the row that has it.
func bestOf(high bool) string {
	best := "MAX"
	if !high {
		best = "MIN"
	}
	return "SELECT player, " + best +
		"(number) AS number, text FROM ranks WHERE game = ? AND standing = ? GROUP BY player"
}

func direction(high bool) string {
	if high {
		return "DESC"
	}
	return "ASC"
}
