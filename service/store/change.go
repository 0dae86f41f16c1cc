package store

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"time"

	"github.com/fxamacker/cbor/v2"
	"gorm.io/gorm"
)

// change is what one writer wants written, as plain data. Applying the same changes in the same order makes the same
// file on every node: whether a change may be made is judged while it is applied, by what the file holds then, and
// nothing that decides anything comes from elsewhere, neither the clock nor chance. Exported fields are what is to be
// done, the others what came of it for whoever asked.
//
// at is when it was handed in. An error takes back all of the change, and nothing else.
type change interface {
	apply(tx *gorm.DB, at time.Time) error
}

// followed is a change after which this node has something to do by itself, once it is on disk. Others write
// meanwhile.
type followed interface {
	after(s *Store)
}

// changes are all kinds of changes, by the names that they have in messages.
var changes = map[string]change{
	"cut":           (*work)(nil),
	"claim":         (*claimsSession)(nil),
	"take":          (*takesSlot)(nil),
	"restore":       (*restores)(nil),
	"put":           (*putsSave)(nil),
	"empty":         (*empties)(nil),
	"forget":        (*forgets)(nil),
	"plan":          (*putsPlan)(nil),
	"publish":       (*publishes)(nil),
	"keep-world":    (*keepsWorld)(nil),
	"seal-key":      (*addsSealKey)(nil),
	"commons":       (*putsCommons)(nil),
	"end-session":   (*endsSession)(nil),
	"delete-game":   (*deletesGame)(nil),
	"original":      (*keepsOriginal)(nil),
	"rehearsal":     (*putsRehearsal)(nil),
	"no-rehearsal":  (*dropsRehearsal)(nil),
	"simulated":     (*marksSimulated)(nil),
	"trial":         (*beginsTrial)(nil),
	"trial-goes-on": (*putsTrial)(nil),
	"nothing":       (*asksNothing)(nil),
}

var nameOf = func() map[reflect.Type]string {
	out := map[reflect.Type]string{}
	for name, c := range changes {
		out[reflect.TypeOf(c)] = name
	}
	return out
}()

// Format is the newest format of messages that this program reads. One of a newer format is not applied: what it means
// is not known.
const Format = 1

// newer are the kinds of changes that came with a newer format than the first, and with which. What a kind does while it
// is applied is never altered once it was released, since two programs would make different files of it: what is to be
// done otherwise is a new kind, of a new format. A message is of the format of its kind, so that older nodes read
// all that they can.
var newer = map[string]int{}

func formatOf(c change) (name string, format int) {
	name = nameOf[reflect.TypeOf(c)]
	return name, max(1, newer[name])
}

// Errors of messages, for errors.Is.
var (
	// ErrFormat says that a message is of a newer format, or none at all.
	ErrFormat = fmt.Errorf("it is no message that this program can apply, which knows format %d", Format)
	// ErrOlder says that a node could not read a message.
	ErrOlder = errors.New("not all nodes are known to read this")
)

// message is a change on its way to other nodes, in CBOR (RFC 8949).
type message struct {
	Format int             `cbor:"1,keyasint"`
	Do     string          `cbor:"2,keyasint"`
	At     time.Time       `cbor:"3,keyasint"`
	Body   cbor.RawMessage `cbor:"4,keyasint"`
}

// How messages are written and read: times to the nanosecond, and large documents.
var (
	writesMessages = must(cbor.EncOptions{Time: cbor.TimeRFC3339NanoUTC}.EncMode())
	readsMessages  = must(cbor.DecOptions{MaxArrayElements: 1 << 24, MaxMapPairs: 1 << 24}.DecMode())
)

func must[T any](mode T, err error) T {
	if err != nil {
		panic(err) // the options are constants
	}
	return mode
}

// pack writes a change as a message.
func pack(c change, at time.Time) ([]byte, error) {
	body, err := writesMessages.Marshal(c)
	if err != nil {
		return nil, err
	}
	name, format := formatOf(c)
	return writesMessages.Marshal(message{format, name, at, body})
}

// unpack reads a message.
func unpack(raw []byte) (change, time.Time, error) {
	var m message
	if err := readsMessages.Unmarshal(raw, &m); err != nil {
		return nil, m.At, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	kind := changes[m.Do]
	if m.Format > Format || kind == nil {
		return nil, m.At, fmt.Errorf("%w: it is of format %d, and does %q", ErrFormat, m.Format, m.Do)
	}
	c := reflect.New(reflect.TypeOf(kind).Elem()).Interface().(change)
	if err := readsMessages.Unmarshal(m.Body, c); err != nil {
		return nil, m.At, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	return c, m.At.UTC(), nil
}

// do has a change written, and waits until it is on disk. A change that was begun is not abandoned: what comes of it is
// waited for even where the caller would give up.
func (s *Store) do(ctx context.Context, c change) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	done := make(chan error, 1)
	if !s.hand(job{change: c, done: done}) {
		return ErrClosed
	}
	err := <-done
	if next, ok := c.(followed); ok && err == nil {
		next.after(s)
	}
	return err
}

// asksNothing changes nothing: it shows that the file can be written.
type asksNothing struct{}

func (asksNothing) apply(tx *gorm.DB, _ time.Time) error { return tx.Exec("SELECT 1").Error }
