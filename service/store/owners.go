package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Owner is the node that runs a session. Epoch rises with each claim: who writes for the session names the one that
// it has, and is refused where there is a later one.
type Owner struct {
	Game    string `gorm:"primaryKey"`
	Session string `gorm:"primaryKey"`
	Node    string // "" for nobody
	Run     string
	Epoch   int64
}

// TableName names the table.
func (Owner) TableName() string { return "owners" }

// Owner says who runs a session; the zero Owner where nobody ever did.
func (s *Store) Owner(ctx context.Context, game, session string) (Owner, error) {
	return ownerOf(s.read.WithContext(ctx), game, session)
}

// Owners lists who runs which session, of all games or of one.
func (s *Store) Owners(ctx context.Context, game string) ([]Owner, error) {
	q := s.read.WithContext(ctx).Where("node <> ''").Order("game, session")
	if game != "" {
		q = q.Where("game = ?", game)
	}
	var list []Owner
	return list, q.Find(&list).Error
}

func ownerOf(tx *gorm.DB, game, session string) (Owner, error) {
	var o Owner
	err := tx.First(&o, "game = ? AND session = ?", game, session).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return Owner{Game: game, Session: session}, nil
	}
	return o, err
}

// Claim makes a node the owner of a session, or with "" nobody. after is the epoch of the owner that it takes it
// from: where there is a later one, the answer is ErrFenced.
func (s *Store) Claim(ctx context.Context, to Owner, after int64) (Owner, error) {
	c := &claimsSession{to, after}
	err := s.do(ctx, c)
	return c.Owner, err
}

// Owned is told of a session that has another owner.
type Owned struct{ Owner }

// claimsSession is Claim as a change.
type claimsSession struct {
	Owner Owner
	After int64
}

func (c *claimsSession) apply(tx *gorm.DB, _ time.Time) error {
	now, err := ownerOf(tx, c.Owner.Game, c.Owner.Session)
	if err != nil {
		return err
	}
	if now.Epoch != c.After {
		return ErrFenced
	}
	c.Owner.Epoch = now.Epoch + 1
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&c.Owner).Error
}

func (c *claimsSession) notice() any { return Owned{c.Owner} }

// visitRow is the session in which a player was last, where there are several nodes.
type visitRow struct {
	Game    string `gorm:"primaryKey"`
	Player  string `gorm:"primaryKey"`
	Session string
	Turn    int64 // how often the player has joined any
}

// TableName names the table.
func (visitRow) TableName() string { return "visits" }

// visited notes in which session a player is; a node that is alone knows without it. Where the player has joined
// another one since the turn that whoever asks knows of, the answer is ErrMoved: they have to leave that one first.
func visited(tx *gorm.DB, player string, by Owner, turn int64) error {
	if by.Epoch == 0 {
		return nil
	}
	was, err := visitOf(tx, by.Game, player)
	if err == nil && was.Turn != turn {
		err = ErrMoved
	}
	if err != nil {
		return err
	}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&visitRow{by.Game, player, by.Session, turn + 1}).Error
}

func visitOf(tx *gorm.DB, game, player string) (row visitRow, err error) {
	err = tx.First(&row, "game = ? AND player = ?", game, player).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return visitRow{}, nil
	}
	return row, err
}

// Visited says in which session of a game a player was last, as far as nodes in an order have written it, "" for none;
// and how many they had joined by then.
func (s *Store) Visited(ctx context.Context, game, player string) (session string, turn int64, err error) {
	row, err := visitOf(s.read.WithContext(ctx), game, player)
	return row.Session, row.Turn, err
}

// fence refuses what is written for a session by a node that is not its owner any more. An epoch of 0 is that of a
// node that is alone.
func fence(tx *gorm.DB, game, session string, epoch int64) error {
	if epoch == 0 {
		return nil
	}
	now, err := ownerOf(tx, game, session)
	if err == nil && now.Epoch != epoch {
		err = ErrFenced
	}
	return err
}

// notable is a change of which a node is told.
type notable interface{ notice() any }

// Taken is told of a slot that a session has taken.
type Taken struct {
	Game, Player, Session string
	Slot                  int
	Lease                 int64
}

// Forgotten is told of a player about whom everything was deleted.
type Forgotten struct{ Game, Player string }

// InCommon is told of what a game has written of a commons.
type InCommon struct {
	Game, Session string
	Values        []SharedValue
}

func (c *takesSlot) notice() any { return Taken{c.Game, c.Player, c.By.Session, c.Slot, c.saved.Lease} }

func (c *forgets) notice() any { return Forgotten{c.Game, c.Player} }

func (w *work) notice() any {
	if w.ended {
		return Owned{Owner{Game: w.Cut.Game, Session: w.Cut.Session, Epoch: w.Cut.Epoch + 1}}
	}
	out := InCommon{Game: w.Cut.Game, Session: w.Cut.Session}
	for _, p := range w.Cut.Players {
		out.Values = append(out.Values, p.Shared...)
	}
	return out
}
