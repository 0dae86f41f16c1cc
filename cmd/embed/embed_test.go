//go:build !js

package main_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/bindings"
	"alluvion.dev/core/check"
	"alluvion.dev/core/compiled"
	"alluvion.dev/examples"
)

func run(t *testing.T, env []string, program string, args ...string) string {
	cmd := exec.Command(program, args...)
	cmd.Env = append(os.Environ(), env...)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s %s\n%s", program, strings.Join(args, " "), out)
	return string(out)
}

// The C library, with the example in C: what it did is there when it is played again.
func TestTheLibraryForC(t *testing.T) {
	dir := t.TempDir()
	run(t, nil, "go", "build", "-buildmode=c-shared", "-o", filepath.Join(dir, "liballuvion.so"), ".")
	courier := filepath.Join(dir, "courier")
	run(t, nil, "gcc", "-Wall", "-Wextra", "-Werror", "-Wno-unused-result", "-I", ".", "../../examples/lantern-pass/offline/courier.c", "-L"+dir, "-lalluvion", "-o", courier)
	commons, err := json.Marshal(map[string]string{"courier-guild": string(examples.CourierGuild)})
	require.NoError(t, err)
	texts, kept := filepath.Join(dir, "commons.json"), filepath.Join(dir, "courier.save")
	require.NoError(t, os.WriteFile(texts, commons, 0o600))
	for _, parcels := range []string{"parcels: 1", "parcels: 2"} {
		out := run(t, []string{"LD_LIBRARY_PATH=" + dir}, courier, "../../examples/lantern-pass/plan.yaml", texts, kept)
		assert.Contains(t, out, parcels)
		assert.Contains(t, out, `"is":"refused","kind":"refused","why":"nell is not in gorge`)
		assert.Contains(t, out, `{"is":"saved","moment":"every"}`)
		assert.True(t, strings.HasSuffix(strings.TrimSpace(out), "ended: 1000"), out)
	}
	save, err := os.ReadFile(kept)
	require.NoError(t, err)
	require.Contains(t, string(save), `"oil":`)
	require.NoError(t, os.WriteFile(kept, regexp.MustCompile(`"oil":\d+`).ReplaceAll(save, []byte(`"oil":4000`)), 0o600))
	out := run(t, []string{"LD_LIBRARY_PATH=" + dir}, courier, "../../examples/lantern-pass/plan.yaml", texts, kept)
	assert.Contains(t, out, `not as the plan has it: [{"name":"player.oil","reason":"4000 is `)
	require.NoError(t, os.WriteFile(kept, []byte("nonsense"), 0o600))
	cmd := exec.Command(courier, "../../examples/lantern-pass/plan.yaml", texts, kept)
	cmd.Env = append(os.Environ(), "LD_LIBRARY_PATH="+dir)
	said, err := cmd.CombinedOutput()
	assert.Error(t, err)
	assert.Contains(t, string(said), "this is nothing that was saved offline")
}

func compile(t *testing.T, plan []byte) []byte {
	m, _, found := check.Text(plan, examples.Commons)
	require.NotNil(t, m, "%v", found)
	raw, err := compiled.Write(m, examples.Commons)
	require.NoError(t, err)
	return raw
}

