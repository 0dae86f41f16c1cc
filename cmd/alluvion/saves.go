package main

import (
	"bytes"
	"encoding/hex"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"github.com/schollz/progressbar/v3"
	"golang.org/x/term"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
)

// runSave looks at saves: each against its plan, or one against another.
func runSave(c *call) (int, error) {
	switch {
	case len(c.args) > 1 && c.args[0] == "check":
		return runSaveCheck(c, c.args[1:])
	case len(c.args) == 3 && c.args[0] == "compare":
		return runDifferences(c, c.args[1], c.args[2])
	case len(c.args) > 1 && c.args[0] == "convert":
		return runConvert(c, c.args[1:])
	}
	fmt.Fprintln(c.err, "alluvion: what is to be done with which saves is wanted: save check FILE..., save compare BEFORE AFTER, or save convert -o FOLDER FILE...")
	return wrongUse, errUse
}

// runSaveCheck says everything that a plan does not take as it is in saves.
func runSaveCheck(c *call, names []string) (int, error) {
	plans := map[string]*planFile{}
	files, err := c.saveFiles(names, plans)
	if err != nil {
		return failed, err
	}
	type checkedFile struct {
		File string `json:"file"`
		format.Checked
	}
	var all []checkedFile
	code := fine
	for _, file := range files {
		p, err := c.planFor(file, plans)
		if err != nil {
			return failed, err
		}
		if p.model == nil || p.found.Errors() {
			c.printFindings(p.name, p.found)
			return findings, nil
		}
		raw, _, err := c.readFile(file)
		if err != nil {
			return failed, err
		}
		keys, err := c.keysFor(file)
		if err != nil {
			return failed, err
		}
		for _, x := range p.check(file, raw, keys) {
			if len(x.Problems) > 0 {
				code = findings
			}
			all = append(all, checkedFile{file, x})
			if !c.json {
				c.printChecked(file, x)
			}
		}
	}
	if c.json {
		return code, writeJSON(c.out, all)
	}
	return code, nil
}

// planFile is a plan on the disk, with what saves are taken to it by.
type planFile struct {
	name  string
	model *model.Model
	found finding.List
	chain *upgrade.Chain
	judge *engine.Judge
	own   *format.Set // the game's own formats
}

// check says everything that the plan does not take as it is in a file: a save of Alluvion's, or one in a format of the
// game's own, which may hold several.
func (p *planFile) check(file string, raw []byte, keys save.Keys) []format.Checked {
	if len(p.own.Formats) > 0 && !format.Own(raw) {
		return p.own.Check(raw, file, p.judge)
	}
	return []format.Checked{{Checked: p.chain.Check(raw, keys, upgrade.Around{}, p.judge)}}
}

func readPlanFile(name string) (*planFile, error) {
	source, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	p := &planFile{name: name}
	p.model, _, p.found = check.Plan(source, commonsBeside(name))
	if p.model != nil {
		p.chain, p.judge = upgrade.New(p.model), engine.NewJudge(p.model, nil)
		p.own = format.New(p.chain, p.model)
	}
	return p, nil
}

// readPlanFile is readPlanFile, with the key of signed saves where one is named.
func (c *call) readPlanFile(name string) (*planFile, error) {
	p, err := readPlanFile(name)
	if err != nil || c.saveKey == "" || p.own == nil {
		return p, err
	}
	key, err := readSaveKey(c.saveKey)
	if err != nil {
		return nil, err
	}
	p.own.Signed(key)
	return p, nil
}

// readSaveKey reads the key that a game signs its saves with: all bytes of the file, but for a line's end behind them.
func readSaveKey(file string) ([]byte, error) {
	raw, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	key := bytes.TrimRight(raw, "\r\n")
	if len(key) == 0 {
		return nil, fmt.Errorf("%s is empty: the key that saves are signed with is wanted in it", file)
	}
	return key, nil
}

// planFor finds the plan that a save is checked against: the one that was named, else the nearest plan.yaml.
func (c *call) planFor(save string, known map[string]*planFile) (*planFile, error) {
	name := c.plan
	if name == "" {
		if name = nearestAbove(save, "plan.yaml"); name == "" {
			return nil, fmt.Errorf("there is no plan.yaml beside %s, or in a folder above: name it with -plan", save)
		}
	}
	if known[name] == nil {
		p, err := c.readPlanFile(name)
		if err != nil {
			return nil, err
		}
		known[name] = p
	}
	return known[name], nil
}

