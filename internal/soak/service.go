package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

const program = "bin/alluvion"

var ctx = context.Background()

// daemon is the program, running as a process of its own.
type daemon struct {
	cmd *exec.Cmd
	c   *client.Client
	url string
}

var answersAt = regexp.MustCompile(`http://127\.0\.0\.1:\d+`)

// serve starts the program on a file; before is what the shell does first, such as setting a limit.
func serve(data, before string) (*daemon, error) {
	cmd := exec.Command("sh", "-c", before+` exec "$0" "$@"`, program, "serve", "-addr", "127.0.0.1:0", "-data", data)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if url := answersAt.FindString(lines.Text()); url != "" {
			go func() {
				for lines.Scan() { // so that it never waits for somebody to read
				}
			}()
			return &daemon{cmd, client.New(url), url}, nil
		}
	}
	return nil, errors.Join(errors.New("the service did not start"), cmd.Wait())
}

// end sends a signal and gives the exit status, -1 where it was killed.
func (d *daemon) end(signal syscall.Signal) int {
	_ = d.cmd.Process.Signal(signal)
	_ = d.cmd.Wait()
	return d.cmd.ProcessState.ExitCode()
}

// found puts the demo game in.
func (d *daemon) found() error {
	if _, err := d.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, ""); err != nil {
		return err
	}
	_, _, err := d.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	return err
}

// writers are players of whom somebody writes rising numbers and saves each.
type writers struct {
	acknowledged []atomic.Int64
	saves        atomic.Int64
}

// most is where the numbers begin again.
const most = 9_000

func player(i int) string { return fmt.Sprintf("p%02d", i) }

// write lets all of them write and save until the service answers no more, or until says so.
func (w *writers) write(d *daemon, until func() bool) error {
	room, err := d.c.Open(ctx, "lantern-pass", "winter")
	if err != nil {
		return err
	}
	failed := make([]error, len(w.acknowledged))
	var all sync.WaitGroup
	for i := range w.acknowledged {
		all.Go(func() { failed[i] = w.one(d, room, i, until) })
	}
	all.Wait()
	return errors.Join(failed...)
}

func (w *writers) one(d *daemon, room *client.Session, i int, until func() bool) error {
	id := player(i)
	if _, err := room.Do(ctx, contract.Request{Do: "join", Player: id}); err != nil {
		return nil // it was killed before
	}
	if err := w.check(d, i); err != nil {
		return err
	}
	for !until() {
		next := w.acknowledged[i].Load() + 1
		value := types.OfInt(int(next % most))
		if _, err := room.Do(ctx, contract.Request{Do: "write", Server: true, Player: id, Name: "player.delivered",
			Value: &value}); err != nil {
			return nil
		}
		if s, err := d.c.Save(ctx, "lantern-pass", id); err != nil || s.Error != "" {
			return nil
		}
		w.acknowledged[i].Store(next)
		w.saves.Add(1)
	}
	return nil
}

// check holds what a player has against what was acknowledged.
func (w *writers) check(d *daemon, i int) error {
	state, err := d.c.Player(ctx, "lantern-pass", player(i), 0)
	if err != nil {
		return nil // it was killed meanwhile
	}
	for _, v := range state.Values {
		if v.Name != "player.delivered" {
			continue
		}
		last := w.acknowledged[i].Load()
		if n, _ := v.Live.Num.Int(); n != last%most && n != (last+1)%most { // the next one may have been written, and not been told
			return fmt.Errorf("%s has %d, and %d was acknowledged", player(i), n, last%most)
		}
	}
	return nil
}

// ask runs the program with arguments, for at most so long, and gives what it says and its exit status; -1 where it did
// not end in time.
func ask(within time.Duration, args ...string) (string, int) {
	limited, stop := context.WithTimeout(ctx, within)
	defer stop()
	cmd := exec.CommandContext(limited, program, args...)
	out, _ := cmd.CombinedOutput()
	return string(out), cmd.ProcessState.ExitCode()
}

// size is how large a file is, in bytes.
func size(path string) int64 {
	info, err := os.Stat(path)
	if err != nil {
		return 0
	}
	return info.Size()
}
