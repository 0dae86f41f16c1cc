package main

import (
	"fmt"

	"alluvion.dev/core/texts"
)

// runTexts prints what players read, or holds files in other languages against it.
func runTexts(c *call) (int, error) {
	files := c.args[min(1, len(c.args)):]
	c.args = c.args[:len(c.args)-len(files)]
	m, _, code, err := c.planToRun()
	if m == nil {
		return code, err
	}
	if len(files) == 0 {
		_, err := c.out.Write(texts.Write(m))
		return fine, err
	}
	code = fine
	for _, file := range files {
		raw, _, err := c.readFile(file)
		if err != nil {
			return failed, err
		}
		lacking, found := texts.Compare(m, raw)
		if len(found) > 0 {
			code = findings
			found.Excerpts(string(raw))
			for _, f := range found {
				c.printFinding(file, f)
			}
			fmt.Fprintf(c.out, "%s  %s: what is found is shown to no player.\n", c.style.red("wrong"), file)
			continue
		}
		if len(lacking) == 0 {
			fmt.Fprintf(c.out, "%s  %s has every text of the plan.\n", c.style.green("whole"), file)
			continue
		}
		fmt.Fprintf(c.out, "%s  %s lacks %d of the plan's texts, and players read the plan's there:\n",
			c.style.yellow("partly"), file, len(lacking))
		for _, x := range lacking {
			fmt.Fprintf(c.out, "  %s  %s\n", c.style.bold(x.Key), c.style.quiet(x.Text))
		}
	}
	return code, nil
}
