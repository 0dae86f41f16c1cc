package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"encoding/xml"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

const demoPlan = "../../examples/lantern-pass/plan.yaml"

// The tests run the program as a process: this test binary, told to be the program.
func TestMain(m *testing.M) {
	if os.Getenv("ALLUVION_TEST_AS_PROGRAM") == "1" {
		main()
		return
	}
	os.Exit(m.Run())
}

func program(args ...string) *exec.Cmd {
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), "ALLUVION_TEST_AS_PROGRAM=1", "COLUMNS=", "ALLUVION_URL=", "ALLUVION_GAME=", "ALLUVION_SESSION=")
	return cmd
}

type outcome struct {
	code      int
	out, errs string
}

func runWith(t *testing.T, stdin string, args ...string) outcome {
	cmd := program(args...)
	var out, errs bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(stdin), &out, &errs
	err := cmd.Run()
	if _, exited := err.(*exec.ExitError); err != nil && !exited {
		require.NoError(t, err)
	}
	return outcome{cmd.ProcessState.ExitCode(), out.String(), errs.String()}
}

func TestMisspeltNamesAreMendedInTheFile(t *testing.T) {
	t.Parallel()
	good, err := os.ReadFile(demoPlan)
	require.NoError(t, err)
	commons, err := os.ReadFile(filepath.Join(filepath.Dir(demoPlan), "../courier-guild.yaml"))
	require.NoError(t, err)
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "courier-guild.yaml"), commons, 0o644))
	file := filepath.Join(folder, "plan.yaml")
	bad := strings.NewReplacer("to: gorge/mouth", "to: groge/mouth", "player.oil", "player.oul", "spots:\n      hearth", "spost:\n      hearth").Replace(string(good))
	require.NoError(t, os.WriteFile(file, []byte(bad), 0o600))
	got := runWith(t, "", "check", "-mend", file)
	assert.Equal(t, 0, got.code, got.out+got.errs)
	assert.Contains(t, got.errs, `There is no scene called "groge". Did you mean gorge/mouth? Written: gorge/mouth.`)
	assert.Contains(t, got.errs, "Fixed on lines 200, 217, 219 and 262:")
	mended, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(good), string(mended))
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	again := runWith(t, "", "check", "-mend", file)
	assert.Empty(t, again.errs, "there is nothing left to mend")
}

