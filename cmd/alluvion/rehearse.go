package main

import (
	"encoding/xml"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"alluvion.dev/contract"
	"alluvion.dev/core/rehearse"
)

// rehearsed is a script that was played.
type rehearsed struct {
	file   string
	report *rehearse.Report
	took   time.Duration
}

func runRehearse(c *call) (int, error) {
	if len(c.args) == 0 {
		fmt.Fprintln(c.err, "alluvion: which rehearsals? Name files, or folders with rehearsals in them.")
		return wrongUse, errUse
	}
	if c.watch {
		return c.rehearseAgain()
	}
	return c.rehearseOnce()
}

// rehearseOnce plays all scripts and prints what came of them.
func (c *call) rehearseOnce() (int, error) {
	files, err := scripts(c.args)
	if err != nil {
		return failed, err
	}
	if len(files) == 0 {
		fmt.Fprintf(c.out, "There is no rehearsal in %s. A rehearsal is a YAML file with a line that begins with rehearsal:.\n", strings.Join(c.args, ", "))
		return findings, nil
	}
	var all []rehearsed
	var covered coverage
	for _, file := range files {
		one, err := c.rehearseFile(file)
		if err != nil {
			return failed, err
		}
		all = append(all, one)
		covered.add(one.report.Covered)
		c.printRehearsal(one, len(files) == 1 || c.steps)
	}
	code := c.printTotal(all)
	if c.coverage {
		covered.print(c)
	}
	if c.junit != "" {
		if err := writeJUnit(c.junit, all); err != nil {
			return failed, err
		}
	}
	return code, nil
}

func (c *call) rehearseFile(file string) (rehearsed, error) {
	source, err := os.ReadFile(file)
	if err != nil {
		return rehearsed{}, err
	}
	began := time.Now()
	report := rehearse.Play(source, func(name string) ([]byte, error) {
		return os.ReadFile(filepath.Join(filepath.Dir(file), filepath.FromSlash(name)))
	})
	one := rehearsed{file, report, time.Since(began)}
	if !c.record || len(report.Found) > 0 {
		return one, nil
	}
	text, n := report.Recorded()
	if n == 0 {
		return one, nil
	}
	if err := replaceFile(file, []byte(text)); err != nil {
		return one, err
	}
	fmt.Fprintf(c.out, "%s  %s  %s\n", c.style.blue("recorded"), file, plural(n, "value"))
	c.record = false
	defer func() { c.record = true }()
	return c.rehearseFile(file)
}

var isScript = regexp.MustCompile(`(?m)^rehearsal:`)