// Without the readers of YAML and expressions, WebAssembly runs every plan of the examples that was compiled, and no other.
func TestSmallWebAssembly(t *testing.T) {
	dir := t.TempDir()
	run(t, []string{"GOOS=js", "GOARCH=wasm"}, "go", "build", "-tags", "compiled", "-trimpath", "-gcflags=all=-l", "-ldflags=-s -w", "-o", filepath.Join(dir, "alluvion.wasm"), ".")
	info, err := os.Stat(filepath.Join(dir, "alluvion.wasm"))
	require.NoError(t, err)
	assert.Less(t, info.Size(), int64(11_500_000), "something links a reader again, or much more than before")
	for name, plan := range map[string][]byte{"lantern-pass": examples.LanternPass, "harbour": examples.Harbour, "lantern-market": examples.LanternMarket} {
		raw := compile(t, plan)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name+".compiled.json"), raw, 0o600))
	}
	root := strings.TrimSpace(run(t, nil, "go", "env", "GOROOT"))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "open.mjs"), []byte(`
import { readFileSync, readdirSync } from 'node:fs'
import '`+root+`/lib/wasm/wasm_exec.js'

const go = new Go()
const { instance } = await WebAssembly.instantiate(readFileSync('`+dir+`/alluvion.wasm'), go.importObject)
go.run(instance)
for (const name of readdirSync('`+dir+`').filter((name) => name.endsWith('.compiled.json')).sort()) {
  const s = alluvionOpen(readFileSync('`+dir+`/' + name, 'utf8'), {}, null, 7)
  if (s.error) throw new Error(s.error)
  console.log(name, s.connect(JSON.parse(s.layout).near ? 'alluvion.json.2' : 'alluvion.json.1') ?? 'connected')
  s.received('{"is":"hello","player":"nell"}', 1000)
  s.advance(2000)
  console.log(s.outgoing().map((x) => JSON.parse(x).is).join())
}
console.log(alluvionOpen(readFileSync('../../examples/lantern-pass/plan.yaml', 'utf8'), {}, null, 0).error)
process.exit(0)
`), 0o600))
	out := run(t, nil, "node", filepath.Join(dir, "open.mjs"))
	assert.Equal(t, 3, strings.Count(out, "welcome,tick"), out)
	assert.Contains(t, out, "This program was built for compiled plans (alluvion compile) and reads no others.")
}

// WebAssembly for WASI: numbers in, texts in the module's memory; played, saved, handed over, and opened again.
func TestWASI(t *testing.T) {
	dir := t.TempDir()
	run(t, []string{"GOOS=wasip1", "GOARCH=wasm"}, "go", "build", "-buildmode=c-shared", "-tags", "compiled", "-o", filepath.Join(dir, "alluvion.wasm"), ".")
	raw := compile(t, examples.LanternPass)
	plan := filepath.Join(dir, "plan.json")
	require.NoError(t, os.WriteFile(plan, raw, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "play.mjs"), []byte(`
import { readFileSync } from 'node:fs'
import { WASI } from 'node:wasi'

const wasi = new WASI({ version: 'preview1' })
const { instance } = await WebAssembly.instantiate(readFileSync('`+dir+`/alluvion.wasm'), wasi.getImportObject())
wasi.initialize(instance)
const a = instance.exports
const put = (text) => {
  const raw = new TextEncoder().encode(text)
  const at = a.alluvion_buffer(raw.length)
  new Uint8Array(a.memory.buffer, at, raw.length).set(raw)
  return raw.length
}
const answer = () => new TextDecoder().decode(new Uint8Array(a.memory.buffer, a.alluvion_answer(), a.alluvion_size()))
const open = (what) => a.alluvion_open(put(typeof what === 'string' ? what : JSON.stringify(what)))
const plan = readFileSync('`+plan+`', 'utf8')
let now = 0n
let saved = ''
for (let round = 0; round < 2; round++) {
  const s = open({ plan, saved, seed: 7 })
  if (s === 0n) throw new Error(answer())
  a.alluvion_today(s, BigInt(Date.now()))
  a.alluvion_problems(s)
  console.log('problems', answer())
  if (a.alluvion_connect(s, put('alluvion.none'))) throw new Error('connected')
  console.log(answer())
  if (!a.alluvion_connect(s, put('alluvion.json.1'))) throw new Error(answer())
  for (const m of [{ is: 'hello', player: 'nell' }, { is: 'event', name: 'load', number: 5 + round }, { is: 'pass', name: 'rope_bridge' }]) {
    a.alluvion_received(s, put(JSON.stringify(m)), now += 100n)
    a.alluvion_advance(s, now += 100n)
    while (a.alluvion_next(s) === 1) {
      const said = JSON.parse(answer())
      console.log(said.is, said.why ?? '', /"player.parcels@nell":(\d)/.exec(answer())?.[1] ?? '')
    }
  }
  console.log('unsaved', a.alluvion_unsaved(s), 'number', a.alluvion_save(s))
  a.alluvion_handed_over(s, 1, 4)
  console.log('number', a.alluvion_save(s))
  saved = answer()
  a.alluvion_stored(s, 5n)
  a.alluvion_disconnect(s)
  a.alluvion_close(s)
  console.log(saved.includes('"base":{"slot":1,"revision":4}'), a.alluvion_next(s), a.alluvion_layout(s))
}
console.log(open('{'), answer())
console.log(open({ plan: 'alluvion: 1' }), answer())
console.log(a.alluvion_buffer(1 << 25))
`), 0o600))
	out := run(t, []string{"NODE_NO_WARNINGS=1"}, "node", filepath.Join(dir, "play.mjs"))
	assert.Equal(t, 2, strings.Count(out, "problems []\n"), out)
	assert.Equal(t, 2, strings.Count(out, `"alluvion.none" is no protocol of this plan`))
	assert.Contains(t, out, "tick  1\n")
	assert.Contains(t, out, "tick  2\n")
	assert.Equal(t, 2, strings.Count(out, "refused nell is not in gorge"), out)
	assert.Contains(t, out, "unsaved 1 number 5n\n")
	assert.Contains(t, out, "number 6n\n")
	assert.Equal(t, 2, strings.Count(out, "true 0 0\n"), out)
	assert.Contains(t, out, "0n what is to be opened is no JSON object of plan, commons, saved and seed")
	assert.Contains(t, out, "0n the plan cannot run: line 1: This program was built for compiled plans")
	assert.True(t, strings.HasSuffix(out, "\n0\n"))
}

