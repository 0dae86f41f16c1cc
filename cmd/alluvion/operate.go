package main

import (
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/check"
	"alluvion.dev/service/store"
)

// runBackup copies a service's file, also while the service runs.
func runBackup(c *call) (int, error) {
	if len(c.args) != 2 {
		fmt.Fprintln(c.err, "alluvion: the file of a service is wanted, and where its copy is to be.")
		return wrongUse, errUse
	}
	if err := store.Backup(c.ctx, c.args[0], c.args[1]); err != nil {
		return failed, fmt.Errorf("nothing was copied: %w", err)
	}
	info, err := os.Stat(c.args[1])
	if err != nil {
		return failed, err
	}
	fmt.Fprintf(c.out, "%s  %s is a whole copy of %s as it is now (%s).\n", c.style.green("copied"), c.args[1],
		c.args[0], bytesText(info.Size()))
	return fine, nil
}

// bytesText is a size as people read it.
func bytesText(n int64) string {
	switch {
	case n >= 10<<20:
		return fmt.Sprintf("%d MB", n>>20)
	case n >= 10<<10:
		return fmt.Sprintf("%d KB", n>>10)
	}
	return fmt.Sprintf("%d bytes", n)
}

// runDoctor says what is wrong with a service's file, and copies what can be read into a new one.
func runDoctor(c *call) (int, error) {
	if len(c.args) != 1 {
		fmt.Fprintln(c.err, "alluvion: the file of a service is wanted.")
		return wrongUse, errUse
	}
	var d *store.Diagnosis
	var err error
	if c.rescue != "" {
		d, err = store.Rescue(c.ctx, c.args[0], c.rescue)
	} else {
		d, err = store.Examine(c.ctx, c.args[0])
	}
	if d == nil {
		return failed, err
	}
	code := fine
	if !d.Whole() {
		code = findings
	}
	if c.json {
		return code, errors.Join(err, writeJSON(c.out, d))
	}
	c.printDiagnosis(d)
	if err == nil && c.rescue != "" {
		fmt.Fprintf(c.out, "%s  Everything that can be read is in %s. Look at it with: alluvion doctor %s\n",
			c.style.green("rescued"), c.rescue, c.rescue)
	}
	return code, err
}

func (c *call) printDiagnosis(d *store.Diagnosis) {
	s := c.style
	fmt.Fprintf(c.out, "%s  %s, schema %d of %d\n", s.bold(d.Path), bytesText(d.Bytes), d.Schema, d.Known)
	if d.Schema > 0 && d.Schema < d.Known {
		fmt.Fprintln(c.out, s.quiet("  A service brings the schema forward when it opens the file, and copies the file before."))
	}
	var held []string
	for _, x := range []struct{ table, words string }{{"games", "game"}, {"versions", "published version"},
		{"slots", "slot"}, {"saves", "save"}, {"recoveries", "recovery state"}, {"worlds", "world"}, {"journal",
			"change"}} {
		if n := d.Counts[x.table]; n > 0 {
			held = append(held, plural(n, x.words))
		}
	}
	if len(held) > 0 {
		fmt.Fprintln(c.out, s.quiet("  "+strings.Join(held, ", ")))
	}
	for _, x := range d.Troubles {
		mark := s.yellow("can be rescued")
		if !x.Saved {
			mark = s.red("is lost")
		}
		fmt.Fprintf(c.out, "\n%s  %s\n%s\n", s.bold(x.What), mark, c.wrap(x.Detail, "  "))
	}
	if d.Rescued != nil {
		for _, table := range store.Tables() {
			if n := d.Lost[table]; n > 0 {
				fmt.Fprintf(c.out, "  %s of %s lost, %d copied\n", s.red(strconv.Itoa(n)), table, d.Rescued[table])
			}
		}
		return
	}
	if d.Whole() {
		fmt.Fprintln(c.out, s.green("whole")+"  Nothing is wrong with it.")
		return
	}
	fmt.Fprintf(c.out, "\nStop the service, keep this file, and copy what can be read: alluvion doctor -rescue NEW %s\n", d.Path)
}

