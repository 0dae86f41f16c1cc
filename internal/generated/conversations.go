package generated

import (
	"encoding/hex"
	"fmt"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
)

// following is a plan in which a machine sees something of every form.
const following = `
alluvion: 1
game: following
version: 1
space: {axes: [x, y], step: 0.5, facings: [north, south]}
start: hall/door
reach: 100
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep}
  game:   {restart: keep}
  prop:   {scene: keep, restart: keep}
  place:  {death: entry, leave: exact}
rosters: {guide: {options: {ash: {}, birch: {}}}}
variables:
  oil:   {of: player, type: decimal, min: -1, max: 40, step: 0.1, start: 12}
  name:  {of: player, type: text, max_length: 8, alphabet: "a-zé", optional: true, share: {with: everyone, writer: self}}
  hood:  {of: player, type: choice, choices: [up, down], start: down, share: {with: scene}}
  guide: {of: player, type: pick:guide, optional: true, read_by: game}
  bag:   {of: player, type: set, items: {type: choice, choices: [rope, lamp, salt]}, max_items: 3, read_by: game}
  run:   {of: player, type: stopwatch, read_by: game}
  seen:  {of: [player, scene], type: bool, start: false, read_by: game}
  snow:  {of: scene, type: int, min: 0, max: 9, start: 0, read_by: game}
  open:  {of: prop:chest, type: bool, start: false}
  fund:  {of: game, type: int, min: 0, max: 999, start: 0, read_by: game}
scenes:
  hall: {size: [64, 48], spots: {door: {at: [1, 1]}, post: {at: [30, 20]}}}
  pit:  {size: [8, 8], spots: {foot: {at: [2, 2]}}}
passages: {steps: {from: hall/door, to: pit/foot, both_ways: true}}
checkpoints: {fallback: hall/door, list: {post: {at: hall/post}}}
waymarks: {back: {}}
milestones: {below: {title: Gone below, when: place.scene == 'pit'}}
props: {chest: {placed: {red: {in: hall, at: [5, 5]}, blue: {in: pit, at: [5, 5]}}}}
movables: {sled: {start: hall/post}}
events:
  burn: {from: self}
  pack: {from: self, args: {what: {type: choice, choices: [rope, lamp, salt]}}}
  open: {from: self, args: {it: prop:chest}}
  drag: {from: self}
  fall: {from: self}
rules:
  - {on: burn, do: [{add: player.oil, by: -0.1}, {set: player.hood, to: up}, {add: game.fund, by: 1}, {set: scene.snow, to: 3}]}
  - {on: pack, do: [{put: player.bag, item: args.what}, {remember: back}]}
  - {on: open, do: [{set: args.it.open, to: true}, {notify: scene, text: A lid creaks.}]}
  - {on: drag, do: [{take: sled}]}
  - {on: fall, do: [{die: player}]}
  - {on: {arrived: pit}, do: [{set: scene.seen, to: true}]}
saving: {when: [leave], every: 30s}
`

// nearby is a plan with a scene in which a machine is sent only those who are near.
const nearby = `
alluvion: 1
game: nearby
version: 1
space: {axes: [x, y], step: 0.5, facings: [north, south]}
start: field/gate
reach: 100
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, scene: {scene: keep, restart: keep}, place: {death: stay, leave: exact}}
variables:
  hood:  {of: player, type: choice, choices: [up, down], start: down, share: {with: scene}}
  name:  {of: player, type: text, max_length: 8, optional: true, share: {with: everyone, writer: self}}
  tents: {of: [player, scene], type: int, min: 0, max: 9, start: 0, share: {with: scene}, across: {scene: reset}}
  flags: {of: scene, type: int, min: 0, max: 9, start: 0, read_by: game}
scenes:
  field: {size: [90, 40], near: {within: 10, at_most: 2}, spots: {gate: {at: [5, 20]}}}
  hall:  {size: [9, 9], spots: {door: {at: [1, 1]}}}
passages: {in: {from: field/gate, to: hall/door, both_ways: true}}
events: {hide: {from: self}, pitch: {from: self}, wave: {from: self}}
rules:
  - {on: hide, do: [{set: player.hood, to: "player.hood == 'up' ? 'down' : 'up'"}]}
  - {on: pitch, do: [{add: scene.tents, by: 1}]}
  - {on: wave, do: [{add: scene.flags, by: 1}]}
saving: {when: [leave], every: 30s}
session: {players: 30}
`

// spokenBy is what somebody asks; nothing where they join.
type spokenBy struct{ who, ask string }

// spokenNearby is a conversation in that plan.
var spokenNearby = []spokenBy{
	{"bob", ""},
	{"bob", `{"is":"move","number":1,"to":[12,20],"facing":"south"}`},
	{"carl", ""},
	{"bob", `{"is":"event","number":2,"name":"hide"}`},
	{"bob", `{"is":"event","number":3,"name":"pitch"}`},
	{"bob", `{"is":"move","number":4,"to":[15.5,20],"facing":"north"}`}, // a little too far, and near before
	{"dora", ""}, // three others are near, and two of them are sent
	{"bob", `{"is":"move","number":5,"to":[60,20],"facing":"north"}`}, // out of sight
	{"bob", `{"is":"write","number":6,"name":"player.name","value":"Bo"}`},
	{"bob", `{"is":"event","number":7,"name":"hide"}`},
	{"carl", `{"is":"leave","number":1}`},
	{"ada", `{"is":"event","number":1,"name":"wave"}`},
	{"bob", `{"is":"move","number":8,"to":[14,20],"facing":"north"}`}, // back
	{"eve", ""}, // in the seat of carl
	{"ada", `{"is":"pass","number":2,"name":"in"}`}, // near is empty
	{"bob", `{"is":"pass","number":9,"name":"in"}`},
	{"ada", `{"is":"pass","number":3,"name":"in"}`}, // and is whole again
	{"ada", `{"is":"event","number":4,"name":"pitch"}`},
}