func TestExitCodesAndStreams(t *testing.T) {
	t.Parallel()
	good, err := os.ReadFile(demoPlan)
	require.NoError(t, err)
	for name, row := range map[string]struct {
		args      []string
		stdin     string
		code      int
		out, errs string
	}{
		"a good plan":              {[]string{"check", demoPlan}, "", 0, "fine", ""},
		"flags behind":             {[]string{"check", demoPlan, "-accepted"}, "", 0, "Accepted:", ""},
		"a misspelt scene":         {[]string{"check", "-"}, strings.Replace(string(good), "to: gorge/mouth", "to: groge/mouth", 1), 1, `There is no scene called "groge"`, ""},
		"a mark under it":          {[]string{"check", "-"}, "alluvion: 1\ngame: Bad\n", 1, "    2 | game: Bad\n      |       ^\n", ""},
		"a tab":                    {[]string{"check", "-"}, "a:\n\tb: 1\n", 1, "tab", ""},
		"an empty plan":            {[]string{"check", "-"}, "", 1, "empty", ""},
		"a plan as JSON":           {[]string{"check", "-"}, `{"alluvion": 1}`, 1, `"game" is missing`, ""},
		"fifty megabytes":          {[]string{"check", "-"}, strings.Repeat("a: b\n", 10<<20), 1, "more than 1 MiB", ""},
		"mending no file":          {[]string{"check", "-mend", "-"}, "alluvion: 1\n", 2, "", "standard input has none"},
		"no such file":             {[]string{"check", "none.yaml"}, "", 3, "", "Try: "},
		"no file named":            {[]string{"check"}, "", 2, "", "Try: alluvion help check"},
		"no such command":          {[]string{"chekc"}, "", 2, "", `Did you mean check?`},
		"no such flag":             {[]string{"check", "-colour"}, "", 2, "", "Try: alluvion help check"},
		"help":                     {[]string{"help"}, "", 0, "usage: alluvion COMMAND", ""},
		"help for one":             {[]string{"help", "play"}, "", 0, "wren pass porch_gorge", ""},
		"the version":              {[]string{"version"}, "", 0, "alluvion", ""},
		"the matrix":               {[]string{"matrix", demoPlan}, "", 0, "◆ = max_warmth*", ""},
		"the matrix of a bad plan": {[]string{"matrix", "-"}, "alluvion: 1\n", 1, "cannot run", ""},
		"one cell":                 {[]string{"matrix", demoPlan, "-row", "player.warmth", "-at", "death"}, "", 0, "Warmth becomes player.max_warmth", ""},
		"no such row":              {[]string{"matrix", demoPlan, "-row", "player.wramth"}, "", 2, "", "Did you mean player.warmth?"},
		"two saves alike":          {[]string{"save", "compare", history + "saves/hal.v3.json", history + "saves/hal.v3.json"}, "", 0, "They say the same.", ""},
		"two saves, for programs":  {[]string{"save", "compare", "-json", history + "saves/hal.v3.json", history + "saves/ivo.v3.json"}, "", 1, `"title": "Checkpoint reached"`, ""},
		"half a save":              {[]string{"save", "compare", history + "saves/hal.v3.json", history + "saves/bad/cut-short.json"}, "", 3, "", "cut-short.json against"},
		"a save that is not there": {[]string{"save", "compare", history + "saves/hal.v3.json", "none.json"}, "", 3, "", "none.json"},
		"one save to compare":      {[]string{"save", "compare", history + "saves/hal.v3.json"}, "", 2, "", "save compare BEFORE AFTER"},
		"the schema":               {[]string{"schema"}, "", 0, "json-schema.org/draft/2020-12", ""},
		"not this machine":         {[]string{"serve", "-addr", "0.0.0.0:8230", "-data", filepath.Join(t.TempDir(), "a.db")}, "", 3, "", "Try: alluvion serve -addr 127.0.0.1"},
		"help of help":             {[]string{"help", "-h"}, "", 0, "usage: alluvion COMMAND", ""},
		"a plan too many":          {[]string{"schema", "missing"}, "", 2, "", `"missing" was not expected: the schema of a plan is the same for every plan`},
		"one argument too many":    {[]string{"schema", "missing", "extra"}, "", 2, "", `"extra" was not expected: schema takes [PLAN]`},
		"arguments of none":        {[]string{"watch", "here"}, "", 2, "", `watch takes no argument`},
		"a form that is none":      {[]string{"matrix", "-form", "pdf", demoPlan}, "", 2, "", "csv, markdown, svg"},
		"a folder for a plan":      {[]string{"check", "../../examples/lantern-pass"}, "", 3, "", "is a folder, and a plan's file is wanted, such as ../../examples/lantern-pass/plan.yaml"},
		"a token of no service":    {[]string{"token", filepath.Join(t.TempDir(), "none.db")}, "", 3, "", "a token made from other keys would open nothing"},
		"data in no folder":        {[]string{"serve", "-addr", "127.0.0.1:0", "-data", filepath.Join(t.TempDir(), "typo", "a.db")}, "", 3, "", "there is no folder for"},
		"a rehearsal for a plan":   {[]string{"check", "../../examples/lantern-pass/rehearsals/starting-over.yaml"}, "", 1, "This is a rehearsal: play it with alluvion rehearse FILE.", ""},
		"a commons to run":         {[]string{"matrix", "../../examples/courier-guild.yaml"}, "", 1, "This is a commons: check it with alluvion check FILE", ""},
		"a commons for bindings":   {[]string{"bindings", "-for", "lua", "-o", t.TempDir(), "../../examples/courier-guild.yaml"}, "", 1, "courier-guild.yaml: 1 error. The plan cannot run.", ""},
		"bindings of no plan":      {[]string{"bindings", "-for", "lua", "-o", t.TempDir(), "../../examples/troubled/undecided-fate.yaml"}, "", 1, "undecided-fate.yaml: 1 error. The plan cannot run.", ""},
		"a plan for a rehearsal":   {[]string{"rehearse", demoPlan}, "", 1, "This is a plan: check it with alluvion check FILE.", ""},
		"no service":               {[]string{"watch", "-once", "-service", "http://127.0.0.1:1"}, "", 3, "", "no service answers at http://127.0.0.1:1."},
		"a scene for a spot":       {[]string{"check", "-"}, strings.Replace(string(good), "start: lodge/hearth\n", "start: lodge\n", 1), 1, "lodge is a scene, and one of its spots is wanted", ""},
		"an exclamation mark":      {[]string{"check", "-"}, "alluvion: 1\nrules: [{on: x, do: [{set: scene.lever, to: !scene.lever}]}]\n", 1, "needs quotes around it", ""},
		"what rehearsals exercise": {[]string{"rehearse", "-coverage", "../../examples/lantern-market"}, "", 0, "What these rehearsals exercise of lantern-market, version 1\n  rules               3 of 3\n", ""},
		"nothing to play":          {[]string{"play"}, "", 2, "", "which plan?"},
		"nobody to play with":      {[]string{"play", "-service", "http://127.0.0.1:1", "-game", "x"}, "", 3, "", "Try: alluvion serve"},
	} {
		t.Run(name, func(t *testing.T) {
			got := runWith(t, row.stdin, row.args...)
			assert.Equal(t, row.code, got.code, "%s%s", got.out, got.errs)
			assert.Contains(t, got.out, row.out)
			assert.Contains(t, got.errs, row.errs)
			assert.NotContains(t, got.out, "\x1b[", "no colour but on a terminal")
			if row.code >= 2 {
				assert.Empty(t, got.out)
			}
		})
	}
}

