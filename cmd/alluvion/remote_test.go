package main

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/examples"
	"alluvion.dev/service"
)

// What only HTTP could do is done by commands, without naming a game where there is one, or a session where one is open.
func TestWhatAServiceHoldsIsSeenToByCommands(t *testing.T) {
	t.Parallel()
	s, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: filepath.Join(t.TempDir(), "a.db")})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Stop(context.Background())) })
	c := client.New(s.URL())
	asks := func(code int, args ...string) string {
		t.Helper()
		got := runWith(t, "", append(args, "-service", s.URL())...)
		assert.Equal(t, code, got.code, "%v: %s%s", args, got.out, got.errs)
		return got.out + got.errs
	}
	assert.Contains(t, asks(fine, "games"), "has no game yet. Publish one: alluvion publish PLAN")
	assert.Contains(t, asks(wrongUse, "sessions"), "has no game yet")
	_, err = c.PutCommons(t.Context(), "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	_, _, err = c.PutPlan(t.Context(), "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	assert.Regexp(t, `lantern-pass +Lantern Pass +3 +0 +0 +0`, asks(fine, "games"))

	assert.Contains(t, asks(fine, "sessions"), "No session of lantern-pass is open. Open one: alluvion sessions open NAME")
	assert.Contains(t, asks(wrongUse, "watch", "-once"), "no session of lantern-pass is open")
	assert.Contains(t, asks(fine, "sessions", "open", "winter"), "is open")
	assert.Contains(t, asks(fine, "watch", "-once"), "winter of lantern-pass")
	asks(fine, "sessions", "open", "summer")
	assert.Contains(t, asks(wrongUse, "watch", "-once"), "which session? There are summer, winter. Name one with -session.")
	assert.Contains(t, asks(failed, "sessions", "delete", "summer", "summer"), "close it first")
	asks(fine, "sessions", "close", "summer")
	assert.Contains(t, asks(wrongUse, "sessions", "delete", "summer"), "written twice")
	assert.Contains(t, asks(wrongUse, "sessions", "delete", "summer", "winter"), "written twice")
	assert.Contains(t, asks(fine, "sessions", "delete", "summer", "summer"), "is deleted")
	assert.Contains(t, asks(wrongUse, "sessions", "shut", "winter"), "sessions takes nothing")

	assert.Contains(t, asks(fine, "saves"), "Nothing is saved of anybody in lantern-pass yet.")
	room := c.Session("lantern-pass", "winter")
	_, err = room.Do(t.Context(), contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	_, err = room.Do(t.Context(), contract.Request{Do: "leave", Player: "wren"})
	require.NoError(t, err)
	assert.Regexp(t, `wren +1 +\d+ +leave +3 +lodge`, asks(fine, "saves"))
	folder := filepath.Join(t.TempDir(), "fetched")
	assert.Contains(t, asks(failed, "saves", "fetch", folder, "wrne"), "Did you mean wren?")
	assert.Contains(t, asks(fine, "saves", "fetch", folder), "1 save of 1 player written")
	kept, err := os.ReadFile(filepath.Join(folder, "wren.1.json"))
	require.NoError(t, err)
	assert.Contains(t, asks(failed, "saves", "fetch", folder), "is not written over")
	assert.Contains(t, asks(wrongUse, "saves", "put", filepath.Join(folder, "wren.1.json")), "say it with -why")
	require.NoError(t, c.EmptySlot(t.Context(), "lantern-pass", "wren", 1))
	assert.Contains(t, asks(fine, "saves", "put", filepath.Join(folder, "wren.1.json"), "-why", "it was emptied by mistake"), "slot 1 of wren")
	back, _, err := c.Download(t.Context(), "lantern-pass", "wren", 1)
	require.NoError(t, err)
	differ, err := c.Differences(t.Context(), "lantern-pass", kept, back)
	require.NoError(t, err)
	assert.Empty(t, differ, "it is what it was")
	assert.Contains(t, asks(wrongUse, "saves", "put", "wren.json", "-why", "x"), "does not say whose it is")

	assert.Contains(t, asks(fine, "rehearsals"), "No rehearsal is kept with lantern-pass.")
	asks(fine, "rehearsals", "put", "../../examples/lantern-pass/rehearsals/starting-over.yaml")
	assert.Contains(t, asks(fine, "rehearsals"), "starting-over")
	assert.Contains(t, asks(fine, "rehearsals", "run"), "as expected  starting-over  13 steps")
	wrong, err := os.ReadFile("../../examples/lantern-pass/rehearsals/starting-over.yaml")
	require.NoError(t, err)
	bad := filepath.Join(t.TempDir(), "bad.yaml")
	require.NoError(t, os.WriteFile(bad, []byte(strings.Replace(string(wrong), "wren.nickname: Wren, wren.courier: none", "wren.nickname: Finn, wren.courier: none", 1)), 0o600))
	require.NotContains(t, asks(fine, "rehearsals", "put", bad), "starting-over")
	out := asks(findings, "rehearsals", "run")
	assert.Contains(t, out, "otherwise  bad")
	assert.Contains(t, out, "1 of 2 rehearsals went as expected.")
	asks(fine, "rehearsals", "remove", "bad")
	assert.NotContains(t, asks(fine, "rehearsals"), "bad")

	// The environment says where, and of what.
	cmd := program("sessions")
	cmd.Env = append(cmd.Env, "ALLUVION_URL="+s.URL(), "ALLUVION_GAME=lantern-pass")
	listed, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", listed)
	assert.Contains(t, string(listed), "winter")
}

func TestFindingsOfOneKindStandTogether(t *testing.T) {
	t.Parallel()
	plan := `alluvion: 1
game: few
version: 1
start: hut/door
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
saving: {every: 30s}
variables:
  a: {of: player, type: int, start: 0, min: 0, max: 9}
  b: {of: player, type: int, start: 0, min: 0, max: 9}
rules:
  - {on: died, do: [{set: player.c, to: 1}]}
`
	plan = strings.Replace(plan, "player.c", "player.a", 1)
	begin, end := strings.Index(plan, "defaults:"), strings.Index(plan, "variables:")
	got := runWith(t, plan[:begin]+plan[end:], "check", "-")
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.out, "error  undecided-fate  3 times\n")
	assert.Less(t, strings.Index(got.out, "error  undecided-fate"), strings.Index(got.out, "warning  loss-window"), "the worst first: %s", got.out)
	got = runWith(t, plan, "check", "-")
	assert.Contains(t, got.out, "never-read  2 times\n")
	assert.Equal(t, 1, strings.Count(got.out, "Why: It costs space"), "what is the same is said once: %s", got.out)
	short := runWith(t, plan, "check", "-short", "-")
	lines := strings.Split(strings.TrimSpace(short.out), "\n")
	assert.Contains(t, short.out, "standard input:9:3  note  never-read  Nothing reads player.a.\n")
	assert.Len(t, lines, strings.Count(short.out, "\n"), short.out)

	cmd := program("check", "../../examples/troubled/still-dead.yaml")
	cmd.Env = append(cmd.Env, "COLUMNS=40")
	narrow, _ := cmd.CombinedOutput()
	for line := range strings.SplitSeq(string(narrow), "\n") {
		if !strings.HasPrefix(line, "warning") && !strings.HasPrefix(line, "../") {
			assert.LessOrEqual(t, len([]rune(line)), 72, line)
		}
	}
}
