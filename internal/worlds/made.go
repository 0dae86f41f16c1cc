package worlds

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// Made is a small plan that is made up from a seed: a few scenes, variables of every kind, passages, events and rules of
// every verb and moment, with conditions over all of it. Most of these plans can run; what one in a few is told is wrong
// is left to the checks.
func Made(seed uint64) string {
	g := &maker{rand.New(rand.NewPCG(seed, 7))}
	var b strings.Builder
	single := g.n(2) == 0
	players, world := 3, "restart: keep"
	if single {
		players, world = 1, "restart: keep, death: "+g.one("keep", "reset", "rewind")+", new-run: "+g.one("keep", "reset")
	}
	fmt.Fprintf(&b, "alluvion: 1\ngame: made\nversion: 1\nstart: a/one\nreach: 2\n")
	fmt.Fprintf(&b, "space: {axes: [x, y], facings: [north, south]}\n")
	fmt.Fprintf(&b, "defaults:\n  player: {scene: %s, death: %s, leave: %s, new-run: %s}\n", g.one("keep", "keep", "reset"),
		g.one("keep", "reset"), g.one("keep", "keep", "reset"), g.one("keep", "reset"))
	fmt.Fprintf(&b, "  scene: {scene: %s, %s}\n  game: {%s}\n  prop: {scene: keep, %s}\n", g.one("keep", "reset"), world,
		world, world)
	fmt.Fprintf(&b, "  place: {death: %s, leave: %s}\n", g.one("checkpoint", "stay", "entry"),
		g.one("exact", "entry", "checkpoint"))
	b.WriteString("lists: {side: [east, west]}\nrosters: {hat: {options: {cap: {title: Cap}, hood: {title: Hood}}}}\n")
	fmt.Fprintf(&b, `variables:
  b1: {of: player, type: bool, start: %t%s}
  b2: {of: game, type: bool, start: %t}
  n1: {of: player, type: int, min: 0, max: %d, start: %d%s}
  n2: {of: game, type: int, min: -2, max: 5, start: 0%s}
  n3: {of: scene, type: int, min: 0, max: 3, start: 1}
  d1: {of: player, type: decimal, min: 0, max: 2, step: 0.5, start: 1, across: {death: %s}}
  c1: {of: player, type: choice, choices: [low, mid, high], start: low}
  o1: {of: player, type: side, optional: true}
  h1: {of: player, type: pick, roster: hat, optional: true}
  s1: {of: player, type: set, items: side, max_items: 2}
  seen: {of: [player, scene], type: bool, start: false}
  used: {of: prop:box, type: bool, start: false}
  w1: {of: player, type: int, min: 0, max: 9, is: %s}
`, g.yes(), g.one("", ", across: {death: rewind}"), g.yes(), 1+g.n(6), g.n(2), g.one("", ", at_limit: refuse"), g.one("", ", written_by: game"),
		g.one("keep", "reset", "rewind", "{set: "+g.number(0, "")+"}"), g.one("player.n1 + 1", "count(player.seen)",
			"player.b1 ? 3 : player.n1"))
	scenes := []string{"a", "b", "c"}[:2+g.n(2)]
	b.WriteString("scenes:\n")
	for _, s := range scenes {
		area := ""
		if g.n(2) == 0 {
			area = "areas: {mud: {x: [4, 6], y: [4, 6]}}, "
		}
		if s == "a" {
			area = "areas: {mud: {x: [4, 6], y: [4, 6]}}, "
		}
		fmt.Fprintf(&b, "  %s: {size: [10, 10], %sspots: {one: {at: [1, 1]}, two: {at: [8, 8], span: {x: [6, 9]}}}}\n", s, area)
	}
	b.WriteString("props: {box: {placed: {left: a/two, right: {in: b, at: [2, 7]}}, radius: 1}}\nmovables: {cart: {start: a/two}}\n")
	b.WriteString("waymarks: {mark: {title: Mark}}\npassages:\n")
	for i := range 2 + g.n(3) {
		gate := ""
		if g.n(2) == 0 {
			gate = ", if: " + quote(g.condition(1, ""))
		}
		to := g.one(scenes...) + g.one("/one", "/two")
		if g.n(8) == 0 {
			to = "mark, else: a/one"
		} else if g.n(2) == 0 {
			to += ", both_ways: true"
		}
		fmt.Fprintf(&b, "  p%d: {from: %s%s, to: %s%s}\n", i, g.one(scenes...), g.one("/one", "/two"), to, gate)
	}
	fmt.Fprintf(&b, "checkpoints: {use: %s, fallback: %s/one, back_after: %s, list: {k1: {at: %s/two, again: %t}, k2: {in: a/mud}}}\n",
		g.one("furthest", "latest"), g.one(scenes...), g.one("0s", "1s"), g.one(scenes...), g.yes())
	events := []string{"e0", "e1", "e2", "e3"}
	b.WriteString("events:\n")
	for i, e := range events {
		gate := ""
		if i > 0 && g.n(3) == 0 {
			gate = ", if: " + quote(g.condition(1, ""))
		}
		switch i {
		case 0:
			fmt.Fprintf(&b, "  %s: {from: server}\n", e)
		case 1:
			fmt.Fprintf(&b, "  %s: {args: {n: {type: int, min: 0, max: 3}}, from: self%s}\n", e, gate)
		case 2:
			fmt.Fprintf(&b, "  %s: {args: {box: {type: prop:box, within: reach}}, from: self%s}\n", e, gate)
		default:
			fmt.Fprintf(&b, "  %s: {from: self%s}\n", e, gate)
		}
	}
	b.WriteString("rules:\n")
	for range 4 + g.n(5) {
		g.rule(&b, scenes)
	}
	fmt.Fprintf(&b, "milestones: {m1: {when: %s}, m2: {progress: player.n1, goal: %d}}\n", quote(g.condition(1, "")), 1+g.n(7))
	fmt.Fprintf(&b, "goals: {g1: {reach: %s}}\n", quote(g.condition(1, "")))
	b.WriteString("conserved: {k1: {sum: player.n1 + 2 * game.n2, made_by: [e0, new-run]}, k2: {sum: scene.n3 - player.n1, lost_by: [e1]}}\n")
	if g.n(3) == 0 {
		fmt.Fprintf(&b, "always: [{that: %s}]\n", quote(g.condition(1, "")))
	}
	fmt.Fprintf(&b, "saving: {when: [checkpoint, scene%s], every: 30s}\nsession: {players: %d}\n", g.one(", leave", ""), players)
	return b.String()
}

