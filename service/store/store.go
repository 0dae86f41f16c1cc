// Package store keeps games, saves and worlds in one SQLite file.
//
// Writes go through one goroutine, which puts everything that waits into one transaction (group
// commit) and answers each writer when that transaction is on disk. Reads have connections of their
// own. Every stored document has a checksum, which is verified when it is read.
package store

import (
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"sync"
	"time"

	_ "github.com/mattn/go-sqlite3" // the driver, at the version that go.mod names
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// What can be wrong, for errors.Is.
var (
	ErrNotFound = errors.New("not found")
	ErrConflict = errors.New("somebody else changed it in the meantime")
	ErrLease    = errors.New("another session has taken over this save")
	ErrDamaged  = errors.New("what is stored is damaged: its checksum does not match")
	ErrNewer    = errors.New("the file was written by a newer version of alluvion")
	ErrClosed   = errors.New("the file is closed: nothing is written any more")
	ErrInUse    = errors.New("another alluvion has this file open")
)

// Store is an open file. It is safe for use by several goroutines.
type Store struct {
	write    *gorm.DB // one connection: the writer's, and of what settles the log after somebody was deleted
	read     *gorm.DB // several, for everybody
	jobs     chan job // to the writer, which puts those that wait together into one transaction
	stopped  chan struct{}
	heads    map[slotKey]*headNow // the writer's own: what it knows of slots
	hot      map[hotKey]*sql.Stmt // the writer's own: statements that are prepared
	closing  sync.Once
	shut     sync.RWMutex // guards closed: read-held to hand work in, held to close
	closed   bool
	path     string
	ordering *ordering // where several nodes apply the same; nil for one alone
	claimed  *os.File  // keeps the file from being opened twice, as long as it is open
	log      *slog.Logger
	now      func() time.Time
}

// job is one writer's part of a transaction.
type job struct {
	change change
	at     time.Time  // when it was handed in
	done   chan error // of a cut nil: it is told in its own way
}

// cut is what the job is where it is a cut; nil where it is anything else.
func (j *job) cut() *work {
	w, _ := j.change.(*work)
	return w
}

// Open opens or creates a file, brings its schema up to date, and starts its writer.
func Open(path string, log *slog.Logger) (*Store, error) {
	if info, err := os.Stat(filepath.Dir(path)); err != nil {
		return nil, fmt.Errorf("there is no folder for %s: %w", path, err)
	} else if !info.IsDir() {
		return nil, fmt.Errorf("%s is no folder, so %s cannot be in it", filepath.Dir(path), filepath.Base(path))
	}
	bearLimits()
	claimed, err := claim(path, log)
	if err != nil {
		return nil, fmt.Errorf("store: %s: %w", path, err)
	}
	s := &Store{path: path, jobs: make(chan job, 1024), stopped: make(chan struct{}), claimed: claimed, log: log, now: time.Now}
	if err := s.open(path); err != nil {
		release(claimed)
		return nil, fmt.Errorf("store: cannot open %s: %w", path, err)
	}
	go s.writer()
	return s, nil
}

func (s *Store) open(path string) (err error) {
	always := "_foreign_keys=on&_secure_delete=on&_busy_timeout=" + strconv.Itoa(patience)
	s.write, err = connect("file:"+path+"?"+always+"&_journal_mode=WAL&_synchronous=FULL&_txlock=immediate", 1)
	if err != nil {
		return err
	}
	if err := migrate(s.write, path, s.log); err != nil {
		closeDB(s.write)
		return err
	}
	if err := sweep(s.write, s.log); err != nil {
		closeDB(s.write)
		return err
	}
	if s.hot, err = prepareHot(s.write); err != nil {
		closeDB(s.write)
		return err
	}
	s.read, err = connect("file:"+path+"?"+always+"&_query_only=on", 4)
	return err
}

// patience is for how many milliseconds a statement waits for another process's lock.
const patience = 5000

// neverOld is the age at which GORM takes a prepared statement to be kept for good.
const neverOld = 10 * 365 * 24 * time.Hour

func connect(dsn string, most int) (*gorm.DB, error) {
	// Statements never grow old: with any other age GORM starts a goroutine that outlives the store.
	db, err := gorm.Open(sqlite.Open(dsn), &gorm.Config{Logger: logger.Discard, SkipDefaultTransaction: true,
		PrepareStmt: true, PrepareStmtTTL: neverOld})
	if err != nil {
		return nil, err
	}
	raw, err := db.DB()
	if err != nil {
		return nil, err
	}
	raw.SetMaxOpenConns(most)
	return db, raw.Ping()
}

func closeDB(db *gorm.DB) {
	if raw, err := db.DB(); err == nil {
		_ = raw.Close()
	}
}

// Close lets what was handed in be written, and closes the file. Nothing may be written after it.
func (s *Store) Close() {
	s.closing.Do(func() {
		s.shut.Lock()
		s.closed = true
		close(s.jobs)
		s.shut.Unlock()
		<-s.stopped
		if s.ordering != nil { // what has not come back by now is not known to be kept
			s.ordering.giveUp(s, 0, ErrClosed)
		}
		closeDB(s.read)
		closeDB(s.write)
		release(s.claimed)
	})
}

// maxGroup is how many writers' work goes into one transaction.
const maxGroup = 256

// writer owns the writing connection.
func (s *Store) writer() {
	defer close(s.stopped)
	for first := range s.jobs {
		group := []job{first}
		for n := -1; len(s.jobs) > n; runtime.Gosched() { // whoever is about to hand something in comes along
			n = len(s.jobs)
		}
	gather:
		for len(group) < maxGroup {
			select {
			case next, open := <-s.jobs:
				if !open {
					break gather
				}
				group = append(group, next)
			default:
				break gather
			}
		}
		if s.ordering != nil {
			s.ordering.handIn(s, group)
			continue
		}
		s.commit(group)
	}
}

// commit writes a group as one transaction. A job that fails is taken out of it alone; where the
// commit itself fails nobody's work was stored, and everybody is told.
func (s *Store) commit(group []job) {
	results := make([]error, len(group))
	if together(group) == len(group) { // mostly so: nothing but cuts, of different players
		if tried, err := s.commitCuts(group); tried {
			s.answer(group, results, err)
			return
		}
	}
	err := s.write.Transaction(func(tx *gorm.DB) error { return s.applyAll(tx, group, results) })
	s.answer(group, results, err)
}

// applyAll applies a group, one after the other but for cuts that go together, and says what came of each. In an order
// an error is given where the file cannot be written: then nothing of the group may be.
func (s *Store) applyAll(tx *gorm.DB, group []job, results []error) error {
	for i := 0; i < len(group); {
		n := together(group[i:])
		if n > 0 && s.writeCuts(tx, group[i:i+n]) == nil {
			for range n {
				results[i] = nil
				i++
			}
			continue
		}
		for range max(n, 1) {
			results[i] = tx.Transaction(func(tx *gorm.DB) error { return group[i].change.apply(tx, group[i].at) })
			s.heads = nil // it may have changed any of them
			if s.ordering != nil && ofTheFile(results[i]) {
				return results[i]
			}
			i++
		}
	}
	return nil
}

// commitCuts writes a group of cuts as one transaction, with nothing around them. It gives false where something in
// them goes wrong: then nothing of them is written, and they have to be written with more care.
func (s *Store) commitCuts(group []job) (tried bool, err error) {
	var inside error
	err = s.write.Transaction(func(tx *gorm.DB) error {
		inside = s.knownHeads(func() error { return s.writeTogether(tx, group) })
		return inside
	})
	return inside == nil, err
}

// answer tells everybody of a group what came of it; err is that of the commit, where nobody's work was stored.
func (s *Store) answer(group []job, results []error, err error) {
	if err != nil || len(s.heads) > maxHeads {
		s.heads = nil
	}
	for i, j := range group {
		if err != nil {
			results[i] = fmt.Errorf("store: nothing was written: %w", err)
			s.log.Error("a transaction could not be written", "error", err)
		}
		s.answerOne(j, results[i])
	}
}

// answerOne tells whoever waits what came of a job; of another machine's, nobody does.
func (s *Store) answerOne(j job, err error) {
	if w := j.cut(); w != nil && w.out != nil {
		if w.r.Err = err; err == nil && w.ended {
			w.r.Err = ErrMixed
		}
		w.out <- w.r
	} else if j.done != nil {
		j.done <- err
	}
}

// writeCuts writes cuts together. Where that does not go, nothing of them is written.
func (s *Store) writeCuts(tx *gorm.DB, jobs []job) error {
	return s.knownHeads(func() error {
		return tx.Transaction(func(inner *gorm.DB) error { return s.writeTogether(inner, jobs) })
	})
}

// knownHeads lets do read and change the heads of slots that are known; where it fails nothing is known any more, since
// that may be what was not written.
func (s *Store) knownHeads(do func() error) error {
	if s.heads == nil {
		s.heads = map[slotKey]*headNow{}
	}
	err := do()
	if err != nil {
		s.heads = nil
	}
	return err
}

// hand gives work to the writer; false where the store is closed, and nobody writes any more.
func (s *Store) hand(j job) bool {
	j.at = s.now().UTC()
	s.shut.RLock()
	defer s.shut.RUnlock()
	if !s.closed {
		s.jobs <- j
	}
	return !s.closed
}

func checksum(doc []byte) string {
	sum := sha256.Sum256(doc)
	return hex.EncodeToString(sum[:])
}

func verify(doc []byte, sum, what string) error {
	if checksum(doc) != sum {
		return fmt.Errorf("%s: %w", what, ErrDamaged)
	}
	return nil
}

// notFound turns GORM's word for it into ours.
func notFound(err error, format string, args ...any) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return fmt.Errorf(format+": %w", append(args, ErrNotFound)...)
	}
	return err
}
