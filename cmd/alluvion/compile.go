package main

import (
	"bytes"
	"fmt"
	"os"

	"alluvion.dev/core/compiled"
)

// runCompile writes a plan as games run it without a service, or says whether what is there is of the plan as it is.
func runCompile(c *call) (int, error) {
	m, name, code, err := c.planToRun()
	if m == nil {
		return code, err
	}
	text, err := compiled.Write(m, commonsBeside(name))
	if err != nil {
		return failed, err
	}
	path := c.file
	if path == "" {
		path = m.Plan.Game.Name + ".compiled.json"
	}
	if c.fits {
		was, err := os.ReadFile(path)
		switch {
		case os.IsNotExist(err):
			fmt.Fprintf(c.out, "%s is not there.\n", path)
		case err != nil:
			return failed, err
		case bytes.Equal(was, text):
			fmt.Fprintf(c.out, "%s is %s as it is now.\n", path, name)
			return fine, nil
		default:
			fmt.Fprintf(c.out, "%s is not what the plan gives now.\n", path)
		}
		fmt.Fprintf(c.out, "Write it anew: alluvion compile -o %s %s\n", path, name)
		return findings, nil
	}
	done, err := writeMade(path, text, "alluvion compile", compiled.Is)
	if err != nil {
		return failed, err
	}
	fmt.Fprintf(c.out, "%s: %s (%s version %d, %d bytes)\n", path, done, m.Plan.Game.Name, m.Plan.Version.Value, len(text))
	return fine, nil
}