// scripts finds the rehearsals among files and in folders.
func scripts(args []string) ([]string, error) {
	var out []string
	for _, arg := range args {
		info, err := os.Stat(arg)
		if err != nil {
			return nil, err
		}
		if !info.IsDir() {
			out = append(out, arg)
			continue
		}
		err = filepath.WalkDir(arg, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || filepath.Ext(path) != ".yaml" && filepath.Ext(path) != ".yml" {
				return err
			}
			text, err := os.ReadFile(path)
			if err == nil && isScript.Match(text) {
				out = append(out, path)
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// printRehearsal prints one rehearsal: a line, and its steps where they are wanted or where one failed.
func (c *call) printRehearsal(r rehearsed, steps bool) {
	s := c.style
	if len(r.report.Found) > 0 {
		fmt.Fprintf(c.out, "%s  %s\n", s.red("cannot be played"), r.file)
		for _, f := range r.report.Found {
			c.printFinding(r.file, f)
		}
		return
	}
	verdict := s.green("ok    ")
	if !r.report.Passed() {
		verdict = s.red("failed")
	}
	about := fmt.Sprintf("%s, %s", filepath.Base(r.file), plural(len(r.report.Steps), "step"))
	if r.report.Expects == 0 {
		about += ", and nothing is expected of it"
	}
	fmt.Fprintf(c.out, "%s  %s  %s\n", verdict, s.bold(r.report.Title), s.quiet(about))
	for _, step := range r.report.Steps {
		if steps || step.Failed != "" {
			c.printStep(step)
		}
	}
	if steps {
		fmt.Fprintln(c.out)
	}
}

func (c *call) printStep(step rehearse.Step) {
	s := c.style
	mark := s.green("·")
	if step.Failed != "" {
		mark = s.red("✗")
	}
	fmt.Fprintf(c.out, "  %s %s %s\n", mark, s.quiet(fmt.Sprintf("%4d", step.Line)), step.Text)
	const indent = "         "
	var changes []contract.Change
	for i, ch := range step.Changes {
		changes = append(changes, contract.Change{Times: step.Times[i], Player: ch.Player, Scene: ch.Scene,
			Prop: ch.Prop, Option: ch.Option, Name: ch.Name, From: ch.From, To: ch.To, Cause: ch.Cause.String()})
	}
	var notices []contract.Notice
	for _, n := range step.Notices {
		notices = append(notices, contract.Notice{Kind: n.Kind, Player: n.Player, To: n.To, Text: n.Text,
			Scene: n.Scene, From: n.From})
	}
	s.happened(c.out, indent, changes, notices)
	if step.Refused != "" {
		fmt.Fprintf(c.out, "%s%s\n", indent, s.quiet("refused: "+step.Refused))
	}
	if step.Failed == "" {
		return
	}
	fmt.Fprintln(c.out, indent+s.red(step.Failed))
	for _, side := range step.Wanted {
		text := fmt.Sprintf("%s is %s", side.Name, s.bold(side.Is))
		if side.Wanted != "" {
			text += fmt.Sprintf(", wanted %s", s.bold(side.Wanted))
		}
		fmt.Fprintln(c.out, indent+text)
	}
}

func (c *call) printTotal(all []rehearsed) int {
	amiss, blank := 0, 0
	for _, r := range all {
		if r.report.Expects == 0 {
			blank++
		}
		if !r.report.Passed() {
			amiss++
		}
	}
	if amiss > 0 {
		fmt.Fprintf(c.out, "%s  %d of %s did not go as expected.\n", c.style.red("failed"), amiss,
			plural(len(all), "rehearsal"))
		return findings
	}
	if blank > 0 {
		fmt.Fprintf(c.out, "%s  %s, and nothing failed; but %d of them expect nothing: add a step expect.\n",
			c.style.yellow("played"), plural(len(all), "rehearsal"), blank)
		return fine
	}
	fmt.Fprintf(c.out, "%s  %s, all as expected.\n", c.style.green("fine"), plural(len(all), "rehearsal"))
	return fine
}

// rehearseAgain plays whenever a script or anything beside it changes, until it is stopped.
func (c *call) rehearseAgain() (int, error) {
	const look = 300 * time.Millisecond
	var last map[string]time.Time
	for {
		now := c.changedAt()
		if !maps.Equal(now, last) {
			last = now
			fmt.Fprintf(c.out, "%s\n",
				c.style.quiet("— "+time.Now().Format("15:04:05")+", waiting for changes; Ctrl+C ends it"))
			if _, err := c.rehearseOnce(); err != nil {
				fmt.Fprintf(c.out, "%s %v\n", c.style.red("error"), err)
			}
		}
		select {
		case <-c.ctx.Done():
			return fine, nil
		case <-time.After(look):
		}
	}
}

// changedAt is when each YAML file in the folders of the scripts, and one above, was last written.
func (c *call) changedAt() map[string]time.Time {
	out := map[string]time.Time{}
	files, _ := scripts(c.args)
	var folders []string
	for _, f := range files {
		folders = append(folders, filepath.Dir(f), filepath.Dir(filepath.Dir(f)))
	}
	slices.Sort(folders)
	for _, folder := range slices.Compact(folders) {
		names, _ := filepath.Glob(filepath.Join(folder, "*.y*ml"))
		for _, name := range names {
			if info, err := os.Stat(name); err == nil {
				out[name] = info.ModTime()
			}
		}
	}
	return out
}

// The XML that build servers read: one test suite for each file, one case for each rehearsal.
type junitSuites struct {
	XMLName xml.Name     `xml:"testsuites"`
	Suites  []junitSuite `xml:"testsuite"`
}

type junitSuite struct {
	Name     string    `xml:"name,attr"`
	Tests    int       `xml:"tests,attr"`
	Failures int       `xml:"failures,attr"`
	Errors   int       `xml:"errors,attr"`
	Time     string    `xml:"time,attr"`
	Case     junitCase `xml:"testcase"`
}

type junitCase struct {
	Name    string      `xml:"name,attr"`
	Class   string      `xml:"classname,attr"`
	Time    string      `xml:"time,attr"`
	Failure *junitFault `xml:"failure,omitempty"`
	Error   *junitFault `xml:"error,omitempty"`
}

type junitFault struct {
	Message string `xml:"message,attr"`
	Text    string `xml:",chardata"`
}

func writeJUnit(file string, all []rehearsed) error {
	var out junitSuites
	for _, r := range all {
		took := fmt.Sprintf("%.3f", r.took.Seconds())
		suite := junitSuite{Name: r.file, Tests: 1, Time: took,
			Case: junitCase{Name: r.report.Title, Class: filepath.ToSlash(r.file), Time: took}}
		switch {
		case len(r.report.Found) > 0:
			f := r.report.Found[0]
			suite.Errors, suite.Case.Error = 1, &junitFault{fmt.Sprintf("line %d: %s", f.Line, f.Message), f.Do}
		case !r.report.Passed():
			suite.Failures, suite.Case.Failure = 1, &junitFault{faultText(r.report, 1), faultText(r.report, 1000)}
		}
		out.Suites = append(out.Suites, suite)
	}
	return out.write(file)
}

func (out junitSuites) write(file string) error {
	raw, err := xml.MarshalIndent(out, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append([]byte(xml.Header), append(raw, '\n')...), 0o644)
}

// faultText tells what failed, the first of it or all.
func faultText(r *rehearse.Report, most int) string {
	var lines []string
	for _, s := range r.Steps {
		if s.Failed == "" || most == 0 {
			continue
		}
		most--
		lines = append(lines, fmt.Sprintf("line %d: %s: %s", s.Line, s.Text, s.Failed))
		for _, side := range s.Wanted {
			lines = append(lines, strings.TrimSuffix(fmt.Sprintf("  %s is %s, wanted %s", side.Name, side.Is,
				side.Wanted), ", wanted "))
		}
	}
	return strings.Join(lines, "\n")
}