// nearestAbove finds a file beside another, or in one of the folders above; "" where there is none.
func nearestAbove(file, name string) string {
	folder, err := filepath.Abs(filepath.Dir(file))
	if err != nil {
		return ""
	}
	for range 6 {
		path := filepath.Join(folder, name)
		if info, err := os.Stat(path); err == nil && !info.IsDir() {
			return path
		}
		folder = filepath.Dir(folder)
	}
	return ""
}

// keysFor reads the keys that seals are checked against: a table of ids and secrets in hexadecimal. They
// only verify here, so that their order does not count. nil where there are none.
func (c *call) keysFor(file string) (save.Keys, error) {
	name := c.keys
	if name == "" {
		if name = nearestAbove(file, "keys.json"); name == "" {
			return nil, nil
		}
	}
	raw, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	var table map[string]string
	if err := json.Unmarshal(raw, &table); err != nil {
		return nil, fmt.Errorf("%s: a table of keys and their secrets in hexadecimal is wanted: %w", name, err)
	}
	keys := save.Keys{}
	for _, id := range slices.Sorted(maps.Keys(table)) {
		secret, err := hex.DecodeString(table[id])
		if err != nil || len(secret) < 16 {
			return nil, fmt.Errorf("%s: the secret of %s is not at least 16 bytes in hexadecimal", name, id)
		}
		keys = append(keys, save.Key{ID: id, Secret: secret})
	}
	return keys, nil
}

