package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Cuts that wait together are written together: a few statements for all of their saves, in place of several for each.
// A cut that needs more care (a lost lease, a slot that is not there) is written by itself, and so are all of a group
// in which anything goes wrong, so that one that fails takes no other with it.

// errByItself says that a cut has to be written by itself.
var errByItself = errors.New("it is written by itself")

// work is a cut that waits, with what came of it.
type work struct {
	Cut Cut
	r   CutResult
	out chan CutResult

	journal []journalPart // of the cut
	ended   bool          // the session has ended by it (mixed)
}

// together gives how many of the jobs, from the first on, are cuts of different players. Two slots of one player are
// written one after the other, since the later counts in a standing that takes the last save.
func together(jobs []job) int {
	seen := map[slotKey]bool{}
	for i, j := range jobs {
		w := j.cut()
		if w == nil {
			return i
		}
		for _, p := range w.Cut.Players {
			key := slotKey{game: w.Cut.Game, player: p.Player}
			if seen[key] {
				return i
			}
			seen[key] = true
		}
	}
	return len(jobs)
}

type slotKey struct {
	game, player string
	slot         int
}

// headRow is the head of a slot as it is read, with the revisions that it has.
type headRow struct {
	Game     string
	Player   string
	Slot     int
	Revision int
	Lease    int64
	Recovery bool    // whether it has recovery state
	Kept     *string // its revisions, each with version and day; nil where it has none
}

// headNow is the head of a slot as it is on disk. Nobody but the writer writes, so that it needs to be read only once;
// whatever is done with a slot in another way makes the writer forget what it knew.
type headNow struct {
	revision int
	lease    int64
	recovery bool
	kept     []keptRevision // newest first
}

// keptRevision is what thinning looks at.
type keptRevision struct {
	revision, version int
	day               string // as 2026-11-23, in UTC
	every             bool   // it was saved at a regular time
}

// maxHeads is how many heads are known at most.
const maxHeads = 20_000

// bulk is what is written for a group of cuts.
type bulk struct {
	hot        map[hotKey]*sql.Stmt
	heads      map[slotKey]*headNow
	revisions  []Revision
	moved      []slotRow
	recoveries []recoveryRow
	dropped    []slotKey  // recovery state
	old        []Revision // that make room, or are replaced
	ranks      []rankRow
	unranked   []rankRow // in all slots, or (Slot > 0) in one
	shared     []SharedValue
	profiles   []profileRow
}

// writeTogether writes the cuts of a group.
func (s *Store) writeTogether(tx *gorm.DB, list []job) error {
	b := &bulk{hot: s.hot, heads: s.heads}
	if err := b.read(tx, list); err != nil {
		return err
	}
	for i := range list {
		w := list[i].cut()
		w.r = CutResult{Written: Written{}}
		for _, p := range w.Cut.Players {
			if err := b.part(w, p, list[i].at); err != nil {
				return err
			}
		}
	}
	if err := b.write(tx); err != nil {
		return err
	}
	if err := b.writeJournals(tx, list); err != nil {
		return fmt.Errorf("the journal: %w", err)
	}
	return writeWorlds(tx, list)
}

type sessionKey struct{ game, session string }

// writeJournals adds to the journals of all sessions of a group; the oldest entries make room.
func (b *bulk) writeJournals(tx *gorm.DB, list []job) error {
	var all []journalPart
	newest := map[sessionKey]int64{}
	for _, j := range list {
		for _, p := range j.cut().journal {
			key := sessionKey{p.Game, p.Session}
			all, newest[key] = append(all, p), max(newest[key], p.Last)
		}
	}
	err := eachPart(all, func(part []journalPart) error {
		args := make([]any, 0, 7*len(part))
		for _, p := range part {
			args = append(args, p.Game, p.Session, p.Last, p.Many, p.At, p.Player, p.Entries)
		}
		return b.exec(tx, "journal", len(part), args)
	})
	for key, last := range newest {
		if err == nil {
			err = b.exec(tx, "journal-old", 1, []any{key.game, key.session, last - JournalKept})
		}
	}
	return err
}

// writeWorlds writes the worlds of a group: of each session the last.
func writeWorlds(tx *gorm.DB, list []job) error {
	last := map[sessionKey]*job{}
	for i := range list {
		if c := &list[i].cut().Cut; c.World != nil {
			last[sessionKey{c.Game, c.Session}] = &list[i]
		}
	}
	for _, j := range last {
		if err := writeWorld(tx, j.cut().Cut, j.at); err != nil {
			return err
		}
	}
	return nil
}

