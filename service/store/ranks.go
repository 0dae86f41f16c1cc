package store

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

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
	Bucket   int64 // the small range in which the number is
	Best     int   `gorm:"->"` // set by pickBest
}

// TableName names the table.
func (rankRow) TableName() string { return "ranks" }

func newRank(game, player string, slot int, r Rank) rankRow {
	return rankRow{Game: game, Standing: r.Standing, Player: player, Slot: slot, Number: r.Number, Text: r.Text, Bucket: bucketOf(r.Number)}
}

// Which number of a player counts, by the bits of a row's best.
const (
	bestHigh = 1
	bestLow  = 2
)

// A standing is counted in small ranges of numbers: a bucket has those that agree in the first 20 bits of their
// representation (IEEE 754, binary64), of which each is 1/256 of its octave. So a standing has a few thousand of them,
// and in most of them are few.
const bucketShift = 64 - 20

// bucketOf is the bucket of a number; buckets are in the order of the numbers.
func bucketOf(number float64) int64 {
	bits := math.Float64bits(number + 0) // there is one zero
	if bits>>63 == 1 {
		bits = ^bits
	} else {
		bits |= 1 << 63
	}
	return int64(bits >> bucketShift)
}

// endsOf are the least and the greatest number of a bucket.
func endsOf(bucket int64) (least, most float64) {
	number := func(bits uint64) float64 {
		if bits>>63 == 1 {
			return math.Float64frombits(bits &^ (1 << 63))
		}
		return math.Float64frombits(^bits)
	}
	from := uint64(bucket) << bucketShift
	return number(from), number(from | (1<<bucketShift - 1))
}

// counted are statements of a trigger that count a row of ranks in, or out.
func counted(row, sign string) string {
	return strings.NewReplacer("ROW", row, "SIGN", sign).Replace(
		"INSERT INTO rank_counts VALUES (ROW.game, ROW.standing, 1, ROW.bucket, SIGN(ROW.best & 1)), (ROW.game, ROW.standing, 2, ROW.bucket, SIGN(ROW.best >> 1))" +
			" ON CONFLICT DO UPDATE SET n = n + excluded.n;" +
			" DELETE FROM rank_counts WHERE game = ROW.game AND standing = ROW.standing AND side IN (1, 2) AND bucket = ROW.bucket AND n = 0;")
}

// countRanks finds out anew which numbers are their players' best, and counts all standings: of a game, or ("") of all.
func countRanks(tx *gorm.DB, game string) error {
	of := " WHERE (? = '' OR game = ?)"
	do := func(statement string) error { return tx.Exec(statement+of, game, game).Error }
	if err := errors.Join(tx.Exec("DROP TRIGGER ranks_turn").Error, do("DELETE FROM rank_counts")); err != nil {
		return err
	}
	var numbers []float64
	if err := tx.Raw("SELECT DISTINCT number FROM ranks"+of, game, game).Scan(&numbers).Error; err != nil {
		return err
	}
	if err := tx.Exec("CREATE TEMP TABLE buckets (number REAL PRIMARY KEY, bucket INTEGER NOT NULL)").Error; err != nil {
		return err
	}
	for part := range slices.Chunk(numbers, 200) {
		args := make([]any, 0, 2*len(part))
		for _, number := range part {
			args = append(args, number, bucketOf(number))
		}
		if err := tx.Exec("INSERT INTO buckets VALUES "+rows(2, len(part)), args...).Error; err != nil {
			return err
		}
	}
	count := func(bit int) error {
		return tx.Exec(fmt.Sprint("INSERT INTO rank_counts SELECT game, standing, ", bit, ", bucket, COUNT(*) FROM ranks", of, " AND best & ", bit, " GROUP BY game, standing, bucket"), game, game).Error
	}
	return errors.Join(do("UPDATE ranks SET bucket = (SELECT bucket FROM buckets WHERE buckets.number = ranks.number), best = "+isBest),
		tx.Exec("DROP TABLE buckets").Error, count(bestHigh), count(bestLow), tx.Exec(ranksTurn).Error)
}

// ranksTurn is the trigger that counts what becomes of rows of ranks.
var ranksTurn = `CREATE TRIGGER ranks_turn AFTER UPDATE OF standing, bucket, best ON ranks
	WHEN OLD.standing <> NEW.standing OR OLD.bucket <> NEW.bucket OR OLD.best <> NEW.best BEGIN ` + counted("OLD", "-") + " " + counted("NEW", "+") + ` END`

// isBest is what best has to be in a row of ranks.
var isBest = "(NOT EXISTS (SELECT 1" + betterThan(true) + ")) + 2 * (NOT EXISTS (SELECT 1" + betterThan(false) + "))"

// betterThan are the rows of a player in other slots that are better than a row of ranks; of equal ones the first slot's counts.
func betterThan(high bool) string {
	better := "<"
	if high {
		better = ">"
	}
	return " FROM ranks AS o INDEXED BY sqlite_autoindex_ranks_1 WHERE o.game = ranks.game AND o.standing = ranks.standing AND o.player = ranks.player AND o.slot <> ranks.slot" +
		" AND (o.number " + better + " ranks.number OR o.number = ranks.number AND o.slot < ranks.slot)"
}

