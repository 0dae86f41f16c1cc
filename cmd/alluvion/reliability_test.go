package main

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/examples"
	"alluvion.dev/service/store"
)

var bg = context.Background()

// found puts the demo's plan into a service.
func (d *daemon) found(t *testing.T) {
	_, err := d.c.PutCommons(bg, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	_, _, err = d.c.PutPlan(bg, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
}

func (d *daemon) kill() {
	_ = d.cmd.Process.Signal(syscall.SIGKILL)
	_ = d.cmd.Wait()
}

// Killed again and again while many write at once: every acknowledged write is found again, and the file is whole.
func TestManyWritersAndManyKills(t *testing.T) {
	t.Parallel()
	data := filepath.Join(t.TempDir(), "a.db")
	d := serve(t, data)
	d.found(t)
	const players = 12
	var acknowledged [players]atomic.Int64
	var written atomic.Int64 // by all
	for round := range 5 {
		room, err := d.c.Open(bg, "lantern-pass", "winter")
		require.NoError(t, err)
		var wg sync.WaitGroup
		var joined sync.WaitGroup
		joined.Add(players)
		for i := range players {
			wg.Go(func() {
				id := fmt.Sprintf("p%02d", i)
				_, err := room.Do(bg, contract.Request{Do: "join", Player: id})
				if assert.NoError(t, err, "after kill %d", round) {
					s, err := d.c.Player(bg, "lantern-pass", id, 0)
					if assert.NoError(t, err) {
						n, _ := live(s, "player.parcels").Num.Int()
						assert.GreaterOrEqual(t, n, acknowledged[i].Load(), "%s after kill %d", id, round)
					}
				}
				joined.Done()
				for {
					next := acknowledged[i].Load() + 1
					if _, err := room.Do(bg, contract.Request{Do: "write", Server: true, Player: id, Name: "player.parcels", Value: number(int(next))}); err != nil {
						return
					}
					if saved, err := d.c.Save(bg, "lantern-pass", id); err != nil || saved.Error != "" {
						return
					}
					acknowledged[i].Store(next)
					written.Add(1)
				}
			})
		}
		joined.Wait()
		before := written.Load()
		assert.Eventually(t, func() bool { return written.Load() >= before+int64(3+7*round) }, 30*time.Second, time.Millisecond, "there is load")
		d.kill()
		wg.Wait()
		whole, err := store.Examine(t.Context(), data)
		require.NoError(t, err)
		assert.True(t, whole.Whole(), "after kill %d: %+v", round, whole.Troubles)
		d = serve(t, data)
	}
}

// Killed while saves are upgraded: whoever comes back finds the old revision or the new one, whole, and never both at once.
func TestAKillWhileSavesAreTakenUpLeavesTheOldOrTheNewOne(t *testing.T) {
	t.Parallel()
	data := filepath.Join(t.TempDir(), "a.db")
	d := serve(t, data)
	_, err := d.c.PutCommons(bg, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	versions := func(v string) []byte {
		raw, err := os.ReadFile(history + "plan.v" + v + ".yaml")
		require.NoError(t, err)
		return raw
	}
	etag, _, err := d.c.PutPlan(bg, "lantern-pass", versions("1"), "")
	require.NoError(t, err)
	_, err = d.c.Publish(bg, "lantern-pass", etag, "")
	require.NoError(t, err)
	ada, err := os.ReadFile(history + "saves/ada.v1.json")
	require.NoError(t, err)
	const players = 30
	for i := range players {
		id := fmt.Sprintf("p%02d", i)
		_, _, err := d.c.Upload(bg, "lantern-pass", id, 1, []byte(strings.Replace(string(ada), `"ada"`, `"`+id+`"`, 1)), "", "", true)
		require.NoError(t, err)
	}
	etag, _, err = d.c.PutPlan(bg, "lantern-pass", versions("2"), etag)
	require.NoError(t, err)
	_, err = d.c.Publish(bg, "lantern-pass", etag, "a test")
	require.NoError(t, err)
	for round := range 4 {
		room, err := d.c.Open(bg, "lantern-pass", "winter")
		require.NoError(t, err)
		var wg sync.WaitGroup
		for i := range players {
			wg.Go(func() { _, _ = room.Do(bg, contract.Request{Do: "join", Player: fmt.Sprintf("p%02d", i)}) })
		}
		time.Sleep(time.Duration(1+3*round) * time.Millisecond)
		d.kill()
		wg.Wait()
		d = serve(t, data)
		for i := range players {
			id := fmt.Sprintf("p%02d", i)
			list, err := d.c.Revisions(bg, "lantern-pass", id, 1)
			require.NoError(t, err)
			require.LessOrEqual(t, len(list), 2)
			v, err := d.c.Player(bg, "lantern-pass", id, 1)
			require.NoError(t, err)
			assert.Empty(t, v.Problems)
			for _, x := range v.Values {
				if x.Name == "player.warmth" {
					assert.Equal(t, "620", x.Saved.Plain(), "as it is now, or as it will be when it is upgraded")
				}
			}
			if len(list) == 2 {
				assert.Equal(t, "upgraded", list[0].Moment)
			}
		}
	}
}

// limited is a service that may not write files beyond so many KiB: as if the disk were full.
func limited(t *testing.T, data string, kib int) *daemon {
	cmd := exec.Command("sh", "-c", fmt.Sprintf(`ulimit -f %d; exec "$0" "$@"`, kib*2), os.Args[0], "serve", "-addr", "127.0.0.1:0", "-data", data) // in blocks of 512 bytes (POSIX)
	cmd.Env = append(os.Environ(), "ALLUVION_TEST_AS_PROGRAM=1")
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err)
	d := &daemon{cmd: cmd, c: client.New(strings.TrimSpace(strings.TrimPrefix(line, "Alluvion is at ")))}
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	return d
}

func TestAFullDiskIsToldNothingIsAcknowledgedAndReadsAreServed(t *testing.T) {
	t.Parallel()
	data := filepath.Join(t.TempDir(), "a.db")
	d := limited(t, data, 700)
	d.found(t)
	room, err := d.c.Open(bg, "lantern-pass", "winter")
	require.NoError(t, err)
	_, err = room.Do(bg, contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	acknowledged, said := 0, ""
	for n := 1; n < 3000 && said == ""; n++ {
		_, err := room.Do(bg, contract.Request{Do: "write", Server: true, Player: "wren", Name: "player.parcels", Value: number(n)})
		require.NoError(t, err, "playing goes on")
		saved, err := d.c.Save(bg, "lantern-pass", "wren")
		if err != nil {
			said = err.Error()
		} else if saved.Error != "" {
			said = saved.Error
		} else {
			acknowledged = n
		}
	}
	require.NotEmpty(t, said, "the disk is full at some time")
	assert.Contains(t, said, "nothing was written")
	assert.Positive(t, acknowledged)
	_, err = d.c.Players(bg, "lantern-pass")
	assert.NoError(t, err, "reads are served")
	d.kill()
	d = serve(t, data) // with room again
	v, err := d.c.Player(bg, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	for _, x := range v.Values {
		if x.Name == "player.parcels" {
			n, _ := x.Saved.Num.Int()
			assert.GreaterOrEqual(t, int(n), acknowledged)
		}
	}
	room, err = d.c.Open(bg, "lantern-pass", "winter")
	require.NoError(t, err)
	_, err = room.Do(bg, contract.Request{Do: "join", Player: "wren"})
	assert.NoError(t, err)
}

// A file that may not be written is said to be so at once, and nothing is served that could be lost. Where the tests run as
// root, who may write everything, the program runs as nobody.
func TestAFileThatMayNotBeWrittenIsSaidSo(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	binary := filepath.Join(dir, "program")
	raw, err := os.ReadFile(os.Args[0])
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(binary, raw, 0o755))
	data := filepath.Join(dir, "a.db")
	d := serve(t, data)
	d.found(t)
	assert.Equal(t, 0, d.end(t, syscall.SIGTERM))
	require.NoError(t, os.Chmod(data, 0o444))
	for path := dir; strings.HasPrefix(path, os.TempDir()) && path != os.TempDir(); path = filepath.Dir(path) {
		require.NoError(t, os.Chmod(path, 0o555))
	}
	t.Cleanup(func() { _ = os.Chmod(dir, 0o755); _ = os.Chmod(filepath.Dir(dir), 0o755) })
	cmd := exec.Command(binary, "serve", "-addr", "127.0.0.1:0", "-data", data)
	cmd.Env = append(os.Environ(), "ALLUVION_TEST_AS_PROGRAM=1")
	if os.Geteuid() == 0 {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
	}
	out, err := cmd.CombinedOutput()
	require.Error(t, err)
	assert.Equal(t, failed, cmd.ProcessState.ExitCode(), string(out))
	assert.Contains(t, string(out), "a.db")
	assert.Contains(t, string(out), "permission denied")
}

func TestBackupAndDoctorOnTheCommandLine(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	data := filepath.Join(dir, "a.db")
	d := serve(t, data)
	d.found(t)
	room, err := d.c.Open(bg, "lantern-pass", "winter")
	require.NoError(t, err)
	_, err = room.Do(bg, contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	_, err = d.c.Save(bg, "lantern-pass", "wren")
	require.NoError(t, err)
	copied := filepath.Join(dir, "copy.db")
	got := runWith(t, "", "backup", data, copied)
	assert.Equal(t, 0, got.code, got.errs)
	assert.Contains(t, got.out, "whole copy")
	got = runWith(t, "", "doctor", copied)
	assert.Equal(t, 0, got.code, got.errs)
	assert.Contains(t, got.out, "Nothing is wrong")
	assert.Contains(t, got.out, "1 save")
	assert.Equal(t, failed, runWith(t, "", "backup", data, copied).code, "not overwritten")
	assert.Equal(t, failed, runWith(t, "", "doctor", filepath.Join(dir, "none.db")).code)
	assert.Equal(t, wrongUse, runWith(t, "", "doctor").code)
	sealed, _, err := d.c.Download(bg, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	file, keys := filepath.Join(dir, "wren.json"), filepath.Join(dir, "k.json")
	require.NoError(t, os.WriteFile(file, sealed, 0o600))
	require.NoError(t, os.WriteFile(keys, []byte(runWith(t, "", "keys", data).out), 0o600))
	assert.Contains(t, runWith(t, "", "save", "check", "-plan", demoPlan, "-keys", keys, file).out, "seal right")
	content, err := os.ReadFile(copied)
	require.NoError(t, err)
	damaged := filepath.Join(dir, "damaged.db")
	text := strings.Replace(string(content), `"parcels":0`, `"parcels":7`, 2)
	require.NotEqual(t, string(content), text)
	require.NoError(t, os.WriteFile(damaged, []byte(text), 0o600))
	got = runWith(t, "", "doctor", damaged)
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.out, "damaged")
	rescued := filepath.Join(dir, "rescued.db")
	got = runWith(t, "", "doctor", "-rescue", rescued, damaged)
	assert.Contains(t, got.out, "rescued")
	whole, err := store.Examine(t.Context(), rescued)
	require.NoError(t, err)
	assert.True(t, whole.Whole(), "%+v", whole.Troubles)
}

func TestPublishOnTheCommandLine(t *testing.T) {
	t.Parallel()
	d := serve(t, filepath.Join(t.TempDir(), "a.db"))
	_, err := d.c.PutCommons(bg, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	publish := func(args ...string) outcome {
		return runWith(t, "", append([]string{"publish", "-service", d.url, "-made", "10"}, args...)...)
	}
	got := publish(history + "plan.v1.yaml")
	require.Equal(t, 0, got.code, got.errs+got.out)
	assert.Contains(t, got.out, "published  Version 1")
	got = publish(history + "plan.v3.yaml")
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.out, "the next of lantern-pass is 2")
	draft := func() string {
		text, _, err := d.c.Plan(bg, "lantern-pass")
		require.NoError(t, err)
		return string(text)
	}
	second, err := os.ReadFile(history + "plan.v2.yaml")
	require.NoError(t, err)
	got = publish(history + "plan.v2.yaml")
	require.Equal(t, 0, got.code, got.errs+got.out)
	assert.Contains(t, got.out, "clean")
	got = publish(history + "plan.v3.yaml")
	assert.Equal(t, findings, got.code)
	assert.Contains(t, got.out, "player.nickname")
	assert.Contains(t, got.out, "not published, and nothing in the service has changed")
	assert.Equal(t, string(second), draft(), "a refused text replaces nothing")
	_, etag, err := d.c.Plan(bg, "lantern-pass")
	require.NoError(t, err)
	colleague := strings.Replace(string(second), "title: Lantern Pass", "title: Lantern Passes", 1)
	_, _, err = d.c.PutPlan(bg, "lantern-pass", []byte(colleague), etag)
	require.NoError(t, err)
	got = publish("-go-on", "long nicknames are rare", history+"plan.v3.yaml")
	assert.Equal(t, 1, got.code)
	assert.Contains(t, got.out, "The service works on another text of lantern-pass, of version 2")
	assert.Equal(t, colleague, draft(), "nor a colleague's")
	got = publish("-replace", "-go-on", "long nicknames are rare", history+"plan.v3.yaml")
	assert.Equal(t, 0, got.code, got.errs+got.out)
	assert.Contains(t, got.out, "published  Version 3")
}