// spoken is what is asked in turn, by whom; ada's machine is the one that is looked at.
var spoken = []spokenBy{
	{"ada", `{"is":"move","number":1,"to":[30,20],"facing":"north"}`},
	{"ada", `{"is":"touch","number":2,"name":"post"}`},
	{"bob", ""}, // joins
	{"ada", `{"is":"event","number":3,"name":"burn"}`},
	{"ada", `{"is":"write","number":4,"name":"player.name","value":"adé"}`},
	{"bob", `{"is":"event","number":1,"name":"burn"}`},
	{"ada", `{"is":"event","number":5,"name":"pack","args":{"what":"rope"}}`},
	{"ada", `{"is":"event","number":6,"name":"open","args":{"it":"red"}}`},
	{"ada", `{"is":"event","number":7,"name":"drag"}`},
	{"bob", `{"is":"pass","number":2,"name":"steps"}`},
	{"ada", `{"is":"event","number":8,"name":"open","args":{"it":"green"}}`}, // refused: there is none
	{"ada", `{"is":"pass","number":9,"name":"steps"}`},
	{"ada", `{"is":"event","number":10,"name":"fall"}`},
	{"ada", `{"is":"start-over","number":11}`},
	{"bob", `{"is":"leave","number":3}`},
}

// turn is one step of a conversation: what was asked, and the frame that ada's machine is sent after it.
type turn struct {
	Who    string                               `json:"who"`
	Asks   jsontext.Value                       `json:"asks,omitzero"`
	Frame  jsontext.Value                       `json:"frame"`
	Packed string                               `json:"packed"`
	View   map[string]map[string]jsontext.Value `json:"view"`
	Digest string                               `json:"digest"`
}

// conversation is the frames that a machine is sent, in text and in bits, with what it ought to believe after each, for
// those who write a client of their own.
func conversation(plan string, spoken []spokenBy) ([]byte, error) {
	m, _, found := check.Text([]byte(plan), nil)
	if m == nil {
		return nil, fmt.Errorf("the plan of the conversation: %+v", found)
	}
	run := engine.Open(m, 7)
	layout := share.LayoutOf(m)
	board := share.NewBoard(run, layout)
	served, err := json.Marshal(layout, json.Deterministic(true))
	if err != nil {
		return nil, err
	}
	read, err := share.ReadLayout(served)
	if err != nil {
		return nil, err
	}
	text, bits := share.NewMirror(nil), share.NewMirror(read)
	text.SetNear(layout.HasNear())
	var told, packedTold share.Sight
	var turns []turn
	heard, done := int64(share.Whole), uint64(0)
	joined := map[string]bool{}
	for i, step := range append([]spokenBy{{"ada", ""}}, spoken...) {
		now := int64(i+1) * 250
		req := engine.Request{At: now, Do: "join", Player: step.who, Slot: 1}
		if joined[step.who] {
			ask, err := wire.ReadAsk([]byte(step.ask))
			if err != nil {
				return nil, err
			}
			req = engine.Request{At: now, Do: ask.Is, Player: step.who, Number: ask.Number, Name: ask.Name, To: ask.To,
				Facing: ask.Facing, Args: ask.Args}
			if ask.Value != nil {
				req.Value = *ask.Value
			}
			if step.who == "ada" {
				done = ask.Number
			}
		}
		joined[step.who] = true
		res, err := run.Step(&req)
		words := share.Words{Done: done}
		if err == nil {
			board.Note(res.Changes, step.who)
			words.Told = toldTo("ada", run, res.Notices)
		}
		after := run.Advance(now)
		board.Note(after.Changes, "")
		board.Tick(now)
		frame, _ := board.Frame(nil, share.JSON, "ada", heard, words, &told)
		packed, _ := board.Frame(nil, share.Packed, "ada", heard, words, &packedTold)
		heard = board.Now()
		if _, err := text.ApplyText(frame); err != nil {
			return nil, err
		}
		if _, err := bits.ApplyPacked(packed); err != nil {
			return nil, err
		}
		if text.Digest() != bits.Digest() {
			return nil, fmt.Errorf("after %s the two forms of the frame say something else", step.ask)
		}
		asks := jsontext.Value(nil)
		if step.ask != "" {
			asks = jsontext.Value(step.ask)
		}
		turns = append(turns, turn{step.who, asks, frame, hex.EncodeToString(packed), text.Values(), text.Digest()})
	}
	return json.Marshal(struct {
		Plan   string         `json:"plan"`
		Layout jsontext.Value `json:"layout"`
		Viewer string         `json:"viewer"`
		Turns  []turn         `json:"turns"`
	}{plan, served, "ada", turns}, json.Deterministic(true), jsontext.WithIndent(" "))
}

// toldTo is what a player is told of notices, as a JSON array; nothing where it is nothing.
func toldTo(player string, run *engine.Run, notices []engine.Notice) []byte {
	var told []wire.Told
	for i := range notices {
		if n := &notices[i]; run.Hears(player, n) {
			told = append(told, wire.Told{Kind: n.Kind, Player: n.Player, Text: n.Text, Key: n.Key, ID: n.ID,
				Rule:  n.Rule,
				Scene: n.Scene, From: n.From})
		}
	}
	if told == nil {
		return nil
	}
	raw, err := json.Marshal(told)
	if err != nil {
		panic(err) // plain data
	}
	return raw
}
