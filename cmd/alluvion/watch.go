package main

import (
	"fmt"
	"maps"
	"os"
	"strings"
	"time"

	"alluvion.dev/contract"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// runWatch shows a live session: who is there, where, with which values, and how their machines are doing. In a
// terminal it redraws in place until it is stopped; elsewhere, or with -once, it prints how things stand and ends.
func runWatch(c *call) (int, error) {
	if err := c.noArgs(); err != nil {
		return wrongUse, err
	}
	if err := c.needsSession(); err != nil {
		return failed, err
	}
	s := c.remote().Session(c.game, c.session)
	show := strings.FieldsFunc(c.show, func(r rune) bool { return r == ',' })
	if c.once || !bool(c.style) {
		o, err := s.Overview(c.ctx, show...)
		switch {
		case err != nil:
			return failed, err
		case c.json:
			return fine, writeJSON(c.out, o)
		}
		fmt.Fprint(c.out, c.watched(o, contract.Overview{}, 0, show, 1000))
		return fine, nil
	}
	var before contract.Overview
	var at time.Time
	rates := map[string]rate{}
	err := s.Watch(c.ctx, contract.Sought{Show: c.show}, func(o contract.Overview) {
		if since := time.Since(at); since >= time.Second { // what happened within a quarter of a second is no rate
			rates, before, at = ratesOf(o, before, since), o, time.Now()
		}
		wide, high := terminalSize()
		fmt.Fprint(c.terminal, "\x1b[H\x1b[J")
		fmt.Fprint(c.out, fitted(c.screen(o, rates, show, high), wide))
	})
	if c.ctx.Err() != nil {
		return fine, nil
	}
	if err == nil {
		fmt.Fprintln(c.out, "The session is closed.")
	}
	return fine, err
}

// terminalSize is how many columns and lines the terminal has.
func terminalSize() (wide, high int) {
	if w, h, err := term.GetSize(int(os.Stdout.Fd())); err == nil && w > 20 && h > 8 {
		return w, h
	}
	return 80, 24
}

// fitted cuts lines that are wider than the terminal: a line that wraps would move all that stands below it.
func fitted(screen string, wide int) string {
	lines := strings.Split(screen, "\n")
	for i, line := range lines {
		if text.StringWidthWithoutEscSequences(line) > wide {
			lines[i] = text.Trim(line, wide)
		}
	}
	return strings.Join(lines, "\n")
}

// rate is what goes over a connection in a second; under no name, over all together.
type rate struct{ in, out, bytes float64 }

func ratesOf(now, before contract.Overview, since time.Duration) map[string]rate {
	old, out := map[string]*contract.Machine{}, map[string]rate{}
	for _, p := range before.Players {
		old[p.Player] = p.Machine
	}
	for _, p := range now.Players {
		if m, was := p.Machine, old[p.Player]; m != nil && was != nil && m.In >= was.In {
			s := since.Seconds()
			out[p.Player] = rate{float64(m.In-was.In) / s, float64(m.Out-was.Out) / s,
				float64(m.BytesOut-was.BytesOut) / s}
		}
	}
	if a, b := now.Traffic, before.Traffic; b.Machines > 0 && a.In >= b.In && a.BytesOut >= b.BytesOut {
		s := since.Seconds()
		out[""] = rate{float64(a.In-b.In) / s, float64(a.Out-b.Out) / s, float64(a.BytesOut-b.BytesOut) / s}
	}
	return out
}

// watched is how a session stands, of two looks at it.
func (c *call) watched(now, before contract.Overview, since time.Duration, show []string, rows int) string {
	return c.screen(now, ratesOf(now, before, max(since, time.Second)), show, rows)
}

func (c *call) screen(o contract.Overview, rates map[string]rate, show []string, rows int) string {
	var b strings.Builder
	sum := rates[""]
	fmt.Fprintf(&b, "%s of %s  %s  tick %d  %s, %d connected", c.style.bold(c.session), c.game, clock(o.Time), o.Tick,
		plural(o.Present, "player"), o.Traffic.Machines)
	if sum.in+sum.out > 0 {
		fmt.Fprintf(&b, "  in %.0f/s  out %.0f/s, %s/s", sum.in, sum.out, size(int64(sum.bytes)))
	}
	b.WriteString("\n\n")
	if len(o.Players) == 0 {
		b.WriteString("Nobody is here. A crowd of simulated players comes with: alluvion crowd -game " + c.game +
			" -session " + c.session + "\n")
		return b.String()
	}
	refused := min(len(o.Refused), 4)
	room := max(rows-8-refused, 3)
	b.WriteString(c.playersTable(o.Players[:min(len(o.Players), room)], rates, show))
	if n := o.Present - min(len(o.Players), room); n > 0 {
		fmt.Fprintf(&b, "%s\n", c.style.quiet(fmt.Sprintf("and %d more", n)))
	}
	for id, holder := range maps.All(o.Held) {
		fmt.Fprintf(&b, "%s is with %s\n", id, holder)
	}
	if refused > 0 {
		b.WriteString("\nrefused last\n")
	}
	for _, r := range o.Refused[:refused] {
		fmt.Fprintf(&b, "  %s  %-14s %s  %s\n", c.style.quiet(r.At.Local().Format("15:04:05")), r.Player,
			strings.TrimSpace(r.What), c.style.yellow(r.Why))
	}
	return b.String()
}

func (c *call) playersTable(players []contract.Watched, rates map[string]rate, show []string) string {
	head := table.Row{"player", "scene", "place"}
	for _, name := range show {
		head = append(head, strings.TrimPrefix(name, "player."))
	}
	t := plainTable(append(head, "machine", "in/s", "out/s", "kB/s", "behind", "refused", "unlike")...)
	for _, p := range players {
		row := table.Row{p.Player, p.Place.Scene, c.where(p)}
		for _, name := range show {
			text := ""
			if v, ok := p.Values[name]; ok {
				text = oneLine(v.Plain())
			}
			row = append(row, text)
		}
		t.AppendRow(append(row, c.machineCells(p, rates[p.Player])...))
	}
	return t.Render() + "\n"
}

func (c *call) where(p contract.Watched) string {
	var at []string
	for _, n := range p.Place.At {
		at = append(at, n.String())
	}
	text := strings.Join(at, ", ")
	if p.Dead {
		return c.style.red("dead at " + text)
	}
	return text
}

func (c *call) machineCells(p contract.Watched, r rate) table.Row {
	refused := total(p.Refusals)
	switch {
	case p.Machine == nil && p.Lost != nil:
		return table.Row{c.style.yellow(fmt.Sprintf("lost %.0fs ago", time.Since(*p.Lost).Seconds())), "", "", "", "",
			refused, ""}
	case p.Machine == nil:
		return table.Row{c.style.quiet("none"), "", "", "", "", refused, ""}
	}
	kind := "text"
	if p.Machine.Packed {
		kind = "packed"
	}
	behind := ""
	if p.Machine.Behind > 1 {
		behind = plural(int(p.Machine.Behind), "tick")
	}
	unlike := ""
	if p.Machine.Mismatches > 0 {
		unlike = c.style.red(fmt.Sprint(p.Machine.Mismatches))
		if d := p.Machine.Unlike; len(d) > 0 {
			name, _, _ := strings.Cut(d[0].Address, "@")
			unlike += " " + strings.TrimPrefix(name, "player.")
		}
	}
	return table.Row{kind, fmt.Sprintf("%.0f", r.in), fmt.Sprintf("%.0f", r.out), fmt.Sprintf("%.1f", r.bytes/1000),
		behind, refused, unlike}
}

// clock is a session's time as people read it.
func clock(seconds float64) string {
	s := int(seconds)
	return fmt.Sprintf("%d:%02d:%02d", s/3600, s/60%60, s%60)
}