// saveFiles lists the files that are named, and the saves in folders that are: JSON, and where the plan says how the
// game's own saves are written, whatever is there.
func (c *call) saveFiles(names []string, plans map[string]*planFile) ([]string, error) {
	all, err := anyFiles(names)
	if err != nil {
		return nil, err
	}
	var out []string
	for _, file := range all {
		switch {
		case slices.Contains(names, file) || strings.HasSuffix(file, ".json") && filepath.Base(file) != "keys.json":
			out = append(out, file)
		case slices.Contains([]string{".go", ".md"}, filepath.Ext(file)):
		default:
			if p, err := c.planFor(file, plans); err == nil && !sameFile(p.name, file) && p.own != nil && len(p.own.Formats) > 0 {
				out = append(out, file)
			}
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("there is no save (*.json, or one of the plan's formats) in %s", strings.Join(names, ", "))
	}
	return c.bundle(out, plans)
}

// bundle puts the loose files of one save together, where a plan says that a save is several files: the save is called by
// the first of them from then on.
func (c *call) bundle(files []string, plans map[string]*planFile) ([]string, error) {
	under := map[*planFile][]string{}
	var order []*planFile
	for _, file := range files {
		p, err := c.planFor(file, plans)
		if err != nil || p.own == nil || !slices.ContainsFunc(p.own.Formats, (*format.Format).Bundled) {
			p = nil
		}
		if under[p] == nil {
			order = append(order, p)
		}
		under[p] = append(under[p], file)
	}
	var out []string
	for _, p := range order {
		if p == nil {
			out = append(out, under[p]...)
			continue
		}
		saves, err := looseBeside(p.own, under[p])
		if err != nil {
			return nil, err
		}
		parts := map[string]bool{}
		for _, one := range saves {
			for _, file := range one.Files {
				parts[file] = true
			}
		}
		for _, file := range under[p] {
			if !parts[file] {
				out = append(out, file)
			}
		}
		for _, one := range saves {
			if c.loose == nil {
				c.loose = map[string]map[string]string{}
			}
			c.loose[one.Name] = one.Files
			out = append(out, one.Name)
		}
	}
	slices.Sort(out)
	return out, nil
}

// looseBeside finds the saves of which one of some files is a part: what is named alone has the rest beside it.
func looseBeside(own *format.Set, files []string) ([]format.Loose, error) {
	named, folders := map[string]bool{}, map[string]bool{}
	for _, file := range files {
		named[file], folders[filepath.Dir(file)] = true, true
	}
	var all []string
	walked := ""
	for _, folder := range slices.Sorted(maps.Keys(folders)) {
		if walked != "" && strings.HasPrefix(folder+string(filepath.Separator), walked) {
			continue
		}
		walked = folder + string(filepath.Separator)
		beside, err := anyFiles([]string{folder})
		if err != nil {
			return nil, err
		}
		all = append(all, beside...)
	}
	return slices.DeleteFunc(own.Loose(all), func(one format.Loose) bool {
		for _, file := range one.Files {
			if named[file] {
				return false
			}
		}
		return true
	}), nil
}

// packed reads the loose files of one save.
func (c *call) packed(files map[string]string) ([]byte, error) {
	raw := map[string][]byte{}
	for inside, file := range files {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		raw[inside], err = io.ReadAll(io.LimitReader(f, maxFile))
		_ = f.Close()
		if err != nil {
			return nil, err
		}
	}
	return format.Pack(raw)
}

// sameFile says whether two paths lead to one file.
func sameFile(a, b string) bool {
	x, errA := os.Stat(a)
	y, errB := os.Stat(b)
	return errA == nil && errB == nil && os.SameFile(x, y)
}

// printChecked says what becomes of one save.
func (c *call) printChecked(file string, x format.Checked) {
	s := c.style
	what := map[save.Policy]string{save.Take: s.green("loads"),
		save.Last: s.yellow("an earlier save is loaded instead"), save.Refuse: s.red("is not loaded")}[x.Outcome]
	if n := len(x.Problems); x.Outcome == save.Take && n > 0 {
		what = s.yellow("loads, with " + plural(n, "thing") + " corrected or told")
	}
	about := "nobody's save"
	if x.Of != "nothing" {
		about = fmt.Sprintf("version %d", x.From)
		if x.From < x.To {
			about = fmt.Sprintf("version %d, upgraded to %d", x.From, x.To)
		}
		switch x.Of {
		case "world":
			about = "a world of " + about
		case "profile":
			about = "what " + x.Player + " has over all slots, of " + about
		}
	}
	if x.Seal != "" {
		about += "; seal " + x.Seal
	}
	if x.Format != "" {
		about = x.Format + ", " + about
	}
	fmt.Fprintf(c.out, "%s  %s  %s\n", s.bold(file), what, s.quiet(about))
	for _, p := range x.Problems {
		at := p.Pointer
		if at == "" {
			at = "the whole save"
		}
		where := ""
		switch {
		case p.Line > 0:
			where = fmt.Sprintf("%d:%d  ", p.Line, p.Column)
		case p.Byte > 0:
			where = fmt.Sprintf("byte %d  ", p.Byte)
		}
		fmt.Fprintf(c.out, "  %s%s  %s  %s\n", where, at, s.quiet(p.Name), s.quiet(string(p.Kind)))
		fmt.Fprintln(c.out, c.wrap(sentence(p.Reason)+" Instead: "+p.Instead+".", "    "))
	}
}

// sentence makes one of a few words.
func sentence(s string) string {
	s = strings.TrimSuffix(s, ".")
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:] + "."
}

// runTrial takes saves to a plan without writing any.
func runTrial(c *call) (int, error) {
	if len(c.args) == 0 {
		fmt.Fprintln(c.err, "alluvion: a plan is wanted, and saves or (with -old) earlier versions of it.")
		return wrongUse, errUse
	}
	p, err := c.readPlanFile(c.args[0])
	if err != nil {
		return failed, err
	}
	if p.model == nil || p.found.Errors() {
		c.printFindings(p.name, p.found)
		return findings, nil
	}
	t := upgrade.NewTrial(p.model)
	if err := c.tryMadeUp(p, t); err != nil {
		return failed, err
	}
	if len(c.args) > 1 {
		if err := c.tryFiles(p, t); err != nil {
			return failed, err
		}
	}
	if t.Saves == 0 {
		fmt.Fprintln(c.err, "alluvion: there is nothing to try: name saves, or earlier versions of the plan with -old.")
		return wrongUse, errUse
	}
	t.Sort()
	code := fine
	if !t.Clean() {
		code = findings
	}
	if c.json {
		return code, writeJSON(c.out, t)
	}
	c.printTrial(t)
	return code, nil
}

