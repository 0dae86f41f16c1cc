package bindings_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/bindings"
	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/examples"
	"alluvion.dev/internal/generated"
)

func load(t *testing.T, text string) *model.Model {
	m, _, found := check.Text([]byte(text), examples.Commons)
	require.NotNil(t, m, "%v", found)
	return m
}

// clashing has names that the runtimes have too.
const clashing = `
alluvion: 1
game: values
version: 1
space: {axes: [x, y], unit: metre}
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  prop:   {scene: keep, restart: keep}
lists: {on: {options: {rice: {}, "tea": {}}}}
variables:
  id:    {of: player, type: int, min: 0, max: 3, start: 0, share: {with: everyone}}
  open:  {of: "prop:state", type: bool, start: false}
  have:  {of: [player, on], type: int, min: 0, max: 3, start: 0}
scenes:
  hall: {size: [64, 48], spots: {door: {at: [1, 1]}, post: {at: [30, 20]}}}
props: {state: {placed: {red: hall/post}}}
events:
  move: {args: {"class": {type: int, min: 0, max: 3}}, from: self}
rules:
  - {on: move, do: [{set: player.id, to: 1}]}
`

var plans = map[string]string{"pass": string(examples.LanternPass), "market": string(examples.LanternMarket), "harbour": string(examples.Harbour),
	"everything": generated.Everything, "clashing": clashing}

// written are the files for a plan: the same plan gives the same bytes.
func written(t *testing.T, text, language string) []bindings.File {
	files, err := bindings.Files(load(t, text), language)
	require.NoError(t, err)
	again, err := bindings.Files(load(t, text), language)
	require.NoError(t, err)
	assert.Equal(t, files, again)
	return files
}

// What is written for Go is formatted, has no complaint, and names what is called alike.
func TestGo(t *testing.T) {
	t.Parallel()
	require.NoError(t, os.MkdirAll("testdata", 0o755))
	dir, err := os.MkdirTemp("testdata", "made")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	args := []string{"vet"}
	for name, text := range plans {
		files := written(t, text, "go")
		require.Len(t, files, 1)
		require.NoError(t, os.Mkdir(filepath.Join(dir, name), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name, files[0].Name), files[0].Text, 0o600))
		args = append(args, "./"+filepath.ToSlash(filepath.Join(dir, name)))
	}
	out, err := exec.Command("go", args...).CombinedOutput()
	require.NoError(t, err, "%s", out)
	out, err = exec.Command("gofmt", "-l", dir).CombinedOutput()
	require.NoError(t, err)
	assert.Empty(t, string(out))
	pass := string(written(t, plans["pass"], "go")[0].Text)
	for _, want := range []string{"package lanternpass\n", `CacheUnderLedge CacheID = "under_ledge"`,
		"// Warmth is player.warmth. 0 to 150 in steps of 0.5.", `machine.Get[bool](p.m, "prop.cache.taken", string(of), p.ID)`,
		"func (a Asks) Open(cache CacheID) *machine.Asked {", "func (a Asks) WriteNickname(is *string) *machine.Asked {",
		"func (a Asks) Pass(passage PassageID) *machine.Asked"} {
		assert.Contains(t, pass, want)
	}
	alike := strings.Replace(clashing, "  move: {", "  mo_ve: {from: self}\n  moVe: {", 1)
	alike = strings.ReplaceAll(strings.Replace(alike, "moVe", "mo__ve", 1), "on: move", "on: mo_ve")
	_, err = bindings.Files(load(t, alike), "go")
	require.ErrorContains(t, err, "are both called MoVe by a game in Go: give one of them another name")
}

