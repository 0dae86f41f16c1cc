package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"alluvion.dev/core/format"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

// runConvert writes saves as the plan loads them: upgraded to its version, in their own format or in another.
func runConvert(c *call, names []string) (int, error) {
	if c.folder == "" {
		fmt.Fprintln(c.err, "alluvion: the folder to write into is wanted: save convert -o FOLDER FILE...")
		return wrongUse, errUse
	}
	plans := map[string]*planFile{}
	files, err := c.saveFiles(names, plans)
	if err != nil {
		return failed, err
	}
	if err := os.MkdirAll(c.folder, 0o755); err != nil {
		return failed, err
	}
	code, wrote := fine, 0
	bar := c.progress(len(files))
	for _, file := range files {
		if err := c.ctx.Err(); err != nil {
			return failed, err
		}
		p, err := c.planFor(file, plans)
		if err != nil {
			return failed, err
		}
		if p.model == nil || p.found.Errors() {
			c.printFindings(p.name, p.found)
			return findings, nil
		}
		done, left, err := c.convert(p, file)
		if err != nil {
			return failed, err
		}
		if done {
			wrote++
		} else {
			code = findings
		}
		for _, l := range left {
			code = findings
			fmt.Fprintf(c.out, "%s  %s  %s\n", c.style.bold(file), l.Name, c.style.yellow("is not written: "+l.Why))
		}
		_ = bar.Add(1)
	}
	_ = bar.Finish()
	fmt.Fprintf(c.out, "%s of %s written to %s.\n", plural(wrote, "save"), plural(len(files), "file"), c.folder)
	return code, nil
}

// convert writes one save. It says what of it cannot be written; a save that is not loaded is not written either.
func (c *call) convert(p *planFile, file string) (done bool, left []format.Left, err error) {
	raw, _, err := c.readFile(file)
	if err != nil {
		return false, nil, err
	}
	keys, err := c.keysFor(file)
	if err != nil {
		return false, nil, err
	}
	var was *format.Opened
	var x upgrade.Checked
	if format.Own(raw) || len(p.own.Formats) == 0 {
		x = p.chain.Check(raw, keys, upgrade.Around{}, p.judge)
	} else {
		opened, err := p.own.Open(raw, file)
		if err != nil {
			c.refused(file, err.Error())
			return false, nil, nil
		}
		if len(opened) > 1 {
			return false, nil, fmt.Errorf("%s holds %d saves: a table of saves cannot be written yet", file, len(opened))
		}
		was = opened[0]
		x = was.Check(p.judge)
	}
	if x.Outcome != save.Take {
		why := "the plan says that it is not loaded"
		if err := upgrade.RefusedBy(x.Problems); err != nil {
			why = err.Error()
		}
		c.refused(file, why)
		return false, nil, nil
	}
	doc, err := x.Document()
	if err != nil {
		return false, nil, err
	}
	to := c.form
	if to == "" && was != nil {
		to = was.Format.Name
	}
	out := filepath.Join(c.folder, filepath.Base(file))
	if to != "" && to != "alluvion" {
		f := p.own.Format(to)
		if f == nil {
			return false, nil, fmt.Errorf("the plan has no format called %s", to)
		}
		if was != nil && was.Format != f {
			was = nil
		}
		if doc, left, err = f.Write(doc, was); err != nil {
			return false, nil, fmt.Errorf("%s: %w", file, err)
		}
		if was == nil {
			out = strings.TrimSuffix(out, filepath.Ext(out)) + "." + f.Ending()
		}
	} else {
		out = strings.TrimSuffix(out, filepath.Ext(out)) + ".json"
	}
	return true, left, writeNew(out, string(doc))
}

func (c *call) refused(file, why string) {
	fmt.Fprintf(c.out, "%s  %s\n", c.style.bold(file), c.style.red("is not written: "+why))
}
