package service_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/bindings"
	"alluvion.dev/client/crowd"
	"alluvion.dev/core/check"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
)

// bound writes the bindings of Lantern Pass for a language.
func bound(t *testing.T, language string) (folder string) {
	folder = t.TempDir()
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%v", found)
	files, err := bindings.Files(m, language)
	require.NoError(t, err)
	for _, f := range files {
		require.NoError(t, os.WriteFile(filepath.Join(folder, f.Name), f.Text, 0o600))
	}
	return folder
}

// followed is what a machine in another language says of how it went.
type followed struct {
	Frames, Callbacks, Drawn, Beliefs, Backwards, Unsaved, Pending, Players int
	Told, Outcomes, Troubles                                                map[string]int
	States                                                                  []string
	Scene, Left                                                             string
	End                                                                     struct{ Code int }
	UnknownToo                                                              struct{ Is, Kind string }
}

// A machine that plays by the bindings loses its connection now and then, and believes what the service says all the
// time, with others beside it who walk and lose theirs.
func TestMachinesThatPlayByTheirBindings(t *testing.T) {
	path := func(p string) string {
		p, err := filepath.Abs(p)
		require.NoError(t, err)
		return p
	}
	languages := map[string]struct{ program, script, socket string }{
		"javascript": {"node", "testdata/follow.mjs", path("../web/node_modules/ws")},
		"python":     {"python3", "testdata/follow.py", path("../examples/lantern-pass/bots")},
	}
	for _, name := range []string{"javascript, packed", "javascript, text", "python, packed", "python, text"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			h := start(t)
			language, form, _ := strings.Cut(name, ", ")
			l := languages[language]
			lasts := livesFor(9 * time.Second)
			seconds, others := fmt.Sprint(lasts.Seconds()), h.beside(lasts-time.Second)
			c, cancel := context.WithTimeout(ctx, lasts+2*time.Minute)
			defer cancel()
			cmd := exec.CommandContext(c, l.program, l.script, bound(t, language), h.s.URL(), "winter", "nell", form, seconds, l.socket)
			cmd.Stderr = os.Stderr
			raw, err := cmd.Output()
			require.NoError(t, err, "%s", raw)
			var is followed
			require.NoError(t, json.Unmarshal(raw, &is), "%s", raw)
			t.Logf("%s", raw)
			<-others
			is.wentWell(t)
			assert.Positive(t, is.Beliefs)
			played(t, &is, lasts)
		})
	}
}

// livesFor is how long a machine plays: for as long as LIVE_FOR says, to try it for longer.
func livesFor(short time.Duration) time.Duration {
	if long, err := time.ParseDuration(os.Getenv("LIVE_FOR")); err == nil {
		return long
	}
	return short
}

// beside lets others play for a while, and tells when they have.
func (h *house) beside(lasts time.Duration) <-chan crowd.Report {
	others := make(chan crowd.Report, 1)
	go func() {
		r, err := crowd.Run(ctx, h.c, crowd.Config{Game: "lantern-pass", Session: "winter", Players: 6, Dropping: 2, For: lasts}, nil)
		assert.NoError(h.t, err)
		others <- r
	}()
	return others
}

// played says how long a machine has played, where that was asked for.
func played(t *testing.T, is *followed, lasts time.Duration) {
	if os.Getenv("LIVE_FOR") != "" {
		t.Logf("%s: %d frames, %d beliefs, outcomes %v, troubles %v", lasts, is.Frames, is.Beliefs, is.Outcomes, is.Troubles)
	}
}

// wentWell holds what a machine says of how it went against what it did.
func (is *followed) wentWell(t *testing.T) {
	assert.Empty(t, is.Troubles) // nor did the service find that it believed something else
	assert.Greater(t, is.Frames, 20)
	assert.Greater(t, is.Callbacks, 20)
	assert.Greater(t, is.Drawn, 20)
	assert.Zero(t, is.Backwards)
	assert.Zero(t, is.Unsaved)
	assert.Zero(t, is.Pending)
	assert.Contains(t, is.States, "lost")
	assert.Greater(t, is.Outcomes["applied"], 10)
	assert.Positive(t, is.Outcomes["refused"]) // the cache is in another scene
	assert.Zero(t, is.Outcomes["too-many"])
	assert.Equal(t, "lodge", is.Scene)
	assert.Equal(t, "applied", is.Left)
	assert.Equal(t, 1000, is.End.Code)
	assert.Equal(t, "ended", is.UnknownToo.Kind)
}

