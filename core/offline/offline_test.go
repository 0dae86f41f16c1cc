package offline_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/offline"
	"alluvion.dev/core/save"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
)

// game is a machine that plays offline.
type game struct {
	t      *testing.T
	s      *offline.Session
	mirror *share.Mirror
	now    int64
	number int
	heard  []wire.Said
	told   []string
}

func open(t *testing.T, saved []byte) *game {
	s, problems, err := offline.Open(examples.LanternPass, examples.Commons, saved, 7)
	require.NoError(t, err)
	assert.Empty(t, problems)
	return &game{t: t, s: s, now: 1000}
}

// What of a save does not fit is told when it is opened: of the player as of the world. A save that a service sealed is
// opened, too, and is what is played on from.
func TestWhatDoesNotFitIsTold(t *testing.T) {
	g := open(t, nil).in(wire.SubJSON)
	kept, _ := g.s.Save()
	_, problems, err := offline.Open(examples.LanternPass, examples.Commons, bytes.Replace(kept, []byte(`"oil":`), []byte(`"oil":4`), 1), 7)
	require.NoError(t, err)
	require.Len(t, problems, 1)
	assert.Equal(t, "player.oil", problems[0].Name)
	assert.Contains(t, problems[0].Instead, "it is 40")

	read, err := offline.ReadSaved(kept)
	require.NoError(t, err)
	assert.Nil(t, read.Base)
	sealed, err := save.Keys{{ID: "k", Secret: []byte("0123456789abcdef0123456789abcdef")}}.Seal(
		save.Told(read.Player, save.About{Revision: 6, Moment: "leave"}))
	require.NoError(t, err)
	read, err = offline.ReadSaved(sealed)
	require.NoError(t, err)
	assert.Equal(t, &offline.Base{Slot: 1, Revision: 6}, read.Base)
	s, problems, err := offline.Open(examples.LanternPass, examples.Commons, sealed, 7)
	require.NoError(t, err)
	assert.Empty(t, problems)
	raw, _ := s.Save()
	assert.Contains(t, string(raw), `"base":{"slot":1,"revision":6}`)
	for _, bad := range []string{`{"alluvion_offline":1,"base":{"slot":0,"revision":1}}`, `{"alluvion_offline":2}`, `{"alluvion_seal":1,"save":7}`, "nonsense", "null", `{}`} {
		_, err := offline.ReadSaved([]byte(bad))
		assert.ErrorIs(t, err, offline.ErrSaved, bad)
	}
}

// in lets ada in over a sub-protocol.
func (g *game) in(protocol string) *game {
	require.NoError(g.t, g.s.Connect(protocol))
	layout, err := share.ReadLayout(g.s.Layout())
	require.NoError(g.t, err)
	g.mirror = share.NewMirror(layout)
	g.send(`{"is":"hello","player":"ada"}`)
	return g
}

// take takes in what the session says.
func (g *game) take() {
	for _, m := range g.s.Outgoing() {
		var said wire.Said
		if !m.Binary {
			require.NoError(g.t, json.Unmarshal(m.Data, &said))
		}
		if !m.Binary && said.Is != "tick" {
			g.heard = append(g.heard, said)
			continue
		}
		apply := g.mirror.ApplyText
		if m.Binary {
			apply = g.mirror.ApplyPacked
		}
		h, err := apply(m.Data)
		require.NoError(g.t, err)
		var told []wire.Told
		if len(h.Told) > 0 {
			require.NoError(g.t, json.Unmarshal(h.Told, &told))
		}
		for _, t := range told {
			g.told = append(g.told, t.Kind)
		}
	}
}

func (g *game) send(text string) {
	g.s.Received([]byte(text), g.now)
	g.take()
}

// asks sends a request with the next number, and gives what came of it.
func (g *game) asks(is, more string) wire.Said {
	g.number++
	g.now += 50
	g.send(fmt.Sprintf(`{"is":%q,"number":%d%s}`, is, g.number, more))
	for _, said := range g.heard {
		if said.Number == uint64(g.number) && said.Is != "saved" {
			return said
		}
	}
	return wire.Said{}
}

// pass lets time go by.
func (g *game) pass(ms int64) {
	for ; ms > 0; ms -= 100 {
		g.now += 100
		g.s.Advance(g.now)
		g.take()
	}
}

func (g *game) is(address, want string) {
	g.t.Helper()
	raw, ok := g.mirror.JSON(address)
	require.True(g.t, ok, address)
	assert.Equal(g.t, want, string(raw), address)
}