// read finds the heads of all slots that are written.
func (b *bulk) read(tx *gorm.DB, list []job) error {
	var keys []slotKey
	for _, j := range list {
		c := &j.cut().Cut
		if fence(tx, c.Game, c.Session, c.Epoch) != nil {
			return errByItself
		}
		for _, p := range c.Players {
			keys = append(keys, slotKey{c.Game, p.Player, p.Slot})
		}
	}
	keys = slices.DeleteFunc(keys, func(k slotKey) bool { return b.heads[k] != nil })
	return eachPart(keys, func(part []slotKey) error {
		var list []headRow
		in, args := tuples(part)
		err := tx.Raw(`SELECT h.game, h.player, h.slot, h.revision, h.lease,
			EXISTS (SELECT 1 FROM recoveries AS r WHERE r.game = h.game AND r.player = h.player AND r.slot = h.slot) AS recovery,
			(SELECT group_concat(s.revision || ':' || s.version || ':' || substr(s.saved_at, 1, 10) || ':' || (s.moment = 'every')) FROM saves AS s WHERE s.game = h.game AND s.player = h.player AND s.slot = h.slot) AS kept
			FROM slots AS h WHERE (h.game, h.player, h.slot) IN (VALUES `+in+`)`, args...).Scan(&list).Error
		for _, r := range list {
			h := &headNow{revision: r.Revision, lease: r.Lease, recovery: r.Recovery}
			if r.Kept != nil {
				h.kept = parseKept(*r.Kept)
			}
			b.heads[slotKey{r.Game, r.Player, r.Slot}] = h
		}
		return err
	})
}

// tuples are keys as they stand in a statement.
func tuples(keys []slotKey) (string, []any) {
	args := make([]any, 0, 3*len(keys))
	for _, k := range keys {
		args = append(args, k.game, k.player, k.slot)
	}
	return rows(3, len(keys)), args
}

// sizes are how many keys or rows one statement takes: a few sizes only, so that statements are prepared once.
var sizes = []int{100, 25, 5, 1}

// eachPart does something with as many keys or rows at a time as one of the sizes.
func eachPart[T any](all []T, do func([]T) error) error {
	for len(all) > 0 {
		n := sizes[slices.IndexFunc(sizes, func(size int) bool { return size <= len(all) })]
		if err := do(all[:n]); err != nil {
			return err
		}
		all = all[n:]
	}
	return nil
}

// part sorts what one player's part of a cut needs.
func (b *bulk) part(w *work, p PlayerCut, at time.Time) error {
	key := slotKey{w.Cut.Game, p.Player, p.Slot}
	head := b.heads[key]
	if head == nil || head.lease != p.Lease {
		return errByItself
	}
	b.shared = append(b.shared, p.Shared...)
	b.profiles = append(b.profiles, p.profile(w.Cut.Game, at)...)
	if p.Moment == "" && !p.Forget {
		b.recoveries = append(b.recoveries, recoveryRow{w.Cut.Game, p.Player, p.Slot, head.revision, at, p.Doc,
			p.sum})
		w.r.Written[p.Player], head.recovery = 0, true
		return nil
	}
	if head.recovery {
		b.dropped, head.recovery = append(b.dropped, key), false
	}
	if p.Forget {
		w.r.Written[p.Player] = head.revision
		return nil
	}
	b.revise(w, p, key, head, at)
	for _, r := range p.Ranks {
		row := newRank(w.Cut.Game, p.Player, p.Slot, r)
		switch {
		case r.Last:
			b.unranked = append(b.unranked, rankRow{Game: w.Cut.Game, Standing: r.Standing, Player: p.Player})
		case r.Text == "":
			b.unranked = append(b.unranked, row)
		}
		if r.Text != "" {
			b.ranks = append(b.ranks, row)
		}
	}
	return nil
}

