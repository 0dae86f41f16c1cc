package main

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"time"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/scout"
	"alluvion.dev/service/scouting"
)

func runScout(c *call) (int, error) {
	m, name, code, err := c.planToRun()
	if m == nil {
		return code, err
	}
	began := time.Now()
	s := scout.New(m, scout.Options{Players: c.players, NoServer: c.noServer, Alone: c.alone, States: c.states, Memory: c.memory << 20})
	if err := c.search(s); err != nil {
		return failed, err
	}
	r := s.Report()
	if c.folder != "" {
		if err := c.keepRuns(r, name); err != nil {
			return failed, err
		}
	}
	if c.junit != "" {
		if err := junitOf(name, r).write(c.junit); err != nil {
			return failed, err
		}
	}
	if c.json {
		err = writeJSON(c.out, r)
	} else {
		c.printScout(r, time.Since(began))
	}
	if r.Bad() {
		return findings, err
	}
	return fine, err
}

// search searches until everything was searched, the time is over, or somebody interrupts it.
func (c *call) search(s *scout.Scout) error {
	told := time.Now()
	scouting.Search(s, runtime.NumCPU(), c.lasts, scouting.Watch{
		Stopped: func() bool { return c.ctx.Err() != nil },
		Batch: func() {
			if time.Since(told) > time.Second {
				told = time.Now()
				c.searching(s)
			}
		},
		Over: func() {},
	})
	return s.Err()
}

// searching shows how far a search is, where somebody looks at it.
func (c *call) searching(s *scout.Scout) {
	if !styleFor(c.stderr) {
		return
	}
	name, states, done := s.Progress()
	all, over := s.Searches()
	fmt.Fprintf(c.err, "\r\x1b[K%s", c.style.quiet(fmt.Sprintf("search %d of %d (%s): %s states, %s of them tried", over+1, all,
		name, finding.Grouped(states), finding.Grouped(done))))
}

// beside is how a file in a folder names another file.
func beside(folder, file string) (string, error) {
	from, err := filepath.Abs(folder)
	if err != nil {
		return "", err
	}
	to, err := filepath.Abs(file)
	if err != nil {
		return "", err
	}
	return filepath.Rel(from, to)
}

var notInNames = regexp.MustCompile(`[^a-z0-9_-]+`)

// keepRuns writes the runs as rehearsals into a folder.
func (c *call) keepRuns(r *scout.Report, plan string) error {
	if err := os.MkdirAll(c.folder, 0o755); err != nil {
		return err
	}
	path, err := beside(c.folder, plan)
	if err != nil {
		return err
	}
	written := 0
	keep := func(name string, run *scout.Run) error {
		if run == nil {
			return nil
		}
		file := filepath.Join(c.folder, strings.Trim(notInNames.ReplaceAllString(strings.ToLower(name), "-"), "-")+".yaml")
		written++
		return os.WriteFile(file, []byte(run.Script(filepath.ToSlash(path))), 0o644)
	}
	for _, a := range r.Answers {
		if err := keep(a.Kind+"-"+a.ID, a.Run); err != nil {
			return err
		}
	}
	for _, d := range r.DeadEnds {
		if err := keep("dead-end-"+d.Kind+"-"+d.ID, d.Run); err != nil {
			return err
		}
	}
	for i, t := range r.Troubles {
		if err := keep(fmt.Sprintf("trouble-%d-%s", i+1, t.Kind), t.Run); err != nil {
			return err
		}
	}
	if !c.json {
		fmt.Fprintf(c.out, "%s in %s.\n\n", plural(written, "run"), c.folder)
	}
	return nil
}

func (c *call) printScout(r *scout.Report, took time.Duration) {
	if styleFor(c.stderr) {
		fmt.Fprint(c.err, "\r\x1b[K")
	}
	s := c.style
	states, steps := 0, 0
	for _, x := range r.Searches {
		states, steps = states+x.States, steps+x.Steps
	}
	fmt.Fprintf(c.out, "%s\n%s\n\n", s.bold(fmt.Sprintf("%s, version %d, searched with %s", r.Game, r.Version,
		plural(r.Players, "player"))), s.quiet(fmt.Sprintf("%s states, %s moves, %s",
		finding.Grouped(states), finding.Grouped(steps), took.Round(100*time.Millisecond))))
	c.printAnswers(r)
	c.printEnds(r)
	c.printTroubles(r)
	c.printSearches(r)
	fmt.Fprintln(c.out, s.quiet(c.wrap("In no search: "+strings.Join(r.NotTried, "; ")+".", "")))
}