func TestJSONIsForPrograms(t *testing.T) {
	t.Parallel()
	var report struct {
		Runnable bool
		Findings []struct{ ID, Accepted string }
	}
	require.NoError(t, json.Unmarshal([]byte(runWith(t, "", "check", demoPlan, "-json").out), &report))
	assert.True(t, report.Runnable)
	assert.NotEmpty(t, report.Findings)
	var matrix struct {
		Groups []struct{ Rows []struct{ Name string } }
	}
	require.NoError(t, json.Unmarshal([]byte(runWith(t, "", "matrix", demoPlan, "-json").out), &matrix))
	assert.NotEmpty(t, matrix.Groups[0].Rows)
	for _, line := range strings.Split(strings.TrimSpace(runWith(t, "join wren\nwren load\nwren deliver\nwren pass mill_gate\n", "play", "-json", demoPlan).out), "\n") {
		assert.True(t, json.Valid([]byte(line)), line)
	}
}

func TestTheMatrixIsWrittenForOtherPrograms(t *testing.T) {
	t.Parallel()
	for form, begins := range map[string]string{"csv": "Holder,Name,Title,Type,Scene,Death", "markdown": "# Lantern Pass: what survives what", "svg": `<svg xmlns="http://www.w3.org/2000/svg"`} {
		o := runWith(t, "", "matrix", "-form", form, demoPlan)
		assert.Zero(t, o.code, o.errs)
		assert.True(t, strings.HasPrefix(o.out, begins), "%.80s", o.out)
		assert.Contains(t, o.out, "Parcels delivered")
	}
	o := runWith(t, "", "matrix", "-form", "clay", demoPlan)
	assert.Equal(t, 2, o.code)
	assert.Contains(t, o.errs, "csv, markdown, svg")
	assert.Empty(t, o.out)
}

func TestPlayPrintsWhatChangedAndWhy(t *testing.T) {
	t.Parallel()
	got := runWith(t, "", "play", demoPlan, "../../examples/lantern-pass/first-night.play")
	assert.Equal(t, 0, got.code, got.out+got.errs)
	for _, part := range []string{
		"wren  parcels  0 → 1   rule 5", "saved on scene: revision 1", "refused, as expected: The bridge is down.",
		"wren died in gorge", "wren joined",
	} {
		assert.Contains(t, got.out, part)
	}
	assert.Regexp(t, `Parcels +0 +1 `, got.out)
	before, after, ok := strings.Cut(got.out, "restart\n")
	require.True(t, ok)
	for _, row := range []string{"Warmth", "Max warmth", "Oil", "Parcels ", "Falls", "Place"} {
		assert.Equal(t, liveOf(t, before, row), liveOf(t, after, row), row)
	}
}

