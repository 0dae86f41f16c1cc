package store

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"strings"

	"gorm.io/gorm"
)

// steps bring the schema forward, one version each; a step that was released is never changed.
var steps = []string{
	`CREATE TABLE games (
		id TEXT PRIMARY KEY, title TEXT NOT NULL, version INTEGER NOT NULL,
		etag TEXT NOT NULL, text TEXT NOT NULL, updated_at DATETIME NOT NULL);
	CREATE TABLE plan_texts (
		game TEXT NOT NULL REFERENCES games(id), edition INTEGER NOT NULL, version INTEGER NOT NULL,
		etag TEXT NOT NULL, text TEXT NOT NULL, saved_at DATETIME NOT NULL, PRIMARY KEY (game, edition));
	CREATE TABLE slots (
		game TEXT NOT NULL REFERENCES games(id), player TEXT NOT NULL, slot INTEGER NOT NULL,
		revision INTEGER NOT NULL, lease INTEGER NOT NULL, PRIMARY KEY (game, player, slot));
	CREATE TABLE saves (
		game TEXT NOT NULL, player TEXT NOT NULL, slot INTEGER NOT NULL, revision INTEGER NOT NULL,
		moment TEXT NOT NULL, version INTEGER NOT NULL, scene TEXT NOT NULL, saved_at DATETIME NOT NULL,
		doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, player, slot, revision));
	CREATE TABLE recoveries (
		game TEXT NOT NULL, player TEXT NOT NULL, slot INTEGER NOT NULL, after_revision INTEGER NOT NULL,
		saved_at DATETIME NOT NULL, doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, player, slot));
	CREATE TABLE worlds (
		game TEXT NOT NULL REFERENCES games(id), session TEXT NOT NULL, saved_at DATETIME NOT NULL,
		doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, session))`,
	`CREATE TABLE journal (
		game TEXT NOT NULL REFERENCES games(id), session TEXT NOT NULL, number INTEGER NOT NULL,
		at DATETIME NOT NULL, time INTEGER NOT NULL, player TEXT NOT NULL, name TEXT NOT NULL, doc BLOB NOT NULL,
		PRIMARY KEY (game, session, number));
	CREATE INDEX journal_of ON journal (game, session, player, name, number);
	CREATE TABLE ranks (
		game TEXT NOT NULL REFERENCES games(id), standing TEXT NOT NULL, player TEXT NOT NULL, slot INTEGER NOT NULL,
		number REAL NOT NULL, text TEXT NOT NULL, PRIMARY KEY (game, standing, player, slot));
	CREATE INDEX ranks_by ON ranks (game, standing, number);
	CREATE TABLE commons (
		id TEXT PRIMARY KEY, title TEXT NOT NULL, version INTEGER NOT NULL,
		etag TEXT NOT NULL, text TEXT NOT NULL, updated_at DATETIME NOT NULL);
	CREATE TABLE commons_values (
		commons TEXT NOT NULL, player TEXT NOT NULL, name TEXT NOT NULL, doc BLOB NOT NULL,
		PRIMARY KEY (commons, player, name))`,
	`CREATE TABLE versions (
		game TEXT NOT NULL REFERENCES games(id), version INTEGER NOT NULL, etag TEXT NOT NULL, text TEXT NOT NULL,
		why TEXT NOT NULL, trial INTEGER NOT NULL, published_at DATETIME NOT NULL, PRIMARY KEY (game, version));
	CREATE TABLE trials (
		game TEXT NOT NULL REFERENCES games(id), id INTEGER NOT NULL, etag TEXT NOT NULL, version INTEGER NOT NULL,
		state TEXT NOT NULL, made INTEGER NOT NULL, seed INTEGER NOT NULL, part INTEGER NOT NULL, done INTEGER NOT NULL, total INTEGER NOT NULL,
		player TEXT NOT NULL, slot INTEGER NOT NULL, began_at DATETIME NOT NULL, ended_at DATETIME NOT NULL, error TEXT NOT NULL,
		text TEXT NOT NULL, doc BLOB NOT NULL, PRIMARY KEY (game, id));
	CREATE TABLE kept_worlds (
		game TEXT NOT NULL REFERENCES games(id), session TEXT NOT NULL, version INTEGER NOT NULL, saved_at DATETIME NOT NULL,
		doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, session, version));
	CREATE TABLE seal_keys (id TEXT PRIMARY KEY, secret BLOB NOT NULL, made_at DATETIME NOT NULL);
	ALTER TABLE saves ADD COLUMN why TEXT NOT NULL DEFAULT ''`,
	`CREATE TABLE rehearsals (
		game TEXT NOT NULL REFERENCES games(id), name TEXT NOT NULL, title TEXT NOT NULL, text TEXT NOT NULL,
		updated_at DATETIME NOT NULL, PRIMARY KEY (game, name))`,
	`CREATE TABLE simulated (game TEXT NOT NULL REFERENCES games(id), player TEXT NOT NULL, PRIMARY KEY (game, player))`,
	`CREATE TABLE profiles (
		game TEXT NOT NULL REFERENCES games(id), player TEXT NOT NULL, version INTEGER NOT NULL, saved_at DATETIME NOT NULL,
		doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, player))`,
	`DROP INDEX ranks_by;
	CREATE INDEX ranks_in_order ON ranks (game, standing, number, player, slot)`,
	`CREATE TABLE originals (
		game TEXT NOT NULL REFERENCES games(id), player TEXT NOT NULL, slot INTEGER NOT NULL, format TEXT NOT NULL, name TEXT NOT NULL,
		saved_at DATETIME NOT NULL, doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, player, slot, format))`,
	`CREATE TABLE owners (
		game TEXT NOT NULL REFERENCES games(id), session TEXT NOT NULL, node TEXT NOT NULL, run TEXT NOT NULL, epoch INTEGER NOT NULL,
		PRIMARY KEY (game, session));
	CREATE TABLE visits (
		game TEXT NOT NULL REFERENCES games(id), player TEXT NOT NULL, session TEXT NOT NULL, PRIMARY KEY (game, player));
	CREATE TABLE ordering (id INTEGER PRIMARY KEY, name TEXT NOT NULL, place INTEGER NOT NULL, resume INTEGER NOT NULL);
	CREATE TABLE heard (node TEXT NOT NULL, run TEXT NOT NULL, number INTEGER NOT NULL, PRIMARY KEY (node, run))`,
	`CREATE TABLE journal_parts (
		game TEXT NOT NULL REFERENCES games(id), session TEXT NOT NULL, last INTEGER NOT NULL, many INTEGER NOT NULL,
		at DATETIME NOT NULL, player TEXT NOT NULL, entries BLOB NOT NULL, PRIMARY KEY (game, session, last));
	INSERT INTO journal_parts SELECT game, session, number, 1, at, player, json_array(json_object('n', number,
		'at', CAST(ROUND((julianday(at) - 2440587.5) * 86400000) AS INTEGER), 't', time, 'v', name,
		'doc', CASE WHEN json_valid(CAST(doc AS TEXT)) THEN json(CAST(doc AS TEXT)) ELSE json('null') END)) FROM journal;
	DROP TABLE journal;
	ALTER TABLE journal_parts RENAME TO journal;
	CREATE INDEX journal_of ON journal (game, player, at)`,
	// Of a standing it is counted how many have their best number in each of many small ranges, so that nobody has to be
	// counted for a place (ranks.go). best says whether a row is the player's best where high numbers are (1), and where low ones are (2).
	`ALTER TABLE visits ADD COLUMN turn INTEGER NOT NULL DEFAULT 0;
	ALTER TABLE ranks ADD COLUMN bucket INTEGER NOT NULL DEFAULT 0;
	ALTER TABLE ranks ADD COLUMN best INTEGER NOT NULL DEFAULT 0;
	DROP INDEX ranks_in_order;
	CREATE INDEX ranks_high ON ranks (game, standing, number DESC, player) WHERE best & 1;
	CREATE INDEX ranks_low ON ranks (game, standing, number, player) WHERE best & 2;
	CREATE TABLE rank_counts (
		game TEXT NOT NULL, standing TEXT NOT NULL, side INTEGER NOT NULL, bucket INTEGER NOT NULL, n INTEGER NOT NULL,
		PRIMARY KEY (game, standing, side, bucket)) WITHOUT ROWID;
	CREATE TRIGGER ranks_come AFTER INSERT ON ranks WHEN NEW.best <> 0 BEGIN ` + counted("NEW", "+") + ` END;
	CREATE TRIGGER ranks_go AFTER DELETE ON ranks WHEN OLD.best <> 0 BEGIN ` + counted("OLD", "-") + ` END;
	` + ranksTurn,
}