// revise adds a slot's next revision, and says which make room for it.
func (b *bulk) revise(w *work, p PlayerCut, key slotKey, head *headNow, at time.Time) {
	n := head.revision + 1
	if len(head.kept) > 0 {
		n = max(n, head.kept[0].revision+1)
	}
	if i := slices.IndexFunc(head.kept, func(k keptRevision) bool {
		return k.revision == head.revision && k.every
	}); p.Moment == "every" && i >= 0 {
		b.old = append(b.old, Revision{Game: key.game, Player: key.player, Slot: key.slot, Revision: head.revision})
		head.kept = slices.Delete(head.kept, i, i+1)
	}
	b.revisions = append(b.revisions, Revision{Game: w.Cut.Game, Player: p.Player, Slot: p.Slot, Revision: n,
		Moment: p.Moment, Version: p.Version, Scene: p.Scene,
		SavedAt: at, Doc: p.Doc, Checksum: p.sum, Why: p.Why})
	b.moved = append(b.moved, slotRow{key.game, key.player, key.slot, n, head.lease})
	w.r.Written[p.Player], head.revision = n, n
	head.kept = slices.Insert(head.kept, 0, keptRevision{n, p.Version, at.Format(time.DateOnly),
		p.Moment == "every"})
	if keep := max(w.Cut.Keep, 1); len(head.kept) > keep {
		for _, revision := range thinned(head.kept, keep) {
			b.old = append(b.old, Revision{Game: key.game, Player: key.player, Slot: key.slot, Revision: revision})
			head.kept = slices.DeleteFunc(head.kept, func(k keptRevision) bool { return k.revision == revision })
		}
	}
}