// A machine in a language that has no socket is played by handing its messages on.
func TestAMachineWithoutASocket(t *testing.T) {
	for _, name := range []string{"lua5.1, packed", "lua5.4, text", "luajit, packed", "g++, packed", "g++, text", "mcs, packed", "mcs, text"} {
		t.Run(name, func(t *testing.T) {
			program, form, _ := strings.Cut(name, ", ")
			if _, err := exec.LookPath(program); err != nil && os.Getenv("SKIP_BINDINGS") != "" {
				t.Skip(program + " is not installed, and SKIP_BINDINGS says that it may be missing")
			}
			t.Parallel()
			cmd := exec.Command(program, "testdata/follow.lua", "", "nell", form)
			switch program {
			case "mcs":
				dir := bound(t, "csharp")
				out, err := exec.Command("mcs", "-langversion:7", "-out:"+filepath.Join(dir, "follow.exe"), filepath.Join(dir, "Alluvion.cs"), filepath.Join(dir, "LanternPass.cs"), "testdata/Follow.cs").CombinedOutput()
				require.NoError(t, err, "%s", out)
				cmd = exec.Command("mono", filepath.Join(dir, "follow.exe"), "nell", form)
			case "g++":
				dir := bound(t, "cpp")
				out, err := exec.Command("g++", "-std=c++17", "-I", dir, filepath.Join(dir, "alluvion.cpp"), "testdata/follow.cpp", "-o", filepath.Join(dir, "follow")).CombinedOutput()
				require.NoError(t, err, "%s", out)
				cmd = exec.Command(filepath.Join(dir, "follow"), "nell", form)
			default:
				cmd.Args[2] = bound(t, "lua")
			}
			h := start(t)
			p, asked := piping(t, cmd), !strings.HasPrefix(program, "lua") // Lua is not asked what it believes: nobody gave it a digest
			lasts := livesFor(12 * time.Second)
			if lasts > time.Minute { // with others beside it, as long as it plays
				others := h.beside(lasts)
				defer func() { <-others }()
			}
			const turn = 50 * time.Millisecond
			turns := int(lasts / 4 / turn)
			protocols := map[string]string{"packed": wire.SubPacked, "text": wire.SubJSON}
			for leg := range 4 { // the connection is lost three times
				p.connect(h.s.URL(), protocols[form])
				for i := 0; i < turns || leg == 3 && asked && !p.believed && i < turns+340; i++ {
					p.listen(turn)
					p.say(fmt.Sprintf("step %.3f", time.Since(p.began).Seconds()))
				}
				if leg < 3 {
					_ = p.conn.CloseNow()
					p.say("lost 1006")
					assert.Equal(t, "lost", p.state)
				}
			}
			p.say("leave")
			for p.closed == 0 {
				p.listen(50 * time.Millisecond)
			}
			p.say(fmt.Sprintf("lost %d", p.closed))
			_, err := fmt.Fprintln(p.in, "end")
			require.NoError(t, err)
			require.True(t, p.lines.Scan())
			var is followed
			require.NoError(t, json.Unmarshal(p.lines.Bytes(), &is), "%s", p.lines.Text())
			t.Logf("%s", p.lines.Text())
			is.wentWell(t)
			assert.Equal(t, asked, is.Beliefs > 0)
			played(t, &is, lasts)
			require.NoError(t, cmd.Wait())
		})
	}
}

// piped is a program that has a machine, and a connection for it.
type piped struct {
	t        *testing.T
	in       io.Writer
	lines    *bufio.Scanner
	conn     *websocket.Conn
	messages chan []byte
	ended    chan int
	closed   int
	state    string
	believed bool // it said what it believes
	began    time.Time
	words    []string // what the program says besides
}

// piping starts a program that has a machine.
func piping(t *testing.T, cmd *exec.Cmd) *piped {
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	cmd.Stderr = os.Stderr
	require.NoError(t, cmd.Start(), "make setup-languages installs what is missing")
	p := &piped{t: t, in: in, lines: bufio.NewScanner(out), began: time.Now()}
	p.lines.Buffer(nil, 4<<20)
	return p
}

