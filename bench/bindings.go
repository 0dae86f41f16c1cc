package main

import (
	"encoding/hex"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"alluvion.dev/bindings"
	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/machine"
)

// decoded are the rows of games' own languages: how fast the bindings take frames of 1,000 players in.

const crowd = `
alluvion: 1
game: crowd
version: 1
space: {axes: [x, y], unit: metre, facings: [north, east, south, west]}
start: field/gate
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables: {oil: {of: player, type: int, min: 0, max: 40, start: 12, share: {with: scene}}}
scenes: {field: {size: [200, 200], spots: {gate: {at: [100, 100]}}}}
events: {burn: {from: self}}
rules: [{on: burn, do: [{add: player.oil, by: -1}]}]
saving: {when: [leave], every: 30s}
session: {players: 1001}
`

func crowded() *model.Model {
	m, _, found := check.Text([]byte(crowd), nil)
	if m == nil {
		panic(fmt.Sprint(found))
	}
	return m
}

// crowdFrames are what a machine is sent of 1,000 players who all move, as text and in bits: the whole view, and 60 frames.
func crowdFrames() (packed, text []string) {
	m := crowded()
	run := engine.Open(m, 1)
	board := share.NewBoard(run, share.LayoutOf(m))
	step := func(req engine.Request) {
		res, err := run.Step(&req)
		must(err)
		board.Note(res.Changes, req.Player)
	}
	for i := range 1000 {
		step(engine.Request{Do: "join", Player: fmt.Sprintf("walker_%d", i), Slot: 1})
	}
	since, sight := int64(share.Whole), share.Sight{}
	for tick := range 61 {
		now := int64(tick+1) * 100
		for i := range 1000 {
			if tick > 0 {
				step(engine.Request{At: now, Do: "move", Player: fmt.Sprintf("walker_%d", i), To: []fixed.Num{fixed.FromInt(int64(i % 199)), fixed.FromInt(int64((i/5 + tick) % 199))}, Facing: "north"})
			}
		}
		board.Tick(now)
		bits, _ := board.Frame(nil, share.Packed, "walker_0", since, share.Words{}, &sight)
		words, _ := board.Frame(nil, share.JSON, "walker_0", since, share.Words{}, &sight)
		packed, text = append(packed, hex.EncodeToString(bits)), append(text, string(words))
		since = board.Now()
	}
	return packed, text
}

func languages() []row {
	m := crowded()
	packed, text := crowdFrames()
	dir, err := os.MkdirTemp("", "alluvion-bench-")
	must(err)
	defer func() { _ = os.RemoveAll(dir) }()
	put := func(name string, raw []byte) { must(os.WriteFile(filepath.Join(dir, name), raw, 0o600)) }
	put("packed.txt", []byte(strings.Join(packed, "\n")))
	put("text.txt", []byte(strings.Join(text, "\n")))
	layout, err := json.Marshal(share.LayoutOf(m))
	must(err)
	welcome, err := json.Marshal(map[string]any{"is": "welcome", "player": "walker_0", "game": "crowd", "session": "one", "version": 1, "plan": share.LayoutOf(m).Plan, "run": "r", "ticks": 10, "grace": 45, "number": 0, "resumed": false, "tick": 0})
	must(err)
	put("welcome.txt", welcome)
	put("layout.json", layout)
	rows := []row{decodedHere(machine.Plan{Layout: string(layout)}, welcome, packed, text)}
	for _, l := range []struct {
		name, language, program string
		build                   []string
		run                     []string
	}{
		{"JavaScript (Node)", "javascript", "decode.mjs", nil, []string{"node", "decode.mjs"}},
		{"C++", "cpp", "decode.cpp", []string{"g++", "-std=c++17", "-O2", "alluvion.cpp", "decode.cpp", "-o", "decode"}, []string{"./decode"}},
		{"C# (Mono)", "csharp", "Decode.cs", []string{"mcs", "-optimize+", "-langversion:7", "-out:decode.exe", "Alluvion.cs", "Crowd.cs", "Decode.cs"}, []string{"mono", "decode.exe"}},
		{"LuaJIT", "lua", "decode.lua", nil, []string{"luajit", "decode.lua"}},
		{"Lua 5.4", "lua", "decode.lua", nil, []string{"lua5.4", "decode.lua"}},
		{"Python", "python", "decode.py", nil, []string{"python3", "decode.py"}},
	} {
		if _, err := exec.LookPath(l.run[0]); err != nil && l.build == nil {
			continue
		}
		files, err := bindings.Files(m, l.language)
		must(err)
		for _, f := range files {
			put(f.Name, f.Text)
		}
		program, err := os.ReadFile(filepath.Join("bench/testdata", l.program))
		must(err)
		put(l.program, program)
		for _, args := range [][]string{l.build, l.run} {
			if args == nil {
				continue
			}
			cmd := exec.Command(args[0], args[1:]...)
			cmd.Dir, cmd.Stderr = dir, os.Stderr
			out, err := cmd.Output()
			must(err)
			if figures := strings.Fields(string(out)); len(figures) == 2 { // milliseconds a frame: ours in bits, and the language's JSON
				ours, err1 := strconv.ParseFloat(figures[0], 64)
				peer, err2 := strconv.ParseFloat(figures[1], 64)
				must(err1)
				must(err2)
				rows = append(rows, decoding(l.name, ours, peer))
			}
		}
	}
	return rows
}

// decoding is the row of a language; both figures are milliseconds a frame.
func decoding(language string, ours, peer float64) row {
	return row{"bindings for " + language + ": a frame of 1,000 players who move, in bits, against parsing its text as JSON",
		fmt.Sprintf("%.2f ms, %.0f/s", ours, 1000/ours), fmt.Sprintf("%.2f ms", peer), fmt.Sprintf("%.2f", ours/peer), "–"}
}

// decodedHere is the row of Go, which needs no other program.
func decodedHere(plan machine.Plan, welcome []byte, packed, text []string) row {
	m := machine.New(plan, machine.Joining{Player: "walker_0", NoChecks: true})
	frames := make([][]byte, len(packed))
	for i, x := range packed {
		raw, err := hex.DecodeString(x)
		must(err)
		frames[i] = raw
	}
	each := func(many int, of func()) float64 {
		began := time.Now()
		for range many {
			of()
		}
		return time.Since(began).Seconds() * 1000 / float64(many) / float64(len(packed)-1)
	}
	ours := each(5, func() {
		m.Opened(m.Protocols()[1])
		m.Outgoing()
		m.Received(welcome, true, 0)
		for i, x := range frames {
			m.Received(x, false, time.Duration(i)*100*time.Millisecond)
		}
	})
	if len(m.Others()) != 1000 {
		panic("the machine does not know everybody")
	}
	peer := each(5, func() {
		for _, x := range text {
			var view any
			must(json.Unmarshal([]byte(x), &view))
		}
	})
	return decoding("Go", ours, peer)
}