// pickBest finds out which number of some players is their best in some standings, after these have changed.
func pickBest(tx *gorm.DB, n int, args []any) error {
	return tx.Exec(pickBestOf(n), args...).Error
}

func pickBestOf(n int) string {
	return "UPDATE ranks SET best = " + isBest + " WHERE (game, standing, player) IN (VALUES " + rows(3, n) + ")"
}

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
		row := newRank(c.Game, p.Player, p.Slot, r)
		if err := tx.Clauses(rankAgain).Create(&row).Error; err != nil {
			return err
		}
	}
	for _, r := range p.Ranks {
		if err := pickBest(tx, 1, []any{c.Game, r.Standing, p.Player}); err != nil {
			return err
		}
	}
	return nil
}

// rankAgain is what becomes of a row of ranks that is there already.
var rankAgain = clause.OnConflict{Columns: []clause.Column{{Name: "game"}, {Name: "standing"}, {Name: "player"}, {Name: "slot"}},
	DoUpdates: clause.AssignmentColumns([]string{"number", "text", "bucket"})}

// Place is a player's place in a standing, from 1. Players with the same number stand by their id.
type Place struct {
	Place  int
	Player string
	Text   string
}

// counts is how a standing is counted: by bucket, in its order.
type counts []struct{ Bucket, N int64 }

// side is how a standing is read: by its best high numbers, or low ones.
type side struct {
	bit          int
	index, order string
	beyond       string // better than
	within       string // not better than
}

func sideOf(high bool) side {
	if high {
		return side{bestHigh, "ranks_high", "DESC", ">", "<="}
	}
	return side{bestLow, "ranks_low", "ASC", "<", ">="}
}

func (x side) counts(tx *gorm.DB, game, standing string) (list counts, err error) {
	err = tx.Raw("SELECT bucket, n FROM rank_counts WHERE game = ? AND standing = ? AND side = ? ORDER BY bucket "+x.order, game, standing, x.bit).Scan(&list).Error
	return list, err
}

// from are the rows of a standing with each player's best number.
func (x side) from() string {
	return fmt.Sprint(" FROM ranks INDEXED BY ", x.index, " WHERE game = ? AND standing = ? AND best & ", x.bit)
}

// ends are the first and the last number of a bucket, in the order of the standing.
func (x side) ends(bucket int64) (first, last float64) {
	if first, last = endsOf(bucket); x.bit == bestHigh {
		first, last = last, first
	}
	return first, last
}

// Standing gives a part of a standing: most places from the one after skip; and how many there are.
func (s *Store) Standing(ctx context.Context, game, standing string, high bool, skip, most int) (list []Place, total int, err error) {
	x := sideOf(high)
	err = s.read.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		counted, err := x.counts(tx, game, standing)
		if err != nil {
			return err
		}
		passed, begin := 0, 0.0 // how many stand before the bucket in which the part begins
		for _, c := range counted {
			if total <= skip {
				passed = total
				begin, _ = x.ends(c.Bucket)
			}
			total += int(c.N)
		}
		if skip >= total {
			return nil
		}
		return tx.Raw("SELECT player, text"+x.from()+" AND number "+x.within+" ? ORDER BY number "+x.order+", player LIMIT ? OFFSET ?",
			game, standing, begin, most, skip-passed).Scan(&list).Error
	})
	for i := range list {
		list[i].Place = skip + i + 1
	}
	return list, total, err
}

// PlaceOf gives a player's place in a standing; 0 where they have none.
func (s *Store) PlaceOf(ctx context.Context, game, standing string, high bool, player string) (place int, err error) {
	x := sideOf(high)
	err = s.read.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var mine []rankRow
		if err := tx.Raw("SELECT number, bucket FROM ranks WHERE game = ? AND standing = ? AND player = ? AND best & ?", game, standing, player,
			x.bit).Scan(&mine).Error; err != nil || len(mine) == 0 {
			return err
		}
		counted, err := x.counts(tx, game, standing)
		if err != nil {
			return err
		}
		before := 0
		for _, c := range counted {
			if c.Bucket == mine[0].Bucket {
				break
			}
			before += int(c.N)
		}
		var better, equal int
		begin, _ := x.ends(mine[0].Bucket)
		if err := tx.Raw("SELECT COUNT(*)"+x.from()+" AND number "+x.within+" ? AND number "+x.beyond+" ?", game, standing, begin, mine[0].Number).Scan(&better).Error; err != nil {
			return err
		}
		if err := tx.Raw("SELECT COUNT(*)"+x.from()+" AND number = ? AND player < ?", game, standing, mine[0].Number, player).Scan(&equal).Error; err != nil {
			return err
		}
		place = before + better + equal + 1
		return nil
	})
	return place, err
}
