package main

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"alluvion.dev/core/format"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

// mostLeft is how much of one file is told that is not written.
const mostLeft = 20

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
		for i, l := range left {
			if code = findings; i == mostLeft {
				fmt.Fprintf(c.out, "%s  and %d more\n", c.style.bold(file), len(left)-mostLeft)
				break
			}
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
	opened, docs := []*format.Opened{nil}, [][]byte{nil}
	if format.Own(raw) || len(p.own.Formats) == 0 {
		x := p.chain.Check(raw, keys, upgrade.Around{}, p.judge)
		docs[0] = c.loaded(file, &x)
	} else {
		if opened, err = p.own.Open(raw, file); err != nil {
			c.refused(file, err.Error())
			return false, nil, nil
		}
		docs = make([][]byte, len(opened))
		for i, one := range opened {
			x := one.Check(p.judge)
			name := file
			if len(opened) > 1 {
				name = fmt.Sprintf("%s, %s", file, one.Player)
			}
			docs[i] = c.loaded(name, &x)
		}
	}
	if !slices.ContainsFunc(docs, func(d []byte) bool { return d != nil }) {
		return false, nil, nil
	}
	to := c.form
	if to == "" && opened[0] != nil {
		to = opened[0].Format.Name
	}
	same := opened[0] != nil && opened[0].Format.Name == to
	if len(docs) > 1 && !same {
		return false, nil, fmt.Errorf("%s holds %d saves: a table of saves is written as a table only", file, len(docs))
	}
	out := filepath.Join(c.folder, filepath.Base(file))
	if to == "" || to == "alluvion" {
		return true, nil, writeNew(strings.TrimSuffix(out, filepath.Ext(out))+".json", string(docs[0]))
	}
	f := p.own.Format(to)
	if f == nil {
		return false, nil, fmt.Errorf("the plan has no format called %s", to)
	}
	if !same {
		opened, out = []*format.Opened{nil}, strings.TrimSuffix(out, filepath.Ext(out))+"."+f.Ending()
	}
	text, left, err := f.WriteAll(docs, opened)
	if err != nil {
		return false, nil, fmt.Errorf("%s: %w", file, err)
	}
	if f.Bundled() && c.loose[file] != nil {
		return true, left, writeLoose(c.folder, text)
	}
	return true, left, writeNew(out, string(text))
}

// writeLoose writes the files of a save into a folder.
func writeLoose(folder string, archive []byte) error {
	files, err := format.Unpack(archive)
	if err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(files)) {
		out := filepath.Join(folder, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(out), 0o755); err != nil {
			return err
		}
		if err := writeNew(out, string(files[name])); err != nil {
			return err
		}
	}
	return nil
}

// loaded is a save as it would be loaded, as JSON; nil where it is not, which is told.
func (c *call) loaded(file string, x *upgrade.Checked) []byte {
	if x.Outcome != save.Take {
		why := "the plan says that it is not loaded"
		if err := upgrade.RefusedBy(x.Problems); err != nil {
			why = err.Error()
		}
		c.refused(file, why)
		return nil
	}
	doc, err := x.Document()
	if err != nil {
		c.refused(file, err.Error())
		return nil
	}
	return doc
}

func (c *call) refused(file, why string) {
	fmt.Fprintf(c.out, "%s  %s\n", c.style.bold(file), c.style.red("is not written: "+why))
}
