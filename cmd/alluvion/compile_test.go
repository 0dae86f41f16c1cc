package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/compiled"
)

// A plan is compiled, said to be current or not, and never written over a file that somebody else wrote; a compiled one is
// no source.
func TestAPlanIsCompiled(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "plan.json")
	is := func(code int, words string, args ...string) {
		t.Helper()
		got := runWith(t, "", append([]string{"compile", "-o", file}, args...)...)
		assert.Equal(t, code, got.code, "%+v", got)
		assert.Contains(t, got.out+got.errs, words)
	}
	is(findings, "plan.json is not there.\nWrite it anew: alluvion compile -o ", "-check", demoPlan)
	is(fine, "plan.json: written (lantern-pass version 3, ", demoPlan)
	is(fine, "plan.json: as it was (", demoPlan)
	is(fine, "plan.yaml as it is now.", "-check", demoPlan)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	_, err = compiled.Read(text)
	require.NoError(t, err)

	got := runWith(t, "", "check", file)
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.out, "This is a compiled plan, which only games run: check the plan that it was made from.")

	is(findings, "plan.json is not what the plan gives now.", "-check", "../../examples/lantern-market/plan.yaml")
	is(fine, "plan.json: written (lantern-market version 1, ", "../../examples/lantern-market/plan.yaml")
	require.NoError(t, os.WriteFile(file, []byte("{}"), 0o600))
	is(failed, "plan.json is there already, and not by alluvion compile: it is left as it is", demoPlan)
	is(findings, "1 error. The plan cannot run.", "../../examples/troubled/missing.yaml")
}