// The page on connecting says how large what a game takes over is. UPDATE_GOLDEN=1 writes it anew.
func TestThePageSaysHowLargeTheBindingsAre(t *testing.T) {
	t.Parallel()
	demo := string(examples.LanternPass)
	lines := func(files ...string) (sum int) {
		for _, name := range files {
			raw, err := os.ReadFile(name)
			require.NoError(t, err)
			sum += strings.Count(string(raw), "\n")
		}
		return sum
	}
	bytesOf := func(language, ending string) int {
		for _, f := range written(t, demo, language) {
			if strings.HasSuffix(f.Name, ending) && !strings.HasPrefix(strings.ToLower(f.Name), "alluvion") {
				return len(f.Text)
			}
		}
		return 0
	}
	page, err := os.ReadFile("../docs/connect.md")
	require.NoError(t, err)
	text := string(page)
	for row, is := range map[string][2]int{
		"TypeScript":             {lines("typescript/alluvion.ts"), bytesOf("typescript", ".ts")},
		"JavaScript":             {lines("javascript/alluvion.js"), bytesOf("javascript", ".js")},
		"Go":                     {lines("../machine/machine.go", "../machine/taking.go", "../machine/asking.go", "../machine/reading.go"), bytesOf("go", ".go")},
		"C++17":                  {lines("cpp/alluvion.hpp", "cpp/alluvion.cpp"), bytesOf("cpp", ".hpp")},
		"C# 7":                   {lines("csharp/Alluvion.cs"), bytesOf("csharp", ".cs")},
		"Lua 5.1 to 5.4, LuaJIT": {lines("lua/alluvion.lua"), bytesOf("lua", ".lua")},
		"Python 3.9+":            {lines("python/alluvion.py"), bytesOf("python", ".py")},
	} {
		at := regexp.MustCompile(`(?m)^\| ` + regexp.QuoteMeta(row) + ` \| ([^|]*) \| (\d+) lines \| (\d+) bytes \|`)
		says := at.FindStringSubmatch(text)
		require.NotNil(t, says, row)
		want := fmt.Sprintf("| %s | %s | %d lines | %d bytes |", row, says[1], is[0], is[1])
		if os.Getenv("UPDATE_GOLDEN") != "" {
			text = strings.Replace(text, says[0], want, 1)
			continue
		}
		assert.Equal(t, want, says[0])
	}
	if os.Getenv("UPDATE_GOLDEN") != "" {
		require.NoError(t, os.WriteFile("../docs/connect.md", []byte(text), 0o644))
	}
}

// The runtime for Python plays the published vectors, and every generated module is one, whose names can be read.
func TestPython(t *testing.T) {
	t.Parallel()
	run := func(dir string, args ...string) string {
		cmd := exec.Command("python3", args...)
		cmd.Dir = dir
		cmd.Env = append(os.Environ(), "PYTHONDONTWRITEBYTECODE=1")
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
		return string(out)
	}
	assert.Contains(t, run("python", "-W", "error", "-m", "unittest", "test_alluvion"), "OK")
	for name, text := range plans {
		dir := t.TempDir()
		module := ""
		for _, f := range written(t, text, "python") {
			require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Text, 0o600))
			module = strings.TrimSuffix(f.Name, ".py")
		}
		run(dir, "-W", "error", "-c", `
import alluvion, json, sys, typing
import `+module+` as made
machine = next(x for x in vars(made).values() if isinstance(x, type) and issubclass(x, alluvion.Machine) and x is not alluvion.Machine)
m = machine("ada", packed=False)
m.opened("alluvion.json.1")
assert json.loads(m.outgoing()[0])["plan"] == made.PLAN["layout"]["plan"]
def known(x, hints):
    for name, is_ in hints.items():
        value = getattr(x, name)
        if isinstance(value, typing.Mapping):
            for id in value:
                args = typing.get_args(is_)
                if value[id] is not None and args[1:]: known(value[id], typing.get_type_hints(args[1]))
        elif hasattr(is_, "__annotations__") and value is not None: known(value, typing.get_type_hints(is_))
known(m, typing.get_type_hints(machine))
known(m.me, typing.get_type_hints(made.Me))
`)
		if name == "clashing" {
			made, err := os.ReadFile(filepath.Join(dir, "values.py"))
			require.NoError(t, err)
			assert.Contains(t, string(made), `def move_(self, *, class_: int) -> Asked:`)
			assert.Contains(t, string(made), `return self.event("move", **{"class": class_})`)
		}
	}
}

