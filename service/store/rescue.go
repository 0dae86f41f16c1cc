package store

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"

	"gorm.io/gorm"
)

// openDamaged opens a file to read all that it still has. One that has lost its end is read from a copy that is filled
// up to its former length: the database library reads no file that is shorter than it says.
func openDamaged(path string) (*gorm.DB, func(), error) {
	if missingBytes(path) == 0 {
		db, err := openToRead(path)
		return db, func() { closeDB(db) }, err
	}
	folder, err := os.MkdirTemp("", "alluvion-doctor-")
	if err != nil {
		return nil, nil, err
	}
	remove := func() { _ = os.RemoveAll(folder) }
	copied := filepath.Join(folder, "filled.db")
	db, err := (*gorm.DB)(nil), fillUp(path, copied)
	if err == nil {
		db, err = openToRead(copied)
	}
	if err != nil {
		remove()
		return nil, nil, err
	}
	return db, func() { closeDB(db); remove() }, nil
}

// missingBytes is how much shorter a file is than its header says (the SQLite database file format, section 1.3: the
// page size at offset 16, the size in pages at offset 28); 0 where it is no such file.
func missingBytes(path string) int64 {
	f, err := os.Open(path)
	if err != nil {
		return 0
	}
	defer func() { _ = f.Close() }()
	var head [100]byte
	if _, err := io.ReadFull(f, head[:]); err != nil || string(head[:15]) != "SQLite format 3" {
		return 0
	}
	page := int64(binary.BigEndian.Uint16(head[16:]))
	if page == 1 {
		page = 65536
	}
	info, err := f.Stat()
	if err != nil {
		return 0
	}
	return max(0, page*int64(binary.BigEndian.Uint32(head[28:]))-info.Size())
}

// fillUp copies a file that has lost its end, with nothing in the place of what is missing.
func fillUp(path, to string) error {
	from, err := os.Open(path)
	if err != nil {
		return err
	}
	defer func() { _ = from.Close() }()
	f, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	n, err := io.Copy(f, from)
	return errors.Join(err, f.Truncate(n+missingBytes(path)), f.Close())
}

// Rescue copies everything that can be read into a new file, and says what could not be. What cannot be read or kept is
// passed over and counted, by table. Slots whose newest save is damaged begin with the newest that is whole. Where it
// fails, there is no new file.
func Rescue(ctx context.Context, path, to string) (*Diagnosis, error) {
	d, err := Examine(ctx, path)
	if err != nil {
		return nil, err
	}
	if d.Schema < 1 || d.Schema > d.Known {
		return d, fmt.Errorf("its schema is version %d, and this program rescues versions 1 to %d", d.Schema, d.Known)
	}
	if _, err := os.Stat(to); err == nil {
		return d, fmt.Errorf("%s is there already, and is not overwritten", to)
	}
	from, shut, err := openDamaged(path)
	if err != nil {
		return d, err
	}
	defer shut()
	out, err := Open(to, slog.New(slog.DiscardHandler))
	if err != nil {
		return d, err
	}
	d.Rescued, d.Lost = map[string]int{}, map[string]int{}
	err = errors.Join(d.copyAll(ctx, from, out.write), ctx.Err())
	out.Close()
	if err != nil {
		for _, part := range []string{to, to + "-wal", to + "-shm"} {
			_ = os.Remove(part)
		}
	}
	return d, err
}

// copyAll copies row by row. A table's rows may refer to a game whose own row is lost: that is made anew of its plan.
func (d *Diagnosis) copyAll(ctx context.Context, from, to *gorm.DB) error {
	if err := to.Exec("PRAGMA foreign_keys = OFF").Error; err != nil {
		return err
	}
	return to.Transaction(func(tx *gorm.DB) error {
		for _, table := range tables {
			if !hasTable(from, table) { // which a later schema has
				continue
			}
			eachRow(ctx, from, table, func(row map[string]any) {
				if doc, has := row["checksum"]; has && checksum(bytesOf(row["doc"])) != fmt.Sprint(doc) {
					d.Lost[table]++
					return
				}
				if table == "journal" && row["entries"] == nil {
					row = partOf(row)
				}
				if kept(tx, table, row) {
					d.Rescued[table]++
				} else {
					d.Lost[table]++
				}
			}, func(error) { d.Lost[table]++ })
		}
		return errors.Join(remakeGames(tx), countRanks(tx, ""), tx.Exec(`UPDATE slots SET revision = COALESCE((SELECT MAX(revision) FROM saves AS s WHERE s.game = slots.game AND s.player = slots.player AND s.slot = slots.slot AND s.moment <> 'superseded'), 0)
			WHERE revision > 0 AND NOT EXISTS (SELECT 1 FROM saves AS s WHERE s.game = slots.game AND s.player = slots.player AND s.slot = slots.slot AND s.revision = slots.revision)`).Error,
			tx.Exec(`INSERT INTO slots (game, player, slot, revision, lease) SELECT game, player, slot, MAX(revision), 0 FROM saves WHERE moment <> 'superseded'
			AND NOT EXISTS (SELECT 1 FROM slots AS s WHERE s.game = saves.game AND s.player = saves.player AND s.slot = saves.slot) GROUP BY game, player, slot`).Error)
	})
}

// kept writes one row; where that does not go, nothing of it is written. The mark is given up at once: thousands of
// them, one in the other, make each further row slower.
func kept(tx *gorm.DB, table string, row map[string]any) bool {
	if tx.Exec("SAVEPOINT row").Error != nil {
		return false
	}
	err := tx.Table(table).Create(row).Error
	if err != nil {
		err = errors.Join(err, tx.Exec("ROLLBACK TO row").Error)
	}
	return errors.Join(err, tx.Exec("RELEASE row").Error) == nil
}

// hasTable says whether a file has a table. Where that cannot be read, it may have it.
func hasTable(db *gorm.DB, table string) bool {
	var n int64
	err := db.Raw("SELECT COUNT(*) FROM sqlite_master WHERE type = 'table' AND name = ?", table).Scan(&n).Error
	return err != nil || n > 0
}

// remakeGames makes the row of a game anew of the newest of its plan's texts, and drops what belongs to a game of which
// nothing is left.
func remakeGames(tx *gorm.DB) error {
	for _, source := range []string{"plan_texts", "versions"} {
		at := map[string]string{"plan_texts": "saved_at", "versions": "published_at"}[source]
		err := tx.Exec(`INSERT INTO games (id, title, version, etag, text, updated_at) SELECT game, game, version, etag, text, MAX(` + at + `) FROM ` + source + `
			WHERE game NOT IN (SELECT id FROM games) GROUP BY game`).Error
		if err != nil {
			return err
		}
	}
	for _, table := range tables {
		if table == "games" || table == "commons" || table == "commons_values" || table == "seal_keys" {
			continue
		}
		if err := tx.Exec("DELETE FROM " + table + " WHERE game NOT IN (SELECT id FROM games)").Error; err != nil {
			return err
		}
	}
	return nil
}