// WebAssembly in Node: a machine of the bindings plays with it, in bits and in text.
func TestWebAssembly(t *testing.T) {
	dir := t.TempDir()
	run(t, []string{"GOOS=js", "GOARCH=wasm"}, "go", "build", "-o", filepath.Join(dir, "alluvion.wasm"), ".")
	root := strings.TrimSpace(run(t, nil, "go", "env", "GOROOT"))
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%v", found)
	files, err := bindings.Files(m, "javascript")
	require.NoError(t, err)
	for _, f := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Text, 0o600))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "package.json"), []byte(`{"type": "module"}`), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "play.js"), []byte(`
import { readFileSync } from 'node:fs'
import '`+root+`/lib/wasm/wasm_exec.js'
import { LanternPass } from './lantern-pass.js'

const go = new Go()
const { instance } = await WebAssembly.instantiate(readFileSync('`+dir+`/alluvion.wasm'), go.importObject)
go.run(instance)
const [plan, guild] = process.argv.slice(2).map((name) => readFileSync(name, 'utf8'))
let saved = null
for (const packed of [true, false]) {
  const s = alluvionOpen(plan, { 'courier-guild': guild }, saved, 7)
  const m = new LanternPass({ player: 'nell', packed })
  m.onTrouble((t) => { throw new Error(JSON.stringify(t)) })
  let now = 0
  s.today(Date.now())
  const pump = () => {
    for (let out = m.outgoing(); out.length > 0; out = m.outgoing()) for (const x of out) s.received(x, now += 10)
    for (const x of s.outgoing()) m.received(x, now / 1000)
    if (s.ended()) m.lost(s.ended(), now / 1000)
  }
  if (s.connect(m.protocols[1])) throw new Error(s.connect(m.protocols[1]))
  m.opened(m.protocols[1])
  pump()
  const asked = [m.ask.load(), m.ask.pass('rope_bridge')]
  pump()
  s.advance(now += 200)
  pump()
  const came = (await Promise.all(asked)).map((o) => o.is)
  const is = s.save()
  saved = is.saved
  const kept = m.saved(is.number)
  s.stored(is.number)
  pump()
  console.log(m.state, m.scene.id, m.self.parcels, m.self.visits, came.join(), await kept)
  if (packed) {
    s.handedOver(2, 9)
    saved = s.save().saved
    if (!saved.includes('"base":{"slot":2,"revision":9}')) throw new Error(saved)
  }
  const left = m.ask.leave()
  pump()
  console.log((await left).is, m.state, s.unsaved())
}
console.log(alluvionOpen('alluvion: 1', {}, null, 0).error)
process.exit(0)
`), 0o600))
	out := run(t, nil, "node", filepath.Join(dir, "play.js"), "../../examples/lantern-pass/plan.yaml", "../../examples/courier-guild.yaml")
	assert.Contains(t, out, "in lodge 1 1 applied,refused true\napplied ended true\n")
	assert.Contains(t, out, "in lodge 2 2 applied,refused true\napplied ended true\n")
	assert.Contains(t, out, "the plan cannot run: line 1:")
}