// tryMadeUp makes saves up for every earlier version that is named.
func (c *call) tryMadeUp(p *planFile, t *upgrade.Trial) error {
	for name := range strings.SplitSeq(c.old, ",") {
		if name == "" {
			continue
		}
		old, err := readPlanFile(name)
		switch {
		case err != nil:
			return err
		case old.model == nil:
			return fmt.Errorf("%s has errors; no save can be generated for it", name)
		case old.model.Plan.Game.Name != p.model.Plan.Game.Name:
			return fmt.Errorf("%s is a plan of another game, %s", name, old.model.Plan.Game.Name)
		}
		err = upgrade.MadeUp(old.model, uint32(c.seed), c.made, func(what string, doc any) error {
			raw, err := save.Encode(doc)
			if err == nil {
				t.Add(p.chain, p.judge, fmt.Sprintf("generated for version %d: %s", old.model.Plan.Version.Value, what),
					raw, nil, upgrade.Around{})
			}
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func (c *call) tryFiles(p *planFile, t *upgrade.Trial) error {
	c.plan = p.name
	files, err := c.saveFiles(c.args[1:], map[string]*planFile{p.name: p})
	if err != nil {
		return err
	}
	bar := c.progress(len(files))
	for _, file := range files {
		if err := c.ctx.Err(); err != nil {
			return err
		}
		raw, _, err := c.readFile(file)
		if err != nil {
			return err
		}
		keys, err := c.keysFor(file)
		if err != nil {
			return err
		}
		for i, x := range p.check(file, raw, keys) {
			name, before := file, raw
			if x.Save != nil {
				before = x.Save
			}
			if x.Of == "player" && i > 0 {
				name = fmt.Sprintf("%s (%d)", file, i+1)
			}
			t.AddChecked(&x.Checked, name, before)
		}
		_ = bar.Add(1)
	}
	return bar.Finish()
}

// progress is a bar with rate and time left, where somebody is looking and it takes long enough.
func (c *call) progress(n int) *progressbar.ProgressBar {
	f, ok := c.stderr.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) || n < 500 {
		return progressbar.DefaultSilent(int64(n))
	}
	return progressbar.NewOptions(n, progressbar.OptionSetWriter(f), progressbar.OptionShowCount(),
		progressbar.OptionShowIts(), progressbar.OptionSetItsString("saves"),
		progressbar.OptionThrottle(100*time.Millisecond), progressbar.OptionClearOnFinish())
}

// printTrial says what came of a trial.
func (c *call) printTrial(t *upgrade.Trial) {
	s := c.style
	fmt.Fprintf(c.out, "%s: %s taken to version %d, and nothing written\n\n", s.bold(t.Game), plural(t.Saves, "save"),
		t.To)
	words := map[upgrade.Fate]string{upgrade.Unchanged: "are of this version already",
		upgrade.Upgraded: "are upgraded in full", upgrade.PutRight: "are loaded with something corrected, kept or told",
		upgrade.Earlier: "have an earlier save loaded instead", upgrade.NotLoaded: "are not loaded"}
	for _, f := range upgrade.Fates {
		if n := t.Counts[f]; n > 0 {
			colour := s.green
			switch f {
			case upgrade.PutRight, upgrade.Earlier:
				colour = s.yellow
			case upgrade.NotLoaded:
				colour = s.red
			}
			fmt.Fprintf(c.out, "  %s %s\n", colour(fmt.Sprintf("%7d", n)), words[f])
		}
	}
	if len(t.Cases) > 0 {
		fmt.Fprintf(c.out, "\n  what is corrected or reported, the worst first\n")
	}
	for _, x := range t.Cases {
		example := x.Save
		if x.Option != "" {
			example += ", " + x.Option
		}
		fmt.Fprintf(c.out, "  %s %s  %s\n", s.yellow(fmt.Sprintf("%7d", x.Count)), s.bold(x.Name),
			s.quiet(string(x.Kind)+"; such as "+example))
		fmt.Fprintln(c.out, c.wrap(sentence(x.Reason)+" Instead: "+x.Instead+".", "          "))
	}
	if t.More > 0 {
		fmt.Fprintf(c.out, "  %7d more, of further kinds\n", t.More)
	}
	fmt.Fprintln(c.out)
	if t.Clean() {
		fmt.Fprintln(c.out, s.green("clean")+"  Nothing is lost.")
		return
	}
	fmt.Fprintln(c.out, s.yellow("not clean")+"  Look at what is corrected: an upgrade step may say better what becomes of it.")
}
