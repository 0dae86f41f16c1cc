package store

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// slotRow is the head of a slot: its newest revision, and who may write it.
type slotRow struct {
	Game     string `gorm:"primaryKey"`
	Player   string `gorm:"primaryKey"`
	Slot     int    `gorm:"primaryKey"`
	Revision int
	Lease    int64
}

// Revision is one stored save.
type Revision struct {
	Game     string `gorm:"primaryKey"`
	Player   string `gorm:"primaryKey"`
	Slot     int    `gorm:"primaryKey"`
	Revision int    `gorm:"primaryKey"`
	Moment   string // what it was saved on: checkpoint, scene, leave, every, asked, taken-up, recovered, upgraded, earlier, corrected, reset, copied, uploaded, offline
	Version  int    // of the plan
	Scene    string
	SavedAt  time.Time
	Doc      []byte
	Checksum string
	Why      string // of one that somebody made by hand: the reason
}

type recoveryRow struct {
	Game          string `gorm:"primaryKey"`
	Player        string `gorm:"primaryKey"`
	Slot          int    `gorm:"primaryKey"`
	AfterRevision int
	SavedAt       time.Time
	Doc           []byte
	Checksum      string
}

type worldRow struct {
	Game     string `gorm:"primaryKey"`
	Session  string `gorm:"primaryKey"`
	SavedAt  time.Time
	Doc      []byte
	Checksum string
}

// TableName names the tables.
func (slotRow) TableName() string { return "slots" }

// TableName names the table.
func (Revision) TableName() string { return "saves" }

// TableName names the table.
func (recoveryRow) TableName() string { return "recoveries" }

// TableName names the table.
func (worldRow) TableName() string { return "worlds" }

// Cut is a session's state cut between two requests: written as a whole or not at all (rule 30).
type Cut struct {
	Game    string
	Session string
	Epoch   int64  // of the owner of the session that writes it; 0 where the service is alone
	World   []byte // nil where it has not changed, or lies in a player's slot
	Players []PlayerCut
	Keep    int     // how many revisions of a slot are kept
	Journal []Entry // what changed since the last cut, and why
}

// PlayerCut is one player's part of a cut. Without a Moment it is recovery state, used after a crash,
// and no revision; with Forget it is no state at all: the recovery state is dropped.
type PlayerCut struct {
	Player  string
	Slot    int
	Lease   int64
	Moment  string
	Forget  bool
	Version int
	Scene   string
	Doc     []byte
	Ranks   []Rank
	Shared  []SharedValue // what this game writes of commons
	Profile []byte        // what the player has over all slots; nil where the plan has nothing of the kind
	Why     string        // of what somebody did by hand

	sum string // checksum of Doc, made by whoever hands it in
}

// Written says which revision each player's part became; 0 for recovery state.
type Written map[string]int

// CutResult is what came of a Write. Lost are the players whose lease another session has: their part
// was kept as a revision of its own, which is not the newest.
type CutResult struct {
	Written Written
	Lost    []string
	Err     error
}

// Write stores a cut. The channel gives its result once, when it is on disk.
func (s *Store) Write(c Cut) <-chan CutResult {
	w := &work{Cut: c, out: make(chan CutResult, 1)}
	w.prepare()
	if !s.hand(job{change: w}) {
		w.out <- CutResult{Err: ErrClosed}
	}
	return w.out
}

// prepare makes what can be made before it is written: the checksums of all documents, and the parts of the journal.
func (w *work) prepare() {
	w.journal = partsOf(&w.Cut)
	for i := range w.Cut.Players {
		w.Cut.Players[i].sum = checksum(w.Cut.Players[i].Doc)
	}
}

// mixed says whether somebody of several in a cut of one of several nodes plays elsewhere by now. What they changed together
// is written for all of them or for none: so nothing of the cut is, nor of any that the session writes after it, since
// that builds on it.
func (w *work) mixed(tx *gorm.DB) (bool, error) {
	c := &w.Cut
	if c.Epoch == 0 || len(c.Players) < 2 && c.World == nil {
		return false, nil
	}
	for _, p := range c.Players {
		var head slotRow
		err := tx.First(&head, inSlot, c.Game, p.Player, p.Slot).Error
		if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
			return false, err
		}
		if head.Lease != p.Lease {
			w.ended = true
			claim := claimsSession{Owner{Game: c.Game, Session: c.Session}, c.Epoch}
			return true, claim.apply(tx, time.Time{})
		}
	}
	return false, nil
}

