package main

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"alluvion.dev/core/check"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/matrix"
	"alluvion.dev/core/model"
)

// glyphs give each fate a shape of its own, so that nobody depends on colour.
var glyphs = map[string]string{
	"keep": "━", "reset": "○", "rewind": "◁", "set": "◆", "computed": "≡", "n/a": " ", "undecided": "?",
	"passage": "↗", "checkpoint": "◁", "entry": "◁", "stay": "━", "exact": "━", "start": "○", "saved": "▪", "unbounded": "!",
}

func runMatrix(c *call) (int, error) {
	source, name, err := c.readPlan()
	if err != nil {
		return failed, err
	}
	m, _, found := check.Plan(source, commonsBeside(name))
	if m == nil {
		if c.json {
			return findings, writeJSON(c.out, map[string]any{"file": name, "runnable": false, "findings": found})
		}
		c.printFindings(name, found)
		return findings, nil
	}
	mx := matrix.Of(m)
	switch {
	case c.form != "":
		text, err := mx.As(c.form)
		if err != nil {
			fmt.Fprintf(c.err, "alluvion: %v\n", err)
			return wrongUse, errUse
		}
		fmt.Fprint(c.out, text)
		return fine, nil
	case c.row != "" || c.at != "":
		return c.explain(mx)
	case c.json:
		return fine, writeJSON(c.out, mx)
	}
	c.printMatrix(mx)
	return fine, nil
}

func (c *call) printMatrix(mx matrix.Matrix) {
	fmt.Fprintf(c.out, "%s  %s\n\n", c.style.bold(mx.Title),
		c.style.quiet(fmt.Sprintf("version %d: what survives what", mx.Version)))
	t := table.NewWriter()
	t.SetStyle(table.Style{Box: table.StyleBoxLight, Options: table.Options{SeparateColumns: false, DrawBorder: false,
		SeparateHeader: false, SeparateRows: false},
		Format: table.FormatOptions{Header: text.FormatDefault, Row: text.FormatDefault}})
	head := table.Row{""}
	for _, col := range mx.Columns {
		head = append(head, c.style.bold(col.Title))
	}
	for i, g := range mx.Groups {
		if i > 0 {
			t.AppendRow(table.Row{""})
		}
		row := table.Row{c.style.blue(g.Title)}
		if i == 0 {
			row = append(table.Row{c.style.blue(g.Title)}, head[1:]...)
		}
		t.AppendRow(row)
		for _, r := range g.Rows {
			t.AppendRow(c.matrixRow(r))
		}
	}
	for _, line := range strings.Split(t.Render(), "\n") {
		fmt.Fprintln(c.out, strings.TrimRight(line, " "))
	}
	fmt.Fprintf(c.out, "\n%s\n",
		c.style.quiet("━ keep   ○ reset, start   ◁ rewind, checkpoint   ◆ set   ≡ computed   ↗ the passage decides   ▪ saved\n"+
			"* decided by the item itself; the others follow from the plan's defaults. -row NAME explains a row."))
}

func (c *call) matrixRow(r matrix.Row) table.Row {
	row := table.Row{"  " + r.Title}
	for _, cell := range r.Cells {
		if cell.Fate == "n/a" {
			row = append(row, c.style.quiet("·"))
			continue
		}
		text := glyphs[cell.Fate] + " " + clipped(cell.Short, 18)
		switch {
		case cell.Decided == model.ByItself:
			text = c.fateColour(cell.Fate, text+"*")
		case cell.Fate == "undecided" || cell.Fate == "unbounded":
			text = c.style.red(text)
		default:
			text = c.style.quiet(text)
		}
		row = append(row, text)
	}
	return row
}

func (c *call) fateColour(fate, text string) string {
	switch fate {
	case "reset", "start":
		return c.style.yellow(text)
	case "rewind", "checkpoint", "entry":
		return c.style.blue(text)
	case "set":
		return c.style.in("35", text)
	}
	return c.style.green(text)
}

func clipped(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

// explain prints the sentences of a row, of a column, or of one cell.
func (c *call) explain(mx matrix.Matrix) (int, error) {
	var names []string
	var columns []string
	for _, col := range mx.Columns {
		columns = append(columns, col.ID)
	}
	type sentence struct {
		Row    string `json:"row"`
		Column string `json:"column"`
		matrix.Cell
	}
	sentences := []sentence{}
	for _, g := range mx.Groups {
		for _, r := range g.Rows {
			names = append(names, r.Name)
			for i, cell := range r.Cells {
				if (c.row == "" || c.row == r.Name) && (c.at == "" || c.at == columns[i]) {
					sentences = append(sentences, sentence{r.Name, columns[i], cell})
				}
			}
		}
	}
	if len(sentences) == 0 {
		c.unknownCell(names, columns)
		return wrongUse, nil
	}
	if c.json {
		return fine, writeJSON(c.out, sentences)
	}
	for _, s := range sentences {
		where := ""
		if s.Where != nil {
			where = fmt.Sprintf("  (%s, line %d)", s.Decided, s.Where.Line)
		}
		fmt.Fprintf(c.out, "%s at %s%s\n%s\n", c.style.bold(s.Row), s.Column, c.style.quiet(where),
			c.wrap(s.Sentence, "  "))
	}
	return fine, nil
}

func (c *call) unknownCell(names, columns []string) {
	if c.row != "" {
		if near := nearest(c.row, names); near != "" && near != c.row {
			fmt.Fprintf(c.err, "alluvion: there is no row %q.%s\n", c.row, finding.DidYouMean(near))
			return
		}
	}
	fmt.Fprintf(c.err, "alluvion: there is no such cell. Rows: %s. Crossings: %s.\n", strings.Join(names, ", "),
		strings.Join(columns, ", "))
}
