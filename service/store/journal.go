package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// JournalKept is how many changes of a session are kept for people who ask why a value is what it is.
const JournalKept = 20_000

// Entry is one change in a session's journal. Doc is the change itself, in JSON.
type Entry struct {
	Game    string `gorm:"primaryKey"`
	Session string `gorm:"primaryKey"`
	Number  int64  `gorm:"primaryKey"` // rising within the session
	At      time.Time
	Time    int64 // the session's, in milliseconds
	Player  string
	Name    string
	Doc     []byte
}

// TableName names the table.
func (Entry) TableName() string { return "journal" }

// writeJournal adds to a session's journal; the oldest entries make room.
func writeJournal(tx *gorm.DB, c Cut) error {
	if len(c.Journal) == 0 {
		return nil
	}
	for i := range c.Journal {
		c.Journal[i].Game, c.Journal[i].Session = c.Game, c.Session
	}
	if err := tx.CreateInBatches(c.Journal, 100).Error; err != nil {
		return err
	}
	newest := c.Journal[len(c.Journal)-1].Number
	return tx.Delete(&Entry{}, "game = ? AND session = ? AND number <= ?", c.Game, c.Session, newest-JournalKept).Error
}

// Journal lists the newest changes of a session, newest first: of one player, of one value, or ("") of all.
func (s *Store) Journal(ctx context.Context, game, session, player, name string, most int) ([]Entry, error) {
	q := s.read.WithContext(ctx).Where("game = ? AND session = ?", game, session)
	if player != "" {
		q = q.Where("player = ?", player)
	}
	if name != "" {
		q = q.Where("name = ?", name)
	}
	var list []Entry
	return list, q.Order("number DESC").Limit(most).Find(&list).Error
}

// JournalEnd is the number of a session's newest entry; 0 where it has none.
func (s *Store) JournalEnd(ctx context.Context, game, session string) (int64, error) {
	var last int64
	err := s.read.WithContext(ctx).Model(&Entry{}).Where("game = ? AND session = ?", game,
		session).Select("COALESCE(MAX(number), 0)").Scan(&last).Error
	return last, err
}