// apply writes one cut by itself.
func (w *work) apply(tx *gorm.DB, at time.Time) error {
	w.r, w.ended = CutResult{Written: Written{}}, false
	if err := fence(tx, w.Cut.Game, w.Cut.Session, w.Cut.Epoch); err != nil {
		return err
	}
	if mixed, err := w.mixed(tx); err != nil || mixed {
		return err
	}
	for _, p := range w.Cut.Players {
		n, err := writePlayer(tx, w.Cut, p, at)
		if errors.Is(err, ErrLease) {
			w.r.Lost = append(w.r.Lost, p.Player) // nor does it count in standings or in a commons
			continue
		} else if err != nil {
			return fmt.Errorf("the save of %s in slot %d: %w", p.Player, p.Slot, err)
		}
		w.r.Written[p.Player] = n
		if err := writeShared(tx, p); err != nil {
			return fmt.Errorf("what %s has in common: %w", p.Player, err)
		}
		if err := writeProfile(tx, w.Cut, p, at); err != nil {
			return fmt.Errorf("what %s has over all slots: %w", p.Player, err)
		}
		if err := writeRanks(tx, w.Cut, p); err != nil {
			return fmt.Errorf("the standings of %s: %w", p.Player, err)
		}
	}
	if err := writeJournal(tx, w.journal); err != nil {
		return fmt.Errorf("the journal: %w", err)
	}
	return writeWorld(tx, w.Cut, at)
}

// writeWorld writes the world of a cut, where it has one.
func writeWorld(tx *gorm.DB, c Cut, now time.Time) error {
	if c.World == nil {
		return nil
	}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&worldRow{c.Game, c.Session, now, c.World,
		checksum(c.World)}).Error
}

func writePlayer(tx *gorm.DB, c Cut, p PlayerCut, now time.Time) (int, error) {
	var head slotRow
	if err := tx.First(&head, inSlot, c.Game, p.Player, p.Slot).Error; err != nil {
		return 0, notFound(err, "such slot")
	}
	revision := Revision{Moment: p.Moment, Version: p.Version, Scene: p.Scene, SavedAt: now, Doc: p.Doc, Why: p.Why}
	if head.Lease != p.Lease {
		revision.Moment = "superseded"
		if _, err := addRevision(tx, head, revision, c.Keep, false); err != nil {
			return 0, err
		}
		return 0, ErrLease
	}
	if p.Moment == "" && !p.Forget {
		return 0, tx.Clauses(clause.OnConflict{UpdateAll: true}).
			Create(&recoveryRow{c.Game, p.Player, p.Slot, head.Revision, now, p.Doc, checksum(p.Doc)}).Error
	}
	if err := tx.Delete(&recoveryRow{Game: c.Game, Player: p.Player, Slot: p.Slot}).Error; err != nil || p.Forget {
		return head.Revision, err
	}
	return addRevision(tx, head, revision, c.Keep, true)
}

const inSlot = "game = ? AND player = ? AND slot = ?"

// addRevision writes a slot's next revision and, as newest, makes it the one to come back to. What is
// saved at regular times replaces what was saved so before it, so that a quiet hour does not push the
// checkpoints out of the list.
func addRevision(tx *gorm.DB, head slotRow, r Revision, keep int, asNewest bool) (int, error) {
	if r.Moment == "every" {
		if err := tx.Delete(&Revision{}, inSlot+" AND revision = ? AND moment = 'every'", head.Game, head.Player,
			head.Slot, head.Revision).Error; err != nil {
			return 0, err
		}
	}
	last := head.Revision
	if err := tx.Model(&Revision{}).Where(inSlot, head.Game, head.Player,
		head.Slot).Select("MAX(?, COALESCE(MAX(revision), 0))", last).Scan(&last).Error; err != nil {
		return 0, err
	}
	r.Game, r.Player, r.Slot, r.Revision, r.Checksum = head.Game, head.Player, head.Slot, last+1, checksum(r.Doc)
	if err := tx.Create(&r).Error; err != nil {
		return 0, err
	}
	if asNewest {
		head.Revision = r.Revision
		if err := tx.Save(&head).Error; err != nil {
			return 0, err
		}
	}
	return r.Revision, forgetOldest(tx, head, keep)
}

// forgetOldest keeps as many revisions as the plan says, always the newest, and a few of those beyond.
func forgetOldest(tx *gorm.DB, head slotRow, keep int) error {
	var all []Revision
	err := tx.Model(&Revision{}).Where(inSlot, head.Game, head.Player,
		head.Slot).Order("revision = " + strconv.Itoa(head.Revision) + " DESC, revision DESC").
		Select("revision, version, saved_at").Find(&all).Error
	if err != nil || len(all) <= keep {
		return err
	}
	kept := make([]keptRevision, len(all))
	for i, r := range all {
		kept[i] = keptRevision{revision: r.Revision, version: r.Version, day: r.SavedAt.UTC().Format(time.DateOnly)}
	}
	drop := thinned(kept, max(keep, 1))
	if len(drop) == 0 {
		return nil
	}
	return tx.Delete(&Revision{}, inSlot+" AND revision IN ?", head.Game, head.Player, head.Slot, drop).Error
}

