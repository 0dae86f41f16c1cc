package store

import (
	"fmt"
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
}

// migrate brings the schema up to date, and refuses a file that is newer than this program.
func migrate(db *gorm.DB) error {
	var version int
	if err := db.Raw("PRAGMA user_version").Scan(&version).Error; err != nil {
		return err
	}
	if version > len(steps) {
		return fmt.Errorf("%w: its schema is version %d, and this program knows up to %d", ErrNewer, version, len(steps))
	}
	for ; version < len(steps); version++ {
		err := db.Transaction(func(tx *gorm.DB) error {
			for _, statement := range strings.Split(steps[version], ";") {
				if err := tx.Exec(statement).Error; err != nil && strings.TrimSpace(statement) != "" {
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