// liveOf finds a row's live figure in what show printed last.
func liveOf(t *testing.T, out, row string) string {
	lines := strings.Split(out, "\n")
	for i := len(lines) - 1; i >= 0; i-- {
		if rest, ok := strings.CutPrefix(strings.TrimLeft(lines[i], " "), row); ok {
			columns := strings.FieldsFunc(strings.ReplaceAll(rest, "  ", "\t"), func(r rune) bool { return r == '\t' })
			return strings.TrimSpace(columns[1])
		}
	}
	require.Fail(t, "no such row", row)
	return ""
}

func TestPlayCountsWhatWasNotExpected(t *testing.T) {
	t.Parallel()
	assert.Equal(t, 1, runWith(t, "join wren\nwren deliver\n", "play", demoPlan).code)
	assert.Equal(t, 1, runWith(t, "join wren\nrefused wren load\n", "play", demoPlan).code)
	assert.Equal(t, 0, runWith(t, "join wren\nrefused wren deliver\n", "play", demoPlan).code)
	got := runWith(t, "wren\njoin\nwren move\nwait 5h\nshow nobody\nwhy wren\nshow session\n", "play", demoPlan)
	assert.Equal(t, 1, got.code)
	assert.Contains(t, got.out, "type help")
	assert.Contains(t, got.out, "at most a minute")
	assert.Contains(t, got.out, `There is no player "nobody"`)
}

func TestPlayKeepsSavesWhereItIsTold(t *testing.T) {
	t.Parallel()
	data := filepath.Join(t.TempDir(), "kept.db")
	assert.Equal(t, 0, runWith(t, "join wren\nwren load\nwren leave\n", "play", "-data", data, demoPlan).code)
	got := runWith(t, "join wren\nshow wren\n", "play", "-data", data, demoPlan)
	assert.Regexp(t, `Parcels +0 +1 `, got.out)
}

const script = `rehearsal: a try
plan: PLAN
players: [wren]
steps:
  - {join: wren}
  - {event: load, by: wren}
  - {expect: {wren.parcels: 1}}
`

// scriptFile writes a rehearsal of the demo, changed as asked.
func scriptFile(t *testing.T, change ...string) string {
	path, err := filepath.Abs(demoPlan)
	require.NoError(t, err)
	dir := t.TempDir()
	relative, err := filepath.Rel(dir, path)
	require.NoError(t, err)
	file := filepath.Join(dir, "try.yaml")
	require.NoError(t, os.WriteFile(file, []byte(strings.NewReplacer(append(change, "PLAN", relative)...).Replace(script)), 0o644))
	return file
}

func TestRehearseTellsBothSidesOfWhatFails(t *testing.T) {
	t.Parallel()
	good := runWith(t, "", "rehearse", scriptFile(t))
	assert.Equal(t, 0, good.code, good.out+good.errs)
	assert.Contains(t, good.out, "wren  parcels  0 → 1   rule 5")
	bad := runWith(t, "", "rehearse", scriptFile(t, "parcels: 1", "parcels: 4"))
	assert.Equal(t, 1, bad.code)
	assert.Contains(t, bad.out, "wren.parcels is 1, wanted 4")
	assert.Contains(t, bad.out, "1 of 1 rehearsal")
	broken := runWith(t, "", "rehearse", scriptFile(t, "join: wren", "join: finn"))
	assert.Equal(t, 1, broken.code)
	assert.Contains(t, broken.out, "line 5, column 12")
	assert.Equal(t, 2, runWith(t, "", "rehearse").code)
	assert.Equal(t, 3, runWith(t, "", "rehearse", "nowhere").code)
	assert.Contains(t, runWith(t, "", "rehearse", t.TempDir()).out, "There is no rehearsal in")
}

func TestARehearsalThatExpectsNothingIsNotCalledFine(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	raw, err := os.ReadFile("../../examples/harbour/plan.yaml")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "plan.yaml"), raw, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.yaml"), []byte("rehearsal: tried\nplan: plan.yaml\nplayers: [p1]\nsteps:\n  - {join: p1}\n"), 0o600))
	got := runWith(t, "", "rehearse", filepath.Join(dir, "a.yaml"))
	assert.Equal(t, 0, got.code)
	assert.Contains(t, got.out, "nothing is expected of it")
	assert.NotContains(t, got.out, "all as expected")
}