// Saved is what a player comes back to.
type Saved struct {
	Doc       []byte // nil where the slot is empty
	Revision  int
	Lease     int64
	Recovered bool  // the state is newer than the newest revision: a crash came in between
	Damaged   error // what is wrong with the bytes, where they are not as they were written
}

// Take gives the newest state of a slot and a lease on it: whoever had the lease before cannot write
// any more.
func (s *Store) Take(ctx context.Context, game, player string, slot int) (Saved, error) {
	return s.TakeFor(ctx, Owner{Game: game}, player, slot, 0)
}

// TakeFor is Take for a session, by its owner: ErrFenced where it has another by now, ErrMoved where the player has joined
// any session since that turn (Visited).
func (s *Store) TakeFor(ctx context.Context, by Owner, player string, slot int, turn int64) (Saved, error) {
	c := &takesSlot{Game: by.Game, Player: player, Slot: slot, By: by, Turn: turn}
	err := s.do(ctx, c)
	return c.saved, err
}

// takesSlot is Take as a change.
type takesSlot struct {
	Game, Player string
	Slot         int
	By           Owner
	Turn         int64
	saved        Saved
}

func (c *takesSlot) apply(tx *gorm.DB, _ time.Time) error {
	if err := fence(tx, c.Game, c.By.Session, c.By.Epoch); err != nil {
		return err
	}
	if err := visited(tx, c.Player, c.By, c.Turn); err != nil {
		return err
	}
	head := slotRow{Game: c.Game, Player: c.Player, Slot: c.Slot}
	if err := tx.FirstOrCreate(&head, head).Error; err != nil {
		return err
	}
	head.Lease++
	if err := tx.Save(&head).Error; err != nil {
		return err
	}
	var err error
	if c.saved, err = newest(tx, head); errors.Is(err, ErrDamaged) {
		c.saved.Damaged, err = err, nil // the plan says what is done then
	}
	c.saved.Lease = head.Lease
	return err
}

// newest finds the newest state of a slot.
func newest(tx *gorm.DB, head slotRow) (Saved, error) {
	var rec recoveryRow
	err := tx.First(&rec, inSlot, head.Game, head.Player, head.Slot).Error
	if err == nil && rec.AfterRevision == head.Revision {
		return Saved{Doc: rec.Doc, Revision: head.Revision, Recovered: true},
			verify(rec.Doc, rec.Checksum, "the recovery state")
	}
	if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
		return Saved{}, err
	}
	if head.Revision == 0 {
		return Saved{}, nil
	}
	var r Revision
	if err := tx.First(&r, inSlot+" AND revision = ?", head.Game, head.Player, head.Slot,
		head.Revision).Error; err != nil {
		return Saved{}, err
	}
	return Saved{Doc: r.Doc, Revision: r.Revision}, verify(r.Doc, r.Checksum, fmt.Sprintf("revision %d", r.Revision))
}

// Peek is Take without a lease: nothing changes.
func (s *Store) Peek(ctx context.Context, game, player string, slot int) (Saved, error) {
	var head slotRow
	err := s.read.WithContext(ctx).First(&head, inSlot, game, player, slot).Error
	if err != nil {
		return Saved{}, notFound(err, "slot %d of %s", slot, player)
	}
	return newest(s.read.WithContext(ctx), head)
}

// Revisions lists a slot's revisions, newest first, without their documents.
func (s *Store) Revisions(ctx context.Context, game, player string, slot int) ([]Revision, error) {
	var list []Revision
	return list, s.read.WithContext(ctx).Omit("doc").Order("revision DESC").
		Find(&list, inSlot, game, player, slot).Error
}

// Revision gives one revision with its document.
func (s *Store) Revision(ctx context.Context, game, player string, slot, revision int) (Revision, error) {
	var r Revision
	err := s.read.WithContext(ctx).First(&r, inSlot+" AND revision = ?", game, player, slot, revision).Error
	if err != nil {
		return r, notFound(err, "revision %d", revision)
	}
	return r, verify(r.Doc, r.Checksum, fmt.Sprintf("revision %d", revision))
}

