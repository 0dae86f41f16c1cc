package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/coder/websocket"

	"alluvion.dev/client"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
)

// The live benchmark has three processes: the service (or the peer), the crowd, and this one, which reads how much CPU
// the first of them used. The crowd is a thousand players in one session, fifty in each of twenty scenes, who all move
// ten times a second. The peer is the WebSocket library alone: it reads what the crowd sends, and sends as many bytes
// as often.
const (
	livePlayers = 1000
	liveScenes  = 20
	liveWindow  = 10 * time.Second
)

// livePlan has twenty scenes, and an event that leads into each of them.
func livePlan() string {
	var b strings.Builder
	b.WriteString("alluvion: 1\ngame: live\nversion: 1\nspace: {axes: [x, y], step: 0.01, facings: [north, east, south, west]}\nstart: s0/a\ndefaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}\nvariables:\n")
	for i := range 5 {
		fmt.Fprintf(&b, "  v%d: {of: player, type: decimal, min: 0, max: 1000, step: 0.5, start: 500, written_by: game, share: {with: scene}}\n", i)
	}
	b.WriteString("scenes:\n")
	for i := range liveScenes {
		fmt.Fprintf(&b, "  s%d: {size: [64, 64], spots: {a: {at: [1, 25]}}}\n", i)
	}
	fmt.Fprintf(&b, "events: {enter: {args: {room: {type: int, min: 0, max: %d}}, from: self}}\nrules:\n", liveScenes-1)
	for i := 1; i < liveScenes; i++ {
		fmt.Fprintf(&b, "  - {on: enter, if: args.room == %d, do: [{go: s%d/a}]}\n", i, i)
	}
	fmt.Fprintf(&b, "saving: {when: [leave], every: 30s}\nsession: {players: %d, ticks: 10/s}\n", livePlayers)
	return b.String()
}

// scenario is what a crowd plays: the plan, and what each of its players does besides moving.
type scenario struct {
	plan  string
	scene func(player int) int                            // where somebody is
	at    func(player int, ms uint64, moves int) [2]int64 // where to, in hundredths, with how many moves since they came in
	enter func(player int) string                         // what they ask for at first, or ""
	sub   string
	hello string // what their hello says besides
	turn  bool   // whether they go through a passage and back, once in five seconds
}

var scenarios = map[string]scenario{
	"plain": {plan: livePlan(), sub: wire.SubPacked,
		scene: func(player int) int { return player % liveScenes },
		at:    func(player int, ms uint64, _ int) [2]int64 { return [2]int64{1 + int64(ms%6000), 1 + int64(player)} },
		enter: func(player int) string {
			return fmt.Sprintf(`{"is":"event","number":1,"name":"enter","args":{"room":%d}}`, player%liveScenes)
		}},
	"near": {plan: nearPlan(200, livePlayers), sub: wire.SubPackedNear, scene: func(int) int { return 0 },
		at: func(player int, ms uint64, _ int) [2]int64 { // each around a place of its own
			return [2]int64{scattered(player, 1, 19000) + int64(ms/100%1000), scattered(player, 2, 19900)}
		}},
	"real": {plan: realPlan(), sub: wire.SubPacked, hello: `,"checks":true`, turn: true,
		scene: func(player int) int { return player % liveScenes },
		at: func(_ int, _ uint64, moves int) [2]int64 { // to and fro at 4 a second, through areas
			x := int64(moves*40) % 12000
			return [2]int64{100 + min(x, 12000-x), 2500}
		},
		enter: func(player int) string {
			return fmt.Sprintf(`{"is":"event","number":1,"name":"enter","args":{"room":%d}}`, player%liveScenes)
		}},
}

// scattered is a number below most that looks like chance and is always the same.
func scattered(player, which int, most int64) int64 {
	return int64((uint64(player*2+which)*0x9E3779B97F4A7C15)>>33) % most
}

