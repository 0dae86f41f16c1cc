package live_test

import (
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/service/live"
	"alluvion.dev/service/meter"
	"alluvion.dev/service/store"
)

// next publishes the hut's plan as it is, and then another version of it.
func (h *hall) next(pairs ...string) {
	g, err := h.st.Game(ctx, "hut")
	require.NoError(h.t, err)
	if _, err := h.st.Newest(ctx, "hut"); err != nil {
		_, err = h.st.Publish(ctx, store.Version{Game: "hut", Version: g.Version}, g.ETag, nil, nil)
		require.NoError(h.t, err)
	}
	text := strings.NewReplacer(pairs...).Replace(g.Text)
	require.NotEqual(h.t, g.Text, text)
	g, err = h.st.PutPlan(ctx, store.Game{ID: "hut", Title: "Hut", Version: g.Version + 1, Text: text}, g.ETag)
	require.NoError(h.t, err)
	_, err = h.st.Publish(ctx, store.Version{Game: "hut", Version: g.Version}, g.ETag, nil, nil)
	require.NoError(h.t, err)
}

func (h *hall) moments(player string) []string {
	list, err := h.st.Revisions(ctx, "hut", player, 1)
	require.NoError(h.t, err)
	var out []string
	for _, r := range list {
		out = append(out, r.Moment)
	}
	return out
}

func join(player string) engine.Request  { return engine.Request{Do: "join", Player: player} }
func leave(player string) engine.Request { return engine.Request{Do: "leave", Player: player} }

func TestRule31ASaveIsTakenUpOnceWhenItIsLoadedAndTheOldOneStays(t *testing.T) {
	h := open(t, "every: 30s")
	h.do(join("ada"))
	h.event("ada", "burn")
	h.event("ada", "give")
	h.do(leave("ada"))
	assert.Equal(t, []string{"leave"}, h.moments("ada"))
	old := h.s
	h.next("version: 1\nstart", "version: 2\nstart", "  oil:   {of", "  fuel:  {of", "player.oil", "player.fuel", "  fund:  {of: game, type: int, min: 0, max: 99", "  fund:  {of: game, type: int, min: 0, max: 990",
		"saving: {when", "upgrades: {2: [{rename: {player.oil: player.fuel}}, {convert: player.oil, to: old * 2}, {convert: game.fund, to: old * 10}]}\nsaving: {when")
	assert.Equal(t, 1, old.Model().Plan.Version.Value, "a session is pinned to the version that it was opened under")
	require.NoError(t, h.m.Close(ctx, old))
	h.enter("one")
	h.do(join("ada"))
	assert.Equal(t, "20", h.figure("ada", "fuel"))
	assert.Equal(t, []string{"upgraded", "leave"}, h.moments("ada"))
	v, err := h.s.Look(ctx)
	require.NoError(t, err)
	assert.Equal(t, "10", v.Game[0].Value.Plain(), "the world was upgraded too")
	h.do(leave("ada"))
	h.do(join("ada"))
	assert.Equal(t, "20", h.figure("ada", "fuel"), "and only once")
	assert.Equal(t, []string{"leave", "upgraded", "leave"}, h.moments("ada"))
}

func TestRecoveryStateOfAnEarlierVersionIsKeptAsARevision(t *testing.T) {
	h := open(t, "every: 1h")
	h.do(join("ada"))
	h.do(engine.Request{Do: "pass", Player: "ada", Name: "out"})
	h.do(join("bob"))
	h.event("ada", "burn")
	h.do(engine.Request{Do: "pass", Player: "bob", Name: "out"}) // ada goes along as recovery state
	h.next("version: 1\nstart", "version: 2\nstart", "max: 99, start: 12", "max: 99, start: 13")
	h.m = live.NewManager(h.st, slog.New(slog.DiscardHandler), meter.New()) // as if the machine had stopped
	h.enter("one")
	h.do(join("ada"))
	assert.Equal(t, "11", h.figure("ada", "oil"))
	assert.Equal(t, []string{"upgraded", "recovered", "scene"}, h.moments("ada"))
}

// resum makes the checksums fit again what was changed.
func (h *hall) resum() {
	raw, err := sql.Open("sqlite3", h.path+"?_busy_timeout=5000")
	require.NoError(h.t, err)
	defer raw.Close()
	var doc []byte
	require.NoError(h.t, raw.QueryRow("SELECT doc FROM saves ORDER BY revision DESC LIMIT 1").Scan(&doc))
	sum := sha256.Sum256(doc)
	_, err = raw.Exec("UPDATE saves SET checksum = ? WHERE revision = (SELECT MAX(revision) FROM saves)", hex.EncodeToString(sum[:]))
	require.NoError(h.t, err)
}

// broken writes a save of ada's with a value put in another's place.
func (h *hall) broken(from, to string) {
	h.sql("UPDATE saves SET doc = CAST(replace(CAST(doc AS TEXT), '" + from + "', '" + to + "') AS BLOB) WHERE revision = (SELECT MAX(revision) FROM saves)")
}

