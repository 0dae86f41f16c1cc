package main

import (
	"encoding/csv"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"

	"alluvion.dev/contract"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/population"
)

// runPopulation says what saves hold: those of files under a plan, or all that a service has of a game.
func runPopulation(c *call) (int, error) {
	after, before, err := c.seenWithin()
	if err != nil {
		return wrongUse, err
	}
	pick := population.Pick{Scene: c.scene, Checkpoint: c.checkpoint, Milestone: c.milestone, Version: c.written, After: after, Before: before}
	var r, beside population.Population
	if len(c.args) == 0 {
		if err := c.needsGame(); err != nil {
			return failed, err
		}
		asked := contract.PopulationPick{Pick: pick}
		if r, err = c.remote().Population(c.ctx, c.game, asked); err != nil {
			return failed, err
		}
		if c.beside != "" {
			if asked.Under, err = strconv.Atoi(c.beside); err != nil {
				return c.wrongDoing("-beside is a published version of the game, such as 3, not %q.", c.beside)
			}
			if beside, err = c.remote().Population(c.ctx, c.game, asked); err != nil {
				return failed, err
			}
		}
	} else {
		for _, one := range []struct {
			name string
			into *population.Population
		}{{c.args[0], &r}, {c.beside, &beside}} {
			if one.name == "" {
				continue
			}
			p, err := c.readPlanFile(one.name)
			if err != nil {
				return failed, err
			}
			if p.model == nil || p.found.Errors() {
				c.printFindings(p.name, p.found)
				return findings, nil
			}
			if *one.into, err = c.countFiles(p, pick); err != nil {
				return failed, err
			}
		}
	}
	return c.printPopulation(&r, &beside)
}

// seenWithin reads from which day on, and before which, saves are counted.
func (c *call) seenWithin() (after, before time.Time, err error) {
	for _, one := range []struct {
		flag, text string
		into       *time.Time
	}{{"-after", c.after, &after}, {"-before", c.before, &before}} {
		if one.text == "" {
			continue
		}
		if *one.into, err = time.Parse(time.DateOnly, one.text); err != nil {
			if *one.into, err = time.Parse(time.RFC3339, one.text); err != nil {
				_, err = c.wrongDoing("%s is a day or a time, such as 2026-11-01 or 2026-11-01T18:00:00Z, not %q.", one.flag, one.text)
				return after, before, err
			}
		}
	}
	return after, before, nil
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

func (c *call) printPopulation(r, beside *population.Population) (int, error) {
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
		if c.beside != "" {
			return fine, writeJSON(c.out, map[string]*population.Population{"now": r, "beside": beside})
		}
		return fine, writeJSON(c.out, r)
	}
	s := c.style
	fmt.Fprintf(c.out, "%s under version %d: %s counted", s.bold(r.Game), r.Under, plural(r.Picked, "save"))
	if r.Picked < r.Saves-r.Unread {
		fmt.Fprintf(c.out, " of %d", r.Saves)
	}
	if r.Undated > 0 {
		fmt.Fprintf(c.out, "; %d do not say when they were written", r.Undated)
	}
	if r.Unread > 0 {
		fmt.Fprintf(c.out, "; %s", s.red(fmt.Sprintf("%d cannot be loaded and are left out", r.Unread)))
	}
	fmt.Fprintln(c.out)
	if c.beside != "" {
		fmt.Fprintf(c.out, "under version %d: %s counted", beside.Under, plural(beside.Picked, "save"))
		if beside.Unread > 0 {
			fmt.Fprintf(c.out, "; %d cannot be loaded there", beside.Unread)
		}
		fmt.Fprintln(c.out)
	}
	if c.show != "" {
		if f := beside.Spread(c.show); f != nil {
			fmt.Fprintf(c.out, "\n%s\n", s.quiet(fmt.Sprintf("under version %d:", beside.Under)))
			if err := c.printFigure(f); err != nil {
				return wrongUse, err
			}
			fmt.Fprintf(c.out, "\n%s\n", s.quiet(fmt.Sprintf("under version %d:", r.Under)))
		}
		return fine, c.printFigure(r.Spread(c.show))
	}
	t := plainTable("", "saves", "none", "least", "half", "most", "how they are spread")
	for i := range r.Spreads {
		f := &r.Spreads[i]
		row := c.figureRow(f)
		t.AppendRow(row)
		if c.beside == "" {
			continue
		}
		// What is so under both versions is not said twice.
		if old := beside.Spread(f.Name); old == nil {
			t.AppendRow(table.Row{s.quiet(fmt.Sprintf("  not in version %d", beside.Under))})
		} else if was := c.figureRow(old); fmt.Sprint(was) != fmt.Sprint(row) {
			was[0] = s.quiet(fmt.Sprintf("  under version %d", beside.Under))
			t.AppendRow(was)
		}
	}
	fmt.Fprintln(c.out, t.Render())
	for i := range beside.Spreads {
		if f := &beside.Spreads[i]; r.Spread(f.Name) == nil {
			fmt.Fprintf(c.out, "%s, of which %s have a value under version %d, is not there any more\n", f.Name, plural(f.Count, "save"), beside.Under)
		}
	}
	fmt.Fprintln(c.out, s.quiet("-show NAME says more about one; -form csv has every figure."))
	return fine, nil
}

// figureRow says in one line what saves hold of one thing.
func (c *call) figureRow(f *population.Spread) table.Row {
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
		row[6] = fmt.Sprintf("%v  %s", row[6], c.style.yellow(fmt.Sprintf("%d corrected", n)))
	}
	if f.Beyond != nil {
		row[6] = fmt.Sprintf("%v  %s", row[6], c.style.yellow(fmt.Sprintf("%d given by no rule", f.Beyond.Count)))
	}
	return row
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
		say("%s; every figure is exact", plural(f.Distinct, "different value"))
	}
	if f.Error != "" {
		say("%s", f.Error)
	}
	c.printBars(f)
	for _, b := range f.Bars {
		if b.NoWay {
			say("%s a complete search of the plan found no way to %s, and %s there, such as %s", s.yellow("look"), b.Value, isThere(b.Count), b.Save)
		}
	}
	if f.Beyond != nil {
		c.printBeyond(f.Beyond)
	}
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

// printBeyond says which saves have what nothing in the plan gives.
func (c *call) printBeyond(b *population.Beyond) {
	var some, of []string
	for _, x := range b.Saves {
		some = append(some, fmt.Sprintf("%s in %s", x.Value, x.Save))
	}
	for _, version := range slices.Sorted(maps.Keys(b.Versions)) {
		of = append(of, fmt.Sprintf("%d under version %d", b.Versions[version], version))
	}
	given := "Its rules give " + b.Given
	if b.Given == "" {
		given = "Its rules never put anything into it"
	}
	fmt.Fprintf(c.out, "  %s nothing in this plan gives what %s: %s\n", c.style.yellow("look"), has(b.Count), strings.Join(some, ", "))
	fmt.Fprintf(c.out, "       %s\n", c.style.quiet(fmt.Sprintf("%s. An earlier version, support or the game's own code may have written it: %s.", given, strings.Join(of, ", "))))
}

func has(n int) string {
	if n == 1 {
		return "one save has"
	}
	return fmt.Sprintf("%d saves have", n)
}

func isThere(n int) string {
	if n == 1 {
		return "one save is"
	}
	return fmt.Sprintf("%d saves are", n)
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
