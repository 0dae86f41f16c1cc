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
	c := &endsSession{Game: game, Session: session}
	err := s.do(ctx, c)
	if err == nil && c.ended == (Ended{}) {
		return c.ended, fmt.Errorf("anything of the session %s of %s: %w", session, game, ErrNotFound)
	}
	return c.ended, err
}

// endsSession is EndSession as a change.
type endsSession struct {
	Game, Session string
	ended         Ended
}

func (c *endsSession) apply(tx *gorm.DB, _ time.Time) error {
	e := &c.ended
	*e = Ended{}
	for _, x := range []struct {
		model any
		count *int64
	}{{&worldRow{}, &e.Worlds}, {&keptWorld{}, &e.Worlds}} {
		done := tx.Where("game = ? AND session = ?", c.Game, c.Session).Delete(x.model)
		if done.Error != nil {
			return done.Error
		}
		*x.count += done.RowsAffected
	}
	var err error
	e.Journal, err = deleteJournal(tx, "game = ? AND session = ?", c.Game, c.Session)
	return err
}

// DeleteGame deletes a game with all that is held of it: its plan and versions, the saves of all players, its worlds and
// journals, trials and rehearsals. What players have in common over several games stays.
func (s *Store) DeleteGame(ctx context.Context, game string) (Ended, error) {
	c := &deletesGame{Game: game}
	err := s.do(ctx, c)
	return c.ended, err
}

// deletesGame is DeleteGame as a change.
type deletesGame struct {
	Game  string
	ended Ended
}

func (c *deletesGame) apply(tx *gorm.DB, _ time.Time) error {
	e := &c.ended
	*e = Ended{}
	counts := map[string]*int64{"worlds": &e.Worlds, "kept_worlds": &e.Worlds, "saves": &e.Saves,
		"slots": &e.Players}
	var err error
	if e.Journal, err = deleteJournal(tx, "game = ?", c.Game); err != nil {
		return err
	}
	for _, table := range slices.Backward(Tables()) { // those that refer to others first
		var of int64
		if err := tx.Raw("SELECT COUNT(*) FROM pragma_table_info(?) WHERE name = 'game'", table).Scan(&of).Error; err != nil {
			return err
		}
		if of == 0 {
			continue
		}
		done := tx.Exec("DELETE FROM "+table+" WHERE game = ?", c.Game)
		if done.Error != nil {
			return done.Error
		}
		if count := counts[table]; count != nil {
			*count += done.RowsAffected
		}
	}
	done := tx.Delete(&Game{}, "id = ?", c.Game)
	if done.Error == nil && done.RowsAffected == 0 {
		return fmt.Errorf("game %q: %w", c.Game, ErrNotFound)
	}
	return done.Error
}

// after makes the file smaller: much of it is unused now.
func (*deletesGame) after(s *Store) { s.writeAnew() }

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
