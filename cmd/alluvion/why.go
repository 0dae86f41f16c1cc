package main

import (
	"context"
	"fmt"
	"strings"

	"alluvion/service/api"
)

// runWhy asks a running service why a value is what it is.
func runWhy(c *call) (int, error) {
	if c.game == "" || len(c.args) > 1 {
		fmt.Fprintln(c.err, "alluvion: which game? Name it with -game, and at most one value, such as player.parcels.")
		return wrongUse, errUse
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
		fmt.Fprintf(c.out, "Nothing of that kind has changed in the session %s: everything there has its start value.\n", c.session)
	}
	for _, s := range steps {
		fmt.Fprintln(c.out, c.stepLine(s))
	}
	return fine, nil
}

// stepLine is one change: when, whose, what, and why.
func (c *call) stepLine(s api.Step) string {
	whose := strings.Join(strings.Fields(s.Player+" "+s.Scene+" "+s.Prop), " ")
	return fmt.Sprintf("%s  %-16s %s  %s → %s  %s", c.style.quiet(s.At.Local().Format("2006-01-02 15:04:05")), whose, s.Name,
		s.From.Plain(), c.style.bold(s.To.Plain()), c.style.quiet(s.Cause))
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