// nearPlan is one scene of so many metres each way, in which machines are sent those who are near.
func nearPlan(metres, players int) string {
	return fmt.Sprintf(`alluvion: 1
game: near
version: 1
space: {axes: [x, y], step: 0.01, facings: [north, east, south, west]}
start: s/a
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
scenes: {s: {size: [%d, %d], near: {within: 40, at_most: 64}, spots: {a: {at: [1, 1]}}}}
saving: {when: [leave], every: 30s}
session: {players: %d, ticks: 10/s}
`, metres, metres, players)
}

// realPlan is livePlan with what a game has besides: areas with rules, a speed limit, passages, and saves every 10 s.
func realPlan() string {
	areas := "areas: {a: {x: [5, 20], y: [0, 60]}, b: {at: [30, 30], radius: 9}, c: {x: [40, 60], y: [10, 50]}}, "
	rules := ""
	for i := range liveScenes {
		rules += fmt.Sprintf("  - {on: {entered: s%d/a}, do: [{add: player.v0, by: 1}]}\n  - {on: {exited: s%d/c}, do: [{add: player.v1, by: -1}]}\n", i, i)
	}
	return strings.NewReplacer("size: [64, 64], ", "size: [64, 64], "+areas, "rules:\n", "rules:\n  - {on: enter, if: args.room == 0, do: [{go: s0/a}]}\n"+rules,
		"every: 30s", "every: 10s", "events:", "requests: {move: {fastest: 12}}\nevents:").Replace(livePlan())
}

// heardBy is what the crowd says when it has ended.
type heardBy struct {
	Frames int64   `json:"frames"`
	Bytes  int64   `json:"bytes"`
	P99    float64 `json:"p99"` // milliseconds from a tick until a frame of it was read
	Moves  int64   `json:"moves"`
}

// living measures the service with a crowd, and the peer with the same crowd.
func living() []row {
	plain, against := liveRows("plain", "live: 1,000 players in one session at 10/s, CPU against the WebSocket library sending the same bytes", "≤ 1.3")
	rows := []row{plain, {"live: from a tick until 99 of 100 machines have read its frame", fmt.Sprintf("%.0f ms", against.P99), "100 ms",
		fmt.Sprintf("%.2f", against.P99/100), "≤ 1"}}
	real, _ := liveRows("real", "live, with areas and their rules, a speed limit, scene changes, belief checks, and saves every 10 s", "≤ 2")
	near, _ := liveRows("near", "live: 1,000 players in one scene of (200 m)² with near (40 m, 64 at most)", "≤ 1,100 bytes")
	return append(rows, real, near)
}

// liveRows is one scenario against the WebSocket library alone.
func liveRows(name, what, wanted string) (row, heardBy) {
	const addr = "127.0.0.1:8298"
	dir, err := os.MkdirTemp("", "alluvion-bench-")
	must(err)
	defer func() { _ = os.RemoveAll(dir) }()
	service := exec.Command("bin/alluvion", "serve", "-addr", addr, "-data", filepath.Join(dir, "a.db"))
	ours, oursCPU, err := crowdAgainst(service, addr, name, 0)
	if err != nil {
		return row{what, err.Error(), "–", "–", wanted}, ours
	}
	self, err := os.Executable()
	must(err)
	size := int(ours.Bytes / max(ours.Frames, 1))
	peer, peerCPU, err := crowdAgainst(exec.Command(self, "-as", "peer", "-addr", addr, "-size", strconv.Itoa(size)),
		addr, name, size)
	if err != nil {
		return row{what, err.Error(), "–", "–", wanted}, ours
	}
	perFrame := func(cpu time.Duration, m heardBy) float64 {
		return float64(cpu.Microseconds()) / float64(max(m.Frames, 1))
	}
	a, b := perFrame(oursCPU, ours), perFrame(peerCPU, peer)
	return row{fmt.Sprintf("%s (%d bytes a frame)", what, size), fmt.Sprintf("%.1f µs a frame, %.0f frames/s", a,
		float64(ours.Frames)/liveWindow.Seconds()), fmt.Sprintf("%.1f µs, %.0f frames/s", b,
		float64(peer.Frames)/liveWindow.Seconds()), fmt.Sprintf("%.2f", a/b), wanted}, ours
}

