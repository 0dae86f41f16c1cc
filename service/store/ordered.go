package store

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/mattn/go-sqlite3"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Several nodes have one file each, and apply the same changes to it in the same order: what a node wants written
// it hands in as messages, which come back to every node, itself too, at their place in the order. Alone, a node
// applies what it hands in at once. Either way a change is applied by the same code.

// Order puts the messages of all nodes into one order, and keeps them.
type Order interface {
	// Put hands in a bundle of messages. It returns when it is kept for good, and tries until it is; an error says that
	// the node is stopping, and that nobody knows whether it was kept. One bundle at a time is handed in.
	Put(bundle []byte) error
	// Reads is the newest format of messages that all nodes read, and why none newer is written.
	Reads() (format int, why string)
}

// Writer is one that takes part, in one of its runs.
type Writer struct {
	Node string // its name
	Run  string // which run of the program: another one after each start
}

// Errors of files that are written in an order, for errors.Is.
var (
	ErrFenced  = errors.New("another node has this session now")
	ErrMoved   = errors.New("the player has joined another session meanwhile")
	ErrMixed   = errors.New("somebody in it plays elsewhere by now, so that what they changed together with others is not so")
	ErrOrdered = errors.New("the file belongs to several nodes: it is written in their order only")
	errAlone   = errors.New("the file is one service's own already: -alone is not needed")
	ErrOther   = errors.New("the file belongs to other nodes than these")
	ErrFile    = errors.New("what all nodes have written cannot be written into this node's file")
)

// bundle is what a node hands in at once.
type bundle struct {
	Writer
	First    int64    // the number of the first message, counted by the node from 1 in each run
	Messages [][]byte // one for each change
}

// maxBundle is about how large a bundle becomes, in bytes; a single message may be larger.
const maxBundle = 4 << 20

// triedFor is how long it is tried to write into the file what has come in the order.
const triedFor = 10 * time.Second

// Placed is a bundle at its place in the order.
type Placed struct {
	Place  uint64 // its last byte's; rising
	From   uint64 // where to go on reading after a stop: everything before it was applied
	Bundle []byte
}

// orderRow says how far a file has come in which order.
type orderRow struct {
	ID     int `gorm:"primaryKey"` // 1
	Name   string
	Place  uint64
	Resume uint64
}

// heardRow is the last message of a node, in one of its runs, that was applied. That of an earlier run stays: what was on
// its way when the run ended may come again, and late.
type heardRow struct {
	Node   string `gorm:"primaryKey"`
	Run    string `gorm:"primaryKey"`
	Number int64
}

// TableName names the table.
func (orderRow) TableName() string { return "ordering" }

// TableName names the table.
func (heardRow) TableName() string { return "heard" }

// ordering is the store's part in an order.
type ordering struct {
	order Order
	me    Writer
	told  func(change, bool) // of each change that was applied; true where it is this node's own

	// mu guards what waits to come back.
	mu      sync.Mutex
	sent    int64
	waiting map[int64]job

	// Of the one who applies:
	heard map[Writer]int64

	// applied is broadcast when place moves.
	moved   *sync.Cond // of mu
	applied uint64
}

// InOrder lets the file be written in an order from now on, which is called name. told is called on the applying
// goroutine, after each change of another node or of this one. It gives the place from which the order has to be
// read; 0 for its beginning.
func (s *Store) InOrder(name string, order Order, me Writer, told func(what any, mine bool)) (resume uint64, err error) {
	o := &ordering{order: order, me: me, waiting: map[int64]job{}, heard: map[Writer]int64{}}
	o.moved = sync.NewCond(&o.mu)
	o.told = func(c change, mine bool) {
		if n, ok := c.(notable); ok && told != nil {
			told(n.notice(), mine)
		}
	}
	row := orderRow{ID: 1, Name: name}
	if err := s.write.FirstOrCreate(&row, orderRow{ID: 1}).Error; err != nil {
		return 0, err
	}
	if row.Name != name {
		return 0, ErrOther
	}
	var heard []heardRow
	if err := s.write.Find(&heard).Error; err != nil {
		return 0, err
	}
	for _, h := range heard {
		o.heard[Writer{h.Node, h.Run}] = h.Number
	}
	o.applied = row.Place
	s.shut.Lock()
	defer s.shut.Unlock()
	s.ordering = o
	return row.Resume, nil
}

