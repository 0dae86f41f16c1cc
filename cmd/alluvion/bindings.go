package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"alluvion.dev/bindings"
)

// runBindings writes what a game needs to talk to the service in its own language, or says whether what is there fits
// the plan.
func runBindings(c *call) (int, error) {
	m, name, code, err := c.planToRun()
	if m == nil {
		return code, err
	}
	if c.language == "" {
		fmt.Fprintln(c.err, "alluvion bindings: for which language? Say it with -for, one of:")
		for _, l := range bindings.Languages {
			fmt.Fprintf(c.err, "  %-12s %s\n", l.Name, l.About)
		}
		return wrongUse, nil
	}
	files, err := bindings.Files(m, c.language)
	if err != nil {
		return failed, err
	}
	if c.fits {
		return c.checkBindings(files, name)
	}
	if err := os.MkdirAll(c.folder, 0o755); err != nil {
		return failed, err
	}
	for _, f := range files {
		path := filepath.Join(c.folder, f.Name)
		done, err := writeMade(path, f.Text, "alluvion bindings", func(was []byte) bool {
			return bytes.Contains(bytes.ToLower(was[:min(len(was), 400)]), []byte("alluvion"))
		})
		if err != nil {
			return failed, err
		}
		fmt.Fprintf(c.out, "%s: %s (%d lines, %d bytes)\n", path, done, bytes.Count(f.Text, []byte("\n")), len(f.Text))
	}
	return fine, nil
}

// writeMade writes a file that a command makes, and says what was done. What somebody else wrote is never replaced: made
// tells whether a command made what is there.
func writeMade(path string, text []byte, by string, made func(was []byte) bool) (done string, err error) {
	was, err := os.ReadFile(path)
	switch {
	case os.IsNotExist(err):
		return "written", os.WriteFile(path, text, 0o644)
	case err != nil:
		return "", err
	case bytes.Equal(was, text):
		return "as it was", nil
	case !made(was):
		return "", fmt.Errorf("%s is there already, and not by %s: it is left as it is", path, by)
	}
	return "written", replaceFile(path, text)
}

// checkBindings says which files are not what would be written now.
func (c *call) checkBindings(files []bindings.File, plan string) (int, error) {
	var other []string
	for _, f := range files {
		path := filepath.Join(c.folder, f.Name)
		was, err := os.ReadFile(path)
		switch {
		case os.IsNotExist(err):
			other = append(other, path+" is not there")
		case err != nil:
			return failed, err
		case !bytes.Equal(was, f.Text):
			other = append(other, path+" is not what the plan gives now")
		}
	}
	if len(other) == 0 {
		fmt.Fprintf(c.out, "What is in %s fits %s.\n", c.folder, plan)
		return fine, nil
	}
	fmt.Fprintf(c.out, "%s.\nWrite it anew: alluvion bindings -for %s -o %s %s\n", strings.Join(other, ".\n"), c.language, c.folder, plan)
	return findings, nil
}