// crowdAgainst starts a server and a crowd, and gives what the crowd says and how much CPU the server used meanwhile.
func crowdAgainst(server *exec.Cmd, addr, scenario string, size int) (heardBy, time.Duration, error) {
	if err := server.Start(); err != nil {
		return heardBy{}, 0, fmt.Errorf("bin/alluvion is missing: make build")
	}
	defer func() { _ = server.Process.Signal(syscall.SIGTERM); _ = server.Wait() }()
	listening(addr)
	self, err := os.Executable()
	if err != nil {
		panic(err)
	}
	crowd := exec.Command(self, "-as", "crowd", "-addr", addr, "-plays", scenario, "-size", strconv.Itoa(size))
	crowd.Stderr = os.Stderr
	out, err := crowd.StdoutPipe()
	if err != nil {
		panic(err)
	}
	if err := crowd.Start(); err != nil {
		return heardBy{}, 0, err
	}
	defer func() { _ = crowd.Process.Kill(); _ = crowd.Wait() }()
	lines := bufio.NewScanner(out)
	var before time.Duration
	for lines.Scan() {
		if lines.Text() == "begin" {
			before = cpuOf(server.Process.Pid)
			continue
		}
		var m heardBy
		if err := json.Unmarshal(lines.Bytes(), &m); err != nil {
			return heardBy{}, 0, fmt.Errorf("the crowd failed: %s", lines.Text())
		}
		return m, cpuOf(server.Process.Pid) - before, nil
	}
	return heardBy{}, 0, fmt.Errorf("the crowd said nothing")
}

// listening waits until somebody listens at an address.
func listening(addr string) {
	for range 500 {
		if c, err := net.Dial("tcp", addr); err == nil {
			_ = c.Close()
			break
		}
		time.Sleep(5 * time.Millisecond)
	}
}

// cpuOf is how much CPU a process has used (proc_pid_stat(5): its 14th and 15th field, in ticks of 10 ms).
func cpuOf(pid int) time.Duration {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0
	}
	_, rest, _ := strings.Cut(string(raw), ") ")
	fields := strings.Fields(rest)
	if len(fields) < 13 {
		return 0
	}
	user, _ := strconv.Atoi(fields[11])
	system, _ := strconv.Atoi(fields[12])
	return time.Duration(user+system) * 10 * time.Millisecond
}

// runPeer is the WebSocket library alone.
func runPeer(addr string, size int) {
	frame := make([]byte, size)
	err := http.ListenAndServe(addr, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		conn, err := websocket.Accept(w, r, nil)
		if err != nil {
			return
		}
		defer func() { _ = conn.CloseNow() }()
		go func() {
			for range time.Tick(100 * time.Millisecond) {
				if conn.Write(context.Background(), websocket.MessageBinary, frame) != nil {
					return
				}
			}
		}()
		for {
			if _, _, err := conn.Read(context.Background()); err != nil {
				return
			}
		}
	}))
	fmt.Fprintln(os.Stderr, err)
}

// counter counts what the crowd hears.
type counter struct {
	on            atomic.Bool
	frames, bytes atomic.Int64
	moves         atomic.Int64
	mu            sync.Mutex
	delays        []int64 // of each frame: this process's time less the session's, in microseconds
	began         time.Time
	plays         scenario
}

func (c *counter) heard(raw []byte) {
	if !c.on.Load() {
		return
	}
	c.frames.Add(1)
	c.bytes.Add(int64(len(raw)))
	if h, ok := share.Head(raw); ok {
		c.mu.Lock()
		c.delays = append(c.delays, time.Since(c.began).Microseconds()-h.Time*1000)
		c.mu.Unlock()
	}
}

