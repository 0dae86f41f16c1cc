package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"github.com/go-json-experiment/json/jsontext"
	json "github.com/go-json-experiment/json/v1"
	"github.com/klauspost/compress/s2"
	"gorm.io/gorm"
)

// JournalKept is how many changes of a session are kept for people who ask why a value is what it is; a few more
// are there, since they are written and deleted in parts.
const JournalKept = 20_000

// Entry is one change in a session's journal. Doc is the change itself, in JSON.
type Entry struct {
	Game    string
	Session string
	Number  int64 // rising within the session
	At      time.Time
	Time    int64 // the session's, in milliseconds
	Player  string
	Name    string
	Doc     []byte
}

// journalPart is what one cut adds to a session's journal about one player, or ("") about none. A row for each part
// costs a twentieth of a row for each change, where a cut has twenty of a player.
type journalPart struct {
	Game    string `gorm:"primaryKey"`
	Session string `gorm:"primaryKey"`
	Last    int64  `gorm:"primaryKey"` // the number of its newest entry
	Many    int64
	At      time.Time // when its newest entry was
	Player  string
	Entries []byte // packed: a list of noted entries, in their order
}

// TableName names the table.
func (journalPart) TableName() string { return "journal" }

// notedEntry is an entry in a part.
type notedEntry struct {
	Number int64          `json:"n"`
	At     int64          `json:"at"` // in milliseconds since 1970
	Time   int64          `json:"t"`
	Name   string         `json:"v"`
	Doc    jsontext.Value `json:"doc"`
}

// partsOf are the parts of a cut's journal, in the order of their newest entries.
func partsOf(c *Cut) []journalPart {
	var out []journalPart
	at := map[string]int{}
	for i := range c.Journal {
		e := &c.Journal[i]
		k, known := at[e.Player]
		if !known {
			k = len(out)
			at[e.Player] = k
			out = append(out, journalPart{Game: c.Game, Session: c.Session, Player: e.Player, Entries: make([]byte, 0, 256)})
		}
		p := &out[k]
		p.Last, p.At, p.Many = e.Number, e.At, p.Many+1
		p.Entries = e.note(p.Entries)
	}
	for i := range out {
		out[i].Entries = packList(append(out[i].Entries, ']'))
	}
	slices.SortFunc(out, func(a, b journalPart) int { return cmp.Compare(a.Last, b.Last) })
	return out
}

// A list of entries is JSON; where it is long, packed by S2 (an extension of Snappy) behind a mark.
const (
	packed     = 's'
	packedFrom = 256 // bytes
)

func packList(list []byte) []byte {
	if len(list) < packedFrom {
		return list
	}
	room := make([]byte, 1+s2.MaxEncodedLen(len(list)))
	room[0] = packed
	return room[:1+len(s2.Encode(room[1:], list))]
}

func unpackList(raw []byte) ([]byte, error) {
	if len(raw) > 0 && raw[0] == packed {
		return s2.Decode(nil, raw[1:])
	}
	return raw, nil
}

// note adds an entry to a part's list.
func (e *Entry) note(list []byte) []byte {
	mark := byte('[')
	if len(list) > 0 {
		mark = ','
	}
	list = append(append(list, mark), `{"n":`...)
	list = append(strconv.AppendInt(list, e.Number, 10), `,"at":`...)
	list = append(strconv.AppendInt(list, e.At.UnixMilli(), 10), `,"t":`...)
	list = append(strconv.AppendInt(list, e.Time, 10), `,"v":`...)
	list, err := jsontext.AppendQuote(list, e.Name)
	if err != nil {
		panic(err) // names are UTF-8: the plan's reader sees to that
	}
	list = append(append(list, `,"doc":`...), e.Doc...)
	return append(list, '}')
}

// partOf is a row of a journal as it was before schema 10, as a part.
func partOf(row map[string]any) map[string]any {
	number, _ := row["number"].(int64)
	clock, _ := row["time"].(int64)
	at, _ := row["at"].(time.Time)
	e := Entry{Number: number, At: at, Time: clock, Name: fmt.Sprint(row["name"]), Doc: bytesOf(row["doc"])}
	if !jsontext.Value(e.Doc).IsValid() {
		e.Doc = []byte("null")
	}
	return map[string]any{"game": row["game"], "session": row["session"], "last": number, "many": 1, "at": row["at"], "player": row["player"],
		"entries": append(e.note(nil), ']')}
}

