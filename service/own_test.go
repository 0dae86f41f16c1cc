package service_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/core/format"
	"alluvion.dev/core/types"
)

const cellar = "../examples/old-cellar/"

func cellarFile(t *testing.T, name string) []byte {
	raw, err := os.ReadFile(cellar + name)
	require.NoError(t, err)
	return raw
}

// A team's saves come into the service as the game wrote them, are played with, and leave as the game reads them.
func TestSavesOfTheGamesOwnComeAndGo(t *testing.T) {
	t.Parallel()
	h := founded(t)
	const game = "old-cellar"
	_, report, err := h.c.PutPlan(ctx, game, cellarFile(t, "plan.yaml"), "")
	require.NoError(t, err)
	require.True(t, report.Runnable)

	old, now := cellarFile(t, "saves/bo-1.json"), cellarFile(t, "saves/bo-3.json")
	x, err := h.c.CheckFile(ctx, game, "bo-1.json", old)
	require.NoError(t, err)
	assert.Equal(t, "slot_file", x.Format)
	assert.Equal(t, []any{"bo", 1, 1, 3}, []any{x.Player, x.Slot, x.From, x.To})
	assert.Empty(t, x.Problems)

	x, err = h.c.CheckFile(ctx, game, "bo-3.json", []byte(strings.Replace(string(now), `"lamp": "dim"`, `"lamp": "blue"`, 1)))
	require.NoError(t, err)
	require.Len(t, x.Problems, 1)
	assert.Equal(t, []any{"/lamp", "player.lamp", 9}, []any{x.Problems[0].Pointer, x.Problems[0].Name, x.Problems[0].Line})

	_, _, err = h.c.Upload(ctx, game, "bo", 3, now, "", "as it was", false)
	assert.Equal(t, 409, status(err), "a file of the game's own has no seal")
	_, _, err = h.c.UploadFile(ctx, game, "ada", 3, "bo-3.json", now, "", "")
	assert.Equal(t, 409, status(err), "it is another player's")
	_, _, err = h.c.UploadFile(ctx, game, "bo", 3, "bo-3.json", now, "", "as it was")
	require.NoError(t, err)

	back, name, err := h.c.DownloadAs(ctx, game, "bo", 3, "slot_file")
	require.NoError(t, err)
	assert.Equal(t, "bo-3.json", name)
	assert.Equal(t, string(now), string(back), "nothing has changed in between")

	_, etag, err := h.c.Download(ctx, game, "bo", 3)
	require.NoError(t, err)
	_, err = h.c.Correct(ctx, game, "bo", 3, contract.Correction{Name: "player.coins", Value: types.OfInt(77), Why: "lost at the mill"}, etag)
	require.NoError(t, err)
	back, _, err = h.c.DownloadAs(ctx, game, "bo", 3, "slot_file")
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(string(now), `"coins": 45`, `"coins": 77`, 1), string(back), "one figure, and nothing else")

	_, _, err = h.c.UploadFile(ctx, game, "bo", 1, "bo-1.json", old, "", "")
	require.NoError(t, err)
	back, _, err = h.c.DownloadAs(ctx, game, "bo", 1, "slot_file")
	require.NoError(t, err)
	x, err = h.c.CheckFile(ctx, game, "bo-1.json", back)
	require.NoError(t, err)
	assert.Equal(t, []any{3, 0}, []any{x.From, len(x.Problems)}, "it was upgraded: %s", back)
	assert.Contains(t, string(back), `"engine": "cellar-2.1"`, "what the plan knows nothing of")

	_, _, err = h.c.DownloadAs(ctx, game, "bo", 1, "slotfile")
	assert.ErrorContains(t, err, "slot_file")
	_, _, err = h.c.DownloadAs(ctx, game, "bo", 1, "options")
	assert.Equal(t, 404, status(err), "nothing is of all slots yet")

	// What bo has over all slots is a file of its own, and is written with the slot.
	options := cellarFile(t, "saves/bo.ini")
	_, etag, err = h.c.Download(ctx, game, "bo", 1)
	require.NoError(t, err)
	_, _, err = h.c.UploadFile(ctx, game, "ada", 1, "bo.ini", options, "", "")
	assert.Equal(t, 409, status(err), "it is another player's")
	_, _, err = h.c.UploadFile(ctx, game, "bo", 2, "bo.ini", options, "", "")
	assert.Equal(t, 404, status(err), "there is no save in that slot")
	_, _, err = h.c.UploadFile(ctx, game, "bo", 1, "bo.ini", options, etag, "as it was")
	require.NoError(t, err)
	back, name, err = h.c.DownloadAs(ctx, game, "bo", 1, "options")
	require.NoError(t, err)
	assert.Equal(t, []string{"bo.ini", string(options)}, []string{name, string(back)})
	back, _, err = h.c.DownloadAs(ctx, game, "bo", 1, "slot_file")
	require.NoError(t, err)
	assert.Contains(t, string(back), `"engine": "cellar-2.1"`, "the slot's own file is kept beside it")
	p, err := h.c.Population(ctx, game, contract.PopulationPick{})
	require.NoError(t, err)
	assert.Equal(t, 1, p.Spread("profile.music").Count)

	all, err := h.c.Export(ctx, game, "bo")
	require.NoError(t, err)
	require.Len(t, all.Files, 3)
	assert.Equal(t, string(old), string(all.Files[1].File), "what was uploaded is held, and handed over")
	_, err = h.c.Forget(ctx, game, "bo", false)
	require.NoError(t, err)
	raw, err := os.ReadFile(h.path)
	require.NoError(t, err)
	assert.NotContains(t, string(raw), "bo-3.json", "and gone with the player")
}

