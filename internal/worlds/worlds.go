// Package worlds is what property tests of the core play in: small plans, each about something of its own, and requests
// drawn so that a plan could mean them. Only tests use it.
package worlds

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

// Load is the model of a plan that has no errors.
func Load(t testing.TB, text string) *model.Model {
	m, _, found := check.Text([]byte(text), examples.Commons)
	require.NotNil(t, m, "%+v", found)
	return m
}

// All are the plans here and two of the demo, by their names.
func All(t testing.TB) map[string]*model.Model {
	all := map[string]*model.Model{}
	for name, text := range texts {
		all[name] = Load(t, text)
	}
	return all
}

var texts = map[string]string{"camp": Camp, "cabin": Cabin, "choir": Choir, "moor": Moor, "marks": Marks,
	"marsh": Marsh, "caves": Caves, "market": Market,
	"lantern-pass": string(examples.LanternPass), "harbour": string(examples.Harbour)}

// Players are those who come and go.
var Players = []string{"ada", "bob", "cid", "dee"}

// firstDay is the second of January 2027 at noon, as requests tell the date: in milliseconds since 1970.
const (
	firstDay = 1_798_891_200_000
	day      = 24 * 60 * 60 * 1000
)

// Request draws a request that a plan could mean, of whatever its passages, checkpoints and events are.
func Request(t *rapid.T, m *model.Model) engine.Request {
	player := rapid.SampledFrom(Players).Draw(t, "player")
	req := engine.Request{Player: player, Slot: 1}
	if len(m.OwnCrossings) > 0 { // the others have nothing that goes by the calendar
		req.Date = firstDay + rapid.SampledFrom([]int64{0, 0, 0, 1, 1, 2, 4, -1}).Draw(t, "days")*day
	}
	switch rapid.IntRange(0, 11).Draw(t, "kind") {
	case 0, 1:
		req.Do = "join"
		if rapid.IntRange(0, 3).Draw(t, "picks") == 0 {
			for _, v := range m.Holders[model.OfPlayer].Stored {
				if v.Type.Kind == types.Pick {
					req.Picks = map[string]types.Value{v.ID: types.OfText(rapid.SampledFrom(v.Type.Names).Draw(t,
						"pick"))}
				}
			}
		}
	case 2:
		req.Do = rapid.SampledFrom([]string{"leave", "start-over"}).Draw(t, "do")
	case 3:
		spot := anySpot(t, m)
		req.Do = "move"
		req.To = append([]fixed.Num{}, spot.Point[:len(m.Axes)]...)
	case 4:
		if len(m.Passages) > 0 {
			req.Do, req.Name = "pass", rapid.SampledFrom(m.Passages).Draw(t, "passage").ID
		}
	case 5:
		if len(m.Checkpoints) > 0 {
			req.Do, req.Name = "touch", rapid.SampledFrom(m.Checkpoints).Draw(t, "checkpoint").ID
		}
	case 6:
		if len(m.Vars) == 0 {
			break
		}
		v := rapid.SampledFrom(m.Vars).Draw(t, "variable")
		req.Do, req.Server, req.Name = rapid.SampledFrom([]string{"write", "correct"}).Draw(t, "write"),
			rapid.Bool().Draw(t, "server"), v.Name
		req.Args = map[string]types.Value{"scene": types.OfText(rapid.SampledFrom(m.Scenes).Draw(t, "in").ID)}
		if v.Hold.Kind != nil {
			req.Args["prop"] = types.OfText(rapid.SampledFrom(v.Hold.Kind.Props).Draw(t, "prop").ID)
		}
		if v.Hold.List != nil {
			req.Args["option"] = types.OfText(rapid.SampledFrom(v.Hold.List.Options).Draw(t, "option").ID)
		}
		req.Value = anyValue(t, &model.Arg{Domain: v.Domain}, player)
		if v.Type.Item != nil {
			req.Value = types.OfItems([]types.Value{anyValue(t, &model.Arg{Domain: *v.Item}, player)})
		}
	case 7:
		req.Do, req.Server = "die", true
	default:
		e := rapid.SampledFrom(m.Events).Draw(t, "event")
		req.Do, req.Name, req.Server, req.Args = "event", e.ID, !e.Self, map[string]types.Value{}
		if !e.Self {
			req.Player = ""
		}
		for i := range e.Args {
			req.Args[e.Args[i].ID] = anyValue(t, &e.Args[i], player)
		}
	}
	return req
}

func anySpot(t *rapid.T, m *model.Model) *model.Spot {
	s := rapid.SampledFrom(m.Scenes).Draw(t, "scene")
	return rapid.SampledFrom(s.Spots).Draw(t, "spot")
}

// anyValue draws a value that is right for an argument, most of the time.
func anyValue(t *rapid.T, a *model.Arg, player string) types.Value {
	switch {
	case rapid.IntRange(0, 20).Draw(t, "wrong") == 0:
		return rapid.SampledFrom([]types.Value{types.None, types.OfInt(-77), types.OfText("?"),
			types.OfBool(true)}).Draw(t, "value")
	case a.Type.Numeric():
		steps := rapid.IntRange(0, 12).Draw(t, "steps")
		n, _ := a.Step.Mul(fixed.FromInt(int64(steps)))
		sum, _ := fixed.Max(a.Min, fixed.FromInt(-5)).Add(n)
		return types.OfNum(sum)
	case a.Type.Named():
		return types.OfText(rapid.SampledFrom(a.Type.Names).Draw(t, "name"))
	case a.Type.Kind == types.Prop:
		return types.OfText(rapid.SampledFrom(a.Kind.Props).Draw(t, "prop").ID)
	case a.Type.Kind == types.Player:
		return types.OfText(player)
	case a.Type.Kind == types.Bool:
		return types.OfBool(rapid.Bool().Draw(t, "bool"))
	}
	return types.OfText(rapid.StringOfN(rapid.RuneFrom([]rune("abz 9é")), 0, 12, -1).Draw(t, "text"))
}
