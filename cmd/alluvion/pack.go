package main

import (
	"fmt"

	"github.com/jedib0t/go-pretty/v6/table"

	"alluvion/core/check"
	"alluvion/core/model"
	"alluvion/core/pack"
)

// runPack shows how the messages of a plan's carriers are laid out, and how much is left.
func runPack(c *call) (int, error) {
	source, name, err := c.readPlan()
	if err != nil {
		return failed, err
	}
	m, _, found := check.Text(source, commonsBeside(name))
	if m == nil {
		c.printFindings(name, found)
		return findings, nil
	}
	if len(m.Carriers) == 0 {
		fmt.Fprintf(c.out, "%s has no carriers: nothing there has to fit into a transport with limits.\n", name)
	}
	code := fine
	for _, x := range m.Carriers {
		l := pack.Of(x)
		c.printLayout(m, l)
		if l.Left() < 0 || x.Players && m.Players() > x.Lanes {
			code = findings
		}
	}
	return code, nil
}

func (c *call) printLayout(m *model.Model, l pack.Layout) {
	x, s := l.Carrier, c.style
	fmt.Fprintf(c.out, "%s  %d symbols of an alphabet of %d, %s, every %s\n", s.bold(x.Title), x.Length, len(x.Alphabet), plural(x.Lanes, "lane"), x.Every)
	t := table.NewWriter()
	t.SetStyle(table.StyleLight)
	t.Style().Options = table.OptionsNoBordersAndSeparators
	t.AppendHeader(table.Row{"from", "symbols", "carries", "tells apart"})
	for _, f := range l.Fields {
		name := f.Name
		if f.Sample > 0 {
			name = fmt.Sprintf("%s, sample %d", f.Name, f.Sample)
		}
		t.AppendRow(table.Row{f.At, f.Width, name, f.What})
	}
	fmt.Fprintln(c.out, t.Render())
	if left := l.Left(); left < 0 {
		fmt.Fprintf(c.out, "%s\n", s.red(fmt.Sprintf("%s too many.", plural(-left, "symbol"))))
		for _, saving := range l.Savings() {
			fmt.Fprintf(c.out, "  steps of %s for %s would save %d\n", saving.Step, saving.Name, saving.Symbol)
		}
	} else {
		fmt.Fprintf(c.out, "%s used, %d left.\n", plural(l.Used, "symbol"), left)
	}
	if x.Players {
		text := fmt.Sprintf("%s for %s: ", plural(x.Lanes, "lane"), plural(m.Players(), "player"))
		if m.Players() > x.Lanes {
			text += fmt.Sprintf("in turn, each is heard every %s.", l.HeardAfter(m.Players()))
		} else {
			text += fmt.Sprintf("each is heard every %s.", x.Every)
		}
		fmt.Fprintln(c.out, text)
	}
	fmt.Fprintln(c.out)
}