// A game is played offline as it is with a service: what is asked for is done or refused, and what is saved comes back.
func TestAGameIsPlayedWithoutAService(t *testing.T) {
	for _, protocol := range []string{wire.SubPacked, wire.SubJSON} {
		g := open(t, nil).in(protocol)
		require.Equal(t, "welcome", g.heard[0].Is)
		g.is("player.oil@ada", "12")
		assert.Equal(t, "answer", g.asks("event", `,"name":"load","args":{}`).Is)
		g.is("player.parcels@ada", "1")
		refused := g.asks("pass", `,"name":"rope_bridge"`)
		assert.Equal(t, "refused", refused.Is)
		assert.NotEmpty(t, refused.Why)
		g.asks("move", `,"to":[20,1],"facing":"north"`)
		assert.Equal(t, "answer", g.asks("pass", `,"name":"porch_gorge"`).Is)
		assert.Contains(t, g.told, "arrived")
		g.asks("move", `,"to":[30,20]`)
		assert.Equal(t, "answer", g.asks("touch", `,"name":"gorge_shelter"`).Is)
		g.asks("move", `,"to":[50,10]`)
		g.is("player.dead@ada", "true")
		g.pass(1200)
		g.is("player.dead@ada", "false")
		g.is("player.falls@ada", "1")
		assert.True(t, g.s.Unsaved())
		saved, number := g.s.Save()
		assert.False(t, g.s.Unsaved())
		assert.EqualValues(t, g.number, number)
		g.s.Stored(number)
		g.take()
		assert.Equal(t, wire.Said{Is: "saved", Number: number, Moment: "every"}, g.heard[len(g.heard)-1])
		assert.NotContains(t, string(saved), "seal")

		// The device is switched off without a word: it begins where Save was.
		again := open(t, saved).in(protocol)
		again.is("player.parcels@ada", "1")
		again.is("player.checkpoint@ada", `"gorge_shelter"`)
		again.is("player.visits@ada", "2")
		again.number = g.number
		assert.Equal(t, "answer", again.asks("event", `,"name":"light","args":{}`).Is)
		again.is("scene.lanterns_lit[gorge]", "1")
		assert.Equal(t, "answer", again.asks("leave", "").Is)
		assert.Equal(t, wire.CodeLeft, again.s.Ended())
		last, _ := again.s.Save()
		third := open(t, last).in(protocol)
		third.is("scene.lanterns_lit[gorge]", "1") // what scenes have is kept
		third.is("player.oil@ada", "9")
	}
}

// Time goes by the host's, never back, and not while nobody is there; a jump is a pause.
func TestTimeOfTheHost(t *testing.T) {
	g := open(t, nil).in(wire.SubJSON)
	reads := func() string {
		raw, _ := g.mirror.JSON("player.run_time@ada")
		return string(raw)
	}
	assert.Equal(t, `{"since":0}`, reads())
	g.pass(2000)
	assert.EqualValues(t, 2000, g.mirror.Time)
	g.now -= 5000
	g.pass(1000)
	assert.EqualValues(t, 2000, g.mirror.Time)
	g.now += 60_000
	g.pass(1100)
	assert.Less(t, g.mirror.Time, int64(3500))
	assert.Contains(t, g.told, "started")
}

// Repeated numbers, what is no message, and who is somebody else.
func TestWhatIsRefusedOffline(t *testing.T) {
	g := open(t, nil)
	assert.ErrorContains(t, g.s.Connect("alluvion.json.9"), "alluvion.packed.1 and alluvion.json.1 are")
	g.in(wire.SubJSON)
	g.asks("event", `,"name":"load","args":{}`)
	g.number--
	g.heard = nil
	again := g.asks("event", `,"name":"load","args":{}`)
	assert.True(t, again.Repeat)
	g.is("player.parcels@ada", "1")
	g.send(`{"is":"event","nam":"load"}`)
	assert.Equal(t, "nam", g.heard[len(g.heard)-1].Member)
	g.send(`{"is":"dance","number":9}`)
	assert.Equal(t, "unknown", g.heard[len(g.heard)-1].Kind)
	g.s.Received([]byte{2}, g.now)
	assert.Equal(t, wire.CodeBad, g.s.Ended())
	saved, _ := g.s.Save()

	_, _, err := offline.Open(examples.LanternPass, examples.Commons, []byte(`{"a":1}`), 0)
	assert.ErrorIs(t, err, offline.ErrSaved)
	_, _, err = offline.Open([]byte("alluvion: 1\ngame: x\n"), nil, nil, 0)
	assert.ErrorContains(t, err, "line ")
	other := open(t, saved)
	require.NoError(t, other.s.Connect(wire.SubJSON))
	other.mirror = share.NewMirror(nil)
	other.send(`{"is":"hello","player":"bob"}`)
	if strings.Contains(string(saved), `"ada"`) {
		assert.Contains(t, other.heard[0].Why, "ada's")
	}
	third := open(t, nil)
	require.NoError(t, third.s.Connect(wire.SubJSON))
	third.send(`{"is":"hello","player":"ada","plan":"0123"}`)
	assert.Equal(t, "fetch", third.heard[0].Is)
	assert.Equal(t, wire.CodeLayout, third.s.Ended())
}

// What was saved under an earlier version is upgraded by the same steps as in a service.
func TestAnOfflineSaveIsUpgraded(t *testing.T) {
	before, err := examples.LanternPassHistory.ReadFile("lantern-pass/history/plan.v2.yaml")
	require.NoError(t, err)
	s, _, err := offline.Open(before, examples.Commons, nil, 1)
	require.NoError(t, err)
	require.NoError(t, s.Connect(wire.SubJSON))
	s.Received([]byte(`{"is":"hello","player":"ada"}`), 0)
	saved, _ := s.Save()
	g := open(t, saved).in(wire.SubJSON)
	g.is("player.max_warmth@ada", "100") // which there was not in version 2
}
