package main

import (
	"context"
	"encoding/json"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/client/crowd"
	"alluvion.dev/contract"
	"alluvion.dev/examples"
)

// demoIn puts the demo game into a running service, and opens its session.
func demoIn(t *testing.T, d *daemon) {
	ctx := context.Background()
	_, err := d.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	_, _, err = d.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	_, err = d.c.Open(ctx, "lantern-pass", "winter")
	require.NoError(t, err)
}

func TestACrowdPlaysAndIsWatched(t *testing.T) {
	t.Parallel()
	d := serve(t, filepath.Join(t.TempDir(), "a.db"))
	demoIn(t, d)
	empty := runWith(t, "", "watch", "-service", d.url)
	assert.Equal(t, 0, empty.code, empty.errs)
	assert.Contains(t, empty.out, "Nobody is here")

	played := runWith(t, "", "crowd", "-service", d.url, "-players", "8", "-for", "3s", "-liars", "1", "-dropping", "1", "-seed", "5")
	assert.Equal(t, 0, played.code, played.out+played.errs)
	assert.Contains(t, played.out, "8 players played for")
	assert.Contains(t, played.out, "Nothing failed.")
	var report crowd.Report
	again := runWith(t, "", "crowd", "-service", d.url, "-players", "2", "-for", "2s", "-json", "-text", "-name", "lark")
	require.NoError(t, json.Unmarshal([]byte(again.out), &report), again.errs)
	assert.Equal(t, 2, report.Players)
	assert.Positive(t, report.Moves)
	assert.Zero(t, report.Here)

	crowded := runWith(t, "", "crowd", "-service", d.url, "-players", "62", "-for", "1s", "-name", "many")
	assert.Equal(t, 1, crowded.code, "the session takes 60")
	assert.Contains(t, crowded.out, "2 of 62 players never got in:\n  2: ")
	assert.Contains(t, crowded.out, "60 of 62 players played")
	assert.Contains(t, crowded.out, "The session is full: it takes 60 players.")
	assert.NotContains(t, crowded.out, "Nothing failed")
	real, err := d.c.Session("lantern-pass", "winter").Join(context.Background(), client.Joining{Player: "many_99"})
	require.NoError(t, err)
	require.NoError(t, real.Leave(context.Background()))
	gone := runWith(t, "", "crowd", "-remove", "-service", d.url)
	assert.Equal(t, 0, gone.code, gone.errs)
	assert.Contains(t, gone.out, "Removed everything of 70 simulated players of lantern-pass.")
	left, err := d.c.Players(context.Background(), "lantern-pass")
	require.NoError(t, err)
	require.Len(t, left, 1, "whoever is no simulation stays")
	assert.Equal(t, "many_99", left[0].Player)

	_, err = d.c.Session("lantern-pass", "winter").Do(context.Background(), contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	watched := runWith(t, "", "watch", "-service", d.url, "-show", "player.warmth,player.nothing")
	assert.Contains(t, watched.out, "wren")
	assert.Contains(t, watched.out, "WARMTH")
	assert.Contains(t, watched.out, "100")
	var o contract.Overview
	require.NoError(t, json.Unmarshal([]byte(runWith(t, "", "watch", "-service", d.url, "-json").out), &o))
	assert.Equal(t, "wren", o.Players[len(o.Players)-1].Player)

	assert.Equal(t, 2, runWith(t, "", "crowd", "-service", d.url, "-players", "1", "-liars", "2").code)
	assert.Equal(t, 3, runWith(t, "", "crowd", "-service", d.url, "-game", "lantern-mess").code)
	assert.Equal(t, 3, runWith(t, "", "watch", "-service", d.url, "-session", "summer").code)
}

func TestTokensAreMadeForARoleAndOpenTheService(t *testing.T) {
	data := filepath.Join(t.TempDir(), "a.db")
	none := runWith(t, "", "token", data)
	assert.Equal(t, 3, none.code, "of no service there is no token")
	assert.NoFileExists(t, data+".tokens")
	elsewhere := runWith(t, "", "serve", "-addr", "0.0.0.0:0", "-data", data)
	assert.Equal(t, 3, elsewhere.code)
	assert.Contains(t, elsewhere.errs, "start with -tokens")
	d := serve(t, data, "-tokens")
	made := runWith(t, "", "token", data)
	require.Equal(t, 0, made.code, made.errs)
	assert.Len(t, strings.Split(strings.TrimSpace(made.out), "."), 3)
	assert.Equal(t, 0, runWith(t, "", "token", data, "-role", "player", "-game", "lantern-pass", "-player", "ada", "-rotate").code)
	for says, args := range map[string][]string{
		"name both":       {"token", data, "-role", "player"},
		"for one game":    {"token", data, "-role", "server"},
		"no role":         {"token", data, "-role", "king"},
		"at most 24h":     {"token", data, "-role", "player", "-game", "g", "-player", "p", "-for", "48h"},
		"file that the s": {"token"},
	} {
		r := runWith(t, "", args...)
		assert.Equal(t, 2, r.code, says)
		assert.Contains(t, r.errs, says)
	}
	_, err := d.c.Games(context.Background())
	require.Error(t, err, "no token")
	d.c = d.c.As(strings.TrimSpace(made.out))
	demoIn(t, d)
	assert.Equal(t, 3, runWith(t, "", "watch", "-service", d.url).code, "no token")
	t.Setenv("ALLUVION_TOKEN", strings.TrimSpace(made.out))
	assert.Equal(t, 0, runWith(t, "", "watch", "-service", d.url).code)
	assert.Equal(t, 0, runWith(t, "", "crowd", "-service", d.url, "-players", "2", "-for", "1s").code)
}

func TestPackWritesAndReadsACarriersMessages(t *testing.T) {
	t.Parallel()
	values := `{"place.scene":["gorge","gorge","lodge"],"place.x":[30,30.5,12],"place.y":[20,7.25,0],"player.courier":"brisa","player.nickname":"Wren_07"}`
	plan := "../../examples/lantern-pass/plan.yaml"
	packed := runWith(t, "", "pack", plan, "-encode", values)
	require.Equal(t, 0, packed.code, packed.errs)
	text := strings.TrimSpace(packed.out)
	assert.Len(t, text, 66)
	assert.Equal(t, packed.out, runWith(t, values, "pack", plan, "-encode", "-", "-carrier", "beacon").out)
	read := runWith(t, "", "pack", plan, "-decode", text)
	assert.JSONEq(t, values, read.out)
	for says, args := range map[string][]string{
		"has 66 symbols, not 3": {"pack", plan, "-decode", "12x"},
		"is missing":            {"pack", plan, "-encode", `{"place.x":[1]}`},
		"name a carrier":        {"pack", plan, "-carrier", "pigeon", "-decode", "1"},
		"are a JSON object":     {"pack", plan, "-encode", `{"`},
	} {
		r := runWith(t, "", args...)
		assert.Equal(t, 3, r.code, says)
		assert.Contains(t, r.errs, says)
	}
	assert.Contains(t, runWith(t, "", "pack", "-frames", plan).out, "player.warmth")
	report := runWith(t, "", "pack", plan)
	assert.Contains(t, report.out, "60 lanes for 60 players: each is heard every 200ms.")
}