// quote writes an expression as YAML takes it anywhere.
func quote(s string) string { return `"` + s + `"` }

type maker struct{ *rand.Rand }

func (g *maker) n(n int) int                  { return g.IntN(n) }
func (g *maker) yes() bool                    { return g.IntN(2) == 0 }
func (g *maker) one(choices ...string) string { return choices[g.IntN(len(choices))] }

// condition is one over everything; arg is what an argument can be read as besides: n, box or nothing.
func (g *maker) condition(depth int, arg string) string {
	if depth > 0 && g.n(3) == 0 {
		return g.condition(depth-1, arg) + g.one(" && ", " || ") + g.condition(depth-1, arg)
	}
	switch g.n(14) {
	case 0:
		return "player.b1"
	case 1:
		return "!game.b2"
	case 2:
		return "game.b2"
	case 3, 4, 5:
		return g.number(1, arg) + g.one(" > ", " >= ", " < ", " == ", " != ") + fmt.Sprint(g.n(5))
	case 6:
		return "place.scene == '" + g.one("a", "b") + "'"
	case 7:
		return "player.c1 == '" + g.one("low", "mid", "high") + "'"
	case 8:
		return "has(player." + g.one("o1", "h1", "mark") + ")"
	case 9:
		return "inside('a/mud')"
	case 10:
		return "holds('cart')"
	case 11:
		return "player.earned('m1')"
	case 12:
		return "player.s1.contains('east')"
	}
	return "!player.dead"
}

func (g *maker) number(depth int, arg string) string {
	if depth > 0 && g.n(3) == 0 {
		return g.one("max(", "min(") + g.number(depth-1, arg) + ", " + g.number(depth-1, arg) + ")"
	}
	if arg == "n" && g.n(2) == 0 {
		return "args.n"
	}
	return g.one("player.n1", "player.n1", "game.n2", "scene.n3", "player.d1", "player.w1", "count(player.seen)",
		"count(player.s1)", "game.n2 + 1", "1")
}