func TestRehearseWritesJUnitForBuildServers(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "out.xml")
	got := runWith(t, "", "rehearse", "-junit", file, scriptFile(t), scriptFile(t, "parcels: 1", "parcels: 4"), scriptFile(t, "plan: PLAN", "plan: nowhere.yaml"))
	assert.Equal(t, 1, got.code)
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	var doc struct {
		Suites []struct {
			Tests, Failures, Errors int
			Case                    struct {
				Name    string `xml:"name,attr"`
				Failure *struct {
					Message string `xml:"message,attr"`
				} `xml:"failure"`
				Error *struct {
					Message string `xml:"message,attr"`
				} `xml:"error"`
			} `xml:"testcase"`
		} `xml:"testsuite"`
	}
	require.NoError(t, xml.Unmarshal(raw, &doc))
	require.Len(t, doc.Suites, 3)
	assert.Equal(t, "a try", doc.Suites[0].Case.Name)
	assert.Nil(t, doc.Suites[0].Case.Failure)
	assert.Contains(t, doc.Suites[1].Case.Failure.Message, "line 7")
	assert.Contains(t, doc.Suites[2].Case.Error.Message, "cannot be read")
}

func TestRehearseRecordsWhatIsSo(t *testing.T) {
	t.Parallel()
	file := scriptFile(t, "{wren.parcels: 1}", "{wren.parcels: , wren.oil: 3}")
	got := runWith(t, "", "rehearse", "-record", file)
	assert.Equal(t, 0, got.code, got.out)
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(raw), "{wren.parcels: 1 , wren.oil: 12}")
}

func TestRehearseWatchesAndPlaysAgain(t *testing.T) {
	t.Parallel()
	file := scriptFile(t)
	cmd := program("rehearse", "-watch", file)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	lines := bufio.NewScanner(out)
	until := func(part string) {
		for lines.Scan() {
			if strings.Contains(lines.Text(), part) {
				return
			}
		}
		t.Fatalf("%q never came", part)
	}
	until("all as expected")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(text), "parcels: 1", "parcels: 9", 1)), 0o644))
	require.NoError(t, os.Chtimes(file, time.Now(), time.Now().Add(time.Second)))
	until("wren.parcels is 1, wanted 9")
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	assert.NoError(t, cmd.Wait())
}

func TestSchemasArePrintedForEditors(t *testing.T) {
	t.Parallel()
	for _, args := range [][]string{{"schema"}, {"schema", "-of", "rehearsal"}, {"schema", "-of", "commons"}, {"schema", "-of", "save", demoPlan}, {"schema", "-of", "profile", "../../examples/harbour/plan.yaml"}} {
		got := runWith(t, "", args...)
		assert.Equal(t, 0, got.code, "%v %s", args, got.errs)
		var doc map[string]any
		require.NoError(t, json.Unmarshal([]byte(got.out), &doc), args)
		assert.Equal(t, "https://json-schema.org/draft/2020-12/schema", doc["$schema"])
	}
	assert.Equal(t, 2, runWith(t, "", "schema", "-of", "poem").code)
	none := runWith(t, "", "schema", "-of", "profile", demoPlan)
	assert.Equal(t, 1, none.code)
	assert.Contains(t, none.errs, "has nothing of: profile")
	assert.Equal(t, 1, runWith(t, "", "schema", "-of", "save", "../../examples/troubled/none-unhandled.yaml").code)
}

func TestTextsAreWrittenAndTranslationsHeldAgainstThem(t *testing.T) {
	t.Parallel()
	const plan, norwegian = "../../examples/harbour/plan.yaml", "../../examples/harbour/texts/nb.yaml"
	whole := runWith(t, "", "texts", plan, norwegian)
	assert.Equal(t, 0, whole.code, whole.errs)
	assert.Contains(t, whole.out, "has every text of the plan")
	written := runWith(t, "", "texts", plan)
	assert.Contains(t, written.out, "events.haul.refused: Choose a crew first.\n")
	beside := filepath.Join(t.TempDir(), "en.yaml")
	require.NoError(t, os.WriteFile(beside, []byte(strings.Replace(written.out, "events.haul.refused", "events.hual.refused", 1)), 0o600))
	wrong := runWith(t, "", "texts", plan, norwegian, beside)
	assert.Equal(t, 1, wrong.code)
	assert.Contains(t, wrong.out, `no text called "events.hual.refused". Did you mean events.haul.refused?`)
	assert.Contains(t, wrong.out, "nb.yaml has every text")
	assert.NotContains(t, wrong.out, "cannot run", "the plan is fine")
	require.NoError(t, os.WriteFile(beside, []byte("events.haul.refused: No crew, no haul.\n"), 0o600))
	partly := runWith(t, "", "texts", plan, beside)
	assert.Equal(t, 0, partly.code)
	assert.Contains(t, partly.out, "rules.offering.text  Somebody offers you a trade.")
	assert.Equal(t, 2, runWith(t, "", "texts").code)
	assert.Equal(t, 3, runWith(t, "", "texts", plan, "missing.yaml").code)
}

