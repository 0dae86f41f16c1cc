package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/coder/websocket"

	"alluvion.dev/client"
	"alluvion.dev/core/check"
	"alluvion.dev/core/edit"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
	"alluvion.dev/service/live"
	"alluvion.dev/service/meter"
	"alluvion.dev/service/store"
)

// nearby is what frames of 10,000 players in one scene of 1 km² have, and what it costs to write one: on the session's
// goroutine, without the network.
func nearby() row {
	const n = 10_000
	m := modelOf(nearPlan(1000, n))
	r, ids := players(m, n)
	board := share.NewBoard(r, share.LayoutOf(m))
	sights := make([]share.Sight, n)
	var frame []byte
	bytes, frames, took, since, now := 0, 0, time.Duration(0), share.Whole, int64(0)
	for tick := range 24 {
		now += 100
		for i, id := range ids {
			x, y := scattered(i, 1, 99000)+int64(tick*40), scattered(i, 2, 99000)
			res, err := r.Step(&engine.Request{Do: "move", Player: id, At: now, To: []fixed.Num{fixed.FromNano(x * 10_000_000), fixed.FromNano(y * 10_000_000)}})
			must(err)
			board.Note(res.Changes, id)
		}
		began := time.Now()
		board.Tick(now)
		for i, id := range ids {
			frame, _ = board.Frame(frame[:0], share.Packed, id, since, share.Words{}, &sights[i])
			if tick >= 4 {
				bytes += len(frame)
				frames++
			}
		}
		if tick >= 4 {
			took += time.Since(began)
		}
		since = board.Now()
	}
	return row{"10,000 players in one scene of 1 km² with near (40 m, 64 at most): bytes a frame, and a frame written",
		fmt.Sprintf("%d bytes, %.1f µs", bytes/frames, float64(took.Microseconds())/float64(frames)), "–", "–", "≤ 2,000 bytes"}
}

// joins is how long somebody who is there waits for an answer while 1,000 others come in at once.
func joins() row {
	const what, wanted, addr = "1,000 players who come in at once: the longest that others wait for an answer", "≤ 200 ms (two ticks)", "127.0.0.1:8296"
	dir, err := os.MkdirTemp("", "alluvion-bench-")
	must(err)
	defer func() { _ = os.RemoveAll(dir) }()
	service := exec.Command("bin/alluvion", "serve", "-addr", addr, "-data", filepath.Join(dir, "a.db"))
	if err := service.Start(); err != nil {
		return row{what, "bin/alluvion is missing: make build", "–", "–", wanted}
	}
	defer func() { _ = service.Process.Signal(syscall.SIGTERM); _ = service.Wait() }()
	listening(addr)
	self, err := os.Executable()
	must(err)
	out, err := exec.Command(self, "-as", "joiners", "-addr", addr).Output()
	must(err)
	var said struct{ Longest, All float64 }
	must(json.Unmarshal(out, &said))
	return row{what, fmt.Sprintf("%.0f ms", said.Longest), fmt.Sprintf("all are in after %.2f s", said.All), fmt.Sprintf("%.2f", said.Longest/200), wanted}
}

// runJoiners lets one player ask for something all the time, and 1,000 others come in.
func runJoiners(addr string) {
	ctx := context.Background()
	a := client.New("http://" + addr)
	plan := strings.Replace(livePlan(), "players: 1000", "players: 1100", 1)
	_, _, err := a.PutPlan(ctx, "live", []byte(plan), "")
	must(err)
	session, err := a.Open(ctx, "live", "all")
	must(err)
	layout, err := session.Layout(ctx)
	must(err)
	url := "http://" + addr + "/v1/games/live/sessions/all/live"
	first, err := session.Join(ctx, client.Joining{Player: "first"})
	must(err)
	var longest atomic.Int64
	done := make(chan bool)
	stopped := make(chan bool)
	go func() {
		defer close(stopped)
		for {
			select {
			case <-done:
				return
			default:
			}
			began := time.Now()
			must(first.Do(ctx, wire.Ask{Is: "ping"}))
			longest.Store(max(longest.Load(), time.Since(began).Microseconds()))
			time.Sleep(2 * time.Millisecond)
		}
	}()
	time.Sleep(300 * time.Millisecond)
	longest.Store(0)
	began := time.Now()
	var all sync.WaitGroup
	for i := range livePlayers {
		all.Go(func() {
			conn, _, err := websocket.Dial(ctx, url, &websocket.DialOptions{Subprotocols: []string{wire.SubPacked}})
			must(err)
			conn.SetReadLimit(1 << 20)
			hello := fmt.Sprintf(`{"is":"hello","player":"p%d","plan":%q}`, i, layout.Plan)
			must(conn.Write(ctx, websocket.MessageText, []byte(hello)))
			_, _, err = conn.Read(ctx) // the welcome
			must(err)
			go func() {
				for {
					if _, _, err := conn.Read(ctx); err != nil {
						return
					}
				}
			}()
		})
	}
	all.Wait()
	took := time.Since(began)
	time.Sleep(300 * time.Millisecond)
	close(done)
	<-stopped
	raw, err := json.Marshal(map[string]float64{"Longest": float64(longest.Load()) / 1000, "All": took.Seconds()})
	must(err)
	fmt.Println(string(raw))
}

