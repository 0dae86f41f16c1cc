package matrix

import (
	"encoding/csv"
	"fmt"
	"html"
	"strings"

	"alluvion.dev/core/model"
)

// Forms are those that a matrix can be written in, for other programs and for people.
var Forms = []string{"csv", "markdown", "svg"}

// As writes the matrix in one of the Forms; it is an error where there is no such form.
func (m *Matrix) As(form string) (string, error) {
	switch form {
	case "csv":
		return m.csv()
	case "markdown":
		return m.markdown(), nil
	case "svg":
		return m.svg(), nil
	}
	return "", fmt.Errorf("%q is no form of a matrix; there are %s", form, strings.Join(Forms, ", "))
}

// csv writes a line for each row, with a header (RFC 4180). What the item itself decides is marked with a *.
func (m *Matrix) csv() (string, error) {
	var out strings.Builder
	w := csv.NewWriter(&out)
	w.UseCRLF = true
	head := []string{"Holder", "Name", "Title", "Type"}
	for _, c := range m.Columns {
		head = append(head, c.Title)
	}
	if err := w.Write(head); err != nil {
		return "", err
	}
	for _, g := range m.Groups {
		for _, r := range g.Rows {
			line := []string{g.Holder, r.Name, inert(r.Title), r.Type}
			for _, c := range r.Cells {
				text := marked(c)
				if value, ok := strings.CutPrefix(text, "= "); ok {
					text = "becomes " + value
				}
				line = append(line, inert(text))
			}
			if err := w.Write(line); err != nil {
				return "", err
			}
		}
	}
	w.Flush()
	return out.String(), w.Error()
}