// TakeUp makes an earlier revision the newest once more: a copy of it is written, and nothing is lost.
// Whoever has the slot open cannot write any more.
func (s *Store) TakeUp(ctx context.Context, game, player string, slot, revision, keep int) (int, error) {
	r, err := s.Revision(ctx, game, player, slot, revision)
	if err != nil {
		return 0, err
	}
	c := &restores{Game: game, Player: player, Slot: slot, Keep: keep,
		Revision: Revision{Moment: "taken-up", Version: r.Version, Scene: r.Scene, Doc: r.Doc}}
	err = s.do(ctx, c)
	return c.n, err
}

// restores is TakeUp as a change.
type restores struct {
	Game, Player string
	Slot, Keep   int
	Revision     Revision
	n            int
}

func (c *restores) apply(tx *gorm.DB, at time.Time) (err error) {
	var head slotRow
	if err := tx.First(&head, inSlot, c.Game, c.Player, c.Slot).Error; err != nil {
		return notFound(err, "slot %d of %s", c.Slot, c.Player)
	}
	head.Lease++
	if err := tx.Save(&head).Error; err != nil {
		return err
	}
	if err := tx.Delete(&recoveryRow{Game: c.Game, Player: c.Player, Slot: c.Slot}).Error; err != nil {
		return err
	}
	c.Revision.SavedAt = at
	c.n, err = addRevision(tx, head, c.Revision, c.Keep, true)
	return err
}

// SlotInfo tells what is in a slot.
type SlotInfo struct {
	Player   string
	Slot     int
	Revision int
	Moment   string
	Version  int
	Scene    string
	SavedAt  time.Time
}

// Whom narrows a list of what is saved; the zero value means everybody.
type Whom struct {
	Player string // only this one
	Part   string // only those whose id has this in it
	Most   int    // at most so many players, in the order of their ids; 0: all
}

// Players lists who has something saved in a game, slot by slot.
func (s *Store) Players(ctx context.Context, game string, whom Whom) ([]SlotInfo, error) {
	var list []SlotInfo
	q := s.read.WithContext(ctx).Table("slots AS h").
		Joins("JOIN saves AS s ON s.game = h.game AND s.player = h.player AND s.slot = h.slot AND s.revision = h.revision").
		Where("h.game = ?", game).Order("h.player, h.slot").
		Select("h.player, h.slot, h.revision, s.moment, s.version, s.scene, s.saved_at")
	if whom.Player != "" {
		q = q.Where("h.player = ?", whom.Player)
	}
	if whom.Part != "" || whom.Most > 0 {
		who := s.read.Table("slots").Where("game = ?", game).Distinct("player").Order("player")
		if whom.Part != "" {
			who = who.Where("instr(player, ?) > 0", whom.Part)
		}
		if whom.Most > 0 {
			who = who.Limit(whom.Most)
		}
		q = q.Where("h.player IN (?)", who)
	}
	return list, q.Scan(&list).Error
}

// SlotsByVersion says how many slots of a game have a newest save of each version.
func (s *Store) SlotsByVersion(ctx context.Context, game string) (map[int]int, error) {
	var rows []struct{ Version, Slots int }
	err := s.read.WithContext(ctx).Table("slots AS h").
		Joins("JOIN saves AS s ON s.game = h.game AND s.player = h.player AND s.slot = h.slot AND s.revision = h.revision").
		Where("h.game = ?", game).Group("s.version").Select("s.version, count(*) AS slots").Scan(&rows).Error
	out := map[int]int{}
	for _, r := range rows {
		out[r.Version] = r.Slots
	}
	return out, err
}

// World gives a session's stored world, or nil where it has none.
func (s *Store) World(ctx context.Context, game, session string) ([]byte, error) {
	var w worldRow
	err := s.read.WithContext(ctx).First(&w, "game = ? AND session = ?", game, session).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return w.Doc, verify(w.Doc, w.Checksum, "the world of "+session)
}

// LastWorld gives the world of a game that was saved last, and its session; nil where none was saved.
func (s *Store) LastWorld(ctx context.Context, game string) (session string, doc []byte, err error) {
	var w worldRow
	err = s.read.WithContext(ctx).Order("saved_at DESC, session").First(&w, "game = ?", game).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return "", nil, nil
	}
	if err != nil {
		return "", nil, err
	}
	return w.Session, w.Doc, verify(w.Doc, w.Checksum, "the world of "+w.Session)
}

// Alive says whether the file can be read and written, for the health check.
func (s *Store) Alive(ctx context.Context) error {
	var one int
	if err := s.read.WithContext(ctx).Raw("SELECT 1").Scan(&one).Error; err != nil {
		return err
	}
	return s.do(ctx, &asksNothing{})
}