// connect opens a connection and tells the program.
func (p *piped) connect(url, protocol string) {
	conn, _, err := websocket.Dial(ctx, url+"/v1/games/lantern-pass/sessions/winter/live", &websocket.DialOptions{Subprotocols: []string{protocol}})
	require.NoError(p.t, err)
	conn.SetReadLimit(1 << 20)
	messages, ended := make(chan []byte, 1000), make(chan int, 1)
	go func() {
		for {
			_, raw, err := conn.Read(ctx)
			if err != nil {
				ended <- int(websocket.CloseStatus(err))
				return
			}
			messages <- raw
		}
	}()
	p.conn, p.messages, p.ended = conn, messages, ended
	p.say("open " + protocol)
}

// listen hands on what comes in for a while.
func (p *piped) listen(long time.Duration) {
	for until := time.After(long); ; {
		select {
		case raw := <-p.messages:
			p.say(fmt.Sprintf("data %x", raw))
		case p.closed = <-p.ended:
			return
		case <-until:
			return
		}
	}
}

// say tells the program something, and sends what it wants to be sent.
func (p *piped) say(line string) {
	_, err := fmt.Fprintln(p.in, line)
	require.NoError(p.t, err)
	for p.lines.Scan() {
		what, rest, _ := strings.Cut(p.lines.Text(), " ")
		if what == "." {
			p.state, _, _ = strings.Cut(rest, " ")
			return
		}
		if what != "text" && what != "bytes" {
			p.words = append(p.words, p.lines.Text())
			continue
		}
		raw, err := hex.DecodeString(rest)
		require.NoError(p.t, err)
		kind := websocket.MessageText
		if what == "bytes" {
			kind = websocket.MessageBinary
		}
		p.believed = p.believed || bytes.Contains(raw, []byte(`"is":"belief"`))
		_ = p.conn.Write(ctx, kind, raw) // which may be gone by now
	}
	require.Fail(p.t, "the program has ended", line)
}

// The bots of the example walk, carry and light as the plan lets them, and are told of it.
func TestTheBotsOfTheExample(t *testing.T) {
	t.Parallel() // it waits for the most part
	for language, programs := range map[string][]string{"lua": {"lua5.4", "lua5.1", "luajit"}, "python": {"python3"}} {
		for _, program := range programs {
			t.Run(program, func(t *testing.T) {
				if _, err := exec.LookPath(program); err != nil && os.Getenv("SKIP_BINDINGS") != "" {
					t.Skip(program + " is not installed, and SKIP_BINDINGS says that it may be missing")
				}
				h := start(t)
				dir := bound(t, language)
				ending := map[string]string{"lua": ".lua", "python": ".py"}[language]
				for _, name := range []string{"bot", "line"} {
					text, err := os.ReadFile("../examples/lantern-pass/bots/" + name + ending)
					require.NoError(t, err)
					require.NoError(t, os.WriteFile(filepath.Join(dir, name+ending), text, 0o600))
				}
				c, cancel := context.WithTimeout(ctx, time.Minute)
				defer cancel()
				cmd := exec.CommandContext(c, program, "bot"+ending, h.s.URL(), "winter", "rook", "40")
				cmd.Dir, cmd.Env = dir, append(os.Environ(), "PYTHONUNBUFFERED=1")
				var out bytes.Buffer
				cmd.Stdout, cmd.Stderr = &out, &out
				require.NoError(t, cmd.Start())
				carries := func() bool {
					view, err := h.c.Player(ctx, "lantern-pass", "rook", 1)
					if err != nil {
						return false
					}
					for _, x := range view.Values {
						if x.Name == "place" && view.Present {
							return strings.Contains(x.Live.Plain(), "gorge")
						}
					}
					return false
				}
				if !assert.Eventually(t, carries, 30*time.Second, 100*time.Millisecond, "it walks into the gorge") {
					t.Log(out.String())
				}
				_ = cmd.Process.Kill()
				_ = cmd.Wait()
				assert.Contains(t, out.String(), "in\n")
				assert.NotContains(t, out.String(), "traceback")
				assert.NotContains(t, out.String(), "Traceback")
			})
		}
	}
}