// inert keeps a spreadsheet from taking a text for a formula.
func inert(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

// marked is a cell in a word or two; what does not apply is empty.
func marked(c Cell) string {
	switch {
	case c.Fate == "n/a":
		return ""
	case c.Decided == model.ByItself:
		return c.Short + " *"
	}
	return c.Short
}

// markdown writes a table for each holder.
func (m *Matrix) markdown() string {
	var out strings.Builder
	fmt.Fprintf(&out, "# %s: what survives what\n\nVersion %d. A * marks what the item itself decides; the rest follows from the plan's defaults.\n", escaped.Replace(m.Title), m.Version)
	for _, g := range m.Groups {
		fmt.Fprintf(&out, "\n## %s\n\n|", escaped.Replace(g.Title))
		rule := "\n| --- |"
		out.WriteString(" |")
		for _, c := range m.Columns {
			out.WriteString(" " + escaped.Replace(c.Title) + " |")
			rule += " --- |"
		}
		out.WriteString(rule + "\n")
		for _, r := range g.Rows {
			out.WriteString("| " + escaped.Replace(r.Title) + " |")
			for _, c := range r.Cells {
				out.WriteString(" " + escaped.Replace(marked(c)) + " |")
			}
			out.WriteString("\n")
		}
	}
	return out.String()
}

// escaped writes what means something in Markdown as itself (CommonMark 0.31, section 2.4): no text of a plan becomes a
// link, a picture, HTML or another row.
var escaped = strings.NewReplacer(`\`, `\\`, "|", `\|`, "*", `\*`, "_", `\_`, "`", "\\`", "[", `\[`, "]", `\]`, "~",
	`\~`, "<", "&lt;", ">", "&gt;", "&", "&amp;", "\n", " ", "\r", " ")

// Sizes of the drawing, in its own units.
const (
	firstWidth, columnWidth = 230, 132
	lineHeight, headHeight  = 22, 76
	margin                  = 16
)

// shapes are the fates' own pictures, on 16 by 16, as the console draws them.
var shapes = map[string]string{
	"keep": "M1.5 8h13", "reset": "M8 2.2c2.4 3.2 4 5.2 4 7.3a4 4 0 0 1-8 0c0-2.1 1.6-4.1 4-7.3z",
	"rewind": "M14 12.5H6.5a4 4 0 0 1 0-8H9M6 1.5l-3.4 3L6 7.5", "set": "M8 1.8 14.2 8 8 14.2 1.8 8z",
	"computed": "M2 5c2-2 4 2 6 0s4 2 6 0M2 10.5c2-2 4 2 6 0s4 2 6 0", "passage": "M2 13V3m12 10V3M4.5 8H11M8.5 5.2 11.4 8l-2.9 2.8",
	"saved": "M3.5 3.5h9v9h-9z", "unbounded": "M1.5 8h3m3 0h1.5m3 0h2.5", "undecided": "M5.2 5.6a2.9 2.9 0 1 1 4 2.7c-.9.4-1.2.9-1.2 1.9M8 13v.6",
}

// likeShapes are fates that are drawn as another one.
var likeShapes = map[string]string{"exact": "keep", "stay": "keep", "start": "reset", "checkpoint": "rewind",
	"entry": "rewind"}

// tones are the fates' colours on paper.
var tones = map[string]string{"keep": "#2a6f5f", "reset": "#8a5a00", "rewind": "#2c5f93", "set": "#7a3f78",
	"undecided": "#b3391f", "unbounded": "#b3391f"}

// svg draws the matrix for paper and slides.
func (m *Matrix) svg() string {
	lines := 0
	for _, g := range m.Groups {
		lines += 1 + len(g.Rows)
	}
	width := 2*margin + firstWidth + columnWidth*len(m.Columns)
	height := headHeight + lines*lineHeight + len(m.Groups)*8 + margin
	var out strings.Builder
	fmt.Fprintf(&out, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" width="%d" height="%d" font-family="sans-serif" font-size="13" fill="#26323a">`, width, height, width, height)
	fmt.Fprintf(&out, "\n<title>%s: what survives what</title>\n<rect width=\"100%%\" height=\"100%%\" fill=\"#fff\"/>\n", html.EscapeString(m.Title))
	fmt.Fprintf(&out, `<text x="%d" y="32" font-size="18" font-weight="600">%s</text><text x="%d" y="32" text-anchor="end" fill="#545f67">version %d; bold: decided by the item itself</text>`+"\n", margin, html.EscapeString(m.Title), width-margin, m.Version)
	for i, c := range m.Columns {
		fmt.Fprintf(&out, `<text x="%d" y="62" font-weight="600" fill="#545f67">%s</text>`,
			margin+firstWidth+i*columnWidth, html.EscapeString(c.Title))
	}
	y := headHeight
	for _, g := range m.Groups {
		y += 8
		fmt.Fprintf(&out, "\n"+`<text x="%d" y="%d" font-weight="600" fill="#2f7f70">%s</text>`, margin, y+14,
			html.EscapeString(g.Title))
		y += lineHeight
		for _, r := range g.Rows {
			fmt.Fprintf(&out, "\n"+`<path d="M%d %dh%d" stroke="#e4ddcf"/><text x="%d" y="%d">%s</text>`, margin, y,
				width-2*margin, margin+8, y+15, html.EscapeString(clipped(r.Title, 32)))
			for i, c := range r.Cells {
				svgCell(&out, c, margin+firstWidth+i*columnWidth, y)
			}
			y += lineHeight
		}
	}
	out.WriteString("\n</svg>\n")
	return out.String()
}

func svgCell(out *strings.Builder, c Cell, x, y int) {
	if c.Fate == "n/a" {
		return
	}
	kind := c.Fate
	if like, ok := likeShapes[kind]; ok {
		kind = like
	}
	tone, weight, fill, stroke := "#545f67", 400, "none", "1.7"
	if t, ok := tones[kind]; ok {
		tone = t
	}
	if c.Decided == model.ByItself {
		weight = 600
	}
	if kind == "set" || kind == "saved" {
		fill = tone
	}
	if kind == "keep" {
		stroke = "3.2"
	}
	fmt.Fprintf(out, `<path transform="translate(%d %d) scale(.85)" d="%s" fill="%s" stroke="%s" stroke-width="%s" stroke-linecap="round" stroke-linejoin="round"/>`, x, y+4, shapes[kind], fill, tone, stroke)
	fmt.Fprintf(out, `<text x="%d" y="%d" font-weight="%d">%s</text>`, x+19, y+15, weight,
		html.EscapeString(clipped(c.Short, 16)))
}

func clipped(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
