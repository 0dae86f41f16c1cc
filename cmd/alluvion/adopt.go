package main

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"alluvion.dev/core/adopt"
	"alluvion.dev/core/plan"
)

// runAdopt drafts a plan from saves.
func runAdopt(c *call) (int, error) {
	if len(c.args) == 0 {
		fmt.Fprintln(c.err, "alluvion: saves are wanted: adopt FILE|FOLDER...")
		return wrongUse, errUse
	}
	names, err := anyFiles(c.args)
	if err != nil {
		return failed, err
	}
	var files []adopt.File
	bar := c.progress(len(names))
	for _, name := range names {
		if err := c.ctx.Err(); err != nil {
			return failed, err
		}
		raw, _, err := c.readFile(name)
		if err != nil {
			return failed, err
		}
		files = append(files, adopt.File{Name: name, Raw: raw})
		_ = bar.Add(1)
	}
	_ = bar.Finish()
	game := c.game
	if game == "" {
		game = gameOf(names[0])
	}
	d, err := adopt.New(files, adopt.Options{Game: game, Version: c.at})
	if errors.Is(err, adopt.ErrSaves) {
		fmt.Fprintf(c.err, "alluvion: %v\n", err)
		return findings, nil
	}
	if err != nil {
		return failed, err
	}
	if c.file == "" {
		fmt.Fprint(c.out, d.Plan)
	} else if err := writeNew(c.file, d.Plan); err != nil {
		return failed, err
	}
	return c.printDraft(d), nil
}

// printDraft says what became of the saves under the draft, where nobody reads a plan from it.
func (c *call) printDraft(d *adopt.Draft) int {
	s, w := c.style, c.err
	fmt.Fprintf(w, "%s in %s; %s, marked # ?\n", plural(d.Saves, "save"), plural(len(d.Formats), "format"), plural(d.Doubts, "doubt"))
	if d.Found.Errors() {
		fmt.Fprintln(w, s.red("The draft has errors:"))
		c.printFindings("the draft", d.Found)
		return findings
	}
	fmt.Fprintf(w, "%d of %s load under it with nothing told; %d of the newest version are written back as they were\n", d.Clean, plural(d.Saves, "save"), d.Back)
	if len(d.Told) == 0 {
		fmt.Fprintln(w, s.green("clean")+"  Read the guesses, and then: alluvion check, alluvion save check.")
		return fine
	}
	fmt.Fprintln(w, s.yellow(plural(len(d.Told), "thing")+" found that does not fit:"))
	for _, t := range d.Told[:min(len(d.Told), 10)] {
		fmt.Fprintf(w, "  %s  %s\n", s.bold(filepath.Base(t.File)), t.What)
	}
	if more := len(d.Told) - 10; more > 0 {
		fmt.Fprintf(w, "  and %d more\n", more)
	}
	return findings
}

// gameOf makes a game's id of the folder that saves are in.
func gameOf(name string) string {
	folder, err := filepath.Abs(filepath.Dir(name))
	for range 2 {
		base := strings.ToLower(filepath.Base(folder))
		if err == nil && base != "saves" && base != "save" && plan.IsGameID(base) {
			return base
		}
		folder = filepath.Dir(folder)
	}
	return ""
}

// anyFiles lists the files that are named, and all in folders that are: a save of a game's own may be called anything.
func anyFiles(names []string) ([]string, error) {
	var out []string
	for _, name := range names {
		err := filepath.WalkDir(name, func(path string, d fs.DirEntry, err error) error {
			if err == nil && d.Type().IsRegular() && !strings.HasPrefix(d.Name(), ".") {
				out = append(out, path)
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	slices.Sort(out)
	return out, nil
}

// writeNew writes a file that is not there yet.
func writeNew(name, text string) error {
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s is there already, and nothing is written over it", name)
	} else if err != nil {
		return err
	}
	_, err = f.WriteString(text)
	return errors.Join(err, f.Close())
}