// Alone takes a file out of the order that it was written in: from now on it is one service's own. It is an error where it is
// so already.
func (s *Store) Alone() error {
	done := s.write.Delete(&orderRow{ID: 1})
	if done.Error == nil && done.RowsAffected == 0 {
		return errAlone
	}
	return errors.Join(done.Error, s.write.Where("1 = 1").Delete(&heardRow{}).Error, s.write.Where("1 = 1").Delete(&Owner{}).Error)
}

// InAnOrder says whether the file is written in an order, how that is called, and from where it is read on.
func (s *Store) InAnOrder() (name string, resume uint64, in bool) {
	var row orderRow
	err := s.read.First(&row, 1).Error
	return row.Name, row.Resume, err == nil
}

// Copy writes a whole copy of the file, as it is at this moment, and says from where an order is read on with it.
func (s *Store) Copy(ctx context.Context, path string) (resume uint64, err error) {
	if err := Backup(ctx, s.path, path); err != nil {
		return 0, err
	}
	db, err := openToRead(path)
	if err != nil {
		return 0, err
	}
	defer closeDB(db)
	var row orderRow
	err = db.First(&row, 1).Error
	return row.Resume, err
}

// Place is how far this file has come in the order.
func (s *Store) Place() uint64 {
	o := s.ordering
	if o == nil {
		return 0
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.applied
}

// Reached waits until this file has come to a place, or the context ends.
func (s *Store) Reached(ctx context.Context, place uint64) error {
	o := s.ordering
	if o == nil {
		return nil
	}
	stop := context.AfterFunc(ctx, func() {
		o.mu.Lock()
		defer o.mu.Unlock()
		o.moved.Broadcast()
	})
	defer stop()
	o.mu.Lock()
	defer o.mu.Unlock()
	for o.applied < place {
		if err := ctx.Err(); err != nil {
			return err
		}
		o.moved.Wait()
	}
	return nil
}

// handIn puts a group into the order. What comes of it is answered once it comes back.
func (o *ordering) handIn(s *Store, group []job) {
	for len(group) > 0 {
		b := bundle{Writer: o.me}
		size := 0
		o.mu.Lock()
		b.First = o.sent + 1
		for len(group) > 0 && (size < maxBundle || len(b.Messages) == 0) {
			raw, err := o.pack(group[0])
			if err != nil {
				s.answerOne(group[0], err)
				group = group[1:]
				continue
			}
			o.sent++
			o.waiting[o.sent] = group[0]
			b.Messages, size, group = append(b.Messages, raw), size+len(raw), group[1:]
		}
		o.mu.Unlock()
		if len(b.Messages) == 0 {
			continue
		}
		raw, err := writesMessages.Marshal(b)
		if err == nil {
			err = o.order.Put(raw)
		}
		if err != nil {
			o.giveUp(s, b.First, err)
		}
	}
}

// pack writes a change as a message, where all nodes read it.
func (o *ordering) pack(j job) ([]byte, error) {
	if _, format := formatOf(j.change); format > 1 {
		if reads, why := o.order.Reads(); format > reads {
			return nil, fmt.Errorf("%w: %s", ErrOlder, why)
		}
	}
	return pack(j.change, j.at)
}

// giveUp answers those who wait for messages from a number on: nobody knows whether these were kept.
func (o *ordering) giveUp(s *Store, from int64, err error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for n, j := range o.waiting {
		if n >= from {
			delete(o.waiting, n)
			s.answerOne(j, err)
		}
	}
}

// Apply writes what has come in the order, in one transaction. It tries for a while until the file can be written: what
// the others have written cannot be passed over. An error says that it cannot (ErrFile), that the context has ended, or
// that a message cannot be understood (ErrFormat): then nothing of it was written, and nothing after it may be.
func (s *Store) Apply(ctx context.Context, placed []Placed) error {
	o := s.ordering
	var group []job
	var own []int64 // of each of the group: its number, where somebody here waits for it; otherwise 0
	heard := map[Writer]int64{}
	for _, p := range placed {
		var b bundle
		if err := readsMessages.Unmarshal(p.Bundle, &b); err != nil {
			return fmt.Errorf("%w: %w", ErrFormat, err)
		}
		last, known := heard[b.Writer]
		if !known {
			last = o.heard[b.Writer]
		}
		for i, raw := range b.Messages {
			n := b.First + int64(i)
			if n <= last { // it came twice
				continue
			}
			j, mine, err := o.job(b.Writer, n, raw)
			if err != nil {
				return err
			}
			if !mine {
				n = 0
			}
			group, own = append(group, j), append(own, n)
			last = b.First + int64(i)
		}
		heard[b.Writer] = last
	}
	end := placed[len(placed)-1]
	results := make([]error, len(group))
	for giveUp := time.Now().Add(triedFor); ; {
		err := s.write.Transaction(func(tx *gorm.DB) error {
			if err := s.applyAll(tx, group, results); err != nil {
				return err
			}
			return o.moveOn(tx, heard, end)
		})
		if err == nil {
			break
		}
		s.heads = nil
		if time.Now().After(giveUp) {
			return fmt.Errorf("%w: %w", ErrFile, err)
		}
		s.log.Error("what all nodes have written cannot be written here: it is tried again", "error", err)
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	if len(s.heads) > maxHeads {
		s.heads = nil
	}
	o.come(s, group, own, results, heard, end)
	return nil
}

// job finds who waits for a message, or reads it.
func (o *ordering) job(from Writer, n int64, raw []byte) (j job, mine bool, err error) {
	if from == o.me {
		o.mu.Lock()
		defer o.mu.Unlock()
		if j, mine = o.waiting[n]; mine {
			return j, true, nil
		}
	}
	if j.change, j.at, err = unpack(raw); err == nil && j.cut() != nil {
		j.cut().prepare()
	}
	return j, false, err
}

// moveOn notes in the file how far it has come.
func (o *ordering) moveOn(tx *gorm.DB, heard map[Writer]int64, end Placed) error {
	for w, n := range heard {
		row := heardRow{w.Node, w.Run, n}
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
			return err
		}
	}
	return tx.Model(&orderRow{}).Where("id = 1").Updates(map[string]any{"place": end.Place, "resume": end.From}).Error
}

// come answers those who waited, and tells of what was applied.
func (o *ordering) come(s *Store, group []job, own []int64, results []error, heard map[Writer]int64, end Placed) {
	o.mu.Lock()
	maps.Copy(o.heard, heard)
	for _, n := range own {
		delete(o.waiting, n)
	}
	o.applied = end.Place
	o.moved.Broadcast()
	o.mu.Unlock()
	for i, j := range group {
		if results[i] == nil {
			o.told(j.change, own[i] > 0)
			if next, ok := j.change.(followed); ok && own[i] == 0 {
				go next.after(s)
			}
		}
		s.answerOne(j, results[i])
	}
}

// ofTheFile says whether an error is of this node's file or disk, and not a judgement that every node makes alike.
func ofTheFile(err error) bool {
	var failed sqlite3.Error
	return errors.As(err, &failed) && slices.Contains([]sqlite3.ErrNo{sqlite3.ErrFull, sqlite3.ErrIoErr, sqlite3.ErrBusy,
		sqlite3.ErrLocked, sqlite3.ErrNomem, sqlite3.ErrCorrupt, sqlite3.ErrReadonly, sqlite3.ErrCantOpen, sqlite3.ErrNotADB,
		sqlite3.ErrInterrupt, sqlite3.ErrPerm}, failed.Code)
}