func TestCompareSaysWhatBecomesOfOldSaves(t *testing.T) {
	t.Parallel()
	raw, err := os.ReadFile(demoPlan)
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "courier-guild.yaml"), examples.CourierGuild, 0o644))
	write := func(name string, change ...string) string {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, []byte(strings.NewReplacer(change...).Replace(string(raw))), 0o644))
		return file
	}
	old, wider := write("old.yaml"), write("wider.yaml", "version: 3", "version: 4", "max: 9999, start: 0, title: Parcels delivered", "max: 99999, start: 0, title: Parcels delivered")
	narrower := write("narrower.yaml", "version: 3", "version: 4", "max: 9999, start: 0, title: Parcels delivered", "max: 50, start: 0, title: Parcels delivered")
	fine := runWith(t, "", "compare", old, wider)
	assert.Equal(t, 0, fine.code, fine.errs)
	assert.Contains(t, fine.out, "Old saves under the new plan: safe.")
	assert.Contains(t, fine.out, "New saves under the old plan: loses,")
	lost := runWith(t, "", "compare", old, narrower)
	assert.Equal(t, 1, lost.code)
	assert.Contains(t, lost.out, "player.delivered: it went from 0 to 9999, and goes from 0 to 50")
	assert.Contains(t, runWith(t, "", "compare", old, old).out, "has to have a higher one")
	assert.Equal(t, 2, runWith(t, "", "compare", old).code)
	assert.Equal(t, 2, runWith(t, "", "compare", old, "../../examples/lantern-market/plan.yaml").code)
	assert.True(t, json.Valid([]byte(runWith(t, "", "compare", "-json", old, narrower).out)))
}

func TestWhyAsksTheServiceAndItsJournal(t *testing.T) {
	t.Parallel()
	d := serve(t, filepath.Join(t.TempDir(), "a.db"))
	ctx := context.Background()
	_, err := d.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	_, _, err = d.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	room, err := d.c.Open(ctx, "lantern-pass", "winter")
	require.NoError(t, err)
	for _, r := range []contract.Request{{Do: "join", Player: "wren"}, {Do: "event", Player: "wren", Name: "load"}} {
		_, err = room.Do(ctx, r)
		require.NoError(t, err)
	}
	require.NoError(t, room.Close(ctx))
	why := func(args ...string) outcome {
		return runWith(t, "", append([]string{"why", "-service", d.url, "-game", "lantern-pass", "-session", "winter"}, args...)...)
	}
	got := why("player.parcels")
	assert.Equal(t, 0, got.code, got.errs)
	assert.Contains(t, got.out, "wren             player.parcels  0 → 1  rule 5 (line")
	assert.Contains(t, why("-player", "wren", "player.oil").out, "player.oil of wren has not changed in the session winter")
	misspelt := why("player.oyl")
	assert.Equal(t, 1, misspelt.code)
	assert.Contains(t, misspelt.errs, `There is no value called "player.oyl" in lantern-pass. Did you mean player.oil?`)
	assert.Equal(t, 1, why("-player", "nobody", "player.oil").code)
	assert.True(t, json.Valid([]byte(why("-json", "player.parcels").out)))
	assert.Equal(t, 2, why("player.parcels", "player.oil").code)
}

// daemon is the program running as a service.
type daemon struct {
	cmd *exec.Cmd
	c   *client.Client
	url string
}