// throughSession compares the event of the first row, asked for by a machine and answered, with the bare step: with its
// number, its answer, its place in the journal, and what is noted for frames and saves.
func throughSession() row {
	dir, err := os.MkdirTemp("", "alluvion-bench-")
	must(err)
	defer func() { _ = os.RemoveAll(dir) }()
	quiet := slog.New(slog.DiscardHandler)
	st, err := store.Open(filepath.Join(dir, "a.db"), quiet)
	must(err)
	defer st.Close()
	ctx := context.Background()
	text := planWith(10, 2)
	_, err = st.PutPlan(ctx, store.Game{ID: "bench", Title: "Bench", Version: 1, Text: text}, "")
	must(err)
	m := live.NewManager(st, quiet, meter.New())
	defer func() { _ = m.CloseAll(ctx) }()
	session, _, err := m.Open(ctx, "bench", "one")
	must(err)
	line, _, err := m.Attach(ctx, session, wire.Hello{Player: "ada"}, "here", share.Packed)
	must(err)
	line.Greet([]byte("{}"))
	heard := make(chan int, 1000)
	go func() {
		for {
			messages, frame, ok := line.Next()
			if !ok {
				return
			}
			line.Sent(len(messages), 0, frame != nil)
			heard <- len(messages)
		}
	}()
	const batch = 100
	number := uint64(0)
	ours := func(b *testing.B) {
		for done := 0; done < b.N; done += batch {
			for range batch {
				number++
				m.Ask(session, line, wire.Ask{Is: "event", Name: "gust", Number: number, Args: map[string]types.Value{"amount": types.OfNum(fixed.Must("0.5"))}})
			}
			for answers := 0; answers < batch; {
				answers += <-heard
			}
		}
	}
	a, c := best(ours, gusts(modelOf(text), 1))
	return compare("the same through a session, from the machine's message to its answer, against the bare step", a, c, "≤ 3")
}

// moving is what a move costs where much is asked of it: a speed limit, circles, and what always holds.
func moving() []row {
	var circles strings.Builder
	for i := range 20 {
		fmt.Fprintf(&circles, "c%d: {at: [%d, %d], radius: 6}, ", i, 5+i*9, 100)
	}
	plan := strings.NewReplacer("size: [9, 9], ", "size: [200, 200], areas: {"+circles.String()+"}, ", "saving:",
		"requests: {move: {fastest: 12}}\nalways:\n  - {that: player.v0 >= 0, refused: a}\n  - {that: player.v1 >= 0 || place.x >= 0, refused: b}\n  - {that: player.v2 <= 1000, refused: c}\nsaving:").Replace(planWith(10, 2))
	m := modelOf(plan)
	ours := func(b *testing.B) {
		r, ids := players(m, 1000)
		b.ReportAllocs()
		b.ResetTimer()
		at, x := int64(0), int64(1_000_000_000)
		to := make([]fixed.Num, 2)
		n := 0
		for who := range turns(b.N, 1000) {
			if who == 0 {
				at, x = at+100, 1_000_000_000+int64(n/1000%1000)*100_000_000
			}
			n++
			to[0], to[1] = fixed.FromNano(x), fixed.FromInt(1)
			if _, err := r.Step(&engine.Request{Do: "move", Player: ids[who], At: at, To: to}); err != nil {
				b.Fatal(err)
			}
		}
	}
	a, c := best(ours, gusts(modelOf(planWith(10, 2)), 1000))
	return []row{compare("a move with a speed limit, 20 circles and 3 invariants, among 1,000, against the event", a, c, "≤ 3"),
		{"allocations of that move", fmt.Sprint(a.AllocsPerOp()), "–", "–", "0"}}
}