// The runtime for Lua plays the published vectors in every Lua, and every generated chunk is one in each.
func TestLua(t *testing.T) {
	t.Parallel()
	for _, program := range []string{"lua5.1", "lua5.4", "luajit"} {
		t.Run(program, func(t *testing.T) {
			if _, err := exec.LookPath(program); err != nil && skipped("lua") {
				t.Skip(program + " is not installed, and SKIP_BINDINGS says that it may be missing")
			}
			run := func(dir string, args ...string) string {
				cmd := exec.Command(program, args...)
				cmd.Dir = dir
				out, err := cmd.CombinedOutput()
				require.NoError(t, err, "%s: make setup-languages installs it\n%s", program, out)
				return string(out)
			}
			assert.Contains(t, run("lua", "test_alluvion.lua"), "11 tests, all well")
			for name, text := range plans {
				dir := t.TempDir()
				chunk := ""
				for _, f := range written(t, text, "lua") {
					require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Text, 0o600))
					chunk = strings.TrimSuffix(f.Name, ".lua")
				}
				try := `
local made = require("` + chunk + `")
local m = made.new{player = "ada", packed = false}
m:opened("alluvion.json.1")
local hello = require("alluvion").parse(m:outgoing()[1].data)
assert(hello.is == "hello" and #hello.plan == 32)
assert(m.me.place == nil and m.me.dead == nil and m.scene == nil and next(made.world.scenes))`
				if name == "clashing" {
					try += "\nassert(m.me.id == 'ada' and m.me.id_ == nil and m.state_.red.open == nil)\nm.ask:move_{class = 1}"
				}
				require.NoError(t, os.WriteFile(filepath.Join(dir, "try.lua"), []byte(try), 0o600))
				run(dir, "try.lua")
			}
		})
	}
}

// The runtime for C++ plays the published vectors without doing anything that the language leaves open, and every generated
// header compiles without exceptions and run-time types.
func TestCpp(t *testing.T) {
	t.Parallel()
	if _, err := exec.LookPath("g++"); err != nil && skipped("cpp") {
		t.Skip("g++ is not installed, and SKIP_BINDINGS says that it may be missing")
	}
	dir := t.TempDir()
	run := func(dir, program string, args ...string) string {
		cmd := exec.Command(program, args...)
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "make setup-languages installs g++\n%s", out)
		return string(out)
	}
	test := filepath.Join(dir, "test")
	run("cpp", "g++", "-std=c++17", "-g", "-fsanitize=address,undefined", "-fno-sanitize-recover=undefined", "alluvion.cpp", "test_alluvion.cpp", "-o", test)
	assert.Contains(t, run("cpp", test), "all well")
	run("cpp", "g++", "-std=c++17", "-Wall", "-Wextra", "-Werror", "-fno-exceptions", "-fno-rtti", "-fsyntax-only", "alluvion.cpp")
	var all strings.Builder
	for _, text := range plans {
		for _, f := range written(t, text, "cpp") {
			require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Text, 0o600))
			if strings.HasSuffix(f.Name, ".hpp") {
				all.WriteString("#include \"" + f.Name + "\"\n")
			}
		}
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "all.cpp"), []byte(all.String()), 0o600))
	run(dir, "g++", "-std=c++17", "-Wall", "-Wextra", "-Werror", "-fno-exceptions", "-fno-rtti", "-fsyntax-only", "all.cpp")
}

// The runtime for C# plays the published vectors under Mono, and what is generated compiles with it as C# 7, without a warning.
func TestCsharp(t *testing.T) {
	t.Parallel()
	if _, err := exec.LookPath("mcs"); err != nil && skipped("csharp") {
		t.Skip("mcs is not installed, and SKIP_BINDINGS says that it may be missing")
	}
	dir := t.TempDir()
	run := func(dir, program string, args ...string) string {
		cmd := exec.Command(program, args...)
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "make setup-languages installs Mono\n%s", out)
		return string(out)
	}
	test := filepath.Join(dir, "test.exe")
	run("csharp", "mcs", "-langversion:7", "-warn:4", "-warnaserror", "-out:"+test, "Alluvion.cs", "TestAlluvion.cs")
	assert.Contains(t, run("csharp", "mono", test), "all well")
	for _, text := range plans {
		for _, f := range written(t, text, "csharp") {
			require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Text, 0o600))
		}
	}
	all, err := filepath.Glob(filepath.Join(dir, "*.cs"))
	require.NoError(t, err)
	run(dir, "mcs", append([]string{"-langversion:7", "-warn:4", "-warnaserror", "-target:library", "-out:all.dll"}, all...)...)
}

// skipped says whether a language's tools may be missing.
func skipped(language string) bool {
	return slices.Contains(strings.Split(os.Getenv("SKIP_BINDINGS"), ","), language)
}

