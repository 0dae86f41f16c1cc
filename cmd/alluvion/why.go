package main

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/finding"
)

// runWhy asks a running service why a value is what it is.
func runWhy(c *call) (int, error) {
	if err := c.needsSession(); err != nil {
		return failed, err
	}
	name := strings.Join(c.args, "")
	steps, err := c.remote().History(c.ctx, c.game, c.session, c.who, name, 50)
	if err != nil {
		return failed, err
	}
	if c.json {
		return fine, writeJSON(c.out, steps)
	}
	if len(steps) == 0 {
		return c.noSteps(name)
	}
	for _, s := range steps {
		fmt.Fprintln(c.out, c.stepLine(s))
	}
	return fine, nil
}

// noSteps says why there is nothing to tell: the value or the player is none, or nothing has changed.
func (c *call) noSteps(name string) (int, error) {
	known, err := c.valueNames()
	if err != nil {
		return failed, err
	}
	if name != "" && !slices.ContainsFunc(known, func(k string) bool {
		return k == name || strings.HasPrefix(k, name+".")
	}) {
		fmt.Fprintf(c.err, "alluvion: There is no value called %q in %s.%s\n", name, c.game,
			finding.DidYouMean(nearest(name, known)))
		return findings, nil
	}
	if c.who != "" {
		var p *client.Problem
		if _, err := c.remote().Player(c.ctx, c.game, c.who, 0); errors.As(err, &p) && p.Status == 404 {
			fmt.Fprintf(c.err, "alluvion: nothing is known of a player called %q in %s.\n", c.who, c.game)
			return findings, nil
		}
	}
	what, not := name, "not "
	if what == "" {
		what, not = "Nothing", ""
	}
	if c.who != "" {
		what += " of " + c.who
	}
	fmt.Fprintf(c.out, "%s has %schanged in the session %s, as far as its journal goes back.\n", what, not, c.session)
	return fine, nil
}

// valueNames are the names under which the journal tells of values.
func (c *call) valueNames() ([]string, error) {
	names, err := c.remote().Names(c.ctx, c.game)
	known := []string{"place", "player.place", "player.dead", "player.checkpoint"}
	prefix := map[string]string{"variable": "", "waymark": "player.", "milestone": "player.earned.",
		"standing": "player.standings.", "movable": "movables."}
	for _, n := range names {
		if p, told := prefix[n.Kind]; told {
			known = append(known, p+n.Name)
		}
	}
	return known, err
}

// stepLine is one change: when, whose, what, and why.
func (c *call) stepLine(s contract.Step) string {
	whose := strings.Join(strings.Fields(s.Player+" "+s.Scene+" "+s.Prop+" "+s.Option), " ")
	return fmt.Sprintf("%s  %-16s %s  %s → %s  %s", c.style.quiet(s.At.Local().Format("2006-01-02 15:04:05")), whose,
		s.Name,
		oneLine(s.From.Plain()), c.style.bold(oneLine(s.To.Plain())), c.style.quiet(s.Cause))
}

// standing prints a part of a standing.
func (p *player) standing(ctx context.Context, words []string) error {
	part, err := p.client.Standing(ctx, p.game, words[0], strings.Join(words[1:], ""), 10)
	if err != nil {
		return err
	}
	p.printf("  %s: %s\n", part.Title, plural(part.Players, "player"))
	for _, place := range part.Places {
		p.printf("  %4d  %-16s %s\n", place.Place, place.Player, place.Number)
	}
	return nil
}
