package model_test

import (
	"fmt"
	"strings"
	"testing"

	_ "alluvion.dev/core/action" // what rules can do

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/model"
)

// stores has a little of everything that is held by others than players, scenes and the game, and of every
// type that is more than a plain value.
const stores = `
alluvion: 1
game: stores
version: 1
start: yard/gate
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: stay, leave: exact}}
rosters: {hat: {attributes: {warm: int}, options: {felt: {warm: 1}, fur: {warm: 3, if: player.cold > 3}}}}
variables:
  cold:   {of: player, type: int, min: 0, max: 9, start: 0}
  hat:    {of: player, type: pick, roster: hat, optional: true, locked: true}
  bag:    {of: player, type: set, items: {type: choice, choices: [nut, fig]}, max_items: 2}
  dress:  {of: player, type: group, fields: {coat: {type: bool, start: false}}}
  pin:    {of: player, type: point, optional: true}
  awake:  {of: player, type: stopwatch, while: player.cold > 0}
  luck:   {of: game, type: seed}
  full:   {of: prop:sack, type: int, min: 0, max: 5, start: 5}
  opened: {of: [player, prop:sack], type: bool, start: false}
  seen:   {of: [player, scene], in: [yard], type: bool, start: false}
  nick:   {of: player, type: text, max_length: 8, alphabet: a-z, start: a, share: {writer: self}}
scenes: {yard: {size: [20, 20], spots: {gate: {at: [1, 1]}, wall: {at: [9, 9]}}}, den: {size: [9, 9], spots: {mat: {at: [1, 1]}}}}
passages: {in: {from: yard/wall, to: den/mat, both_ways: true}}
props: {sack: {placed: {old: yard/wall, new: {in: den, at: [2, 2]}}}}
movables: {cart: {start: yard/wall, never_in: [den]}}
events: {open: {args: {it: prop:sack}, from: self}, haul: {from: server}, count: {args: {n: int}, from: self}}
rules:
  - {on: open, do: [{set: args.it.opened, to: true}, {add: args.it.full, by: -1}]}
  - {on: haul, do: [{notify: everyone, text: Heave!}]}
  - {on: count, do: [{put: player.bag, item: nut}]}
standings: {cold: {rank: player.cold}}
requests: {touch: {if: player.cold < 3}}
carriers: {drum: {alphabet: 0-9, length: 99, lanes: 16, every: 1s, carries: [place.scene, place.x, player.nick]}}
saving: {every: 30s}
session: {players: 16}
`

