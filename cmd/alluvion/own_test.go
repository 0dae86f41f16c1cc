package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/internal/worlds"
	"alluvion.dev/service"
)

const cellar = "../../examples/old-cellar/"

// A team adopts its saves, tries them, converts them, and moves them into a service and back, all by commands.
func TestSavesOfTheGamesOwnByCommands(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	draft := filepath.Join(folder, "plan.yaml")
	got := runWith(t, "", "adopt", "-o", draft, cellar+"saves")
	assert.Equal(t, fine, got.code, got.errs)
	assert.Contains(t, got.errs, "300 of 300 saves load under it with nothing told; 180 of the newest version are written back as they were")
	assert.Equal(t, failed, runWith(t, "", "adopt", "-o", draft, cellar+"saves").code, "nothing is written over")
	assert.Contains(t, runWith(t, "", "check", "-short", draft).out, "fine")
	assert.Contains(t, runWith(t, "", "trial", draft, cellar+"saves").out, "120 are upgraded in full")
	got = runWith(t, "", "adopt", cellar+"saves/bo-1.json", cellar+"saves/bo-2.json")
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.errs, "at least 3 are wanted")

	upgraded := filepath.Join(folder, "upgraded")
	got = runWith(t, "", "save", "convert", "-o", upgraded, cellar+"saves/bo-1.json", cellar+"saves/bo.ini")
	assert.Equal(t, fine, got.code, got.out+got.errs)
	got = runWith(t, "", "save", "check", "-plan", cellar+"plan.yaml", upgraded)
	assert.Equal(t, fine, got.code, got.out)
	assert.Contains(t, got.out, "slot_file, version 3")
	assert.Contains(t, got.out, "options, what bo has over all slots")
	got = runWith(t, "", "save", "convert", "-to", "alluvion", "-o", filepath.Join(folder, "ours"), cellar+"saves/bo-3.json")
	assert.Equal(t, fine, got.code, got.out)
	assert.Contains(t, runWith(t, "", "save", "check", "-plan", cellar+"plan.yaml", filepath.Join(folder, "ours")).out, "loads  version 3")
	assert.Equal(t, wrongUse, runWith(t, "", "save", "convert", cellar+"saves/bo-3.json").code)
	got = runWith(t, "", "save", "compare", cellar+"saves/bo-3.json", cellar+"saves/bo-4.json")
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.out, "Purse")

	s, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: filepath.Join(folder, "a.db")})
	require.NoError(t, err)
	defer func() { assert.NoError(t, s.Stop(t.Context())) }()
	plan, err := os.ReadFile(cellar + "plan.yaml")
	require.NoError(t, err)
	_, _, err = client.New(s.URL()).PutPlan(t.Context(), "old-cellar", plan, "")
	require.NoError(t, err)
	asks := func(code int, args ...string) string {
		t.Helper()
		got := runWith(t, "", append(args, "-service", s.URL(), "-game", "old-cellar")...)
		assert.Equal(t, code, got.code, "%v: %s", args, got.errs)
		return got.out + got.errs
	}
	assert.Contains(t, asks(wrongUse, "saves", "put", cellar+"saves/bo-3.json", "-why", "moved"), "say -unsealed")
	assert.Contains(t, asks(fine, "saves", "put", cellar+"saves/bo.ini", cellar+"saves/bo-3.json", cellar+"saves/bo-1.json", "-why", "moved", "-unsealed"), "slot 3 of bo")
	back := filepath.Join(folder, "back")
	asks(fine, "saves", "fetch", "-as", "slot_file", back)
	want, err := os.ReadFile(cellar + "saves/bo-3.json")
	require.NoError(t, err)
	is, err := os.ReadFile(filepath.Join(back, "bo-3.json"))
	require.NoError(t, err)
	assert.Equal(t, string(want), string(is))
	asks(fine, "saves", "fetch", "-as", "options", filepath.Join(folder, "options"))
	want, err = os.ReadFile(cellar + "saves/bo.ini")
	require.NoError(t, err)
	is, err = os.ReadFile(filepath.Join(folder, "options", "bo.ini"))
	require.NoError(t, err)
	assert.Equal(t, string(want), string(is), "what bo has over all slots, once")
	assert.Contains(t, asks(fine, "population", "-show", "player.coins", "-cut", "0..20"), "1 above")
	assert.Contains(t, asks(wrongUse, "population", "-show", "player.coin"), "Did you mean player.coins?")
	assert.Contains(t, asks(wrongUse, "population", "-after", "yesterday"), "-after is a day or a time")
	assert.Contains(t, asks(fine, "population", "-after", "2000-01-01"), "2 saves counted of 3")
	assert.True(t, strings.HasPrefix(asks(fine, "population", "-form", "csv"), "name,title,value,from,to,saves,exact\n"))
}

// A save in several files is checked, compared and converted where its files lie, whichever of them is named.
func TestSavesInSeveralFilesByCommands(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(folder, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644))
	}
	write("plan.yaml", strings.NewReplacer(", wrap: [gzip]", "", ", place.x: /state/x, place.y: /state/y", "", "version: 2", "version: 1", "upgrades: {2: [{rename: {player.money: player.coins}}]}\n", "").Replace(worlds.Tin))
	for _, one := range []string{"ada/1", "ada/2", "bo/1"} {
		write("saves/"+one+"/state.json", `{"v": 1, "purse": 7, "other": [1, 2]}`)
		write("saves/"+one+"/map.ini", "; the map\n[main]\nday = 12\n")
	}
	write("saves/ada/2/state.json", `{"v": 1, "purse": 70}`)
	write("saves/bo/1/map.ini", "[main]\nday = 999\n")

	at := func(name string) string { return filepath.Join(folder, name) }
	got := runWith(t, "", "save", "check", at("saves"))
	assert.Equal(t, findings, got.code)
	assert.Equal(t, 2, strings.Count(got.out, "state.json  loads  folder, version 1"), got.out)
	assert.Contains(t, got.out, "2:7  /map/main/day  game.day  range")
	for _, name := range []string{"saves/ada/1", "saves/ada/1/state.json", "saves/ada/1/map.ini"} {
		got = runWith(t, "", "save", "check", at(name))
		assert.Equal(t, fine, got.code, got.out+got.errs)
		assert.Contains(t, got.out, "1/state.json  loads", name)
	}
	got = runWith(t, "", "save", "compare", at("saves/ada/1"), at("saves/ada/2/map.ini"))
	assert.Equal(t, findings, got.code, got.errs)
	assert.Contains(t, got.out, "Coins")
	assert.Contains(t, runWith(t, "", "save", "compare", at("saves/ada"), at("saves/bo")).errs, "one save is wanted, and there are 2 in")
	got = runWith(t, "", "save", "convert", "-o", at("out"), at("saves/ada"))
	assert.Equal(t, fine, got.code, got.out+got.errs)
	for _, name := range []string{"ada/1/state.json", "ada/1/map.ini", "ada/2/state.json", "ada/2/map.ini"} {
		was, err := os.ReadFile(at("saves/" + name))
		require.NoError(t, err)
		now, err := os.ReadFile(at("out/" + name))
		require.NoError(t, err)
		assert.Equal(t, string(was), string(now), name)
	}
	assert.Contains(t, runWith(t, "", "population", "-show", "player.coins", at("plan.yaml"), at("saves")).out, "3 have a value")
}