func (b *bulk) write(tx *gorm.DB) error {
	upsert := clause.OnConflict{UpdateAll: true}
	steps := []func() error{
		func() error { return b.dropRecoveries(tx) },
		func() error { return b.insertRevisions(tx) },
		func() error { return b.moveHeads(tx) },
		func() error { return create(tx.Clauses(upsert), b.recoveries) },
		func() error { return create(tx.Clauses(upsert), b.shared) },
		func() error { return create(tx.Clauses(upsert), b.profiles) },
		func() error { return b.unrank(tx) },
		func() error { return create(tx.Clauses(rankAgain), b.ranks) },
		func() error { return b.pickBest(tx) },
		func() error { return b.deleteOld(tx) },
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// insertRevisions writes the revisions: what most of the time goes into, so that the statement is made by hand.
func (b *bulk) insertRevisions(tx *gorm.DB) error {
	return eachPart(b.revisions, func(part []Revision) error {
		args := make([]any, 0, 11*len(part))
		for i := range part {
			r := &part[i]
			args = append(args, r.Game, r.Player, r.Slot, r.Revision, r.Moment, r.Version, r.Scene, r.SavedAt, r.Doc,
				r.Checksum, r.Why)
		}
		return b.exec(tx, "insert", len(part), args)
	})
}

// moveHeads makes the new revisions the newest.
func (b *bulk) moveHeads(tx *gorm.DB) error {
	return eachPart(b.moved, func(part []slotRow) error {
		args := make([]any, 0, 5*len(part))
		for _, h := range part {
			args = append(args, h.Game, h.Player, h.Slot, h.Revision, h.Lease)
		}
		return b.exec(tx, "move", len(part), args)
	})
}

// The statements that every save needs, for each of the sizes. They are prepared once, when the file is opened.
var hotStatements = map[string]func(n int) string{
	"insert": func(n int) string {
		return "INSERT INTO saves (game, player, slot, revision, moment, version, scene, saved_at, doc, checksum, why) VALUES " + rows(11, n)
	},
	"move": func(n int) string {
		return "INSERT INTO slots (game, player, slot, revision, lease) VALUES " + rows(5, n) +
			" ON CONFLICT (game, player, slot) DO UPDATE SET revision = excluded.revision"
	},
	"old": func(n int) string {
		return "DELETE FROM saves WHERE (game, player, slot, revision) IN (VALUES " + rows(4, n) + ")"
	},
	"unrank-player": func(n int) string {
		return "DELETE FROM ranks WHERE (game, standing, player) IN (VALUES " + rows(3, n) + ")"
	},
	"unrank-slot": func(n int) string {
		return "DELETE FROM ranks WHERE (game, standing, player, slot) IN (VALUES " + rows(4, n) + ")"
	},
	"pick-best": pickBestOf,
	"journal": func(n int) string {
		return "INSERT INTO journal (game, session, last, many, at, player, entries) VALUES " + rows(7, n)
	},
	"journal-old": func(int) string { return "DELETE FROM journal WHERE game = ? AND session = ? AND last <= ?" },
	"recovery": func(n int) string {
		return "DELETE FROM recoveries WHERE (game, player, slot) IN (VALUES " + rows(3, n) + ")"
	},
}

type hotKey struct {
	name string
	n    int
}

// prepareHot prepares the statements that every save needs.
func prepareHot(db *gorm.DB) (map[hotKey]*sql.Stmt, error) {
	raw, err := db.DB()
	if err != nil {
		return nil, err
	}
	out := map[hotKey]*sql.Stmt{}
	for name, text := range hotStatements {
		for _, n := range sizes {
			if out[hotKey{name, n}], err = raw.Prepare(text(n)); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// exec runs one of the prepared statements in a transaction.
func (b *bulk) exec(tx *gorm.DB, name string, n int, args []any) error {
	in, ok := tx.Statement.ConnPool.(interface {
		StmtContext(context.Context, *sql.Stmt) *sql.Stmt
	})
	if !ok {
		return tx.Exec(hotStatements[name](n), args...).Error
	}
	_, err := in.StmtContext(tx.Statement.Context, b.hot[hotKey{name, n}]).ExecContext(tx.Statement.Context, args...)
	return err
}

// rows are the places of so many rows of so many columns in a statement.
func rows(columns, n int) string {
	one := "(" + strings.TrimSuffix(strings.Repeat("?,", columns), ",") + "),"
	return strings.TrimSuffix(strings.Repeat(one, n), ",")
}

func create[T any](tx *gorm.DB, all []T) error {
	return eachPart(all, func(part []T) error { return tx.Create(part).Error })
}

func (b *bulk) dropRecoveries(tx *gorm.DB) error {
	return eachPart(b.dropped, func(part []slotKey) error {
		_, args := tuples(part)
		return b.exec(tx, "recovery", len(part), args)
	})
}

func (b *bulk) deleteOld(tx *gorm.DB) error {
	return eachPart(b.old, func(part []Revision) error {
		args := make([]any, 0, 4*len(part))
		for _, r := range part {
			args = append(args, r.Game, r.Player, r.Slot, r.Revision)
		}
		return b.exec(tx, "old", len(part), args)
	})
}

// unrank takes numbers out of standings that do not count any more: of one slot, or (slot 0) of all of a player's.
func (b *bulk) unrank(tx *gorm.DB) error {
	var all, one []rankRow
	for _, r := range b.unranked {
		if r.Slot == 0 {
			all = append(all, r)
		} else {
			one = append(one, r)
		}
	}
	err := eachPart(all, func(part []rankRow) error {
		args := make([]any, 0, 3*len(part))
		for _, r := range part {
			args = append(args, r.Game, r.Standing, r.Player)
		}
		return b.exec(tx, "unrank-player", len(part), args)
	})
	if err != nil {
		return err
	}
	return eachPart(one, func(part []rankRow) error {
		args := make([]any, 0, 4*len(part))
		for _, r := range part {
			args = append(args, r.Game, r.Standing, r.Player, r.Slot)
		}
		return b.exec(tx, "unrank-slot", len(part), args)
	})
}

// pickBest finds out which numbers are now the best of those whose numbers changed.
func (b *bulk) pickBest(tx *gorm.DB) error {
	var changed []rankRow
	for _, r := range slices.Concat(b.unranked, b.ranks) {
		changed = append(changed, rankRow{Game: r.Game, Standing: r.Standing, Player: r.Player})
	}
	slices.SortFunc(changed, func(x, y rankRow) int {
		return cmp.Or(strings.Compare(x.Game, y.Game), strings.Compare(x.Standing, y.Standing), strings.Compare(x.Player, y.Player))
	})
	return eachPart(slices.Compact(changed), func(part []rankRow) error {
		args := make([]any, 0, 3*len(part))
		for _, r := range part {
			args = append(args, r.Game, r.Standing, r.Player)
		}
		return b.exec(tx, "pick-best", len(part), args)
	})
}

// parseKept reads the revisions of a slot as the statement of read lists them, newest first.
func parseKept(list string) []keptRevision {
	var out []keptRevision
	for one := range strings.SplitSeq(list, ",") {
		number, rest, _ := strings.Cut(one, ":")
		version, rest, _ := strings.Cut(rest, ":")
		day, every, _ := strings.Cut(rest, ":")
		k := keptRevision{day: day, every: every == "1"}
		k.revision, _ = strconv.Atoi(number)
		k.version, _ = strconv.Atoi(version)
		out = append(out, k)
	}
	slices.SortFunc(out, func(a, b keptRevision) int { return b.revision - a.revision })
	return out
}