func TestMistakesInWhatIsHeldAndMoved(t *testing.T) {
	m, found := build(stores)
	require.NotNil(t, m, "%+v", found)
	for name, row := range map[string]struct{ from, to, id, words string }{
		"a list without items":                   {"type: set, items: {type: choice, choices: [nut, fig]}, max_items: 2", "type: set", "missing", "needs its items"},
		"a set of points":                        {"items: {type: choice, choices: [nut, fig]}", "items: point", "bad-value", "single values"},
		"a set of players":                       {"items: {type: choice, choices: [nut, fig]}", "items: player", "bad-value", "cannot be a player"},
		"a set that may be none":                 {"max_items: 2}", "max_items: 2, optional: true}", "wrong-type", "never none"},
		"items of a number":                      {"min: 0, max: 9, start: 0}", "min: 0, max: 9, start: 0, items: int}", "wrong-type", "items does not go with"},
		"a start with a stranger in it":          {"max_items: 2}", "max_items: 2, start: [nut, plum]}", "bad-value", "plum"},
		"a start that is no list":                {"max_items: 2}", "max_items: 2, start: nut}", "bad-value", "a set"},
		"a start with too many":                  {"max_items: 2}", "max_items: 1, start: [nut, fig]}", "bad-value", "at most 1"},
		"a group of nothing":                     {"fields: {coat: {type: bool, start: false}}", "title: x", "missing", "needs its fields"},
		"a group with a start":                   {"type: group, fields", "type: group, start: 3, fields", "wrong-type", "has no start"},
		"a list in a group":                      {"coat: {type: bool, start: false}", "coat: {type: list}", "unknown-name", "type for a field"},
		"a field without a start":                {"coat: {type: bool, start: false}", "coat: {type: bool}", "missing", "no start"},
		"fields of a bool":                       {"type: bool, start: false}\n  seen", "type: bool, start: false, fields: {a: {type: int, start: 0}}}\n  seen", "wrong-type", "fields go with a group"},
		"a point with three coordinates":         {"type: point, optional: true", "type: point, start: [1, 2, 3]", "bad-value", "2 coordinates"},
		"a point that is a number":               {"type: point, optional: true", "type: point, start: 1", "bad-value", "a point"},
		"a seed with a start":                    {"type: seed", "type: seed, start: 4", "wrong-type", "begins by itself"},
		"a seed for each prop":                   {"{of: game, type: seed}", "{of: prop:sack, type: seed}", "bad-value", "not by prop:sack"},
		"a seed that is set":                     {"{notify: everyone, text: Heave!}", "{set: game.luck, to: 3}", "bad-value", "comes with the session"},
		"a fate that sets a seed":                {"type: seed", "type: seed, across: {restart: {set: 3}}", "wrong-type", "kept or reset"},
		"a stopwatch for each scene of a player": {"type: stopwatch, while: player.cold > 0", "of: [player, scene], type: stopwatch", "duplicate-id", "of"},
		"while of a number":                      {"min: 0, max: 9, start: 0}", "min: 0, max: 9, start: 0, while: player.cold > 1}", "wrong-type", "stopwatch only"},
		"while that reads time":                  {"while: player.cold > 0", "while: time.session > 3", "bad-value", "time itself"},
		"while that is no condition":             {"while: player.cold > 0", "while: player.cold + 1", "type-mismatch", "condition"},
		"locked without none":                    {"optional: true, locked: true", "start: felt, locked: true", "wrong-type", "locked goes with"},
		"refused without an if":                  {"felt: {warm: 1}", "felt: {warm: 1, refused: No.}", "missing", "but no if"},
		"a pick with conditions in a game":       {"hat:    {of: player,", "hat:    {of: game,", "bad-value", "only players"},
		"in of a player":                         {"min: 0, max: 9, start: 0}", "min: 0, max: 9, start: 0, in: [yard]}", "wrong-type", "what scenes hold"},
		"a scene that has it not":                {"{notify: everyone, text: Heave!}", "{set: scenes.den.seen, to: true}", "unknown-name", "seen"},
		"a pair without its player":              {"{notify: everyone, text: Heave!}", "{set: scenes.yard.seen, to: true}", "unknown-name", "seen"},
		"a prop that is none":                    {"{notify: everyone, text: Heave!}", "{set: prop.sack.odl.full, to: 1}", "unknown-name", "old"},
		"a variable named as a prop":             {"  full:   {of: prop:sack", "  old:    {of: prop:sack", "duplicate-id", "one of the props"},
		"counting what is no bool":               {"{put: player.bag, item: nut}", "{if: count(prop.sack.full) > 1, do: [{die: player}]}", "type-mismatch", "count counts"},
		"a copy as a value":                      {"{put: player.bag, item: nut}", "{set: player.cold, to: player.opened}", "type-mismatch", "several values"},
		"an item of another kind":                {"item: nut", "item: player.cold", "type-mismatch", "cannot be an item"},
		"an item that is none of them":           {"item: nut", "item: plum", "unknown-name", "plum"},
		"an item into a number":                  {"{put: player.bag, item: nut}", "{put: player.cold, item: 3}", "type-mismatch", "list or a set"},
		"entering what has no radius":            {"on: haul, do: [{notify: everyone, text: Heave!}]", "on: {entered: prop:sack}, do: []", "missing", "radius"},
		"reach of the server":                    {"haul: {from: server}", "haul: {args: {it: {type: prop:sack, within: reach}}, from: server}", "bad-value", "Nobody's reach"},
		"reach of a number":                      {"args: {n: int}", "args: {n: {type: int, within: reach}}", "wrong-type", "does not go with the type int"},
		"a prop outside its scene":               {"at: [2, 2]", "at: [9, 2]", "out-of-bounds", "outside den"},
		"a movable in a wrong place":             {"never_in: [den]", "never_in: [yard]", "bad-value", "nobody can bring it"},
		"a movable that rewinds":                 {"never_in: [den]", "never_in: [den], across: {restart: {set: 1}}", "bad-value", "kept where it is"},
		"taking without a player":                {"{notify: everyone, text: Heave!}", "{take: cart}", "bad-value", "take something"},
		"set down where it never is":             {"{put: player.bag, item: nut}", "{set-down: cart, at: den/mat}", "bad-value", "never in den"},
		"saving nobody":                          {"{notify: everyone, text: Heave!}", "{save: player}", "bad-value", "be saved"},
		"a standing of a bool":                   {"rank: player.cold", "rank: player.cold > 1", "type-mismatch", "ordered by a number"},
		"a standing of what may be none":         {"rank: player.cold", "rank: player.hat.warm", "none-unhandled", "in if"},
		"a closed request that says why":         {"touch: {if: player.cold < 3}", "touch: {refused: No.}", "missing", "neither if nor closed"},
		"an alphabet of one":                     {"alphabet: 0-9, length", "alphabet: x, length", "bad-value", "2 to"},
		"an alphabet backwards":                  {"alphabet: 0-9, length", "alphabet: 9-0, length", "bad-value", "rising"},
		"carrying a set":                         {"carries: [place.scene", "carries: [player.bag", "bad-value", "carries variables"},
		"carrying a sum":                         {"carries: [place.scene", "carries: [player.cold + 1", "bad-value", "carries variables"},
		"a share of the game with itself":        {"type: seed", "type: seed, share: {with: self}", "bad-value", "belongs to no player"},
		"a share of the game by scene":           {"type: seed", "type: seed, share: {with: scene}", "bad-value", "is in no scene"},
		"a world that players write":             {"type: seed", "type: int, start: 0, min: 0, max: 1, share: {writer: self}", "bad-value", "Only what a player holds"},
		"a stopwatch that players write":         {"while: player.cold > 0", "share: {writer: self}", "bad-value", "by itself"},
		"told late of what one writes":           {"share: {writer: self}", "share: {writer: self, told: 2/s}", "wrong-type", "see their own value late"},
		"told seldom of what is not told":        {"share: {writer: self}", "share: {with: nobody, told: 2/s}", "wrong-type", "shared with nobody"},
		"a rate for nobody":                      {"share: {writer: self}", "share: {at_most: 3/s}", "wrong-type", "goes with writer"},
		"holding what is none":                   {"{notify: everyone, text: Heave!}", "{if: holds('cart'), do: []}", "unknown-name", "no player here"},
		"holding a stranger":                     {"{put: player.bag, item: nut}", "{if: holds('carr'), do: []}", "unknown-name", "cart"},
		"a kind without prop":                    {"args: {it: prop:sack}", "args: {it: sack}", "unknown-name", "Did you mean prop:sack?"},
		"drawing with too little":                {"{put: player.bag, item: nut}", "{set: player.cold, to: 'draw(game.luck, 1, 6)'}", "bad-expression", "written draw(seed, index, from, to)"},
		"counting nothing":                       {"{put: player.bag, item: nut}", "{set: player.cold, to: count()}", "bad-expression", "written count(present)"},
		"a text without quotes":                  {"{put: player.bag, item: nut}", "{set: player.nick, to: wren}", "unknown-name", "in quotes: 'wren'"},
		"drawing from a number":                  {"{put: player.bag, item: nut}", "{set: player.cold, to: 'draw(player.cold, 1, 1, 6)'}", "type-mismatch", "from a seed"},
		"drawing halves":                         {"{put: player.bag, item: nut}", "{set: player.cold, to: 'draw(game.luck, 0.5, 1, 6)'}", "type-mismatch", "whole numbers"},
		"a point with one coordinate":            {"{put: player.bag, item: nut}", "{set: player.pin, to: point(3)}", "bad-expression", "2 coordinates"},
		"an axis of no point":                    {"{put: player.bag, item: nut}", "{set: player.cold, to: player.pin.z}", "type-mismatch", "no parts"},
		"a point that may be none":               {"{put: player.bag, item: nut}", "{set: player.cold, to: player.pin.x}", "none-unhandled", "may be none"},
	} {
		t.Run(name, func(t *testing.T) {
			require.Equal(t, 1, strings.Count(stores, row.from), "%q stands once", row.from)
			m, _, found := model.Load([]byte(strings.Replace(stores, row.from, row.to, 1)))
			var all []string
			for _, f := range found {
				all = append(all, fmt.Sprintf("%d:%d %s %s", f.Line, f.Column, f.ID, f.Message))
				if f.ID == row.id && strings.Contains(f.Message, row.words) {
					assert.Positive(t, f.Line)
					assert.Positive(t, f.Column)
					assert.Nil(t, m)
					return
				}
			}
			t.Errorf("no %s with %q among:\n%s", row.id, row.words, strings.Join(all, "\n"))
		})
	}
}

func TestHoldersAndWhoSeesThem(t *testing.T) {
	m, found := build(stores)
	require.NotNil(t, m, "%+v", found)
	for name, want := range map[string]string{
		"player.cold": "player player self", "prop.sack.full": "prop prop:sack scene", "prop.sack.opened": "player and prop [player, prop:sack] self",
		"scene.seen": "player and scene [player, scene] self", "game.luck": "game game everyone", "player.dress.coat": "player player self",
	} {
		v := m.Var(name)
		require.NotNil(t, v, name)
		assert.Equal(t, want, fmt.Sprint(v.Holder, " ", v.Decl.Of, " ", v.With), name)
	}
	assert.True(t, m.Var("player.nick").SelfMay)
	assert.True(t, model.OfPlayerProp.Lazy() && model.OfPlayerProp.OfPlayers() && !model.OfProp.OfPlayers() && !model.OfScene.Lazy())
	assert.Equal(t, "old", m.Kind("sack").Prop("old").ID)
	assert.Nil(t, m.Kind("box"))
	assert.Equal(t, "cart", m.Movable("cart").ID)
}