// What is generated compiles under the strictest settings, for the games that we have, a plan of everything, and one
// whose names are the runtime's own; and what is committed as compiled is what the source comes to.
func TestTypeScriptCompiles(t *testing.T) {
	t.Parallel()
	web, err := filepath.Abs("../web")
	require.NoError(t, err)
	dir := t.TempDir()
	tsc := func(options string, files ...string) {
		config := filepath.Join(dir, "tsconfig.json")
		text := `{"compilerOptions": {"target": "ES2022", "module": "ESNext", "moduleResolution": "bundler", "lib": ["ES2022"], "types": [], "strict": true,
			"noUncheckedIndexedAccess": true, "noUnusedLocals": true, "noUnusedParameters": true, "isolatedModules": true, "erasableSyntaxOnly": true, ` + options + `}, "files": ["` +
			strings.Join(files, `", "`) + `"]}`
		require.NoError(t, os.WriteFile(config, []byte(text), 0o600))
		cmd := exec.Command(filepath.Join(web, "node_modules/.bin/tsc"), "-p", config)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	var all []string
	for name, text := range plans {
		for _, language := range []string{"typescript", "javascript"} {
			for _, f := range written(t, text, language) {
				path := filepath.Join(dir, name, language, f.Name)
				require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
				require.NoError(t, os.WriteFile(path, f.Text, 0o600))
				if strings.HasSuffix(path, "ts") {
					all = append(all, path)
				}
				if name != "clashing" || strings.HasPrefix(f.Name, "alluvion") {
					continue
				}
				text := string(f.Text)
				if strings.HasSuffix(f.Name, ".js") {
					assert.Contains(t, text, "names: { 'prop.state': 'state_', on: 'on_', 'player.id': 'id_', 'events.move': 'move_' }", f.Name)
					continue
				}
				assert.Contains(t, text, "class Values_ extends Machine")
				assert.Contains(t, text, "readonly id_: number")
				assert.Contains(t, text, "readonly state_: { readonly [id in StateId]: State }")
				assert.Contains(t, text, "move_(args: { /** 0 to 3. */ readonly class: number })")
			}
		}
	}
	tsc(`"noEmit": true`, all...)
	source, err := filepath.Abs("typescript/alluvion.ts")
	require.NoError(t, err)
	made := filepath.Join(dir, "made")
	tsc(`"declaration": true, "outDir": "`+made+`"`, source)
	for _, name := range []string{"alluvion.js", "alluvion.d.ts"} {
		is, err := os.ReadFile(filepath.Join("javascript", name))
		require.NoError(t, err)
		wanted, err := os.ReadFile(filepath.Join(made, name))
		require.NoError(t, err)
		if os.Getenv("UPDATE_GOLDEN") != "" {
			require.NoError(t, os.WriteFile(filepath.Join("javascript", name), wanted, 0o644))
			continue
		}
		assert.Equal(t, string(wanted), string(is), "UPDATE_GOLDEN=1 writes it anew")
	}
}

// What the demo's game is built with is what its plan gives.
func TestTheDemosGameHasTheBindingsOfItsPlan(t *testing.T) {
	t.Parallel()
	files, err := bindings.Files(load(t, string(examples.LanternPass)), "typescript")
	require.NoError(t, err)
	for _, f := range files {
		is, err := os.ReadFile(filepath.Join("../examples/lantern-pass/game/src", f.Name))
		require.NoError(t, err)
		assert.Equal(t, string(f.Text), string(is), "%s: alluvion bindings -for typescript -o examples/lantern-pass/game/src examples/lantern-pass/plan.yaml", f.Name)
	}
}

// Two names that come to the same are said, both.
func TestNamesThatClash(t *testing.T) {
	t.Parallel()
	m := load(t, strings.Replace(strings.ReplaceAll(clashing, "prop:state", "prop:on"), "props: {state:", "props: {on:", 1))
	_, err := bindings.Files(m, "typescript")
	assert.ErrorContains(t, err, "props.on and lists.on come to the same")
	_, err = bindings.Files(load(t, clashing), "typoscript")
	assert.ErrorContains(t, err, "there are no bindings for typoscript; there are for typescript, javascript, cpp, csharp, lua, python, go. Did you mean typescript?")
}
