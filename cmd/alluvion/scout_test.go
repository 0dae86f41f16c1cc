package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/scout"
)

const stuckPlan = "../../examples/stuck/two-doors.yaml"

// A plan in which one gets stuck is told so, with the move at which the way is lost, and the exit status says it.
func TestAScoutSaysWhereOneGetsStuck(t *testing.T) {
	t.Parallel()
	xml := filepath.Join(t.TempDir(), "out.xml")
	got := runWith(t, "", "scout", "-steps", "-junit", xml, stuckPlan)
	written, err := os.ReadFile(xml)
	require.NoError(t, err)
	assert.Equal(t, 1, strings.Count(string(written), "<failure"))
	assert.Contains(t, string(written), `message="line 26: the way is lost in move 1: p1 sends pull"`)
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.out, "dead end  goal treasure cannot be reached any more, line 26")
	assert.Contains(t, got.out, "The way is lost in move 1: p1 sends pull.")
	assert.Contains(t, got.out, "    {event: pull, by: p1}\n")
	assert.NotContains(t, got.out, "not complete")

	raw, err := os.ReadFile(stuckPlan)
	require.NoError(t, err)
	mended := filepath.Join(t.TempDir(), "plan.yaml")
	require.NoError(t, os.WriteFile(mended, []byte(strings.Replace(string(raw), `push: {from: self, if: "!game.left"}`, "push: {from: self}", 2)), 0o644))
	got = runWith(t, "", "scout", mended)
	assert.Equal(t, fine, got.code, got.out)
	assert.Contains(t, got.out, "reached    goal treasure")
	assert.NotContains(t, got.out, "dead end")
}

// What is kept is played by rehearse; what is told to programs is the same.
func TestAScoutKeepsItsRuns(t *testing.T) {
	t.Parallel()
	folder := filepath.Join(t.TempDir(), "found")
	got := runWith(t, "", "scout", "-states", "400", "-keep", folder, demoPlan)
	assert.Equal(t, fine, got.code)
	assert.Contains(t, got.out, "Why not complete, so that what was not found may still be there:")
	played := runWith(t, "", "rehearse", folder)
	assert.Equal(t, fine, played.code, played.out)
	assert.Contains(t, played.out, "all as expected")

	got = runWith(t, "", "scout", "-states", "400", "-json", demoPlan)
	var report scout.Report
	require.NoError(t, json.Unmarshal([]byte(got.out), &report))
	assert.Equal(t, "lantern-pass", report.Game)
	assert.Len(t, report.Searches, 6)
	for _, s := range report.Searches {
		assert.False(t, s.Complete)
		assert.NotEmpty(t, s.Why)
	}
}

// A plan that cannot run is told what is wrong with it, and is not searched.
func TestAPlanWithErrorsIsNotSearched(t *testing.T) {
	t.Parallel()
	got := runWith(t, "", "scout", "../../examples/troubled/none-unhandled.yaml")
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.out, "none-unhandled")
	assert.NotContains(t, got.out, "searched with")
}
