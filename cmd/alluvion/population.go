package main

import (
	"encoding/csv"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/population"
)

// runPopulation says what saves hold: those of files under a plan, or all that a service has of a game.
func runPopulation(c *call) (int, error) {
	pick := population.Pick{Scene: c.scene, Checkpoint: c.checkpoint, Milestone: c.milestone, Version: c.written}
	var r population.Population
	if len(c.args) == 0 {
		if err := c.needsGame(); err != nil {
			return failed, err
		}
		var err error
		if r, err = c.remote().Population(c.ctx, c.game, pick); err != nil {
			return failed, err
		}
	} else {
		p, err := readPlanFile(c.args[0])
		if err != nil {
			return failed, err
		}
		if p.model == nil || p.found.Errors() {
			c.printFindings(p.name, p.found)
			return findings, nil
		}
		if r, err = c.countFiles(p, pick); err != nil {
			return failed, err
		}
	}
	return c.printPopulation(&r)
}

func (c *call) countFiles(p *planFile, pick population.Pick) (population.Population, error) {
	counted := population.New(p.model, pick)
	c.plan = p.name
	files, err := c.saveFiles(c.args[1:], map[string]*planFile{p.name: p})
	if err != nil {
		return population.Population{}, err
	}
	bar := c.progress(len(files))
	for _, file := range files {
		if err := c.ctx.Err(); err != nil {
			return population.Population{}, err
		}
		raw, _, err := c.readFile(file)
		if err != nil {
			return population.Population{}, err
		}
		keys, err := c.keysFor(file)
		if err != nil {
			return population.Population{}, err
		}
		for _, x := range p.check(file, raw, keys) {
			counted.Add(&x.Checked, file)
		}
		_ = bar.Add(1)
	}
	_ = bar.Finish()
	return counted.Population(), nil
}

func (c *call) printPopulation(r *population.Population) (int, error) {
	if c.show != "" && r.Spread(c.show) == nil {
		fmt.Fprintf(c.err, "alluvion: no save that was counted holds anything called %q.%s\n", c.show, finding.DidYouMean(finding.Nearest(c.show, r.Names())))
		return wrongUse, errUse
	}
	switch {
	case c.form == "csv":
		return fine, c.populationCSV(r)
	case c.form != "":
		return c.wrongDoing("-form is csv, not %q.", c.form)
	case c.json && c.show != "":
		return fine, writeJSON(c.out, r.Spread(c.show))
	case c.json:
		return fine, writeJSON(c.out, r)
	}
	s := c.style
	fmt.Fprintf(c.out, "%s under version %d: %s counted", s.bold(r.Game), r.Under, plural(r.Picked, "save"))
	if r.Picked < r.Saves-r.Unread {
		fmt.Fprintf(c.out, " of %d", r.Saves)
	}
	if r.Unread > 0 {
		fmt.Fprintf(c.out, "; %s", s.red(fmt.Sprintf("%d cannot be loaded and are left out", r.Unread)))
	}
	fmt.Fprintln(c.out)
	if c.show != "" {
		return fine, c.printFigure(r.Spread(c.show))
	}
	t := plainTable("", "saves", "none", "least", "half", "most", "how they are spread")
	for i := range r.Spreads {
		f := &r.Spreads[i]
		row := table.Row{f.Name, f.Count, blank(f.None), "", "", "", ""}
		switch f.Type {
		case "words":
			row[6] = often(f, 3)
		default:
			if f.Least != nil {
				row[3], row[4], row[5] = short(*f.Least), short(quantile(f, 0.5)), short(*f.Most)
			}
			if row[6] = spark(f); f.Type == "text" {
				row[6] = fmt.Sprintf("%d different; characters", f.Distinct)
			}
		}
		if n := f.Missing + f.Misfits; n > 0 {
			row[6] = fmt.Sprintf("%v  %s", row[6], s.yellow(fmt.Sprintf("%d corrected", n)))
		}
		t.AppendRow(row)
	}
	fmt.Fprintln(c.out, t.Render())
	fmt.Fprintln(c.out, s.quiet("-show NAME says more about one; -form csv has every figure."))
	return fine, nil
}