// runCrowd connects everybody, and counts what they hear for a while. Without a size it plays in the service.
func runCrowd(addr, plays string, size int) {
	runtime.GOMAXPROCS(runtime.NumCPU())
	c := &counter{began: time.Now(), plays: scenarios[plays]}
	url := "http://" + addr
	var layout *share.Layout
	if size == 0 {
		a := client.New(url)
		game := strings.Fields(c.plays.plan)[3]
		if _, _, err := a.PutPlan(context.Background(), game, []byte(c.plays.plan), ""); err != nil {
			fmt.Println(err)
			return
		}
		session, err := a.Open(context.Background(), game, "all")
		if err == nil {
			layout, err = session.Layout(context.Background())
		}
		if err != nil {
			fmt.Println(err)
			return
		}
		url += "/v1/games/" + game + "/sessions/all/live"
	}
	conns := make([]*websocket.Conn, livePlayers)
	for i := range conns {
		conn, err := c.connect(url, layout, i)
		if err != nil {
			fmt.Println("connecting:", err)
			return
		}
		conns[i] = conn
	}
	for i, conn := range conns {
		go c.send(conn, layout, i)
	}
	time.Sleep(2 * time.Second)
	fmt.Println("begin")
	c.on.Store(true)
	time.Sleep(liveWindow)
	c.on.Store(false)
	m := heardBy{Frames: c.frames.Load(), Bytes: c.bytes.Load(), Moves: c.moves.Load(), P99: c.p99()}
	raw, _ := json.Marshal(m)
	fmt.Println(string(raw))
}

// p99 is the delay that 99 of 100 frames did not exceed, against the quickest.
func (c *counter) p99() float64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.delays) == 0 {
		return 0
	}
	slices.Sort(c.delays)
	return float64(c.delays[len(c.delays)*99/100]-c.delays[0]) / 1000
}

func (c *counter) connect(url string, layout *share.Layout, i int) (*websocket.Conn, error) {
	ctx := context.Background()
	conn, _, err := websocket.Dial(ctx, url, &websocket.DialOptions{Subprotocols: []string{c.plays.sub}})
	if err != nil {
		return nil, err
	}
	conn.SetReadLimit(1 << 20)
	if layout != nil {
		hello := fmt.Sprintf(`{"is":"hello","player":"p%d","plan":%q%s}`, i, layout.Plan, c.plays.hello)
		if err := conn.Write(ctx, websocket.MessageText, []byte(hello)); err != nil {
			return nil, err
		}
		if c.plays.enter != nil {
			if err := conn.Write(ctx, websocket.MessageText, []byte(c.plays.enter(i))); err != nil {
				return nil, err
			}
		}
	}
	go func() {
		for {
			kind, raw, err := conn.Read(ctx)
			if err != nil {
				return
			}
			if kind == websocket.MessageBinary {
				c.heard(raw)
			}
		}
	}()
	return conn, nil
}

// send moves a player ten times a second; the players take turns within each tenth.
func (c *counter) send(conn *websocket.Conn, layout *share.Layout, i int) {
	time.Sleep(time.Duration(i) * 100 * time.Millisecond / livePlayers)
	raw, scene, steps, since := make([]byte, 9), c.plays.scene(i), 0, 0
	for n := range time.Tick(100 * time.Millisecond) {
		number := uint64(n.UnixMilli())
		if layout != nil {
			p := c.plays.at(i, number, since)
			since++
			at := []fixed.Num{fixed.FromNano(p[0] * 10_000_000), fixed.FromNano(p[1] * 10_000_000)}
			raw = wire.PackMove(layout, number, 0, scene, at, "")
		}
		if steps++; c.plays.turn && steps%50 == i%50 {
			scene, since = (scene+1)%liveScenes, 0
			enter := fmt.Sprintf(`{"is":"event","number":%d,"name":"enter","args":{"room":%d}}`, number+1, scene)
			if conn.Write(context.Background(), websocket.MessageText, []byte(enter)) != nil {
				return
			}
			continue
		}
		if conn.Write(context.Background(), websocket.MessageBinary, raw) != nil {
			return
		}
		c.moves.Add(1)
	}
}
