package service_test

import (
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
	"alluvion.dev/service"
)

var ctx = context.Background()

// house is a running service with the demo game.
type house struct {
	t    *testing.T
	path string
	s    *service.Service
	c    *client.Client
	room *client.Session
}

func start(t *testing.T) *house {
	h := founded(t)
	h.enter()
	return h
}

// founded is a house in which no session was opened yet.
func founded(t *testing.T) *house {
	h := &house{t: t, path: filepath.Join(t.TempDir(), "a.db")}
	h.open()
	_, guild := h.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(h.t, guild)
	_, report, err := h.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	require.True(t, report.Runnable)
	t.Cleanup(h.stop)
	return h
}

func (h *house) open() {
	var err error
	h.s, err = service.Start(service.Config{Addr: "127.0.0.1:0", Data: h.path})
	require.NoError(h.t, err)
	h.c = client.New(h.s.URL())
}

func (h *house) enter() {
	var err error
	h.room, err = h.c.Open(ctx, "lantern-pass", "winter")
	require.NoError(h.t, err)
}

func (h *house) stop() {
	if h.s != nil {
		assert.NoError(h.t, h.s.Stop(ctx))
		h.s = nil
	}
}

func (h *house) restart() {
	h.stop()
	h.open()
	h.enter()
}

func (h *house) do(r contract.Request) contract.Answer {
	h.t.Helper()
	a, err := h.room.Do(ctx, r)
	require.NoError(h.t, err, "%+v", r)
	return a
}

func (h *house) refused(r contract.Request) *client.Problem {
	h.t.Helper()
	_, err := h.room.Do(ctx, r)
	var p *client.Problem
	require.ErrorAs(h.t, err, &p, "%+v", r)
	return p
}

func (h *house) digest() string {
	s, err := h.room.State(ctx)
	require.NoError(h.t, err)
	return s.Digest
}

func to(x, y int64) []fixed.Num { return []fixed.Num{fixed.FromInt(x), fixed.FromInt(y)} }

func event(player, name string, args ...any) contract.Request {
	r := contract.Request{Do: "event", Player: player, Name: name, Args: map[string]types.Value{}}
	for i := 0; i < len(args); i += 2 {
		switch v := args[i+1].(type) {
		case int:
			r.Args[args[i].(string)] = types.OfInt(v)
		case string:
			r.Args[args[i].(string)] = types.OfText(v)
		}
	}
	return r
}

func gust(at string, amount int) contract.Request {
	r := event("", "gust", "at", at, "amount", amount)
	r.Server = true
	return r
}

// figures gives a player's values by name.
func (h *house) figures(player string) map[string]contract.Three {
	h.t.Helper()
	s, err := h.c.Player(ctx, "lantern-pass", player, 0)
	require.NoError(h.t, err)
	out := map[string]contract.Three{}
	for _, v := range s.Values {
		out[v.Name] = v
	}
	return out
}

