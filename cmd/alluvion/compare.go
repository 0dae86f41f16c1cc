package main

import (
	"fmt"
	"strings"

	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/core/upgrade"
)

// runCompare says what becomes of saves of one version of a plan under another.
func runCompare(c *call) (int, error) {
	if len(c.args) != 2 {
		fmt.Fprintln(c.err, "alluvion: two plans are wanted: the one that saves were written under, and the one that they are to be loaded under.")
		return wrongUse, errUse
	}
	var m [2]*model.Model
	for i, name := range c.args {
		source, _, err := c.readFile(name)
		if err != nil {
			return failed, err
		}
		built, _, found := check.Plan(source, commonsBeside(name))
		if built == nil {
			c.printFindings(name, found)
			return findings, nil
		}
		m[i] = built
	}
	if a, b := m[0].Plan.Game.Name, m[1].Plan.Game.Name; a != b {
		fmt.Fprintf(c.err, "alluvion: these are plans of two games, %s and %s.\n", a, b)
		return wrongUse, errUse
	}
	there, back := upgrade.Compare(m[0], m[1]), upgrade.Compare(m[1], m[0])
	code := fine
	if there.Overall == upgrade.Loses || there.Overall == upgrade.Blocks || there.From >= there.To {
		code = findings
	}
	if c.json {
		return code, writeJSON(c.out, map[string]any{"forward": there, "back": back})
	}
	c.printComparison(there, back)
	return code, nil
}

func (c *call) printComparison(there, back upgrade.Comparison) {
	s := c.style
	fmt.Fprintf(c.out, "%s: saves of version %d under version %d\n\n", s.bold(there.Game), there.From, there.To)
	var harmless []upgrade.Difference
	for _, d := range there.Differences {
		if d.Verdict == upgrade.Safe && !c.all {
			harmless = append(harmless, d)
			continue
		}
		c.printDifference(d)
	}
	c.printHarmless(harmless)
	if len(there.Differences) == 0 {
		fmt.Fprintln(c.out, "  Nothing that concerns a save is different.")
	}
	if there.From >= there.To {
		fmt.Fprintf(c.out, "\n%s\n",
			s.red(fmt.Sprintf("The later plan has version %d, and has to have a higher one than %d.", there.To,
				there.From)))
	}
	fmt.Fprintf(c.out, "\nOld saves under the new plan: %s.\n", c.verdict(there.Overall, 0))
	fmt.Fprintf(c.out, "New saves under the old plan: %s, and a service that runs the old plan refuses to load them.\n",
		c.verdict(back.Overall, 0))
}

func (c *call) printDifference(d upgrade.Difference) {
	s := c.style
	fmt.Fprintf(c.out, "  %s %s  %s\n", c.verdict(d.Verdict, 8), s.quiet(fmt.Sprintf("%-10s", d.What)),
		s.quiet(fmt.Sprintf("line %d", d.At.Line)))
	fmt.Fprintln(c.out, c.wrap(d.Text, "    "))
	if d.Suggest != "" {
		fmt.Fprintln(c.out, s.blue("    An upgrade step would keep it: {"+d.Suggest+"}"))
	}
}

// printHarmless lists what no save loses anything by: by what it is and what became of it.
func (c *call) printHarmless(list []upgrade.Difference) {
	if len(list) == 0 {
		return
	}
	names, order := map[string][]string{}, []string{}
	for _, d := range list {
		key := d.What + " " + d.Change
		if names[key] == nil {
			order = append(order, key)
		}
		names[key] = append(names[key], d.Name)
	}
	fmt.Fprintf(c.out, "  %s %s\n", c.verdict(upgrade.Safe, 8), c.style.quiet("-all says more about each"))
	for _, key := range order {
		fmt.Fprintln(c.out, c.wrap(key+": "+strings.Join(names[key], ", "), "    "))
	}
}

func (c *call) verdict(v upgrade.Verdict, width int) string {
	text := fmt.Sprintf("%-*s", width, v)
	switch v {
	case upgrade.Blocks, upgrade.Loses:
		return c.style.red(text)
	case upgrade.Converts:
		return c.style.yellow(text)
	}
	return c.style.green(text)
}