// A save in several files comes and goes as an archive of them.
func TestASaveInSeveralFilesComesAndGoes(t *testing.T) {
	t.Parallel()
	h := founded(t)
	const game = "old-cellar"
	plan := strings.Replace(string(cellarFile(t, "plan.yaml")), "\nformats:\n", `
formats:
  folder:
    is: json
    files: {state: state.json, shelf: {name: shelf.ini, is: ini}}
    version: {is: 3}
    where: {player.coins: /state/purse, player.debt: /shelf/main/debt}
`, 1)
	_, report, err := h.c.PutPlan(ctx, game, []byte(plan), "")
	require.NoError(t, err)
	require.True(t, report.Runnable)
	file, err := format.Pack(map[string][]byte{"state.json": []byte(`{"purse": 45, "engine": "x"}`), "shelf.ini": []byte("; mine\n[main]\ndebt=2\n")})
	require.NoError(t, err)
	x, err := h.c.CheckFile(ctx, game, "bo.zip", file)
	require.NoError(t, err)
	assert.Equal(t, []any{"folder", "bo", 0}, []any{x.Format, x.Player, len(x.Problems)})
	_, _, err = h.c.UploadFile(ctx, game, "bo", 1, "bo.zip", file, "", "as it was")
	require.NoError(t, err)
	_, etag, err := h.c.Download(ctx, game, "bo", 1)
	require.NoError(t, err)
	_, err = h.c.Correct(ctx, game, "bo", 1, contract.Correction{Name: "player.debt", Value: types.OfInt(7), Why: "lost at the mill"}, etag)
	require.NoError(t, err)
	back, name, err := h.c.DownloadAs(ctx, game, "bo", 1, "folder")
	require.NoError(t, err)
	assert.Equal(t, "bo.zip", name)
	files, err := format.Unpack(back)
	require.NoError(t, err)
	assert.Equal(t, map[string][]byte{"state.json": []byte(`{"purse": 45, "engine": "x"}`), "shelf.ini": []byte("; mine\n[main]\ndebt=7\n")}, files)
	all, err := h.c.Export(ctx, game, "bo")
	require.NoError(t, err)
	assert.Len(t, all.Files, 1)

	_, etag, err = h.c.Plan(ctx, game)
	require.NoError(t, err)
	_, _, err = h.c.PutPlan(ctx, game, []byte(strings.Replace(plan, "state: state.json", `state: "{player}/state.json"`, 1)), etag)
	require.NoError(t, err)
	file, err = format.Pack(map[string][]byte{"bo/state.json": []byte(`{"purse": 45}`), "bo/shelf.ini": []byte("[main]\ndebt=2\n")})
	require.NoError(t, err)
	_, _, err = h.c.UploadFile(ctx, game, "ada", 1, "ada.zip", file, "", "")
	assert.Equal(t, 409, status(err), "its files say that it is another player's")
}
