package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Bindings are written, said to fit or not, and never over a file that somebody else wrote.
func TestBindingsAreWrittenAndChecked(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "new", "folder")
	is := func(code int, words string, args ...string) {
		t.Helper()
		got := runWith(t, "", append(append([]string{"bindings"}, args...), demoPlan)...)
		assert.Equal(t, code, got.code, "%+v", got)
		assert.Contains(t, got.out+got.errs, words)
	}
	is(wrongUse, "for which language? Say it with -for, one of:\n  typescript")
	is(failed, "Did you mean lua?", "-for", "luna")
	is(findings, "alluvion.lua is not there.", "-check", "-for", "lua", "-o", dir)
	is(fine, "lantern_pass.lua: written (", "-for", "lua", "-o", dir)
	is(fine, "lantern_pass.lua: as it was (", "-for", "lua", "-o", dir)
	is(fine, "fits ", "-check", "-for", "lua", "-o", dir)
	made := filepath.Join(dir, "lantern_pass.lua")
	text, err := os.ReadFile(made)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(made, append(text, "-- changed\n"...), 0o600))
	is(findings, "lantern_pass.lua is not what the plan gives now.\nWrite it anew: alluvion bindings -for lua -o ", "-check", "-for", "lua", "-o", dir)
	is(fine, "lantern_pass.lua: written (", "-for", "lua", "-o", dir)
	require.NoError(t, os.WriteFile(made, []byte("-- my own game\n"), 0o600))
	is(failed, "lantern_pass.lua is there already, and not by alluvion bindings: it is left as it is", "-for", "lua", "-o", dir)
	own, err := os.ReadFile(made)
	require.NoError(t, err)
	assert.Equal(t, "-- my own game\n", string(own))
}