func TestAPlanSaysWhatIsDoneWithASaveThatDoesNotFit(t *testing.T) {
	for name, row := range map[string]struct {
		misfits, from, to string
		refused           string
		oil               string
		moments           []string
	}{
		"the last good one":            {"range: last", "\"oil\":10", "\"oil\":999", "", "11", []string{"earlier", "leave", "scene"}},
		"not loaded":                   {"range: refuse", "\"oil\":10", "\"oil\":999", "999 is outside 0 to 99", "", []string{"leave", "scene"}},
		"the nearest":                  {"range: nearest", "\"oil\":10", "\"oil\":999", "", "99", []string{"leave", "scene"}},
		"its start":                    {"range: start", "\"oil\":10", "\"oil\":999", "", "12", []string{"leave", "scene"}},
		"an unreadable one":            {"unreadable: last", "{\"alluvion_save\"", "{{", "", "11", []string{"earlier", "leave", "scene"}},
		"an unreadable one, otherwise": {"extra: keep", "{\"alluvion_save\"", "{{", "this is not a save", "", []string{"leave", "scene"}},
	} {
		t.Run(name, func(t *testing.T) {
			h := open(t, "every: 1h, misfits: {"+row.misfits+"}")
			h.do(join("ada"))
			h.event("ada", "burn")
			h.do(engine.Request{Do: "pass", Player: "ada", Name: "out"})
			h.event("ada", "burn")
			h.do(leave("ada"))
			require.Equal(t, []string{"leave", "scene"}, h.moments("ada"))
			h.broken(row.from, row.to)
			h.resum()
			_, err := h.m.Do(ctx, h.s, engine.Request{Do: "join", Player: "ada", Slot: 1})
			if row.refused != "" {
				assert.ErrorContains(t, err, row.refused)
			} else {
				require.NoError(t, err)
				assert.Equal(t, row.oil, h.figure("ada", "oil"))
			}
			assert.Equal(t, row.moments, h.moments("ada"))
		})
	}
}

func TestADamagedSaveIsPassedOverWhereThePlanSaysSo(t *testing.T) {
	h := open(t, "every: 1h, misfits: {unreadable: last}")
	h.do(join("ada"))
	h.event("ada", "burn")
	h.do(engine.Request{Do: "pass", Player: "ada", Name: "out"})
	h.do(leave("ada"))
	h.broken("\"oil\":11", "\"oil\":12") // and the checksum does not fit
	h.do(join("ada"))
	assert.Equal(t, "11", h.figure("ada", "oil"))
}

// What a rule of the old plan gave to players goes into what all games of the guild know, the highest of all slots.
func TestAnUpgradeTakesAValueToACommons(t *testing.T) {
	h := open(t, "every: 30s, slots: 2")
	_, err := h.st.PutCommons(ctx, store.Commons{ID: "guild", Title: "Guild", Version: 1, Text: "alluvion: 1\ncommons: guild\nversion: 1\nvariables: {fame: {writer: hut, type: int, min: 0, max: 50, start: 0}}\n"}, "")
	require.NoError(t, err)
	for slot, burns := range map[int]int{1: 2, 2: 5} {
		_, err := h.m.Do(ctx, h.s, engine.Request{Do: "join", Player: "ada", Slot: slot})
		require.NoError(t, err)
		for range burns {
			h.event("ada", "burn")
		}
		h.do(leave("ada"))
	}
	h.next("version: 1\nstart", "version: 2\nuses: [{commons: guild, as: guild, writes: [fame]}]\nstart", "  oil:   {of: player, type: int, min: 0, max: 99, start: 12, read_by: game}\n", "",
		"{add: player.oil, by: -1}", "{add: player.guild.fame, by: 1}", "saving: {when", "upgrades: {2: [{move: player.oil, into: player.guild.fame, many: max}]}\nsaving: {when")
	require.NoError(t, h.m.Close(ctx, h.s))
	h.enter("one")
	for _, slot := range []int{2, 1} {
		_, err := h.m.Do(ctx, h.s, engine.Request{Do: "join", Player: "ada", Slot: slot})
		require.NoError(t, err)
		want := map[int]string{2: "7", 1: "10"}[slot]
		assert.Equal(t, want, h.figure("ada", "guild.fame"))
		h.do(leave("ada"))
	}
	shared, err := h.st.Shared(ctx, "ada")
	require.NoError(t, err)
	require.Len(t, shared, 1)
	assert.Equal(t, "10", string(shared[0].Doc))
}

// Somebody joins while the disk is slow: they wait for it, and nobody else does.
func TestWhoPlaysDoesNotWaitForTheDiskOfWhoJoins(t *testing.T) {
	h := open(t, "every: 30s")
	h.do(engine.Request{Do: "join", Player: "ada"})
	raw, err := sql.Open("sqlite3", h.path+"?_busy_timeout=5000&_txlock=immediate")
	require.NoError(t, err)
	defer raw.Close()
	tx, err := raw.Begin() // nobody else can write now
	require.NoError(t, err)
	joined := make(chan error, 1)
	go func() {
		_, err := h.m.Do(ctx, h.s, engine.Request{Do: "join", Player: "bob", Slot: 1})
		joined <- err
	}()
	for range 20 {
		h.ticks() // which the session answers by itself
	}
	select {
	case err := <-joined:
		t.Fatalf("bob joined without his save: %v", err)
	default:
	}
	v, err := h.s.Look(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"ada"}, v.Present)
	require.NoError(t, tx.Rollback())
	require.NoError(t, <-joined)
	v, err = h.s.Look(ctx)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"ada", "bob"}, v.Present)
}

// Who joins a session that is being closed is told so, wherever in the joining that happens.
func TestWhoJoinsWhileASessionClosesIsToldSo(t *testing.T) {
	t.Parallel()
	h := open(t, "every: 1s")
	join := engine.Request{Do: "join", Player: "ada", Server: true, Slot: 1}
	_, err := h.m.Do(ctx, h.s, join)
	require.NoError(t, err)
	for i := range 60 {
		require.NoError(t, h.m.Close(ctx, h.s))
		h.enter("one")
		joined := make(chan error, 1)
		go func(s *live.Session) { _, err := h.m.Do(ctx, s, join); joined <- err }(h.s)
		time.Sleep(time.Duration(i*20) * time.Microsecond)
		require.NoError(t, h.m.Close(ctx, h.s))
		if err := <-joined; err != nil {
			require.ErrorIs(t, err, live.ErrClosed)
		}
		h.enter("one")
	}
}