// entries are the entries of a part, the newest first.
func (p *journalPart) entries() ([]Entry, error) {
	var list []notedEntry
	raw, err := unpackList(p.Entries)
	if err == nil {
		err = json.Unmarshal(raw, &list)
	}
	if err != nil {
		return nil, err
	}
	out := make([]Entry, 0, len(list))
	for _, e := range slices.Backward(list) {
		out = append(out, Entry{p.Game, p.Session, e.Number, time.UnixMilli(e.At).UTC(), e.Time, p.Player, e.Name, e.Doc})
	}
	return out, nil
}

// writeJournal adds to a session's journal; the oldest parts make room.
func writeJournal(tx *gorm.DB, parts []journalPart) error {
	if len(parts) == 0 {
		return nil
	}
	newest := parts[len(parts)-1]
	if err := tx.CreateInBatches(parts, 100).Error; err != nil {
		return err
	}
	return tx.Delete(&journalPart{}, "game = ? AND session = ? AND last <= ?", newest.Game, newest.Session, newest.Last-JournalKept).Error
}

// Journal lists the newest changes of a session, newest first: of one player, of one value, or ("") of all.
func (s *Store) Journal(ctx context.Context, game, session, player, name string, most int) ([]Entry, error) {
	q := s.read.WithContext(ctx).Where("game = ? AND session = ?", game, session)
	if player != "" {
		q = q.Where("player = ?", player)
	}
	return s.newest(q.Order("last DESC"), name, most, func(e *Entry, p *journalPart) bool { return e.Number > p.Last },
		func(a, b Entry) int { return cmp.Compare(b.Number, a.Number) })
}

// JournalOf lists what the journals of all sessions of a game say of a player, newest first.
func (s *Store) JournalOf(ctx context.Context, game, player string, most int) ([]Entry, error) {
	q := s.read.WithContext(ctx).Where("game = ? AND player = ?", game, player).Order("at DESC, last DESC")
	return s.newest(q, "", most, func(e *Entry, p *journalPart) bool { return e.At.After(p.At) },
		func(a, b Entry) int { return cmp.Or(b.At.Compare(a.At), cmp.Compare(b.Number, a.Number)) })
}

// newest reads parts, the newest first, until as many entries as are wanted are newer than all of the parts that are left.
func (s *Store) newest(q *gorm.DB, name string, most int, newer func(*Entry, *journalPart) bool, order func(a, b Entry) int) ([]Entry, error) {
	rows, err := q.Model(&journalPart{}).Rows()
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	var out []Entry
	for rows.Next() {
		var p journalPart
		if err := s.read.ScanRows(rows, &p); err != nil {
			return nil, err
		}
		if len(out) >= most {
			slices.SortFunc(out, order)
			if out = out[:most]; most == 0 || newer(&out[most-1], &p) {
				break
			}
		}
		some, err := p.entries()
		if err != nil {
			s.log.Warn("a part of the journal cannot be read", "game", p.Game, "session", p.Session, "last", p.Last, "error", err)
		}
		for _, e := range some {
			if name == "" || e.Name == name {
				out = append(out, e)
			}
		}
	}
	slices.SortFunc(out, order)
	return out[:min(most, len(out))], rows.Err()
}

// JournalEnd is the number of a session's newest entry; 0 where it has none.
func (s *Store) JournalEnd(ctx context.Context, game, session string) (int64, error) {
	var last int64
	err := s.read.WithContext(ctx).Model(&journalPart{}).Where("game = ? AND session = ?", game,
		session).Select("COALESCE(MAX(last), 0)").Scan(&last).Error
	return last, err
}

// deleteJournal deletes the parts that a condition names, and says how many entries were in them.
func deleteJournal(tx *gorm.DB, where string, args ...any) (entries int64, err error) {
	count := tx.Model(&journalPart{}).Where(where, args...).Select("COALESCE(SUM(many), 0)").Scan(&entries).Error
	return entries, errors.Join(count, tx.Where(where, args...).Delete(&journalPart{}).Error)
}
