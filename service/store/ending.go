package store

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
)

// Ended is how much was deleted when a session or a game came to its end.
type Ended struct {
	Worlds, Journal int64 // of sessions
	Saves, Players  int64 // of a game: revisions, and slots that had any
}

// EndSession deletes what is held of a session that nobody has open: its world, as it is and as it was under earlier
// versions, and its journal. What players have stays.
func (s *Store) EndSession(ctx context.Context, game, session string) (Ended, error) {
	var e Ended
	err := s.wait(ctx, func(tx *gorm.DB) error { return endSession(tx, game, session, &e) })
	if err == nil && e == (Ended{}) {
		return e, fmt.Errorf("anything of the session %s of %s: %w", session, game, ErrNotFound)
	}
	return e, err
}

func endSession(tx *gorm.DB, game, session string, e *Ended) error {
	for _, x := range []struct {
		model any
		count *int64
	}{{&worldRow{}, &e.Worlds}, {&keptWorld{}, &e.Worlds}, {&Entry{}, &e.Journal}} {
		done := tx.Where("game = ? AND session = ?", game, session).Delete(x.model)
		if done.Error != nil {
			return done.Error
		}
		*x.count += done.RowsAffected
	}
	return nil
}

// DeleteGame deletes a game with all that is held of it: its plan and versions, the saves of all players, its worlds and
// journals, trials and rehearsals. What players have in common over several games stays.
func (s *Store) DeleteGame(ctx context.Context, game string) (Ended, error) {
	var e Ended
	err := s.wait(ctx, func(tx *gorm.DB) error {
		counts := map[string]*int64{"worlds": &e.Worlds, "kept_worlds": &e.Worlds, "journal": &e.Journal, "saves": &e.Saves,
			"slots": &e.Players}
		for _, table := range slices.Backward(Tables()) { // those that refer to others first
			var of int64
			if err := tx.Raw("SELECT COUNT(*) FROM pragma_table_info(?) WHERE name = 'game'", table).Scan(&of).Error; err != nil {
				return err
			}
			if of == 0 {
				continue
			}
			done := tx.Exec("DELETE FROM "+table+" WHERE game = ?", game)
			if done.Error != nil {
				return done.Error
			}
			if count := counts[table]; count != nil {
				*count += done.RowsAffected
			}
		}
		done := tx.Delete(&Game{}, "id = ?", game)
		if done.Error == nil && done.RowsAffected == 0 {
			return fmt.Errorf("game %q: %w", game, ErrNotFound)
		}
		return done.Error
	})
	if err == nil {
		s.writeAnew() // much of the file is unused now
	}
	return e, err
}

// SessionKey names a session of a game.
type SessionKey struct{ Game, Session string }

// Idle lists the sessions that have written nothing since a time.
func (s *Store) Idle(ctx context.Context, since time.Time) ([]SessionKey, error) {
	var list []SessionKey
	err := s.read.WithContext(ctx).Raw(`SELECT game, session FROM (
		SELECT game, session, saved_at AS at FROM worlds UNION ALL SELECT game, session, MAX(at) AS at FROM journal GROUP BY game, session)
		GROUP BY game, session HAVING MAX(at) < ? ORDER BY game, session`, since.UTC()).Scan(&list).Error
	return list, err
}
