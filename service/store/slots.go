package store

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"gorm.io/gorm"
)

// Put writes a save that no session wrote: one that was uploaded, corrected, reset or copied. base is the revision that
// it is made from: where another is the newest by now, the answer is ErrConflict. Whoever has the slot open cannot
// write any more.
func (s *Store) Put(ctx context.Context, c Cut, base int) (int, error) {
	put := &putsSave{Cut: c, Base: base}
	err := s.do(ctx, put)
	return put.n, err
}

// putsSave is Put as a change.
type putsSave struct {
	Cut  Cut
	Base int
	n    int
}

func (c *putsSave) apply(tx *gorm.DB, at time.Time) error {
	p := c.Cut.Players[0]
	head, err := freeSlot(tx, c.Cut.Game, p.Player, p.Slot)
	if err != nil {
		return err
	}
	if c.Base >= 0 && head.Revision != c.Base {
		return ErrConflict
	}
	r := Revision{Moment: p.Moment, Version: p.Version, Scene: p.Scene, SavedAt: at, Doc: p.Doc, Why: p.Why}
	if c.n, err = addRevision(tx, head, r, c.Cut.Keep, true); err != nil {
		return err
	}
	if err := writeShared(tx, p); err != nil {
		return err
	}
	if err := writeProfile(tx, c.Cut, p, at); err != nil {
		return err
	}
	return writeRanks(tx, c.Cut, p)
}

// freeSlot takes a slot from whoever has it, and drops the recovery state.
func freeSlot(tx *gorm.DB, game, player string, slot int) (slotRow, error) {
	head := slotRow{Game: game, Player: player, Slot: slot}
	if err := tx.FirstOrCreate(&head, head).Error; err != nil {
		return head, err
	}
	head.Lease++
	if err := tx.Save(&head).Error; err != nil {
		return head, err
	}
	return head, tx.Delete(&recoveryRow{Game: game, Player: player, Slot: slot}).Error
}

// Empty makes a slot empty: nobody comes back to what was in it. Its revisions stay, and any of them can be restored.
func (s *Store) Empty(ctx context.Context, game, player string, slot int) error {
	return s.do(ctx, &empties{game, player, slot})
}

// empties is Empty as a change.
type empties struct {
	Game, Player string
	Slot         int
}

func (c *empties) apply(tx *gorm.DB, _ time.Time) error {
	var there slotRow
	if err := tx.First(&there, inSlot, c.Game, c.Player, c.Slot).Error; err != nil {
		return notFound(err, "slot %d of %s", c.Slot, c.Player)
	}
	head, err := freeSlot(tx, c.Game, c.Player, c.Slot)
	if err != nil {
		return err
	}
	head.Revision = 0
	if err := tx.Save(&head).Error; err != nil {
		return err
	}
	return tx.Where(inSlot, c.Game, c.Player, c.Slot).Delete(&rankRow{}).Error
}

// Traces says how much was held about a player.
type Traces struct {
	Slots, Saves, Ranks, Journal, Commons, Profiles int64
}

// Known are those of some players who have ever joined a session of a game, and were not deleted.
func (s *Store) Known(ctx context.Context, game string, players []string) ([]string, error) {
	var out []string
	err := s.read.WithContext(ctx).Model(&slotRow{}).Where("game = ? AND player IN ?", game, players).
		Distinct().Pluck("player", &out).Error
	return out, err
}

// Forget deletes everything that is held about a player in a game: every slot and save, their places in standings, and
// what the journals say of them. What they have in common over all games goes too where no other game has anything of
// them, or everywhere says so. All of it is overwritten in the file, and gone from the file's log, when Forget returns.
func (s *Store) Forget(ctx context.Context, game, player string, everywhere bool) (Traces, error) {
	c := &forgets{Game: game, Player: player, Everywhere: everywhere}
	err := s.do(ctx, c)
	if err == nil && c.traces == (Traces{}) {
		return c.traces, fmt.Errorf("player %q: %w", player, ErrNotFound)
	}
	return c.traces, err
}

// forgets is Forget as a change.
type forgets struct {
	Game, Player string
	Everywhere   bool
	traces       Traces
}

func (c *forgets) apply(tx *gorm.DB, _ time.Time) error {
	t := &c.traces
	*t = Traces{}
	for _, x := range []struct {
		count *int64
		model any
	}{{&t.Slots, &slotRow{}}, {&t.Saves, &Revision{}}, {&t.Saves, &recoveryRow{}}, {&t.Ranks,
		&rankRow{}}, {new(int64), &visitRow{}}, {new(int64), &simulatedRow{}}, {&t.Profiles, &profileRow{}}, {new(int64), &Original{}}} {
		done := tx.Where("game = ? AND player = ?", c.Game, c.Player).Delete(x.model)
		if done.Error != nil {
			return done.Error
		}
		*x.count += done.RowsAffected
	}
	var err error
	if t.Journal, err = deleteJournal(tx, "game = ? AND player = ?", c.Game, c.Player); err != nil {
		return err
	}
	var others int64
	if err := tx.Model(&slotRow{}).Where("player = ?", c.Player).Count(&others).Error; err != nil {
		return err
	}
	if c.Everywhere || others == 0 {
		done := tx.Where("player = ?", c.Player).Delete(&SharedValue{})
		t.Commons = done.RowsAffected
		return done.Error
	}
	return nil
}