// The main job, end to end: over a passage, to a checkpoint, through a death, away, the service stopped
// and started, and back: every value is where the matrix says.
func TestAPlayerComesBackToWhatTheMatrixPromises(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "choose", "who", "brisa"))
	h.do(event("wren", "load"))
	h.do(contract.Request{Do: "move", Player: "wren", To: to(30, 1)})
	passed := h.do(contract.Request{Do: "pass", Player: "wren", Name: "porch_gorge"})
	require.NotNil(t, passed.Saved)
	assert.Equal(t, "scene", passed.Saved.Moment)
	h.do(contract.Request{Do: "move", Player: "wren", To: to(30, 19)})
	touched := h.do(contract.Request{Do: "touch", Player: "wren", Name: "gorge_shelter"})
	assert.Equal(t, 2, touched.Saved.Revision)
	h.do(event("wren", "load"))
	h.do(event("wren", "light"))
	h.do(event("wren", "plank"))
	for range 3 {
		h.do(gust("wren", 40))
	}
	assert.Eventually(t, func() bool { return h.figures("wren")["player.warmth"].Live.String() == "110" }, 30*time.Second, 50*time.Millisecond, "comes back after 0.8 s")

	matrix, err := h.c.Matrix(ctx, "lantern-pass")
	require.NoError(t, err)
	live := h.figures("wren")
	died := map[string]string{"player.warmth": "110", "player.parcels": "1", "player.oil": "12", "player.falls": "1", "player.chilled": "false", "place": "gorge (30, 20) south"}
	for name, want := range died {
		assert.Equal(t, want, live[name].Live.Plain(), "%s after death: %s", name, matrix.Cell(name, "death").Sentence)
	}
	left := h.do(contract.Request{Do: "leave", Player: "wren"})
	assert.Equal(t, "leave", left.Saved.Moment)

	h.restart()
	joined := h.do(contract.Request{Do: "join", Player: "wren"})
	assert.Empty(t, joined.Changes, "every fate at leave is keep")
	back := h.figures("wren")
	for name, was := range live {
		if name == "player.checkpoints" || name == "player.holds" { // lists of what has rows of its own
			continue
		}
		cell := matrix.Cell(name, "leave")
		require.NotNil(t, cell, name)
		switch cell.Fate {
		case "keep", "exact", "computed":
			if was.Type != "stopwatch" {
				assert.Equal(t, was.Live, back[name].Live, "%s: %s", name, cell.Sentence)
			}
		default:
			t.Errorf("%s has the fate %s at leave; extend this test", name, cell.Fate)
		}
	}
	state, err := h.room.State(ctx)
	require.NoError(t, err)
	assert.Equal(t, "keep", matrix.Cell("game.planks", "restart").Fate)
	assert.Equal(t, "1", state.Game[1].Value.Plain(), "one plank, still")
	assert.Equal(t, "0.4", state.Scenes["gorge"][0].Value.Plain(), "snow is reset when the last player leaves")
	assert.Equal(t, "1", state.Scenes["gorge"][1].Value.Plain(), "the lantern burns on")

	over := h.do(contract.Request{Do: "start-over", Player: "wren"})
	assert.NotEmpty(t, over.Changes)
	for name, v := range h.figures("wren") {
		switch cell := matrix.Cell(name, "new-run"); {
		case cell == nil:
		case cell.Fate != "reset" || v.Type == "stopwatch":
		case v.Type == "milestone":
			assert.NotEqual(t, "earned", v.Live.Plain(), name)
		default:
			assert.Equal(t, v.Start, v.Live, name)
		}
	}
}

func TestBadRequestsAreRefusedInOneMessageAndChangeNothing(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	digest := h.digest()
	for name, row := range map[string]struct {
		req    contract.Request
		status int
		words  string
	}{
		"nobody there":          {event("eve", "load"), 404, `"eve"`},
		"an argument too large": {gust("wren", 41), 422, "outside 0 to 40"},
		"no such event":         {event("wren", "laod"), 404, "laod"},
		"not to be asked":       {event("wren", "gust", "amount", 1, "at", "wren"), 403, "server"},
		"a closed event":        {event("wren", "deliver"), 409, "nothing to deliver"},
		"too far away":          {contract.Request{Do: "pass", Player: "wren", Name: "porch_gorge"}, 409, "too far"},
		"outside":               {contract.Request{Do: "move", Player: "wren", To: to(-1, 3)}, 409, "outside"},
		"no such request":       {contract.Request{Do: "fly", Player: "wren"}, 422, ""},
		"a slot too many":       {contract.Request{Do: "join", Player: "pike", Slot: 4}, 422, "slots go from 1 to 3"},
	} {
		p := h.refused(row.req)
		assert.Equal(t, row.status, p.Status, name)
		assert.NotEmpty(t, p.Title)
		assert.Contains(t, p.Error()+strings.Join(p.Errors, ""), row.words, name)
		assert.True(t, strings.HasPrefix(p.Type, "/problems/"))
	}
	assert.Equal(t, digest, h.digest())
}

