package main

import (
	"context"
	"fmt"
	"slices"
	"strings"

	json "github.com/go-json-experiment/json/v1"

	"github.com/jedib0t/go-pretty/v6/table"

	"alluvion.dev/contract"
	"alluvion.dev/core/types"
)

// show prints a player's values: start, live and saved, side by side.
func (p *player) show(ctx context.Context, id string) error {
	state, err := p.client.Player(ctx, p.game, id, 0)
	if err != nil {
		return err
	}
	if p.json {
		return json.NewEncoder(p.out).Encode(state)
	}
	t := p.table("", "start", "live", "saved")
	for _, v := range state.Values {
		t.AppendRow(table.Row{"  " + v.Title, p.style.quiet(figure(v.Start, !v.Computed)),
			p.style.bold(figure(v.Live, state.Present)), figure(v.Saved, v.Stored)})
	}
	p.print(t)
	where := "nothing is saved yet"
	if state.Revision > 0 || state.Recovery {
		where = fmt.Sprintf("saved: revision %d", state.Revision)
	}
	if state.Recovery {
		where += ", and newer recovery state"
	}
	p.printf("  %s\n", p.style.quiet(fmt.Sprintf("slot %d; %s", state.Slot, where)))
	for _, m := range state.Problems {
		p.printf("  %s\n", p.style.yellow(m.Name+" is kept in the attic: "+m.Reason))
	}
	return nil
}

// figure is a value as people read it; a dash where there is none to show.
func figure(v types.Value, there bool) string {
	if !there {
		return "–"
	}
	return oneLine(v.Plain())
}

func (p *player) showSession(ctx context.Context) error {
	state, err := p.session.State(ctx)
	if err != nil {
		return err
	}
	if p.json {
		return json.NewEncoder(p.out).Encode(state)
	}
	t := p.table("", "now")
	for _, f := range state.Game {
		t.AppendRow(table.Row{"  " + f.Title, p.style.bold(oneLine(f.Value.Plain()))})
	}
	for _, scene := range sortedScenes(state) {
		for _, f := range state.Scenes[scene] {
			t.AppendRow(table.Row{"  " + scene + ": " + f.Title, p.style.bold(oneLine(f.Value.Plain()))})
		}
	}
	p.print(t)
	present := strings.Join(state.Present, ", ")
	if present == "" {
		present = "nobody"
	}
	p.printf("  %s\n", p.style.quiet(fmt.Sprintf("present: %s; %.1f s; digest %s", present, state.Time,
		state.Digest[:16])))
	return nil
}

func sortedScenes(state contract.SessionState) []string {
	var names []string
	for name, figures := range state.Scenes {
		if len(figures) > 0 {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// why prints what changed of a player, newest first, and why.
func (p *player) why(ctx context.Context, words []string) error {
	name := ""
	if len(words) > 1 {
		name = words[1]
	}
	steps, err := p.session.Changes(ctx, words[0], name)
	if err != nil {
		return err
	}
	if p.json {
		return json.NewEncoder(p.out).Encode(steps)
	}
	if len(steps) == 0 {
		p.printf("  %s\n", p.style.quiet("nothing has changed in this session"))
		return nil
	}
	t := p.table("time", "what", "from", "to", "why")
	for _, s := range steps {
		t.AppendRow(table.Row{fmt.Sprintf("  %.1f s", s.Time), strings.TrimPrefix(s.Name, "player."),
			oneLine(s.From.Plain()), p.style.bold(oneLine(s.To.Plain())), p.style.quiet(s.Cause)})
	}
	p.print(t)
	return nil
}

func (p *player) table(head ...string) table.Writer { return newTable(p.style, head...) }

func (p *player) print(t table.Writer) { p.printf("%s\n", rendered(t)) }