func (c *call) printEnds(r *scout.Report) {
	s := c.style
	if text := r.NobodyStuck(); text != "" {
		fmt.Fprintln(c.out, c.wrap(text, "")+"\n")
	}
	for _, d := range r.DeadEnds {
		what := fmt.Sprintf("%s %s cannot be reached any more", d.Kind, d.ID)
		if d.Kind == "scene" {
			what = fmt.Sprintf("scene %s cannot be left any more", d.ID)
		}
		if d.Alone {
			what += " by p1 alone"
		}
		head := s.red("dead end")
		if !d.Proved {
			head = s.yellow("dead end, perhaps")
		}
		fmt.Fprintf(c.out, "%s  %s%s\n", head, s.bold(what), s.quiet(fmt.Sprintf(", line %d", d.Line)))
		fmt.Fprintf(c.out, "  The way is lost in move %d: %s.\n", d.Run.Moves, d.Lost)
		if !d.Proved {
			fmt.Fprintln(c.out, s.quiet(c.wrap("Perhaps there is a way that was not tried: "+d.Why+".", "  ")))
		}
		c.printRun(d.Run)
		fmt.Fprintln(c.out)
	}
}

func (c *call) printTroubles(r *scout.Report) {
	for _, t := range r.Troubles {
		head := c.style.red(t.Kind)
		if t.Kind == "cut off" {
			head = c.style.yellow(t.Kind)
		}
		fmt.Fprintf(c.out, "%s  %s\n", head, t.Text)
		c.printRun(t.Run)
	}
	if len(r.Troubles) > 0 {
		fmt.Fprintln(c.out)
	}
}

// printSearches says how far the searches went: what is not found in one that was not complete may be there.
func (c *call) printSearches(r *scout.Report) {
	s := c.style
	var why []string
	for _, x := range r.Searches {
		how := s.green("complete")
		if !x.Complete {
			how = s.yellow("not complete")
		}
		fmt.Fprintf(c.out, "  %-12s %9s states  %s\n", how, finding.Grouped(x.States), x.Name)
		if len(x.LeftOut) > 0 && c.verbose {
			fmt.Fprintln(c.out, s.quiet(c.wrap("decides nothing: "+strings.Join(x.LeftOut, ", "), "    ")))
		}
		for _, one := range x.Why {
			if !slices.Contains(why, one) {
				why = append(why, one)
			}
		}
	}
	if len(why) > 0 {
		fmt.Fprintln(c.out, "\n  Why not complete, so that what was not found may still be there:")
		for _, one := range why {
			fmt.Fprintln(c.out, s.quiet(c.wrap("- "+one, "    ")))
		}
	}
	if costs := r.Costs(); len(costs) > 0 {
		fmt.Fprintln(c.out, "\n  What makes so many states, and how many of them there would be without it:")
		for _, one := range costs {
			fmt.Fprintf(c.out, "    %3d %%  %s\n", one.Percent, one.Name)
		}
	}
	fmt.Fprintln(c.out)
}

