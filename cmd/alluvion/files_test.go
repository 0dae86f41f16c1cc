package main

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every command that reads a file, with files that are not what it wants: it says which file and what is wrong with it, in one
// line of plain words, makes nothing, and does not take long or fall over.
func TestEveryCommandWithFilesThatAreNone(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	file := func(name string, content []byte, mode os.FileMode) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, content, mode))
		return path
	}
	folder := filepath.Join(dir, "folder")
	require.NoError(t, os.Mkdir(folder, 0o755))
	rehearsal := file("rehearsal.yaml", []byte("rehearsal: a\nplan: plan.yaml\nplayers: [a]\nsteps: []\n"), 0o600)
	files := map[string]string{
		"missing": filepath.Join(dir, "no-such-file"),
		"folder":  folder,
		"empty":   file("empty", nil, 0o600),
		"picture": file("picture.png", append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00"), bytes.Repeat([]byte{0, 255, 7}, 900)...), 0o600),
		"huge":    file("huge.yaml", bytes.Repeat([]byte("a: [1, 2, {b: c}]\n"), 900_000), 0o600),
		"other":   rehearsal,
	}
	if os.Geteuid() != 0 { // root may read everything
		files["locked"] = file("locked", []byte("x"), 0)
	}
	commands := map[string]func(name string) []string{
		"check":           func(f string) []string { return []string{"check", f} },
		"matrix":          func(f string) []string { return []string{"matrix", f} },
		"compare":         func(f string) []string { return []string{"compare", f, demoPlan} },
		"compare, second": func(f string) []string { return []string{"compare", demoPlan, f} },
		"play":            func(f string) []string { return []string{"play", f, filepath.Join(dir, "empty")} },
		"rehearse":        func(f string) []string { return []string{"rehearse", f} },
		"save check":      func(f string) []string { return []string{"save", "check", "-plan", demoPlan, f} },
		"save check plan": func(f string) []string { return []string{"save", "check", "-plan", f, f} },
		"save check keys": func(f string) []string { return []string{"save", "check", "-plan", demoPlan, "-keys", f, f} },
		"save compare":    func(f string) []string { return []string{"save", "compare", "-plan", demoPlan, f, f} },
		"trial":           func(f string) []string { return []string{"trial", demoPlan, f} },
		"trial, the plan": func(f string) []string { return []string{"trial", f, f} },
		"publish":         func(f string) []string { return []string{"publish", "-service", "http://127.0.0.1:1", f} },
		"bindings": func(f string) []string {
			return []string{"bindings", "-for", "typescript", "-o", filepath.Join(dir, "made"), f}
		},
		"pack":           func(f string) []string { return []string{"pack", f} },
		"pack -encode":   func(f string) []string { return []string{"pack", "-encode", f, demoPlan} },
		"schema":         func(f string) []string { return []string{"schema", "-of", "save", f} },
		"backup":         func(f string) []string { return []string{"backup", f, filepath.Join(dir, "copy.db")} },
		"doctor":         func(f string) []string { return []string{"doctor", f} },
		"doctor -rescue": func(f string) []string { return []string{"doctor", "-rescue", filepath.Join(dir, "new.db"), f} },
		"keys":           func(f string) []string { return []string{"keys", f} },
		"token":          func(f string) []string { return []string{"token", f} },
		"serve":          func(f string) []string { return []string{"serve", "-addr", "127.0.0.1:0", "-data", f + "/x.db"} },
	}
	before := names(t, dir)
	for command, args := range commands {
		for kind, path := range files {
			if kind == "folder" && (command == "rehearse" || command == "serve" || strings.HasPrefix(command, "trial") && command != "trial, the plan" || command == "save check") {
				continue // where a folder may be named
			}
			o := runWith(t, "", args(path)...)
			said := o.out + o.errs
			name := command + " " + kind
			assert.NotZero(t, o.code, "%s: %s", name, said)
			assert.NotEmpty(t, strings.TrimSpace(said), name)
			assert.Less(t, len(said), 8_000, "%s says %d bytes: %.300s", name, len(said), said)
			for _, bad := range []string{"panic", "goroutine ", "runtime error", "nil pointer", "%!"} {
				assert.NotContains(t, said, bad, name)
			}
			assert.True(t, strings.Contains(said, filepath.Base(path)) || strings.Contains(said, "plan") || strings.Contains(said, "JSON"), "%s: %s", name, said)
		}
	}
	assert.Equal(t, before, names(t, dir), "nothing was made")
}

// names lists what is in a folder and below it.
func names(t *testing.T, dir string) []string {
	var out []string
	require.NoError(t, filepath.WalkDir(dir, func(path string, _ os.DirEntry, err error) error {
		out = append(out, path)
		return err
	}))
	return out
}
