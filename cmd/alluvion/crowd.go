package main

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"alluvion.dev/client/crowd"
)

// runCrowd lets simulated players play in a running service, and says what came of it.
func runCrowd(c *call) (int, error) {
	if err := c.noArgs(); err != nil {
		return wrongUse, err
	}
	if c.remove {
		if err := c.needsGame(); err != nil {
			return failed, err
		}
		return c.removeCrowd()
	}
	if c.liars+c.lagging+c.deaf+c.dropping > c.players {
		fmt.Fprintf(c.err, "alluvion: of %s, %d cannot lie, lag, stop reading or drop.\n", plural(c.players, "player"),
			c.liars+c.lagging+c.deaf+c.dropping)
		return wrongUse, errUse
	}
	if err := c.needsSession(); err != nil {
		return failed, err
	}
	config := crowd.Config{Game: c.game, Session: c.session, Players: c.players, For: c.lasts, Seed: uint64(c.seed),
		Rate: c.rate, Packed: !c.plain, Name: c.who,
		Liars: c.liars, Lagging: c.lagging, Deaf: c.deaf, Dropping: c.dropping}
	var progress func(crowd.Report)
	if bool(c.style) && !c.json {
		progress = func(r crowd.Report) { fmt.Fprint(c.terminal, "\r\x1b[K"); fmt.Fprint(c.out, c.crowdLine(r)) }
	}
	r, err := crowd.Run(c.ctx, c.remote(), config, progress)
	if progress != nil {
		fmt.Fprint(c.terminal, "\r\x1b[K")
	}
	if err != nil {
		return failed, err
	}
	if c.json {
		err = writeJSON(c.out, r)
	} else {
		c.printCrowd(r)
	}
	if r.Unforseen > 0 || len(r.Absent) > 0 {
		return findings, err
	}
	return fine, err
}

// crowdLine is how a crowd stands, in a line that is redrawn in place.
func (c *call) crowdLine(r crowd.Report) string {
	var scenes []string
	for _, id := range slices.Sorted(maps.Keys(r.Scenes)) {
		scenes = append(scenes, fmt.Sprintf("%s %d", id, r.Scenes[id]))
	}
	return fmt.Sprintf("%4.0fs  %d of %d here  %d moves  %d refused  %d mismatches  %s", r.Took, r.Here, r.Players,
		r.Moves, total(r.Refused), total(r.Differs), strings.Join(scenes, ", "))
}

func total[K comparable](counts map[K]int) int {
	n := 0
	for _, x := range counts {
		n += x
	}
	return n
}

func (c *call) printCrowd(r crowd.Report) {
	s := c.style
	who := s.bold(plural(r.Players, "player"))
	if n := total(r.Absent); n > 0 {
		who = fmt.Sprintf("%d of %s", r.Players-n, who)
	}
	fmt.Fprintf(c.out, "%s played for %.0f seconds, in %s.\n", who, r.Took, plural(r.Visits, "visit"))
	line := func(name, text string) { fmt.Fprintf(c.out, "  %-12s %s\n", name, text) }
	line("asked", fmt.Sprintf("%d moves; %s", r.Moves, counted(r.Done)))
	line("refused", counted(r.Refused))
	line("connections", fmt.Sprintf("%d resumed, %d ended by the service", r.Resumed, r.CutOff))
	line("heard", fmt.Sprintf("%d frames, %s; %s a player and second", r.Frames, size(r.Bytes),
		size(int64(float64(r.Bytes)/max(r.Took, 1)/float64(max(r.Players, 1))))))
	line("delay", fmt.Sprintf("%.0f ms from a move until it is confirmed; 99 of 100 within %.0f ms, the longest %.0f ms", r.Delay.Median, r.Delay.P99, r.Delay.Most))
	line("mismatches", counted(r.Differs))
	if n := total(r.Absent); n > 0 {
		fmt.Fprintln(c.out, s.red(fmt.Sprintf("%d of %s never got in:", n, plural(r.Players, "player"))))
		for _, why := range slices.Sorted(maps.Keys(r.Absent)) {
			fmt.Fprintf(c.out, "  %d: %s\n", r.Absent[why], why)
		}
	}
	if r.Unforseen == 0 {
		if len(r.Absent) == 0 {
			fmt.Fprintln(c.out, s.green("Nothing failed."))
		}
		c.sayKept(r)
		return
	}
	fmt.Fprintln(c.out, s.red(fmt.Sprintf("%s that should not have been:", plural(r.Unforseen, "thing"))))
	for _, p := range r.Problems {
		fmt.Fprintf(c.out, "  %s\n", p)
	}
	c.sayKept(r)
}

// sayKept says that the crowd's saves are there, and how they are removed.
func (c *call) sayKept(r crowd.Report) {
	if r.Visits > 0 {
		fmt.Fprintln(c.out, c.style.quiet(fmt.Sprintf("What was saved of them is kept, and marked as simulated. To remove it: alluvion crowd -remove -game %s", c.game)))
	}
}

// removeCrowd deletes everything that is held about the simulated players of a game who are not playing.
func (c *call) removeCrowd() (int, error) {
	service := c.remote()
	all, err := service.Players(c.ctx, c.game)
	if err != nil {
		return failed, err
	}
	removed, playing := 0, 0
	for _, p := range all {
		switch {
		case !p.Simulated:
		case p.Session != "":
			playing++
		default:
			if _, err := service.Forget(c.ctx, c.game, p.Player, true); err != nil {
				return failed, err
			}
			removed++
		}
	}
	fmt.Fprintf(c.out, "Removed everything of %s of %s.", plural(removed, "simulated player"), c.game)
	if playing > 0 {
		fmt.Fprintf(c.out, " %s still playing, and stay.", map[bool]string{true: "One is",
			false: fmt.Sprintf("%d are", playing)}[playing == 1])
	}
	fmt.Fprintln(c.out)
	return fine, nil
}

// counted are counts in words, the most first.
func counted[K ~string](counts map[K]int) string {
	names := slices.SortedFunc(maps.Keys(counts), func(a, b K) int {
		if counts[a] != counts[b] {
			return counts[b] - counts[a]
		}
		return strings.Compare(string(a), string(b))
	})
	var out []string
	for _, n := range names {
		if counts[n] > 0 {
			out = append(out, fmt.Sprintf("%d %s", counts[n], n))
		}
	}
	if out == nil {
		return "none"
	}
	return strings.Join(out, ", ")
}

// size is a number of bytes as people read it.
func size(n int64) string {
	switch {
	case n < 10_000:
		return fmt.Sprintf("%d B", n)
	case n < 10_000_000:
		return fmt.Sprintf("%.1f kB", float64(n)/1e3)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}

// demoCrowd lets a few simulated players walk about in the demo, until ctx ends.
func (c *call) demoCrowd(ctx context.Context, address string) {
	if c.players == 0 {
		return
	}
	_, err := crowd.Run(ctx, c.serviceAt(address), crowd.Config{Game: "lantern-pass", Session: "winter",
		Players: c.players, For: 1000 * time.Hour, Seed: 7, Rate: 5, Packed: true, Name: "lark", Liars: c.players / 6},
		nil)
	if err != nil && ctx.Err() == nil {
		fmt.Fprintf(c.err, "alluvion: the demo's simulated players have stopped: %v\n", err)
	}
}