func TestBadPlansAreRefusedAndTheGoodOneStays(t *testing.T) {
	t.Parallel()
	h := start(t)
	_, etag, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	good := string(examples.LanternPass)
	for name, row := range map[string]struct {
		text   string
		status int
		words  string
	}{
		"a misspelt scene": {strings.Replace(good, "to: gorge/mouth", "to: groge/mouth", 1), 422, "groge"},
		"a tab":            {strings.Replace(good, "  lodge:", "\tlodge:", 1), 422, "tab"},
		"fifty megabytes":  {strings.Repeat("# nothing\n", 5<<20), 413, ""},
		"nothing":          {" ", 422, "empty"},
		"another game":     {strings.Replace(good, "game: lantern-pass", "game: other", 1), 422, "other"},
		"no state decided": {strings.Replace(good, "scene: keep, death: keep, leave", "scene: keep, leave", 1), 422, "Nothing decides"},
	} {
		_, _, err := h.c.PutPlan(ctx, "lantern-pass", []byte(row.text), etag)
		var p *client.Problem
		require.ErrorAs(t, err, &p, name)
		assert.Equal(t, row.status, p.Status, name)
		assert.Contains(t, p.Detail, row.words, name)
	}
	text, _, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Equal(t, good, string(text))
}

func TestPlansAreReplacedOnlyByWhoHasReadThem(t *testing.T) {
	t.Parallel()
	h := start(t)
	_, _, again := h.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	assert.NoError(t, again, "the same text may be put as often as anybody likes")
	text, etag, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	mine := append(text, "# mine\n"...)
	next, _, err := h.c.PutPlan(ctx, "lantern-pass", mine, etag)
	require.NoError(t, err)
	assert.NotEqual(t, etag, next)
	_, _, err = h.c.PutPlan(ctx, "lantern-pass", append(text, "# yours\n"...), etag)
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, http.StatusPreconditionFailed, p.Status)
}

func TestOneFateIsWrittenIntoThePlan(t *testing.T) {
	t.Parallel()
	h := start(t)
	before, etag, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	next, report, err := h.c.SetFate(ctx, "lantern-pass", "player.oil", "death", "keep", etag)
	require.NoError(t, err)
	assert.True(t, report.Runnable)
	after, now, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Equal(t, next, now)
	assert.Equal(t, strings.Replace(string(before), "start: 12, across: {death: rewind}}", "start: 12, across: {death: keep}}", 1), string(after))
	m, err := h.c.Matrix(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Equal(t, "keep", m.Cell("player.oil", "death").Fate)
	_, _, err = h.c.SetFate(ctx, "lantern-pass", "player.oil", "death", "rewind", etag)
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, http.StatusPreconditionFailed, p.Status)
}

func TestAPlanMayBeJSON(t *testing.T) {
	t.Parallel()
	h := start(t)
	const tiny = `{"alluvion": 1, "game": "tiny", "version": 1, "start": "a/s", "defaults": {"place": {"death": "stay", "leave": "exact"}}, "scenes": {"a": {"size": [4, 4], "spots": {"s": {"at": [1, 1]}}}}, "saving": {"every": "30s"}}`
	_, _, err := h.c.PutPlan(ctx, "tiny", []byte(tiny), "")
	require.NoError(t, err)
	games, err := h.c.Games(ctx)
	require.NoError(t, err)
	assert.Len(t, games, 2)
}