func blank(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

func short(v float64) string { return strconv.FormatFloat(v, 'g', 6, 64) }

func quantile(f *population.Spread, share float64) float64 {
	for _, q := range f.Quantiles {
		if q.Share == share {
			return q.Value
		}
	}
	return math.NaN()
}

// often are the words that are there most often.
func often(f *population.Spread, many int) string {
	bars := slices.Clone(f.Bars)
	slices.SortStableFunc(bars, func(a, b population.Bar) int { return b.Count - a.Count })
	var out []string
	for _, b := range bars[:min(len(bars), many)] {
		out = append(out, fmt.Sprintf("%s %d", b.Value, b.Count))
	}
	if more := len(bars) - many; more > 0 {
		out = append(out, fmt.Sprintf("%d more", more))
	}
	return strings.Join(out, ", ")
}

// stretches puts numbers into so many stretches of the same width.
func stretches(f *population.Spread, many int) []int {
	out := make([]int, many)
	low, high := *f.Least, *f.Most
	for _, b := range f.Bars {
		at := 0
		if high > low {
			at = min(many-1, int((b.From-low)/(high-low)*float64(many)))
		}
		out[at] += b.Count
	}
	return out
}

// spark draws how numbers are spread, in one line.
func spark(f *population.Spread) string {
	if f.Least == nil || *f.Least == *f.Most {
		return ""
	}
	many := 24
	if wide := *f.Most - *f.Least; wide < 24 && wide == math.Trunc(wide) && !slices.ContainsFunc(f.Bars, func(b population.Bar) bool { return b.From != math.Trunc(b.From) }) {
		many = int(wide) + 1
	}
	counts := stretches(f, many)
	most := slices.Max(counts)
	var out strings.Builder
	for _, n := range counts {
		if n == 0 {
			out.WriteRune(' ')
			continue
		}
		out.WriteRune([]rune("▁▂▃▄▅▆▇█")[(n*8-1)/most])
	}
	return out.String()
}

func (c *call) printFigure(f *population.Spread) error {
	s := c.style
	fmt.Fprintf(c.out, "\n%s  %s\n", s.bold(f.Name), s.quiet(f.Title))
	say := func(form string, args ...any) { fmt.Fprintf(c.out, "  "+form+"\n", args...) }
	say("%d have a value, %d have none; %d were missing, in %d something else was corrected", f.Count, f.None, f.Missing, f.Misfits)
	if f.Least != nil {
		what := ""
		if f.Type == "text" {
			what = " characters"
		}
		say("from %s to %s%s, on average %s", short(*f.Least), short(*f.Most), what, short(*f.Mean))
		var parts []string
		for _, q := range f.Quantiles {
			parts = append(parts, fmt.Sprintf("%g %%: %s", q.Share*100, short(q.Value)))
		}
		say("at or below: %s", strings.Join(parts, ", "))
	}
	if f.Min != nil {
		say("limits %s to %s: %d on the lower, %d on the upper", short(*f.Min), short(*f.Max), f.AtMin, f.AtMax)
	}
	if f.Exact {
		say("%d different values; every figure is exact", f.Distinct)
	}
	if f.Error != "" {
		say("%s", f.Error)
	}
	c.printBars(f)
	for _, e := range f.Ends {
		if e.Far {
			say("%s %s is far from all others: %s", s.yellow("look"), short(e.Value), e.Save)
		}
	}
	if c.cut != "" {
		low, high, ok := cutOf(c.cut)
		if !ok {
			return fmt.Errorf("-cut is from and to, such as 0..100, not %q", c.cut)
		}
		below, above := f.Cut(low, high)
		about := ""
		if !f.Exact {
			about = "about "
		}
		say("%s with %s to %s: %s%d would be cut off below, %s%d above", s.bold("a range"), short(low), short(high), about, below, about, above)
	}
	return nil
}

func cutOf(text string) (low, high float64, ok bool) {
	from, to, ok := strings.Cut(text, "..")
	low, errA := strconv.ParseFloat(from, 64)
	high, errB := strconv.ParseFloat(to, 64)
	return low, high, ok && errA == nil && errB == nil && low <= high
}

// printBars draws how often each value is there; of many numbers, each stretch.
func (c *call) printBars(f *population.Spread) {
	type row struct {
		label string
		n     int
	}
	var rows []row
	if f.Type != "words" && len(f.Bars) > 24 {
		counts := stretches(f, 20)
		width := (*f.Most - *f.Least) / 20
		for i, n := range counts {
			rows = append(rows, row{"from " + short(*f.Least+float64(i)*width), n})
		}
	} else {
		for _, b := range f.Bars {
			rows = append(rows, row{b.Value, b.Count})
		}
	}
	most, wide := 1, 0
	for _, r := range rows {
		most, wide = max(most, r.n), max(wide, len([]rune(r.label)))
	}
	for _, r := range rows {
		fmt.Fprintf(c.out, "  %-*s %7d %s\n", wide, r.label, r.n, c.style.blue(strings.Repeat("█", (r.n*40+most-1)/most)))
	}
}

// populationCSV writes every bar of every figure, or of one.
func (c *call) populationCSV(r *population.Population) error {
	w := csv.NewWriter(c.out)
	_ = w.Write([]string{"name", "title", "value", "from", "to", "saves", "exact"})
	for i := range r.Spreads {
		f := &r.Spreads[i]
		if c.show != "" && f.Name != c.show {
			continue
		}
		for _, b := range f.Bars {
			from, to := "", ""
			if f.Type != "words" {
				from, to = strconv.FormatFloat(b.From, 'f', -1, 64), strconv.FormatFloat(b.To, 'f', -1, 64)
			}
			_ = w.Write([]string{f.Name, f.Title, b.Value, from, to, strconv.Itoa(b.Count), strconv.FormatBool(f.Exact)})
		}
		if f.None > 0 {
			_ = w.Write([]string{f.Name, f.Title, "none", "", "", strconv.Itoa(f.None), "true"})
		}
	}
	w.Flush()
	return w.Error()
}
