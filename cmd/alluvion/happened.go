package main

import (
	"fmt"
	"io"
	"strings"

	"alluvion.dev/contract"
)

// happened prints what changed and why, and who was told what.
func (s style) happened(out io.Writer, indent string, changes []contract.Change, notices []contract.Notice) {
	width := 0
	for _, c := range changes {
		width = max(width, len(whose(c)))
	}
	for _, c := range changes {
		fmt.Fprintf(out, "%s%-*s  %s %s %s   %s\n", indent, width, whose(c), oneLine(c.From.Plain()), s.quiet("→"),
			s.bold(oneLine(c.To.Plain())), s.quiet(c.Cause+times(c.Times)))
	}
	heard := map[contract.Notice]int{}
	for _, n := range notices {
		heard[n]++
	}
	for _, n := range notices {
		if heard[n] > 0 {
			fmt.Fprintf(out, "%s%s\n", indent, s.blue(oneLine(noticeText(n))+times(heard[n])))
		}
		delete(heard, n)
	}
}

// times says how often something came, where that was more than once.
func times(n int) string {
	if n < 2 {
		return ""
	}
	return fmt.Sprintf(", %d times", n)
}

// whose names the value that changed, with its owner.
func whose(c contract.Change) string {
	owner, of := c.Player, c.Scene+c.Prop+c.Option
	if owner == "" {
		owner, of = of, ""
	}
	if owner == "" {
		owner = "game"
	}
	name := c.Name
	for _, root := range []string{"player.", "scene.", "game.", "prop."} {
		name = strings.TrimPrefix(name, root)
	}
	if of != "" {
		name += " (" + of + ")"
	}
	return owner + "  " + name
}

func noticeText(n contract.Notice) string {
	switch n.Kind {
	case "arrived":
		if n.From == "" {
			return n.Player + " is in " + n.Scene
		}
		return n.Player + " arrived in " + n.Scene + " from " + n.From
	case "departed":
		return n.Player + " left " + n.Scene
	case "checkpoint":
		return n.Player + " touched the checkpoint " + n.Text
	case "died":
		return n.Player + " died in " + n.Scene
	case "came-back":
		return n.Player + " came back in " + n.Scene
	case "message":
		return "told to " + n.To + ": " + n.Text
	case "milestone":
		return n.Player + " earned " + n.Text
	case "started":
		return n.Player + " begins a new run"
	case "joined":
		return n.Player + " joined"
	case "left":
		return n.Player + "'s visit ended"
	case "taken":
		return n.Player + " took " + n.Text
	case "set-down":
		return n.Player + " set down " + n.Text + " in " + n.Scene
	case "holds":
		return n.Player + " has " + n.Text
	case "stands":
		return "here stands " + n.Text
	}
	return n.Kind + ": " + n.Text
}