func (g *maker) rule(b *strings.Builder, scenes []string) {
	on, arg, player := "", "", true
	switch g.n(16) {
	case 0:
		on, player = "e0", false
	case 1, 2, 3:
		on, arg = "e1", "n"
	case 4, 5:
		on, arg = "e2", "box"
	case 6, 7, 8:
		on = "e3"
	case 9:
		on = g.one("arrived", "departed", "died", "came-back", "picked", "saved", "started", "joined", "left")
	case 10:
		on = "{changed: " + g.one("player.n1", "player.b1", "player.c1") + "}"
	case 11:
		on = g.one("{entered: a/mud}", "{exited: a/mud}", "{entered: prop:box}")
	case 12:
		on = g.one("checkpoint", "{checkpoint: k1}", "{arrived: b}")
	case 13:
		on = "{milestone: " + g.one("m1", "m2") + "}"
	case 14:
		on, player = "{every: 10s}", false
	default:
		on = "{every: {time: 7s, of: player}}"
	}
	gate := ""
	if player && g.n(2) == 0 {
		gate = ", if: " + quote(g.condition(1, arg))
	}
	var actions []string
	for range 1 + g.n(2) {
		actions = append(actions, g.action(1, arg, player, scenes))
	}
	fmt.Fprintf(b, "  - {on: %s%s, do: [%s]}\n", on, gate, strings.Join(actions, ", "))
}

func (g *maker) action(depth int, arg string, player bool, scenes []string) string {
	if !player {
		return g.one("{add: game.n2, by: 1}", "{set: game.b2, to: true}", "{set: game.b2, to: \"!game.b2\"}",
			"{each: q, in: session, do: [{add: q.n1, by: 1}]}", "{each: q, in: session, do: [{die: q}]}",
			"{set: scenes.a.n3, to: 2}", "{raise: game.n2, to: 3}", "{send: e0}")
	}
	if depth > 0 && g.n(4) == 0 {
		inside := g.action(depth-1, arg, player, scenes)
		out := "{if: " + quote(g.condition(1, arg)) + ", do: [" + inside + "]"
		if g.yes() {
			out += ", else: [" + g.action(depth-1, arg, player, scenes) + "]"
		}
		return out + "}"
	}
	if arg == "box" && g.n(2) == 0 {
		return "{set: args.box.used, to: " + g.one("true", "false") + "}"
	}
	switch g.n(24) {
	case 0, 1:
		return "{set: player.n1, to: " + quote(g.number(1, arg)) + "}"
	case 2, 3:
		return "{add: player.n1, by: " + g.one("1", "-1", "2", quote(g.number(0, arg))) + "}"
	case 4:
		return "{raise: player.n1, to: " + quote(g.number(0, arg)) + "}"
	case 5:
		return "{set: player.b1, to: " + g.one("true", "false") + "}"
	case 6:
		return "{set: game.b2, to: " + quote(g.condition(0, arg)) + "}"
	case 7:
		return "{set: player.c1, to: " + g.one("low", "mid", "high") + "}"
	case 8:
		return "{add: scene.n3, by: 1}"
	case 9:
		return "{set: scene.seen, to: true}"
	case 10:
		return "{go: " + g.one(scenes...) + g.one("/one", "/two") + "}"
	case 11:
		return "{die: player}"
	case 12:
		return g.one("{remember: mark}", "{forget: mark}", "{go: mark, else: a/one}")
	case 13:
		return g.one("{take: cart}", "{set-down: cart}")
	case 14:
		return g.one("{put: player.s1, item: east}", "{put: player.s1, item: west}", "{take-out: player.s1, item: east}")
	case 15:
		return g.one("{set: player.o1, to: east}", "{clear: player.o1}", "{pick: player.h1, option: hood}", "{clear: player.h1}")
	case 16:
		return g.one("{earn: m1, of: player}", "{unearn: m2, of: player}")
	case 17:
		return "{refuse: Not now.}"
	case 18:
		return "{set: player.d1, to: " + quote("div("+g.number(0, arg)+", "+g.number(0, arg)+")") + "}"
	case 19:
		return g.one("{send: e3}", "{send: e1, args: {n: 1}}", "{start-over: player}", "{save: player}")
	case 20:
		return "{notify: player, text: Hear.}"
	case 21:
		return "{let: {k: " + quote(g.number(1, arg)) + "}, do: [{add: player.n1, by: k}]}"
	case 22:
		return "{each: q, in: scene, do: [{add: q.n1, by: 1}]}"
	}
	return "{add: game.n2, by: " + g.one("1", "-1") + "}"
}