// edits is how soon a plan of 1,000 variables is judged again after one fate or one name was changed.
func edits() []row {
	plan := planWith(1000, 200)
	round := 0
	edited := func(one edit.Edit) time.Duration {
		least := time.Hour
		for range 7 { // each of a text of its own, which was judged before, as it is while somebody works on it
			round++
			text := fmt.Sprintf("%s# %d\n", plan, round)
			check.Text([]byte(text), nil)
			began := time.Now()
			changed, err := edit.Apply(text, []edit.Edit{one}, nil)
			must(err)
			if m, _, found := check.Text([]byte(changed), nil); m == nil {
				panic(fmt.Sprint(found))
			}
			least = min(least, time.Since(began))
		}
		return least
	}
	fate := edited(edit.Edit{Do: "fate", Name: "player.v500", Crossing: "scene", Fate: "reset"})
	name := edited(edit.Edit{Do: "rename", Name: "player.v500", To: "w500"})
	ms := func(d time.Duration) string { return fmt.Sprintf("%.0f ms", float64(d.Microseconds())/1000) }
	return []row{{"a fate edited in a plan of 1,000 variables and 200 scenes, and judged", ms(fate), "150 ms", fmt.Sprintf("%.2f", fate.Seconds()/0.15), "≤ 1"},
		{"a variable renamed there, and judged", ms(name), "150 ms", fmt.Sprintf("%.2f", name.Seconds()/0.15), "≤ 1"}}
}

// perPlayer is how much memory the service takes for each connected player, against the WebSocket library alone.
func perPlayer() row {
	const what, wanted, addr = "memory for each of 1,000 connected players, against the WebSocket library alone", "≤ 80 KB", "127.0.0.1:8295"
	grown := func(server *exec.Cmd, size int) (float64, error) {
		if err := server.Start(); err != nil {
			return 0, err
		}
		defer func() { _ = server.Process.Signal(syscall.SIGTERM); _ = server.Wait() }()
		listening(addr)
		before := rssOf(server.Process.Pid)
		self, err := os.Executable()
		if err != nil {
			return 0, err
		}
		crowd := exec.Command(self, "-as", "crowd", "-addr", addr, "-size", strconv.Itoa(size))
		out, err := crowd.StdoutPipe()
		if err != nil {
			return 0, err
		}
		if err := crowd.Start(); err != nil {
			return 0, err
		}
		defer func() { _ = crowd.Process.Kill(); _ = crowd.Wait() }()
		for lines := bufio.NewScanner(out); lines.Scan() && lines.Text() == "begin"; {
			time.Sleep(5 * time.Second)
			break
		}
		return float64(rssOf(server.Process.Pid)-before) / livePlayers, nil
	}
	dir, err := os.MkdirTemp("", "alluvion-bench-")
	must(err)
	defer func() { _ = os.RemoveAll(dir) }()
	ours, err := grown(exec.Command("bin/alluvion", "serve", "-addr", addr, "-data", filepath.Join(dir, "a.db")), 0)
	if err != nil {
		return row{what, err.Error(), "–", "–", wanted}
	}
	self, err := os.Executable()
	must(err)
	peer, err := grown(exec.Command(self, "-as", "peer", "-addr", addr, "-size", "443"), 443)
	if err != nil {
		return row{what, err.Error(), "–", "–", wanted}
	}
	return row{what, fmt.Sprintf("%.0f KB", ours), fmt.Sprintf("%.0f KB", peer), fmt.Sprintf("%.2f", ours/peer), wanted}
}

// perSession is how much a session takes in which nobody is.
func perSession() row {
	const what, wanted, addr, many = "memory for each of 1,000 sessions in which nobody is", "≤ 16 KB", "127.0.0.1:8295", 1000
	dir, err := os.MkdirTemp("", "alluvion-bench-")
	must(err)
	defer func() { _ = os.RemoveAll(dir) }()
	server := exec.Command("bin/alluvion", "serve", "-addr", addr, "-data", filepath.Join(dir, "a.db"))
	if err := server.Start(); err != nil {
		return row{what, err.Error(), "–", "–", wanted}
	}
	defer func() { _ = server.Process.Signal(syscall.SIGTERM); _ = server.Wait() }()
	listening(addr)
	ctx, c := context.Background(), client.New("http://"+addr)
	_, err = c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	must(err)
	_, _, err = c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	must(err)
	open := func(from, to int) int {
		for i := range to - from {
			_, err := c.Open(ctx, "lantern-pass", fmt.Sprint("s", from+i))
			must(err)
		}
		time.Sleep(3 * time.Second) // until what was only needed for that is collected
		return rssOf(server.Process.Pid)
	}
	before := open(0, 100) // what the first ones need besides
	return row{what, fmt.Sprintf("%.0f KB", float64(open(100, 100+many)-before)/many), "–", "–", wanted}
}

// rssOf is how many kB of memory a process has (proc_pid_status(5)).
func rssOf(pid int) int {
	status, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	found := regexp.MustCompile(`VmRSS:\s+(\d+) kB`).FindSubmatch(status)
	if found == nil {
		return 0
	}
	n, _ := strconv.Atoi(string(found[1]))
	return n
}
