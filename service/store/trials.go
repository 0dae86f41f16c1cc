package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// The states of a trial.
const (
	TrialRuns    = "running"
	TrialStopped = "stopped"
	TrialDone    = "done"
	TrialFailed  = "failed"
)

// Trial is a trial of a plan over a game's saves, as far as it has come. Part, Player and Slot say where it goes on.
type Trial struct {
	Game    string `gorm:"primaryKey"`
	ID      int    `gorm:"primaryKey"`
	ETag    string `gorm:"column:etag"` // of the plan
	Version int
	State   string
	Made    int // random saves for each published version
	Seed    uint32
	Part    int // how many published versions saves were generated for
	Done    int
	Total   int
	Player  string // the last one that was tried
	Slot    int
	BeganAt time.Time
	EndedAt time.Time
	Error   string
	Text    string // the plan
	Doc     []byte // what came of it, in JSON
}

// NewTrial keeps a trial that begins.
func (s *Store) NewTrial(ctx context.Context, t Trial) (Trial, error) {
	c := &beginsTrial{t}
	err := s.do(ctx, c)
	return c.Trial, err
}

// beginsTrial is NewTrial as a change.
type beginsTrial struct{ Trial Trial }

func (c *beginsTrial) apply(tx *gorm.DB, at time.Time) error {
	t, last := &c.Trial, 0
	if err := tx.Model(&Trial{}).Where("game = ?",
		t.Game).Select("COALESCE(MAX(id), 0)").Scan(&last).Error; err != nil {
		return err
	}
	t.BeganAt, t.State, t.ID = at, TrialRuns, last+1
	return tx.Create(t).Error
}

// PutTrial keeps how far a trial has come.
func (s *Store) PutTrial(ctx context.Context, t Trial) error {
	return s.do(ctx, &putsTrial{t})
}

// putsTrial is PutTrial as a change.
type putsTrial struct{ Trial Trial }

func (c *putsTrial) apply(tx *gorm.DB, _ time.Time) error { return tx.Save(&c.Trial).Error }

// Trials lists the trials of a game, newest first, without texts and what came of them.
func (s *Store) Trials(ctx context.Context, game string) ([]Trial, error) {
	var list []Trial
	return list, s.read.WithContext(ctx).Omit("text", "doc").Order("id DESC").Limit(50).Find(&list, "game = ?",
		game).Error
}

// Trial gives one trial.
func (s *Store) Trial(ctx context.Context, game string, id int) (Trial, error) {
	var t Trial
	err := s.read.WithContext(ctx).First(&t, "game = ? AND id = ?", game, id).Error
	return t, notFound(err, "trial %d of %s", id, game)
}

// Head is the newest save of a slot.
type Head struct {
	Player   string
	Slot     int
	Revision int
	Version  int
	SavedAt  time.Time
	Doc      []byte
	Checksum string
}

// Verify says whether the document is as it was written.
func (h *Head) Verify() error { return verify(h.Doc, h.Checksum, "the save of "+h.Player) }

// CountHeads says how many slots have a save.
func (s *Store) CountHeads(ctx context.Context, game string) (int, error) {
	var n int64
	return int(n), s.read.WithContext(ctx).Model(&slotRow{}).Where("game = ? AND revision > 0", game).Count(&n).Error
}

// Heads visits the newest saves of all slots behind one, by player and slot, a few at a time: memory stays flat, and no
// reader is held open while one is looked at.
func (s *Store) Heads(ctx context.Context, game, player string, slot int, visit func(Head) error) error {
	const page = 200
	for {
		var list []Head
		err := s.read.WithContext(ctx).Raw(`SELECT h.player, h.slot, h.revision, s.version, s.saved_at, s.doc, s.checksum FROM slots AS h
			JOIN saves AS s ON s.game = h.game AND s.player = h.player AND s.slot = h.slot AND s.revision = h.revision
			WHERE h.game = ? AND (h.player, h.slot) > (?, ?) ORDER BY h.player, h.slot LIMIT ?`, game, player, slot, page).Scan(&list).Error
		if err != nil {
			return err
		}
		for _, h := range list {
			if err := visit(h); err != nil {
				return err
			}
		}
		if len(list) < page {
			return nil
		}
		player, slot = list[page-1].Player, list[page-1].Slot
	}
}

// Mark says which save is the newest of a slot: another save has another checksum.
type Mark struct {
	Player   string
	Slot     int
	Checksum string
}

// Marks visits the slots of a game that have a save, without the saves, by player and slot.
func (s *Store) Marks(ctx context.Context, game string, visit func(Mark) error) error {
	const page = 5000
	player, slot := "", 0
	for {
		var list []Mark
		err := s.read.WithContext(ctx).Raw(`SELECT h.player, h.slot, s.checksum FROM slots AS h
			JOIN saves AS s ON s.game = h.game AND s.player = h.player AND s.slot = h.slot AND s.revision = h.revision
			WHERE h.game = ? AND (h.player, h.slot) > (?, ?) ORDER BY h.player, h.slot LIMIT ?`, game, player, slot, page).Scan(&list).Error
		if err != nil {
			return err
		}
		for _, m := range list {
			if err := visit(m); err != nil {
				return err
			}
		}
		if len(list) < page {
			return nil
		}
		player, slot = list[page-1].Player, list[page-1].Slot
	}
}

// HeadsOf gives the newest saves of some slots; one that has no save is left out.
func (s *Store) HeadsOf(ctx context.Context, game string, of []Mark) ([]Head, error) {
	var args []any
	for _, m := range of {
		args = append(args, m.Player, m.Slot)
	}
	var list []Head
	// CROSS JOIN: SQLite goes from the list to the slots, and not through all saves of the game.
	return list, s.read.WithContext(ctx).Raw(`SELECT h.player, h.slot, h.revision, s.version, s.doc, s.checksum
		FROM (VALUES `+rows(2, len(of))+`) AS v
		CROSS JOIN slots AS h ON h.game = ? AND h.player = v.column1 AND h.slot = v.column2
		CROSS JOIN saves AS s ON s.game = h.game AND s.player = h.player AND s.slot = h.slot AND s.revision = h.revision`,
		append(args, game)...).Scan(&list).Error
}

// Worlds visits the stored worlds of a game, by session.
func (s *Store) Worlds(ctx context.Context, game string, visit func(session string, doc []byte) error) error {
	var list []worldRow
	if err := s.read.WithContext(ctx).Order("session").Find(&list, "game = ?", game).Error; err != nil {
		return err
	}
	for _, w := range list {
		if err := visit(w.Session, w.Doc); err != nil {
			return err
		}
	}
	return nil
}

// LatestTrial gives the newest trial of a plan's text that is done; ErrNotFound where there is none.
func (s *Store) LatestTrial(ctx context.Context, game, etag string) (Trial, error) {
	var t Trial
	err := s.read.WithContext(ctx).Order("id DESC").First(&t, "game = ? AND etag = ? AND state = ?", game, etag,
		TrialDone).Error
	return t, notFound(err, "trial of this text")
}