// printAnswers prints goals and milestones each, and of everything else what was not reached.
func (c *call) printAnswers(r *scout.Report) {
	s := c.style
	reached, all := map[string]int{}, map[string]int{}
	for _, a := range r.Answers {
		all[a.Kind]++
		if a.Verdict == scout.Reached {
			reached[a.Kind]++
		}
		asked := a.Kind == "goal" || a.Kind == "milestone" || a.Kind == "conserved"
		if a.Verdict == scout.Reached && !asked || a.Kind == "fate" {
			continue
		}
		head := s.green("reached  ")
		switch a.Verdict {
		case scout.Kept:
			head = s.green("kept     ")
		case scout.Broken:
			head = s.red("broken   ")
		case scout.NotBroken:
			head = s.yellow("not broken")
		case scout.Never:
			head = s.red("never    ")
		case scout.NotFound:
			head = s.yellow("not found")
		}
		name := a.Kind + " " + s.bold(a.ID)
		switch a.Kind {
		case "passage refused":
			name = "passage " + s.bold(a.ID) + " closed"
		case "rule":
			name = s.bold(a.ID)
		}
		fmt.Fprintf(c.out, "%s  %s", head, name)
		if a.Run == nil {
			fmt.Fprintln(c.out, s.quiet(fmt.Sprintf(", line %d", a.Line)))
			continue
		}
		how := plural(a.Run.Moves, "move")
		if !a.Run.Shortest {
			how += ", perhaps fewer"
		}
		fmt.Fprintln(c.out, s.quiet(", in "+how))
		c.printRun(a.Run)
	}
	if unseen := unseenFates(r); unseen != "" {
		fmt.Fprintln(c.out, s.quiet(c.wrap("Fates that never showed: "+unseen+".", "  ")))
	}
	var parts []string
	for _, kind := range scout.AnswerKinds {
		if all[kind] == 0 || kind == "conserved" {
			continue
		}
		name := plural(all[kind], kind)
		if kind == "passage refused" {
			name = plural(all[kind], "gate") + " closed"
		}
		parts = append(parts, fmt.Sprintf("%d of %s", reached[kind], name))
	}
	fmt.Fprintf(c.out, "\n%s\n\n", c.wrap("Seen: "+strings.Join(parts, ", ")+".", ""))
}

// unseenFates names the fates that no run showed, those of one variable together.
func unseenFates(r *scout.Report) string {
	var parts []string
	last := ""
	for _, a := range r.Answers {
		if a.Kind != "fate" || a.Verdict == scout.Reached {
			continue
		}
		whose, at, _ := strings.Cut(a.ID, " at ")
		if whose == last {
			parts[len(parts)-1] += ", " + at
		} else {
			parts, last = append(parts, a.ID), whose
		}
	}
	return strings.Join(parts, "; ")
}

func (c *call) printRun(run *scout.Run) {
	if run == nil || !c.steps {
		return
	}
	for _, step := range run.Steps {
		fmt.Fprintf(c.out, "    %s\n", c.style.quiet(step))
	}
}

// junitOf is a report for a build server: a suite for each goal, milestone, dead end and trouble. What was not found in a
// search that was not complete is no failure.
func junitOf(plan string, r *scout.Report) junitSuites {
	var out junitSuites
	add := func(what, wrong string, run *scout.Run) {
		suite := junitSuite{Name: plan, Tests: 1, Time: "0", Case: junitCase{Name: what, Class: filepath.ToSlash(plan), Time: "0"}}
		if wrong != "" {
			text := wrong
			if run != nil {
				text = strings.Join(run.Steps, "\n")
			}
			suite.Failures, suite.Case.Failure = 1, &junitFault{wrong, text}
		}
		out.Suites = append(out.Suites, suite)
	}
	for _, a := range r.Answers {
		switch {
		case a.Kind != "goal" && a.Kind != "milestone" && (a.Kind != "conserved" || a.Verdict == scout.Broken):
		case a.Verdict == scout.Never:
			add(a.Kind+" "+a.ID, fmt.Sprintf("line %d: nothing leads there", a.Line), nil)
		default:
			add(a.Kind+" "+a.ID, "", nil)
		}
	}
	for _, d := range r.DeadEnds {
		wrong := ""
		if d.Proved {
			wrong = fmt.Sprintf("line %d: the way is lost in move %d: %s", d.Line, d.Run.Moves, d.Lost)
		}
		add(fmt.Sprintf("from everywhere to %s %s", d.Kind, d.ID), wrong, d.Run)
	}
	for _, t := range r.Troubles {
		wrong := ""
		if t.Kind != "cut off" {
			wrong = t.Text
		}
		add(t.Kind+": "+t.Text, wrong, t.Run)
	}
	return out
}