// runPublish makes a plan the game's next version: after a trial over every save that the service has.
func runPublish(c *call) (int, error) {
	source, name, err := c.readPlan()
	if err != nil {
		return failed, err
	}
	m, p, found := check.Plan(source, commonsBeside(name))
	if m == nil {
		c.printFindings(name, found)
		return findings, nil
	}
	game, to := p.Game.Name, p.Version.Value
	service := c.remote()
	etag, may, err := c.replaces(service, game, name, to, source)
	if err != nil || !may {
		return findings, err
	}
	if etag == "" { // there is no such game yet, and so nothing to try
		if etag, _, err = service.PutPlan(c.ctx, game, source, ""); err != nil {
			return failed, err
		}
	} else if clean, err := c.tryOnService(service, game, source); err != nil || !clean && c.goOn == "" {
		if err == nil {
			fmt.Fprintln(c.out, "\nIt is not published, and nothing in the service has changed. Correct it, or go on with: -go-on REASON")
		}
		return findings, err
	}
	v, err := service.PublishText(c.ctx, game, source, etag, c.goOn)
	if err != nil {
		return failed, err
	}
	fmt.Fprintf(c.out, "%s  Version %d of %s. Sessions that are opened from now on run it, and each save is upgraded when it is loaded.\n", c.style.green("published"), v.Version, game)
	return fine, nil
}

// replaces gives the entity tag of the plan that a text would take the place of in the service ("" where there is no
// such game yet); and false where it may not, which has been said.
func (c *call) replaces(service *client.Client, game, name string, to int, source []byte) (etag string, may bool,
	err error) {
	all, err := service.Versions(c.ctx, game)
	var p *client.Problem
	if errors.As(err, &p) && p.Status == 404 {
		return "", true, nil
	}
	if err != nil {
		return "", false, err
	}
	draft := all.Draft
	switch {
	case draft.Wanted != 0 && draft.Wanted != to:
		fmt.Fprintf(c.out, "%s is version %d, and the next of %s is %d: published versions never change.\n", name, to,
			game, draft.Wanted)
		return "", false, nil
	case !draft.Published && draft.ETag != store.ETagOf(string(source)) && !c.replace:
		fmt.Fprintf(c.out, "The service works on another text of %s, of version %d, which was changed %s and never published: publishing %s would put it in its place.\n"+
			"Look at that text first, in the console. -replace publishes this one all the same.\n", game, draft.Version, draft.UpdatedAt.Local().Format("2006-01-02 15:04"), name)
		return "", false, nil
	}
	return draft.ETag, true, nil
}

// tryOnService runs a trial in the service and prints what came of it; clean where there is nothing to try.
func (c *call) tryOnService(service *client.Client, game string, source []byte) (bool, error) {
	t, err := service.StartTrial(c.ctx, game, contract.TrialStart{Plan: string(source), Made: c.made, Seed: c.seed})
	if err != nil {
		return false, err
	}
	bar := c.progress(t.Total)
	t, err = service.WatchTrial(c.ctx, game, t.Trial,
		func(now contract.TrialInfo) { _ = bar.Set(min(now.Done, now.Total)) })
	_ = bar.Finish()
	switch {
	case err != nil:
		return false, err
	case t.State != "done":
		return false, fmt.Errorf("the trial is %s: %s", t.State, t.Error)
	}
	if t.Result.Saves > 0 {
		c.printTrial(t.Result)
	}
	return t.Clean, nil
}

// runKeys prints the keys of a service's file as save check -keys reads them.
func runKeys(c *call) (int, error) {
	if len(c.args) != 1 {
		fmt.Fprintln(c.err, "alluvion: the file of a service is wanted.")
		return wrongUse, errUse
	}
	list, err := store.ReadSealKeys(c.args[0])
	if err != nil {
		return failed, err
	}
	table := map[string]string{}
	for _, k := range list {
		table[k.ID] = hex.EncodeToString(k.Secret)
	}
	return fine, writeJSON(c.out, table)
}
