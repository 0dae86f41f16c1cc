package main

import (
	"context"
	"net"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A node is told what is missing; its file goes back to a service that is alone only where that is said.
func TestANodeByCommand(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	data, secret := filepath.Join(dir, "a.db"), filepath.Join(dir, "secret")
	require.NoError(t, os.WriteFile(secret, []byte("what all nodes of this test know\n"), 0o600))
	short := filepath.Join(dir, "short")
	require.NoError(t, os.WriteFile(short, []byte("too short\n"), 0o600))
	var where []string
	for range 3 {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		where = append(where, l.Addr().String())
		require.NoError(t, l.Close())
	}
	at, all := where[0], strings.Join(where, ",")

	for _, row := range []struct {
		code int
		says string
		args []string
	}{
		{2, "-cluster needs -node", []string{"-cluster", all}},
		{2, "at least three nodes", []string{"-cluster", at, "-node", "one"}},
		{2, "go with -cluster", []string{"-node", "one"}},
		{2, "-cluster needs -cluster-at", []string{"-cluster", all, "-node", "one"}},
		{2, "-cluster needs -cluster-secret", []string{"-cluster", all, "-node", "one", "-cluster-at", at}},
		{2, "do not go together", []string{"-cluster", all, "-node", "one", "-alone"}},
		{3, "at least 16 characters", []string{"-cluster", all, "-node", "one", "-cluster-at", at, "-cluster-secret", short}},
		{3, "is not among", []string{"-cluster", all, "-node", "one", "-cluster-at", "127.0.0.1:1", "-cluster-secret", secret}},
		{3, "lower-case letters, digits", []string{"-cluster", all, "-node", "Number One", "-cluster-at", at, "-cluster-secret", secret}},
		{3, "-alone is not needed", []string{"-alone"}},
	} {
		o := runWith(t, "", append([]string{"serve", "-addr", "127.0.0.1:0", "-data", data}, row.args...)...)
		assert.Equal(t, row.code, o.code, row.says)
		assert.Contains(t, o.errs, row.says)
	}

	ctx := context.Background()
	as := func(name, at string) []string {
		return []string{"-cluster", all, "-node", name, "-cluster-at", at, "-cluster-secret", secret, "-lease", "3s"}
	}
	for i, name := range []string{"two", "three"} {
		other := program(append([]string{"serve", "-addr", "127.0.0.1:0", "-data", filepath.Join(dir, name+".db")}, as(name, where[i+1])...)...)
		require.NoError(t, other.Start())
		t.Cleanup(func() { _ = other.Process.Kill(); _ = other.Wait() })
	}
	node := serve(t, data, as("one", at)...)
	_, _, err := node.c.PutPlan(ctx, "hut", []byte(smallPlan), "")
	require.NoError(t, err)
	require.Zero(t, node.end(t, syscall.SIGTERM))

	o := runWith(t, "", "serve", "-addr", "127.0.0.1:0", "-data", data)
	assert.Equal(t, 3, o.code)
	assert.Contains(t, o.errs, "the file belongs to several nodes")
	alone := serve(t, data, "-alone")
	_, _, err = alone.c.Plan(ctx, "hut")
	require.NoError(t, err, "it has what the nodes had")
	require.Zero(t, alone.end(t, syscall.SIGTERM))
	require.Zero(t, serve(t, data).end(t, syscall.SIGTERM), "and needs nothing more")
}

const smallPlan = `
alluvion: 1
game: hut
version: 1
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place: {death: checkpoint, leave: exact}
variables:
  oil: {of: player, type: int, min: 0, max: 9, start: 0, written_by: game, read_by: game}
scenes: {hall: {size: [10, 10], spots: {door: {at: [5, 0]}}}}
saving: {when: [scene, leave], every: 30s}
`