// after takes the last of it out of the file.
func (c *forgets) after(s *Store) {
	s.settleLog()
	s.sweepTraces(c.Player)
}

// settleLog makes sure that what was deleted does not stand in the file's log any more, either.
func (s *Store) settleLog() {
	var err error
	for range 20 { // those who write come in between
		if err = s.write.Connection(settleSoon); !errors.Is(err, errBusy) {
			break
		}
		time.Sleep(250 * time.Millisecond)
	}
	if err != nil {
		s.log.Warn("something was deleted, and stands in the file's log until that is written next", "error", err)
	}
}

// sweepTraces writes the file anew where the name of somebody who was deleted still stands in it. SQLite overwrites what
// is deleted, but leaves copies in the unused part of a page when it moves rows from one page to another.
func (s *Store) sweepTraces(player string) {
	found, err := holds(s.path, []byte(player))
	if found || err != nil {
		s.writeAnew()
	}
}

// writeAnew writes the file without its unused parts.
func (s *Store) writeAnew() {
	if err := s.write.Exec("VACUUM").Error; err != nil {
		s.log.Warn("something was deleted, and a copy of it may stand in an unused part of the file", "error", err)
	}
	s.settleLog()
}

// holds says whether some bytes stand anywhere in a file.
func holds(path string, what []byte) (bool, error) {
	f, err := os.Open(path)
	if err != nil {
		return false, err
	}
	defer func() { _ = f.Close() }()
	part, kept := make([]byte, 1<<20), 0
	for {
		n, err := f.Read(part[kept:])
		if bytes.Contains(part[:kept+n], what) {
			return true, nil
		}
		if errors.Is(err, io.EOF) {
			return false, nil
		}
		if err != nil {
			return false, err
		}
		end := kept + n
		kept = min(end, len(what)-1) // what begins here may end in the next part
		copy(part, part[end-kept:end])
	}
}

// settleSoon is settleLog that does not wait long for those who read: nobody can write meanwhile.
func settleSoon(db *gorm.DB) error {
	if err := db.Exec("PRAGMA busy_timeout = 400").Error; err != nil {
		return err
	}
	defer db.Exec(fmt.Sprintf("PRAGMA busy_timeout = %d", patience))
	return settleLog(db)
}

// Everything visits all that is held about a player in a game: each revision with its document, newest first.
func (s *Store) Everything(ctx context.Context, game, player string, visit func(Revision) error) error {
	var keys []Revision
	err := s.read.WithContext(ctx).Omit("doc").Order("slot, revision DESC").Find(&keys, "game = ? AND player = ?", game,
		player).Error
	if err != nil {
		return err
	}
	for _, k := range keys {
		r, err := s.Revision(ctx, game, player, k.Slot, k.Revision)
		if errors.Is(err, ErrNotFound) {
			continue // it has just made room
		}
		if err != nil && !errors.Is(err, ErrDamaged) {
			return err
		}
		if err := visit(r); err != nil {
			return err
		}
	}
	return nil
}

// RanksOf lists a player's places in the standings of a game, as they are kept.
func (s *Store) RanksOf(ctx context.Context, game, player string) ([]Rank, error) {
	var rows []rankRow
	if err := s.read.WithContext(ctx).Order("standing, slot").Find(&rows, "game = ? AND player = ?", game,
		player).Error; err != nil {
		return nil, err
	}
	out := make([]Rank, len(rows))
	for i, r := range rows {
		out[i] = Rank{Standing: r.Standing, Number: r.Number, Text: r.Text}
	}
	return out, nil
}

// thinned says which revisions make room: beyond the first ones, which the plan keeps, the newest of each version of
// the plan stays, and the newest of each of the last seven days on which something was saved.
func thinned(all []keptRevision, keep int) (drop []int) {
	versions, days := make([]int, 0, 8), make([]string, 0, 8) // those that were met; newest first
	for i, r := range all {
		newVersion, newDay := !slices.Contains(versions, r.version), !slices.Contains(days, r.day)
		if i >= keep && !newVersion && !(newDay && len(days) < 7) {
			drop = append(drop, r.revision)
		}
		if newVersion {
			versions = append(versions, r.version)
		}
		if newDay {
			days = append(days, r.day)
		}
	}
	return drop
}