// afterwards is what a step of the schema needs besides, by the version to which it leads.
var afterwards = map[int]func(*gorm.DB) error{11: func(tx *gorm.DB) error { return countRanks(tx, "") }}

// migrate brings the schema up to date, and refuses a file that is newer than this program. A file that has anything in
// it is copied first: what the copy is called, it says.
func migrate(db *gorm.DB, path string, log *slog.Logger) error {
	var version int
	if err := db.Raw("PRAGMA user_version").Scan(&version).Error; err != nil {
		return err
	}
	if version < 0 {
		return fmt.Errorf("%w: its schema says that it is version %d, which cannot be", ErrDamaged, version)
	}
	if version > len(steps) {
		return fmt.Errorf("%w: its schema is version %d, and this program knows up to %d", ErrNewer, version,
			len(steps))
	}
	if 0 < version && version < len(steps) {
		copied := fmt.Sprintf("%s.before-schema-%d", path, len(steps))
		if err := copyTo(context.Background(), db, copied); err != nil {
			return fmt.Errorf("the file could not be copied to %s before its schema is changed, and was not changed: %w", copied, err)
		}
		log.Info("the file was copied before its schema is brought forward", "copy", copied, "from", version, "to",
			len(steps))
	}
	for ; version < len(steps); version++ {
		err := db.Transaction(func(tx *gorm.DB) error {
			for _, statement := range strings.Split(steps[version], ";\n") {
				if err := tx.Exec(statement).Error; err != nil && strings.TrimSpace(statement) != "" {
					return err
				}
			}
			if then := afterwards[version+1]; then != nil {
				if err := then(tx); err != nil {
					return err
				}
			}
			return tx.Exec(fmt.Sprintf("PRAGMA user_version = %d", version+1)).Error
		})
		if err != nil {
			return fmt.Errorf("bringing the schema to version %d: %w", version+1, err)
		}
	}
	return nil
}

