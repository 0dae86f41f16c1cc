package main

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"alluvion.dev/core/format"
	"alluvion.dev/core/save"
)

// runDifferences says how two saves differ, in the words of the plan beside the second.
func runDifferences(c *call, before, after string) (int, error) {
	plans := map[string]*planFile{}
	for _, name := range []*string{&before, &after} {
		one, err := c.saveFiles([]string{*name}, plans)
		if err != nil {
			return failed, err
		}
		if len(one) != 1 {
			return failed, fmt.Errorf("one save is wanted, and there are %d in %s", len(one), *name)
		}
		*name = one[0]
	}
	var raw [2][]byte
	for i, file := range []string{before, after} {
		var err error
		if raw[i], _, err = c.readFile(file); err != nil {
			return failed, err
		}
		if len(bytes.TrimSpace(raw[i])) == 0 {
			return failed, fmt.Errorf("%s is empty: it is no save", file)
		}
	}
	p, err := c.planFor(after, plans)
	if err != nil {
		return failed, err
	}
	if p.model == nil {
		c.printFindings(p.name, p.found)
		return findings, nil
	}
	for i, file := range []string{before, after} {
		if raw[i], err = p.ours(file, raw[i]); err != nil {
			return failed, err
		}
	}
	list, err := save.Differences(p.model, raw[0], raw[1])
	if err != nil {
		return failed, fmt.Errorf("%s against %s: %w", after, before, err)
	}
	code := fine
	if len(list) > 0 {
		code = findings
	}
	if c.json {
		return code, writeJSON(c.out, list)
	}
	if len(list) == 0 {
		fmt.Fprintln(c.out, "They say the same.")
		return code, nil
	}
	t := newTable(c.style, "what", "before", "after")
	for _, d := range list {
		t.AppendRow(table.Row{d.Title, c.style.quiet(orDash(d.Before)), c.style.bold(orDash(d.After))})
	}
	fmt.Fprintln(c.out, rendered(t))
	return code, nil
}

// ours is a save as one of Alluvion's: of one in a format of the game's own, as it would be loaded.
func (p *planFile) ours(file string, raw []byte) ([]byte, error) {
	if len(p.own.Formats) == 0 || format.Own(raw) {
		return raw, nil
	}
	opened, err := p.own.Open(raw, file)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	if len(opened) > 1 {
		return nil, fmt.Errorf("%s holds %d saves: one is wanted", file, len(opened))
	}
	x := opened[0].Check(nil)
	return x.Document()
}

func orDash(s string) string {
	if s == "" {
		return "–"
	}
	return s
}

// newTable begins a table without lines, with quiet heads.
func newTable(s style, head ...string) table.Writer {
	t := table.NewWriter()
	t.SetStyle(table.Style{Box: table.StyleBoxLight, Options: table.OptionsNoBordersAndSeparators,
		Format: table.FormatOptions{Header: text.FormatDefault, Row: text.FormatDefault}})
	row := table.Row{}
	for _, h := range head {
		row = append(row, s.quiet(h))
	}
	t.AppendHeader(row)
	return t
}

// rendered is a table as it is printed: no line ends with blanks.
func rendered(t table.Writer) string {
	lines := strings.Split(t.Render(), "\n")
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	return strings.Join(lines, "\n")
}
