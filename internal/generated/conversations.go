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
	"alluvion.dev/examples"
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

// spokenBy is what somebody asks; nothing where they join. Ada's machine may lose its connection, and come back over another one.
type spokenBy struct{ who, ask string }

const (
	lost = "lost"
	back = "back"
)

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
	{"ada", lost},
	{"bob", `{"is":"pass","number":10,"name":"in"}`},
	{"eve", `{"is":"leave","number":1}`},
	{"ada", back}, // near comes whole
	{"bob", `{"is":"event","number":11,"name":"hide"}`},
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
	{"ada", lost},
	{"carl", ""}, // in the seat of bob
	{"carl", `{"is":"event","number":1,"name":"open","args":{"it":"red"}}`},
	{"ada", back},
	{"carl", `{"is":"event","number":2,"name":"burn"}`},
}

// spokenOfThePass is a conversation in the demo's plan.
var spokenOfThePass = []spokenBy{
	{"ada", `{"is":"event","number":1,"name":"choose","args":{"who":"brisa"}}`},
	{"ada", `{"is":"write","number":2,"name":"player.nickname","value":"Ada"}`},
	{"wren", ""},
	{"ada", `{"is":"move","number":3,"to":[20,1],"facing":"north"}`},
	{"wren", `{"is":"move","number":1,"to":[4,19.5],"facing":"west"}`},
	{"wren", `{"is":"event","number":2,"name":"take_sled"}`},
	{"ada", `{"is":"event","number":4,"name":"load"}`},
	{"ada", `{"is":"event","number":5,"name":"letter","args":{"for":"mill"}}`},
	{"ada", `{"is":"pass","number":6,"name":"rope_bridge"}`}, // refused: too far away
	{"ada", `{"is":"pass","number":7,"name":"porch_gorge"}`},
	{"ada", `{"is":"move","number":8,"to":[30,20],"facing":"east"}`},
	{"ada", `{"is":"touch","number":9,"name":"gorge_shelter"}`},
	{"ada", `{"is":"event","number":10,"name":"light"}`},
	{"ada", `{"is":"event","number":11,"name":"snowfall","args":{"depth":0.3}}`},
	{"ada", `{"is":"move","number":12,"to":[49.5,29.25],"facing":"east"}`},
	{"ada", `{"is":"event","number":13,"name":"open","args":{"cache":"under_ledge"}}`},
	{"ada", lost},
	{"wren", `{"is":"event","number":3,"name":"leave_sled"}`},
	{"wren", `{"is":"event","number":4,"name":"name_self","args":{"name":"Wren"}}`},
	{"ada", back},
	{"ada", `{"is":"move","number":14,"to":[50,10],"facing":"north"}`}, // onto loose scree: dead, and back at the shelter
	{"ada", `{"is":"event","number":15,"name":"horn"}`},
	{"ada", `{"is":"event","number":16,"name":"hood","args":{"is":"up"}}`},
	{"ada", `{"is":"event","number":17,"name":"pitch"}`},
	{"wren", `{"is":"leave","number":5}`},
	{"ada", `{"is":"start-over","number":18}`},
}

// turn is one step of a conversation: what was asked, and the frame that ada's machine is sent after it. It is sent none
// while it is away.
type turn struct {
	Who    string                               `json:"who"`
	Asks   jsontext.Value                       `json:"asks,omitzero"`
	Away   bool                                 `json:"away,omitzero"`
	Resume bool                                 `json:"resumes,omitzero"`
	Frame  jsontext.Value                       `json:"frame,omitzero"`
	Packed string                               `json:"packed,omitempty"`
	View   map[string]map[string]jsontext.Value `json:"view"`
	Digest string                               `json:"digest"`
}

// conversation is the frames that a machine is sent, in text and in bits, with what it ought to believe after each, for
// those who write a client of their own.
func conversation(plan string, spoken []spokenBy) ([]byte, error) {
	m, _, found := check.Text([]byte(plan), examples.Commons)
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
	heard, done, away := int64(share.Whole), uint64(0), false
	var words []wire.Told // that wait for the machine
	joined := map[string]bool{}
	for i, step := range append([]spokenBy{{"ada", ""}}, spoken...) {
		now := int64(i+1) * 250
		is := turn{Who: step.who}
		switch {
		case step.ask == lost:
			away = true
		case step.ask == back:
			away, is.Resume, told, packedTold = false, true, share.Sight{}, share.Sight{}
		default:
			req := engine.Request{At: now, Do: "join", Player: step.who, Slot: 1}
			if joined[step.who] {
				if req, err = asked(step, now); err != nil {
					return nil, err
				}
				is.Asks = jsontext.Value(step.ask)
			}
			if joined[step.who] && step.who == "ada" {
				done = req.Number
			}
			joined[step.who] = true
			if res, err := run.Step(&req); err == nil {
				board.Note(res.Changes, step.who)
				words = append(words, toldTo("ada", run, res.Notices)...)
			}
		}
		after := run.Advance(now)
		board.Note(after.Changes, "")
		board.Tick(now)
		if is.Away = away; away {
			is.View, is.Digest = text.Values(), text.Digest()
			turns = append(turns, is)
			continue
		}
		said := share.Words{Done: done, Told: written(words)}
		words = nil
		is.Frame, _ = board.Frame(nil, share.JSON, "ada", heard, said, &told)
		packed, _ := board.Frame(nil, share.Packed, "ada", heard, said, &packedTold)
		heard = board.Now()
		if _, err := text.ApplyText(is.Frame); err != nil {
			return nil, err
		}
		if _, err := bits.ApplyPacked(packed); err != nil {
			return nil, err
		}
		if text.Digest() != bits.Digest() {
			return nil, fmt.Errorf("after %s the two forms of the frame say something else", step.ask)
		}
		is.Packed, is.View, is.Digest = hex.EncodeToString(packed), text.Values(), text.Digest()
		turns = append(turns, is)
	}
	return json.Marshal(struct {
		Plan   string         `json:"plan"`
		Layout jsontext.Value `json:"layout"`
		Viewer string         `json:"viewer"`
		Turns  []turn         `json:"turns"`
	}{plan, served, "ada", turns}, json.Deterministic(true), jsontext.WithIndent(" "))
}

// asked is a step as the engine takes it.
func asked(step spokenBy, now int64) (engine.Request, error) {
	ask, err := wire.ReadAsk([]byte(step.ask))
	req := engine.Request{At: now, Do: ask.Is, Player: step.who, Number: ask.Number, Name: ask.Name, To: ask.To,
		Facing: ask.Facing, Args: ask.Args}
	if ask.Value != nil {
		req.Value = *ask.Value
	}
	return req, err
}

// toldTo is what a player is told of notices.
func toldTo(player string, run *engine.Run, notices []engine.Notice) (told []wire.Told) {
	for i := range notices {
		if n := &notices[i]; run.Hears(player, n) {
			told = append(told, wire.ToldOf(n))
		}
	}
	return told
}

// written is that as a JSON array; nothing where it is nothing.
func written(told []wire.Told) []byte {
	if told == nil {
		return nil
	}
	raw, err := json.Marshal(told)
	if err != nil {
		panic(err) // plain data
	}
	return raw
}