// kind marks a file of alluvion (the SQLite database file format, section 1.3.10, "application id"): one in which
// whatever was deleted was overwritten ever since.
const kind = 0x416c7576

// sweep writes a file anew in which earlier versions of this program may have deleted something without overwriting it.
func sweep(db *gorm.DB, log *slog.Logger) error {
	var is int64
	if err := db.Raw("PRAGMA application_id").Scan(&is).Error; err != nil || is == kind {
		return err
	}
	if err := db.Exec("VACUUM").Error; err != nil {
		log.Warn("what was deleted before may still stand in the file: it could not be written anew", "error", err)
		return nil
	}
	return errors.Join(db.Exec(fmt.Sprintf("PRAGMA application_id = %d", kind)).Error, settleLog(db))
}

// errBusy says that somebody read on while the log was to be written into the file.
var errBusy = errors.New("somebody was reading for too long")

// settleLog writes what stands in the file's log into the file, and empties the log.
func settleLog(db *gorm.DB) error {
	var done struct{ Busy int }
	if err := db.Raw("PRAGMA wal_checkpoint(TRUNCATE)").Scan(&done).Error; err != nil {
		return err
	}
	if done.Busy != 0 {
		return errBusy
	}
	return nil
}

// copyTo writes a whole copy of an open file, as it is at this moment, for its owner alone. One that is there already,
// from an earlier try, is replaced; one that is not finished leaves nothing.
func copyTo(ctx context.Context, db *gorm.DB, path string) error {
	part := path + ".part"
	f, err := os.OpenFile(part, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	err = errors.Join(db.WithContext(ctx).Exec("VACUUM INTO ?", part).Error, ctx.Err())
	if err == nil {
		err = errors.Join(f.Chmod(0o600), f.Sync())
	}
	if err = errors.Join(err, f.Close()); err == nil {
		err = os.Rename(part, path)
	}
	if err != nil {
		_ = os.Remove(part)
		_ = os.Remove(part + "-journal")
	}
	return err
}
