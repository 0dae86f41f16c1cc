package main

import (
	"fmt"
	"strconv"
	"strings"

	"alluvion.dev/core/check"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
)

// The schemas of documents that are the same for every plan, and those that a plan decides.
var (
	schemas = map[string]func() []byte{"plan": plan.Schema, "rehearsal": plan.RehearsalSchema,
		"commons": plan.CommonsSchema}
	schemasOfPlan = map[string]func(*model.Model) []byte{"save": save.Schema, "world": save.WorldSchema,
		"sealed": save.SealedSchema, "profile": save.ProfileSchema}
)

func runSchema(c *call) (int, error) {
	if schema := schemas[c.of]; schema != nil {
		if len(c.args) > 0 {
			fmt.Fprintf(c.err, "alluvion: %q was not expected: the schema of a %s is the same for every plan. That of a plan's saves is written with -of save.\n", c.args[0], c.of)
			return wrongUse, errUse
		}
		_, err := c.out.Write(schema())
		return fine, err
	}
	schema := schemasOfPlan[c.of]
	if schema == nil {
		fmt.Fprintf(c.err, "alluvion: there is no schema of %q; there are those of plan, rehearsal, commons and (with a plan) save, world, sealed, profile.\n", c.of)
		return wrongUse, errUse
	}
	m, name, code, err := c.planToRun()
	if m == nil {
		return code, err
	}
	text := schema(m)
	if text == nil {
		fmt.Fprintf(c.err, "alluvion: %s has nothing of: profile, so that there are no documents of it.\n", name)
		return findings, nil
	}
	_, err = c.out.Write(text)
	return fine, err
}

func runCheck(c *call) (int, error) {
	source, name, err := c.readPlan()
	if err != nil {
		return failed, err
	}
	if c.mends {
		if source, err = c.mend(source, name); err != nil {
			return failed, err
		}
	}
	_, _, found := check.Text(source, commonsBeside(name))
	code := fine
	for _, f := range found {
		if f.Severity != finding.Note && f.Accepted == "" {
			code = findings
		}
	}
	if c.json {
		if found == nil {
			found = finding.List{}
		}
		return code, writeJSON(c.out, map[string]any{"file": name, "runnable": !found.Errors(), "findings": found})
	}
	c.printFindings(name, found)
	return code, nil
}

// printFindings prints what was found, the worst first, and of one kind together.
func (c *call) printFindings(name string, found finding.List) {
	for _, kind := range c.kinds(found) {
		if c.brief {
			for _, f := range kind {
				fmt.Fprintf(c.out, "%s:%d:%d  %s  %s  %s\n", name, f.Line, f.Column, c.style.severity(f.Severity), f.ID, f.Message)
			}
			continue
		}
		c.printKind(name, kind)
	}
	fmt.Fprintln(c.out, c.summary(name, found))
}

// kinds are the findings to show by kind: the worst first, and otherwise in the order of the plan.
func (c *call) kinds(found finding.List) []finding.List {
	var out []finding.List
	for _, severity := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		at := map[string]int{}
		for _, f := range found {
			if f.Severity != severity || f.Accepted != "" && !c.accepted {
				continue
			}
			i, known := at[f.ID]
			if !known {
				i, out = len(out), append(out, nil)
				at[f.ID] = i
			}
			out[i] = append(out[i], f)
		}
	}
	return out
}

// printFinding prints one finding by itself.
func (c *call) printFinding(name string, f finding.Finding) { c.printKind(name, finding.List{f}) }

// printKind prints findings of one kind. What is the same for all of them is said once, at their end.
func (c *call) printKind(name string, kind finding.List) {
	s, first := c.style, kind[0]
	if len(kind) > 1 {
		fmt.Fprintf(c.out, "%s  %s  %s\n", s.severity(first.Severity), s.bold(first.ID), s.quiet(fmt.Sprintf("%d times", len(kind))))
	}
	for i, f := range kind {
		where := s.quiet(fmt.Sprintf("%s, line %d, column %d", name, f.Line, f.Column))
		if len(kind) > 1 {
			if i > 0 {
				fmt.Fprintln(c.out)
			}
			fmt.Fprintln(c.out, "  "+where)
		} else {
			fmt.Fprintf(c.out, "%s  %s  %s\n", s.severity(f.Severity), s.bold(f.ID), where)
		}
		fmt.Fprintln(c.out, c.wrap(f.Message, "  "))
		c.printExcerpt(f)
		if lines := f.AlsoLines(); len(lines) > 0 {
			fmt.Fprintln(c.out, c.wrap("The same "+onLines(lines)+".", "  "))
		}
		next := finding.Finding{}
		if i+1 < len(kind) {
			next = kind[i+1]
		}
		if f.Accepted != "" {
			fmt.Fprintln(c.out, c.wrap("Accepted: "+f.Accepted, "  "))
		} else if f.Why != next.Why || f.Do != next.Do {
			fmt.Fprintln(c.out, s.quiet(c.wrap("Why: "+f.Why, "  ")))
			fmt.Fprintln(c.out, c.wrap("Do:  "+f.Do, "  "))
		}
	}
	fmt.Fprintln(c.out)
}

// onLines says where something else is, too: on line 4; on lines 4, 7 and 9.
func onLines(lines []int) string {
	const most = 12
	words := make([]string, 0, len(lines))
	for _, n := range lines {
		words = append(words, strconv.Itoa(n))
	}
	switch {
	case len(words) == 1:
		return "on line " + words[0]
	case len(words) > most:
		return fmt.Sprintf("on lines %s and %d more", strings.Join(words[:most], ", "), len(words)-most)
	}
	last := len(words) - 1
	return "on lines " + strings.Join(words[:last], ", ") + " and " + words[last]
}

// printExcerpt shows the plan's line with a mark under the column. A long line is cut around it.
func (c *call) printExcerpt(f finding.Finding) {
	if f.Excerpt == "" {
		return
	}
	number := strconv.Itoa(f.Line)
	width := c.wide() - 9 - len(number) // with what stands before it, and an ellipsis at each end
	line, column := []rune(f.Excerpt), f.Column-1
	begin := 0
	if column > width-20 {
		begin = min(column-30, max(0, len(line)-width))
	}
	end := min(len(line), begin+width)
	text, mark := string(line[begin:end]), column-begin
	if begin > 0 {
		text, mark = "…"+text, mark+1
	}
	if end < len(line) {
		text += "…"
	}
	fmt.Fprintf(c.out, "    %s %s\n", c.style.quiet(number+" |"), text)
	fmt.Fprintf(c.out, "    %s %s\n", c.style.quiet(strings.Repeat(" ", len(number))+" |"),
		strings.Repeat(" ", max(0, mark))+c.style.in("1;31", "^"))
}

func (c *call) summary(name string, found finding.List) string {
	n := map[finding.Severity]int{}
	accepted := 0
	for _, f := range found {
		if f.Accepted != "" {
			accepted++
		} else {
			n[f.Severity]++
		}
	}
	var parts []string
	for _, s := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		if n[s] > 0 {
			parts = append(parts, plural(n[s], string(s)))
		}
	}
	text := c.style.green("fine") + "  " + name
	if len(parts) > 0 {
		text = name + ": " + strings.Join(parts, ", ")
	}
	if accepted > 0 {
		text += c.style.quiet(fmt.Sprintf("  (%d accepted; -accepted shows them)", accepted))
	}
	if n[finding.Error] > 0 {
		text += ". The plan cannot run."
	}
	return text
}

func plural(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}
