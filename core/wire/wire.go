// Package wire is what machines and the service say to each other over a WebSocket (docs/wire.md): one JSON object a
// message, told apart by "is". Frames with state are written by package share; in the packed sub-protocol those, and
// moves, are bits.
package wire

import (
	"encoding/binary"
	"errors"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

// The sub-protocols (RFC 6455, section 1.9): those that end in 2 are of plans that have scenes with near.
const (
	SubJSON       = "alluvion.json.1"
	SubPacked     = "alluvion.packed.1"
	SubJSONNear   = "alluvion.json.2"
	SubPackedNear = "alluvion.packed.2"
)

// MaxMessage is the most bytes that a client's message may have.
const MaxMessage = 64 << 10

// MaxBelieved is the most bytes that a message may have with which a client answers that it believes something else.
const MaxBelieved = 4 << 20

// Hello is the first message of a client.
type Hello struct {
	Is     string                 `json:"is"` // hello
	Token  string                 `json:"token,omitempty"`
	Player string                 `json:"player,omitempty"` // who plays; with a token it may be left out
	Server string                 `json:"server,omitempty"` // instead of a player: the name of the game's server
	Slot   int                    `json:"slot,omitzero"`    // from 1; 1 if unsaid
	Picks  map[string]types.Value `json:"picks,omitempty"`
	Plan   string                 `json:"plan,omitempty"` // the digest of the layout's plan that the client has
	Run    string                 `json:"run,omitempty"`  // to resume: the run, and
	Tick   int64                  `json:"tick,omitzero"`  // the last tick that the client has seen
	Checks bool                   `json:"checks,omitzero"`
	// Simulated says that no human plays: what is saved of this player can be removed with all of its kind.
	Simulated bool `json:"simulated,omitzero"`
}

// Welcome answers a hello that was accepted.
type Welcome struct {
	Is      string  `json:"is"` // welcome
	Player  string  `json:"player,omitempty"`
	Game    string  `json:"game"`
	Session string  `json:"session"`
	Version int     `json:"version"`
	Plan    string  `json:"plan"`
	Run     string  `json:"run"`
	Ticks   float64 `json:"ticks"` // frames a second
	Grace   float64 `json:"grace"` // seconds
	Number  uint64  `json:"number"`
	Resumed bool    `json:"resumed"`
	Missed  bool    `json:"missed,omitzero"` // messages were told in the meantime that are not known any more
	Tick    int64   `json:"tick"`
}

// Ask is any later message of a client.
type Ask struct {
	Is      string                               `json:"is"` // move, pass, touch, event, write, start-over, leave; ping, token, belief, believed, whole
	Number  uint64                               `json:"number,omitzero"`
	Arrival int                                  `json:"arrival,omitzero"`
	Player  string                               `json:"player,omitempty"` // of a server: whom it is about
	Name    string                               `json:"name,omitempty"`
	To      []fixed.Num                          `json:"to,omitempty"`
	Facing  string                               `json:"facing,omitempty"`
	Args    map[string]types.Value               `json:"args,omitempty"`
	Value   *types.Value                         `json:"value,omitempty"`
	Token   string                               `json:"token,omitempty"`  // of token: the new one
	Tick    int64                                `json:"tick,omitzero"`    // of belief and believed
	Digest  string                               `json:"digest,omitempty"` // of belief
	Values  map[string]map[string]jsontext.Value `json:"values,omitempty"` // of believed
}

// Said is any message of the service but a welcome and a frame.
type Said struct {
	Is       string     `json:"is"` // answer, refused, saved, pong, differs, fetch, bye
	Number   uint64     `json:"number,omitzero"`
	Repeat   bool       `json:"repeat,omitzero"`
	Kind     string     `json:"kind,omitempty"`
	Why      string     `json:"why,omitempty"`
	Key      string     `json:"key,omitempty"`    // of refused: what why is known by, where it is the plan's
	Member   string     `json:"member,omitempty"` // of a message that is not understood: which of its members
	Rule     int        `json:"rule,omitzero"`
	Line     int        `json:"line,omitzero"`
	Revision int        `json:"revision,omitzero"`
	Moment   string     `json:"moment,omitempty"`
	Tick     int64      `json:"tick,omitzero"`
	Time     *fixed.Num `json:"time,omitempty"`
	Plan     string     `json:"plan,omitempty"`
	Layout   string     `json:"layout,omitempty"`
}

// Told is something that a player is told.
type Told struct {
	Kind   string `json:"kind"`
	Player string `json:"player,omitempty"`
	Text   string `json:"text,omitempty"` // as the plan has it, or in English
	Key    string `json:"key,omitempty"`  // what the text is known by in the plan
	ID     string `json:"id,omitempty"`   // the milestone, checkpoint or movable
	Rule   int    `json:"rule,omitzero"`  // of message: the rule that says it
	Scene  string `json:"scene,omitempty"`
	From   string `json:"from,omitempty"`
}

// ToldOf is a notice as machines are told it.
func ToldOf(n *engine.Notice) Told {
	return Told{Kind: n.Kind, Player: n.Player, Text: n.Text, Key: n.Key, ID: n.ID, Rule: n.Rule, Scene: n.Scene, From: n.From}
}

// RefusalOf is why something was not done, as whoever asked for it is told.
func RefusalOf(number uint64, err error) Said {
	said := Said{Is: "refused", Number: number, Kind: engine.Failed, Why: err.Error()}
	var r *engine.Refusal
	if errors.As(err, &r) {
		said.Kind, said.Why, said.Key, said.Rule, said.Line = r.Kind, r.Reason, r.Key, r.Rule, r.Line
	}
	return said
}

// Why a connection ends: the close code (RFC 6455, section 7.4.2: from 4000 on they are the application's), and the
// reason that goes with it.
const (
	CodeLeft     = 1000
	CodeAway     = 1001 // the session or the service is closing
	CodeBad      = 1003 // what was sent is not understood
	CodeBig      = 1009 // what was sent is too large
	CodeLayout   = 4001 // the client has another plan: it is to fetch the layout
	CodeReplaced = 4002 // the player has come in over a newer connection
	CodeSlow     = 4003 // the client does not read; it may resume
	CodeSilent   = 4004 // nothing was heard of the client; it may resume
	CodeOften    = 4005 // too much of what it asked for was refused
	CodeToken    = 4006 // the token is not good for this, or has run out
	CodeRefused  = 4007 // the player cannot join
)

const packedMove = 2

// ErrMove says that bytes are no packed move.
var ErrMove = errors.New("this is no packed move")

// PackMove writes a move in bits: in which scene, where to, and which way the player faces ("" as before).
func PackMove(l *share.Layout, number uint64, arrival, scene int, to []fixed.Num, facing string) []byte {
	raw := binary.AppendUvarint([]byte{packedMove}, number)
	raw = binary.AppendUvarint(raw, uint64(arrival))
	return l.PackPlace(raw, scene, to, facing)
}

// UnpackMove reads a packed move.
func UnpackMove(l *share.Layout, raw []byte) (ask Ask, scene int, err error) {
	if len(raw) < 3 || raw[0] != packedMove {
		return Ask{}, 0, ErrMove
	}
	raw = raw[1:]
	number, n := binary.Uvarint(raw)
	if n <= 0 {
		return Ask{}, 0, ErrMove
	}
	arrival, k := binary.Uvarint(raw[n:])
	if k <= 0 || arrival > 1<<31 {
		return Ask{}, 0, ErrMove
	}
	scene, to, facing, err := l.UnpackPlace(raw[n+k:])
	return Ask{Is: "move", Number: number, Arrival: int(arrival), To: to, Facing: facing}, scene, err
}
