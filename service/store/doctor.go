package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strconv"
	"strings"

	"gorm.io/gorm"
)

// Trouble is something that is wrong with a file.
type Trouble struct {
	What   string `json:"what" doc:"What is wrong."`
	Detail string `json:"detail" doc:"Where, and what follows from it."`
	Saved  bool   `json:"saved" doc:"Whether a rescue gets the rest, or an earlier save stands in."`
}

// Diagnosis is what a file holds and what is wrong with it.
type Diagnosis struct {
	Path     string         `json:"path"`
	Bytes    int64          `json:"bytes"`
	Schema   int            `json:"schema" doc:"The version of its schema."`
	Known    int            `json:"known" doc:"The version that this program knows."`
	Counts   map[string]int `json:"counts" doc:"How much of each kind can be read."`
	Troubles []Trouble      `json:"troubles"`
	Rescued  map[string]int `json:"rescued,omitempty" doc:"Of a rescue: how many rows of each table were copied."`
	Lost     map[string]int `json:"lost,omitempty" doc:"And how many could not be read or kept."`
}

// Whole says whether nothing is wrong.
func (d *Diagnosis) Whole() bool { return len(d.Troubles) == 0 }

func (d *Diagnosis) tell(saved bool, what, detail string, args ...any) {
	d.Troubles = append(d.Troubles, Trouble{what, fmt.Sprintf(detail, args...), saved})
}

// tables are those that a file has, the ones that others refer to first.
var tables = []string{"games", "plan_texts", "versions", "rehearsals", "commons", "commons_values", "slots", "saves",
	"recoveries", "worlds", "kept_worlds", "ranks", "journal", "trials", "seal_keys", "simulated", "profiles", "originals", "owners", "visits"}

// Tables lists every table of the schema: what a rescue brings along.
func Tables() []string { return slices.Clone(tables) }

// openToRead opens a file without changing anything about it, also while a service has it open.
func openToRead(path string) (*gorm.DB, error) {
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("there is no file %s", path)
	case err != nil:
		return nil, err
	case info.IsDir():
		return nil, fmt.Errorf("%s is a folder", path)
	}
	db, err := connect("file:"+path+"?mode=ro&_query_only=on&_busy_timeout="+strconv.Itoa(patience), 1)
	if err != nil && strings.Contains(err.Error(), "not a database") {
		return nil, noData(path)
	}
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, err)
	}
	return db, nil
}

func noData(path string) error { return fmt.Errorf("%s is no data file of a service", path) }

// openData is openToRead of a file that a service has written.
func openData(path string) (*gorm.DB, error) {
	db, err := openToRead(path)
	if err != nil {
		return nil, err
	}
	var schema int
	err = db.Raw("PRAGMA user_version").Scan(&schema).Error
	if err == nil && schema < 1 {
		err = noData(path)
	}
	if err != nil {
		closeDB(db)
		return nil, err
	}
	return db, nil
}

// IsData says whether a file is one that a service keeps its data in; the error says why it is not.
func IsData(path string) error {
	db, err := openData(path)
	if err == nil {
		closeDB(db)
	}
	return err
}

// Backup writes a whole copy of a file as it is at one moment, also while a service has it open. An existing file is
// not overwritten.
func Backup(ctx context.Context, path, to string) error {
	if _, err := os.Stat(to); err == nil {
		return fmt.Errorf("%s is there already, and is not overwritten", to)
	}
	db, err := openData(path)
	if err != nil {
		return err
	}
	defer closeDB(db)
	if err := db.Exec("PRAGMA query_only = OFF").Error; err != nil { // the copy is what is written
		return err
	}
	return copyTo(ctx, db, to)
}

// Examine reads a whole file and says what is wrong with it. Nothing in it is changed. An error means that it cannot be
// read at all.
func Examine(ctx context.Context, path string) (*Diagnosis, error) {
	db, shut, err := openDamaged(path)
	if err != nil {
		return nil, err
	}
	defer shut()
	d := &Diagnosis{Path: path, Known: len(steps), Counts: map[string]int{}, Troubles: []Trouble{}}
	if info, err := os.Stat(path); err == nil {
		d.Bytes = info.Size()
	}
	if err := db.WithContext(ctx).Raw("PRAGMA user_version").Scan(&d.Schema).Error; err != nil {
		return nil, fmt.Errorf("%s cannot be read as a file of alluvion: %w", path, err)
	}
	if missing := missingBytes(path); missing > 0 {
		d.tell(true, "The file has lost its end", "%d bytes are missing. What stood before can still be read.", missing)
	}
	switch {
	case d.Schema > d.Known:
		d.tell(true, "It was written by a newer program", "Its schema is version %d, and this program knows up to %d.",
			d.Schema, d.Known)
		return d, nil
	case d.Schema < 0:
		d.tell(false, "Its schema has a version that cannot be", "It says that it has version %d.", d.Schema)
		return d, nil
	case d.Schema == 0:
		d.tell(false, "It holds nothing of alluvion", "No schema was ever made in it.")
		return d, nil
	}
	d.pages(db.WithContext(ctx))
	if d.Schema < d.Known {
		return d, nil // a service brings it forward; until then some tables are missing
	}
	d.contents(ctx, db)
	return d, ctx.Err()
}