// The programs of docs/connect.md, as they stand there.
func TestTheProgramsOfThePageOnConnecting(t *testing.T) {
	t.Parallel() // it waits for the most part
	page, err := os.ReadFile("../docs/connect.md")
	require.NoError(t, err)
	program := func(language, name string) string {
		_, rest, found := strings.Cut(string(page), "```"+language+"\n")
		require.True(t, found, language)
		text, _, _ := strings.Cut(rest, "\n```")
		require.Contains(t, text, name)
		return text
	}
	for _, one := range []struct{ language, block, file, run string }{
		{"javascript", "js", "walk.mjs", "node"},
		{"python", "python", "walk.py", "python3"},
	} {
		t.Run(one.language, func(t *testing.T) {
			h := start(t)
			dir := bound(t, one.language)
			require.NoError(t, os.WriteFile(filepath.Join(dir, one.file), []byte(program(one.block, one.file)), 0o600))
			for from, to := range map[string]string{"../web/node_modules/ws": "node_modules/ws", "../examples/lantern-pass/bots/line.py": "line.py"} {
				from, err := filepath.Abs(from)
				require.NoError(t, err)
				require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, to)), 0o755))
				require.NoError(t, os.Symlink(from, filepath.Join(dir, to)))
			}
			require.NoError(t, os.WriteFile(filepath.Join(dir, "package.json"), []byte(`{"type": "module"}`), 0o600))
			c, cancel := context.WithTimeout(ctx, time.Minute)
			defer cancel()
			cmd := exec.CommandContext(c, one.run, one.file, h.s.URL(), "winter", "nell")
			cmd.Dir = dir
			out, err := cmd.CombinedOutput()
			require.NoError(t, err, "%s", out)
			said := strings.Split(strings.TrimSpace(string(out)), "\n")
			require.Len(t, said, 3, "%s", out)
			assert.Contains(t, said[0], "I am in lodge at ")
			assert.Contains(t, said[0], "with 12 oil.")
			assert.Contains(t, said[1], "is not here")
			assert.Contains(t, said[2], "21")
		})
	}
	t.Run("go", func(t *testing.T) {
		h := start(t)
		made := bound(t, "go")
		require.NoError(t, os.MkdirAll("testdata/made", 0o755))
		dir, err := os.MkdirTemp("testdata/made", "walk")
		require.NoError(t, err)
		t.Cleanup(func() { _ = os.RemoveAll(dir) })
		require.NoError(t, os.Mkdir(filepath.Join(dir, "my-game"), 0o755))
		file, err := os.ReadFile(filepath.Join(made, "lantern_pass.go"))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, "my-game", "lantern_pass.go"), file, 0o600))
		text := strings.Replace(program("go", "walk.go"), `"walk/my-game"`, `"alluvion.dev/service/`+filepath.ToSlash(dir)+`/my-game"`, 1)
		require.NoError(t, os.WriteFile(filepath.Join(dir, "walk.go"), []byte(text), 0o600))
		out, err := exec.Command("go", "run", "./"+filepath.ToSlash(dir), h.s.URL(), "winter", "nell").CombinedOutput()
		require.NoError(t, err, "%s", out)
		said := strings.Split(strings.TrimSpace(string(out)), "\n")
		require.Len(t, said, 3, "%s", out)
		assert.Equal(t, "I am in lodge at [20 12], with 12 oil.", said[0])
		assert.Contains(t, said[1], "is not here")
		assert.Equal(t, "Now at [21 12]", said[2])
	})
	walks := func(t *testing.T, cmd *exec.Cmd, h *house) {
		p := piping(t, cmd)
		p.connect(h.s.URL(), wire.SubPacked)
		for p.closed == 0 {
			p.listen(50 * time.Millisecond)
			p.say("step")
		}
		p.say(fmt.Sprintf("lost %d", p.closed))
		_, err := fmt.Fprintln(p.in, "end")
		require.NoError(t, err)
		assert.Equal(t, []string{"I am in lodge, with 12 oil.", "cache.under_ledge is not here."}, p.words)
	}
	builds := func(t *testing.T, dir, program string, args ...string) {
		build := exec.Command(program, args...)
		build.Dir = dir
		out, err := build.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	t.Run("csharp", func(t *testing.T) {
		h := start(t)
		dir := bound(t, "csharp")
		engine := program("csharp", "Walk.cs") + `
public static class Engine
{
    public static void Main()
    {
        Walk.Begin();
        for (string line; (line = Console.ReadLine()) != null;)
        {
            string what = line.Split(' ')[0], rest = line.Substring(Math.Min(line.Length, what.Length + 1));
            if (what == "end") return;
            if (what == "open") Walk.Connected(rest);
            if (what == "lost") Walk.Closed(int.Parse(rest), 1);
            if (what == "data")
            {
                var data = Enumerable.Range(0, rest.Length / 2).Select(i => Convert.ToByte(rest.Substring(i * 2, 2), 16)).ToArray();
                if (data[0] < 4) Walk.Message(data, 1);
                else Walk.Message(System.Text.Encoding.UTF8.GetString(data), 1);
            }
            Walk.Frame(1, (text, bytes) => Console.WriteLine((text == null ? "bytes " : "text ") + BitConverter.ToString(bytes ?? System.Text.Encoding.UTF8.GetBytes(text)).Replace("-", "").ToLowerInvariant()));
            Console.WriteLine(". .");
        }
    }
}`
		require.NoError(t, os.WriteFile(filepath.Join(dir, "Walk.cs"), []byte(engine), 0o600))
		builds(t, dir, "mcs", "-langversion:7", "-out:walk.exe", "Alluvion.cs", "LanternPass.cs", "Walk.cs")
		walks(t, exec.Command("mono", filepath.Join(dir, "walk.exe")), h)
	})
	t.Run("cpp", func(t *testing.T) {
		h := start(t)
		dir := bound(t, "cpp")
		engine := program("cpp", "walk.cpp") + `
#include <iostream>
int main() {
  begin();
  std::string told;
  for (std::string line; std::getline(std::cin, line);) {
    const std::string what = line.substr(0, line.find(' ')), rest = line.find(' ') == std::string::npos ? "" : line.substr(line.find(' ') + 1);
    if (what == "open") connected(rest.c_str());
    std::string data;
    for (std::size_t i = 0; what == "data" && i + 1 < rest.size(); i += 2) data.push_back(static_cast<char>(std::stoi(rest.substr(i, 2), nullptr, 16)));
    if (what == "data") message(data, 1);
    if (what == "lost") closed(std::stoi(rest), 1);
    if (what == "end") return 0;
    frame(1, [](const std::string &out, bool binary) {
      std::printf(binary ? "bytes " : "text ");
      for (char c : out) std::printf("%02x", static_cast<unsigned char>(c));
      std::puts("");
    });
    std::puts(". .");
    std::fflush(stdout);
  }
}`
		require.NoError(t, os.WriteFile(filepath.Join(dir, "walk.cpp"), []byte(engine), 0o600))
		builds(t, dir, "g++", "-std=c++17", "-Wall", "-Wextra", "-Werror", "alluvion.cpp", "walk.cpp", "-o", "walk")
		walks(t, exec.Command(filepath.Join(dir, "walk")), h)
	})
	t.Run("lua", func(t *testing.T) {
		h := start(t)
		dir := bound(t, "lua")
		require.NoError(t, os.WriteFile(filepath.Join(dir, "walk.lua"), []byte(program("lua", "walk.lua")), 0o600))
		engine := `
local game, told = require("walk"), {}
print = function(text) table.insert(told, text) end
for line in io.lines() do
  local what, rest = line:match("^(%S+) ?(.*)$")
  if what == "open" then game.connected(rest) end
  if what == "data" then game.message((rest:gsub("%x%x", function(x) return string.char(tonumber(x, 16)) end)), 1) end
  if what == "lost" then game.closed(tonumber(rest), 1) end
  if what == "end" then io.write(table.concat(told, "|"), "\\n") os.exit(0) end
  game.frame(1, function(data, binary) io.write(binary and "bytes " or "text ", (data:gsub(".", function(c) return string.format("%02x", c:byte()) end)), "\\n") end)
  io.write(". ", game.machine.state, "\\n")
  io.flush()
end`
		require.NoError(t, os.WriteFile(filepath.Join(dir, "engine.lua"), []byte(strings.ReplaceAll(engine, "\\\\n", "\\n")), 0o600))
		cmd := exec.Command("lua5.4", "engine.lua")
		cmd.Dir = dir
		p := piping(t, cmd)
		p.connect(h.s.URL(), wire.SubPacked)
		for p.closed == 0 {
			p.listen(50 * time.Millisecond)
			p.say("step")
		}
		p.say(fmt.Sprintf("lost %d", p.closed))
		_, err := fmt.Fprintln(p.in, "end")
		require.NoError(t, err)
		require.True(t, p.lines.Scan())
		assert.Contains(t, p.lines.Text(), "I am in lodge, with 12 oil.|")
		assert.Contains(t, p.lines.Text(), "is not here")
		require.NoError(t, cmd.Wait())
	})
}