func TestRule2APlayerIsInOneSessionAtATime(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	other, err := h.c.Open(ctx, "lantern-pass", "summer")
	require.NoError(t, err)
	_, err = other.Do(ctx, contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	assert.Equal(t, "1", h.figures("wren")["player.parcels"].Live.Plain(), "what they had came along")
	p := h.refused(event("wren", "load"))
	assert.Equal(t, http.StatusNotFound, p.Status)
}

func TestRule8ANumberedRequestGetsItsFirstAnswer(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	req := event("wren", "load")
	req.Number = 1
	first := h.do(req)
	again := h.do(req)
	assert.True(t, first.Applied)
	assert.False(t, again.Applied)
	assert.Equal(t, first.Changes, again.Changes)
	assert.Equal(t, "1", h.figures("wren")["player.parcels"].Live.Plain())
}

func TestRule30WhoHadNoSaveMomentIsRecoveredAfterACrash(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(contract.Request{Do: "join", Player: "pike"})
	h.do(event("pike", "load"))
	h.do(contract.Request{Do: "move", Player: "wren", To: to(30, 1)})
	h.do(contract.Request{Do: "pass", Player: "wren", Name: "porch_gorge"}) // saves wren, and what has changed of pike
	s, err := h.c.Player(ctx, "lantern-pass", "pike", 0)
	require.NoError(t, err)
	assert.True(t, s.Recovery)
	assert.Zero(t, s.Revision)
}

func TestSavesCanBeAskedForListedAndTakenUp(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren", Slot: 2})
	first, err := h.c.Save(ctx, "lantern-pass", "wren")
	require.NoError(t, err)
	h.do(event("wren", "load"))
	second, err := h.c.Save(ctx, "lantern-pass", "wren")
	require.NoError(t, err)
	assert.Equal(t, first.Revision+1, second.Revision)
	_, err = h.c.TakeUp(ctx, "lantern-pass", "wren", 2, first.Revision)
	var p *client.Problem
	require.ErrorAs(t, err, &p, "not while they play")
	h.do(contract.Request{Do: "leave", Player: "wren"})
	_, err = h.c.TakeUp(ctx, "lantern-pass", "wren", 2, first.Revision)
	require.NoError(t, err)
	h.do(contract.Request{Do: "join", Player: "wren", Slot: 2})
	assert.Equal(t, "0", h.figures("wren")["player.parcels"].Live.Plain())
	list, err := h.c.Revisions(ctx, "lantern-pass", "wren", 2)
	require.NoError(t, err)
	assert.Equal(t, "taken-up", list[0].Moment)
	assert.Equal(t, "The Lodge", list[0].Title)
	doc, err := h.c.Revision(ctx, "lantern-pass", "wren", 2, first.Revision)
	require.NoError(t, err)
	assert.Contains(t, string(doc), `"parcels":0`)
	_, err = h.c.Save(ctx, "lantern-pass", "nobody")
	require.ErrorAs(t, err, &p)
	assert.Equal(t, 404, p.Status)
}

func TestChangesSayWhy(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(gust("wren", 10))
	steps, err := h.room.Changes(ctx, "wren", "player.warmth")
	require.NoError(t, err)
	require.Len(t, steps, 1)
	assert.Contains(t, steps[0].Cause, "gust")
	assert.Positive(t, steps[0].Line)
}

func TestOnlyThisMachineMayAsk(t *testing.T) {
	t.Parallel()
	_, err := service.Start(service.Config{Addr: "0.0.0.0:0", Data: filepath.Join(t.TempDir(), "a.db")})
	assert.ErrorIs(t, err, service.ErrNotLoopback)
	h := start(t)
	for name, change := range map[string]func(*http.Request){
		"a name that was made to point here": func(r *http.Request) { r.Host = "evil.example" },
		"a page of another site":             func(r *http.Request) { r.Header.Set("Origin", "http://evil.example") },
		"a form of another site":             func(r *http.Request) { r.Method = "POST"; r.Header.Set("Sec-Fetch-Site", "cross-site") },
	} {
		req, err := http.NewRequest(http.MethodGet, h.s.URL()+"/v1/games", nil)
		require.NoError(t, err)
		change(req)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		_, _ = io.Copy(io.Discard, res.Body)
		_ = res.Body.Close()
		assert.Equal(t, http.StatusForbidden, res.StatusCode, name)
	}
}

func TestRequestsThatAreNoneAreRefused(t *testing.T) {
	t.Parallel()
	h := start(t)
	at := h.s.URL() + "/v1/games/lantern-pass/sessions/winter/requests"
	for body, status := range map[string]int{
		``: 400, `{`: 400, `[]`: 422, `{"do":"join"}{"do":"join"}`: 400, `{"do":"join","x":1}`: 422, `{"do":5}`: 422,
		`{"do":"event","player":"wren","name":"load","args":{"x":[1]}}`: 400, strings.Repeat("x", 100<<10): 413,
	} {
		res, err := http.Post(at, "application/json", strings.NewReader(body))
		require.NoError(t, err)
		raw, _ := io.ReadAll(res.Body)
		_ = res.Body.Close()
		assert.GreaterOrEqual(t, res.StatusCode, 400, "%.40s", body)
		assert.Less(t, res.StatusCode, 500, "%.40s: %s", body, raw)
		assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"), "%.40s (wanted about %d)", body, status)
	}
	for path, status := range map[string]int{"/v1/nothing": 404, "/v1/games/none/plan": 404, "/v1/games/lantern-pass/sessions/none": 404, "/v1/games/lantern-pass/players/none": 404, "/healthz": 200} {
		res, err := http.Get(h.s.URL() + path)
		require.NoError(t, err)
		_ = res.Body.Close()
		assert.Equal(t, status, res.StatusCode, path)
	}
}

func TestManyPlayersAtOnce(t *testing.T) {
	t.Parallel()
	h := start(t)
	var wg sync.WaitGroup
	ids := []string{"a", "b", "c", "d", "e", "f", "g", "h"}
	for _, id := range ids {
		wg.Go(func() {
			if _, err := h.room.Do(ctx, contract.Request{Do: "join", Player: id}); !assert.NoError(t, err) {
				return
			}
			for range 5 {
				_, err := h.room.Do(ctx, event(id, "load"))
				assert.NoError(t, err)
				_, err = h.room.Do(ctx, event(id, "plank"))
				assert.NoError(t, err)
			}
			_, err := h.room.Do(ctx, contract.Request{Do: "leave", Player: id})
			assert.NoError(t, err)
		})
	}
	wg.Wait()
	players, err := h.c.Players(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Len(t, players, len(ids))
}

func TestAStopSavesEverybody(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	h.restart()
	h.do(contract.Request{Do: "join", Player: "wren"})
	assert.Equal(t, "1", h.figures("wren")["player.parcels"].Live.Plain())
}

func TestRule31ASaveOfANewerPlanIsNotLoaded(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(contract.Request{Do: "leave", Player: "wren"})
	text, etag, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	older, _, _ := strings.Cut(strings.Replace(string(text), "version: 3", "version: 2", 1), "\nupgrades:")
	_, _, err = h.c.PutPlan(ctx, "lantern-pass", []byte(older), etag)
	require.NoError(t, err)
	h.stop()
	h.open()
	_, err = h.c.Open(ctx, "lantern-pass", "winter")
	assert.ErrorContains(t, err, "newer version", "nor is the world")
	h.room, err = h.c.Open(ctx, "lantern-pass", "spring")
	require.NoError(t, err)
	p := h.refused(contract.Request{Do: "join", Player: "wren"})
	assert.Equal(t, http.StatusConflict, p.Status)
	assert.Contains(t, p.Detail, "newer version")
}

func TestATextIsComparedWithTheGamesPlan(t *testing.T) {
	t.Parallel()
	h := start(t)
	same, err := h.c.Compare(ctx, "lantern-pass", examples.LanternPass)
	require.NoError(t, err)
	assert.Empty(t, same.Forward.Differences)
	next := strings.NewReplacer("version: 3", "version: 4", "max: 40, start: 12", "max: 30, start: 12", "{set: player.oil, to: 40}", "{set: player.oil, to: 30}").Replace(string(examples.LanternPass))
	all, err := h.c.Compare(ctx, "lantern-pass", []byte(next))
	require.NoError(t, err)
	assert.Equal(t, upgrade.Loses, all.Forward.Overall)
	assert.Equal(t, upgrade.Safe, all.Back.Overall, "what fits the narrower fits the wider")
	require.Len(t, all.Forward.Differences, 1)
	assert.Contains(t, all.Forward.Differences[0].Text, "goes from 0 to 30")
	_, err = h.c.Compare(ctx, "lantern-pass", examples.LanternMarket)
	assert.ErrorContains(t, err, "lantern-market")
	_, err = h.c.Compare(ctx, "lantern-pass", []byte("alluvion: 1\n"))
	assert.Error(t, err)
	_, err = h.c.Compare(ctx, "nowhere", examples.LanternPass)
	assert.Error(t, err)
}

func TestAReadOnlyFileIsSaidAtOnce(t *testing.T) {
	t.Parallel()
	if os.Geteuid() == 0 {
		t.Skip("root may write everything")
	}
	dir := t.TempDir()
	require.NoError(t, os.Chmod(dir, 0o500))
	_, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: filepath.Join(dir, "a.db")})
	assert.Error(t, err)
	assert.False(t, errors.Is(err, service.ErrNotLoopback))
}