// pages asks the database library whether its own structures are whole.
func (d *Diagnosis) pages(db *gorm.DB) {
	var found []string
	err := db.Raw("PRAGMA integrity_check(20)").Scan(&found).Error
	if err != nil {
		found = append(found, err.Error())
	}
	for _, text := range found {
		if text != "ok" {
			d.tell(true, "The file itself is damaged",
				"%s. A rescue copies everything that can still be read into a new file.", strings.TrimSpace(text))
		}
	}
}

// contents reads every row, and holds documents against their checksums.
func (d *Diagnosis) contents(ctx context.Context, db *gorm.DB) {
	for _, table := range tables {
		n, lost := 0, 0
		eachRow(ctx, db, table, func(map[string]any) { n++ }, func(error) { lost++ })
		d.Counts[table] = n
		if lost > 0 {
			d.tell(true, "Some of "+table+" cannot be read", "%d rows or more are lost; %d can be read.", lost, n)
		}
	}
	d.saves(ctx, db)
	for _, table := range []string{"recoveries", "worlds", "kept_worlds", "profiles", "originals"} {
		eachRow(ctx, db, table, func(row map[string]any) {
			if checksum(bytesOf(row["doc"])) != fmt.Sprint(row["checksum"]) {
				d.tell(false, "A document of "+table+" is damaged", "That of %v %v%v: its checksum does not match.",
					row["game"], row["player"], row["session"])
			}
		}, func(error) {})
	}
}

type slotID struct {
	game, player string
	slot         int64
}

// saves looks at every save, and whether each slot has the one that it begins with.
func (d *Diagnosis) saves(ctx context.Context, db *gorm.DB) {
	good := map[slotID]map[int64]bool{}
	eachRow(ctx, db, "saves", func(row map[string]any) {
		id := idOf(row)
		if good[id] == nil {
			good[id] = map[int64]bool{}
		}
		revision, _ := row["revision"].(int64)
		if good[id][revision] = checksum(bytesOf(row["doc"])) == fmt.Sprint(row["checksum"]); !good[id][revision] {
			d.tell(true, "A save is damaged", "Revision %d of slot %d of %s in %s: its checksum does not match.",
				revision, id.slot, id.player, id.game)
		}
	}, func(error) {})
	eachRow(ctx, db, "slots", func(row map[string]any) {
		id := idOf(row)
		revision, _ := row["revision"].(int64)
		if revision == 0 || good[id][revision] {
			return
		}
		best := int64(0)
		for r, whole := range good[id] {
			if whole {
				best = max(best, r)
			}
		}
		if best == 0 {
			d.tell(false, "A slot has no save any more", "Slot %d of %s in %s: none of its revisions can be read.",
				id.slot, id.player, id.game)
			return
		}
		d.tell(true, "The newest save of a slot cannot be read",
			"Slot %d of %s in %s: revision %d is the newest that is whole. Restore it, or say misfits: {unreadable: last} in the plan.", id.slot, id.player, id.game, best)
	}, func(error) {})
}

func idOf(row map[string]any) slotID {
	slot, _ := row["slot"].(int64)
	return slotID{fmt.Sprint(row["game"]), fmt.Sprint(row["player"]), slot}
}

func bytesOf(v any) []byte {
	switch v := v.(type) {
	case []byte:
		return v
	case string:
		return []byte(v)
	}
	return nil
}

// eachRow visits the rows of a table one by one, in the order of their row ids. One that cannot be read is told to
// lost, and passed over; so is one whose id does not rise, which only damage does. It ends when ctx does.
func eachRow(ctx context.Context, db *gorm.DB, table string, visit func(map[string]any), lost func(error)) {
	db = db.WithContext(ctx)
	var last int64
	for bad := 0; bad < mostBad && ctx.Err() == nil; {
		row := map[string]any{}
		found := db.Raw("SELECT rowid AS rowid_, * FROM "+table+" WHERE rowid > ? ORDER BY rowid LIMIT 1",
			last).Scan(&row)
		if found.Error == nil && len(row) == 0 {
			return
		}
		if id, _ := row["rowid_"].(int64); found.Error == nil && id > last {
			last = id
			delete(row, "rowid_")
			visit(row)
			continue
		}
		var next int64 // the rows behind the damage, where they can be found
		if db.Raw("SELECT COALESCE(MAX(rowid), 0) FROM "+table).Scan(&next).Error != nil || next <= last {
			lost(found.Error)
			return
		}
		last, bad = last+1, bad+1
		single := db.Raw("SELECT rowid AS rowid_, * FROM "+table+" WHERE rowid = ?", last).Scan(&row)
		if id, _ := row["rowid_"].(int64); single.Error == nil && id == last {
			delete(row, "rowid_")
			visit(row)
		} else if single.Error != nil {
			lost(single.Error)
		}
	}
}

// mostBad is over how many rows that cannot be read a table is read on.
const mostBad = 100_000