func serve(t *testing.T, data string, more ...string) *daemon {
	cmd := program(append([]string{"serve", "-addr", "127.0.0.1:0", "-data", data}, more...)...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err)
	go func() { _, _ = io.Copy(io.Discard, out) }()
	url := strings.TrimSpace(strings.TrimPrefix(line, "Alluvion is at "))
	d := &daemon{cmd: cmd, c: client.New(url), url: url}
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	return d
}

func (d *daemon) end(t *testing.T, s syscall.Signal) int {
	require.NoError(t, d.cmd.Process.Signal(s))
	_ = d.cmd.Wait()
	return d.cmd.ProcessState.ExitCode()
}

// Killed again and again in the middle of play: every save that was acknowledged is there, whole.
func TestNothingThatWasAcknowledgedIsLostByAKill(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	data := filepath.Join(t.TempDir(), "a.db")
	d := serve(t, data)
	_, guild := d.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, guild)
	_, _, err := d.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	acknowledged := 0 // how many parcels the last acknowledged save had
	for round := range 4 {
		room, err := d.c.Open(ctx, "lantern-pass", "winter")
		require.NoError(t, err)
		_, err = room.Do(ctx, contract.Request{Do: "join", Player: "wren"})
		require.NoError(t, err)
		s, err := d.c.Player(ctx, "lantern-pass", "wren", 0)
		require.NoError(t, err)
		n, _ := live(s, "player.parcels").Num.Int()
		assert.GreaterOrEqual(t, int(n), acknowledged, "after kill %d", round)
		kill := time.AfterFunc(time.Duration(150+40*round)*time.Millisecond, func() { _ = d.cmd.Process.Signal(syscall.SIGKILL) })
		for {
			if _, err = room.Do(ctx, contract.Request{Do: "write", Server: true, Player: "wren", Name: "player.parcels", Value: number(acknowledged + 1)}); err != nil {
				break
			}
			if _, err = d.c.Save(ctx, "lantern-pass", "wren"); err != nil {
				break
			}
			acknowledged++
		}
		kill.Stop()
		_ = d.cmd.Wait()
		d = serve(t, data)
	}
	assert.Positive(t, acknowledged)
	assert.Equal(t, 0, d.end(t, syscall.SIGTERM), "a graceful stop is no failure")
}

func live(s contract.PlayerView, name string) types.Value {
	for _, v := range s.Values {
		if v.Name == name {
			return v.Live
		}
	}
	return types.None
}

func number(n int) *types.Value {
	v := types.OfNum(fixed.FromInt(int64(n)))
	return &v
}

func TestAGracefulStopSavesEverybody(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	data := filepath.Join(t.TempDir(), "a.db")
	d := serve(t, data)
	_, guild := d.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, guild)
	_, _, err := d.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	room, err := d.c.Open(ctx, "lantern-pass", "winter")
	require.NoError(t, err)
	_, err = room.Do(ctx, contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	_, err = room.Do(ctx, contract.Request{Do: "event", Player: "wren", Name: "load"})
	require.NoError(t, err)
	assert.Equal(t, 0, d.end(t, syscall.SIGTERM))
	d = serve(t, data)
	s, err := d.c.Player(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	assert.Equal(t, 1, s.Revision)
	assert.Equal(t, 0, d.end(t, syscall.SIGINT))
}

func TestTheDemoHasPlayersInIt(t *testing.T) {
	t.Parallel()
	cmd := program("demo", "-addr", "127.0.0.1:0", "-walkers", "0")
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	lines := bufio.NewScanner(out)
	url := ""
	for url == "" && lines.Scan() {
		if _, at, ok := strings.Cut(lines.Text(), "Lantern Pass is at "); ok {
			url = at
		}
	}
	players, err := client.New(url).Players(context.Background(), "lantern-pass")
	require.NoError(t, err)
	assert.Len(t, players, 8)
	require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
	assert.NoError(t, cmd.Wait())
}

func TestAMisspeltNameIsNotRefusedAsExpected(t *testing.T) {
	t.Parallel()
	got := runWith(t, "join wren\nrefused wren pass rope_brigde\n", "play", demoPlan)
	assert.Equal(t, 1, got.code)
	assert.Contains(t, got.out, "refused, but for a name that stands for nothing:")
	good := runWith(t, "join wren\nrefused wren deliver\n", "play", demoPlan)
	assert.Equal(t, 0, good.code, good.out)
}
