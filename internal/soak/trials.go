package main

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/coder/websocket"

	"alluvion.dev/client"
	"alluvion.dev/client/crowd"
	"alluvion.dev/contract"
	"alluvion.dev/core/types"
)

// random is what the soak does by chance, the same each time.
var random = rand.New(rand.NewPCG(1, 2))

// killed kills the service again and again while many write, and holds what is there against what was acknowledged.
func killed(dir string, lasts time.Duration) (string, error) {
	data, end := filepath.Join(dir, "a.db"), time.Now().Add(lasts)
	w := &writers{acknowledged: make([]atomic.Int64, 24)}
	kills := 0
	for ; time.Now().Before(end); kills++ {
		d, err := serve(data, "")
		if err != nil {
			return "", err
		}
		if kills == 0 {
			if err := d.found(); err != nil {
				return "", err
			}
		}
		at := time.AfterFunc(time.Duration(200+random.IntN(1500))*time.Millisecond,
			func() { _ = d.cmd.Process.Signal(syscall.SIGKILL) })
		err = w.write(d, func() bool { return false })
		at.Stop()
		_ = d.cmd.Wait()
		if err != nil {
			return "", err
		}
	}
	figures := fmt.Sprintf("%d kills, %d acknowledged saves, 0 lost", kills, w.saves.Load())
	if out, code := ask(5*time.Minute, "doctor", data); code != 0 {
		return figures, fmt.Errorf("the file is not whole after that: %s", out)
	}
	return figures, nil
}

// full lets the service write until its files may grow no more; what was acknowledged by then is there afterwards.
func full(dir string, _ time.Duration) (string, error) {
	data := filepath.Join(dir, "a.db")
	d, err := serve(data, "ulimit -f 6000;") // blocks of 512 bytes, or 1024: a few MB
	if err != nil {
		return "", err
	}
	if err := d.found(); err != nil {
		return "", err
	}
	w := &writers{acknowledged: make([]atomic.Int64, 12)}
	end := time.Now().Add(30 * time.Second)
	if err := w.write(d, func() bool { return time.Now().After(end) }); err != nil {
		return "", err
	}
	code := d.end(syscall.SIGTERM)
	if d, err = serve(data, ""); err != nil {
		return "", fmt.Errorf("it does not start again: %w", err)
	}
	defer d.end(syscall.SIGTERM)
	return fmt.Sprintf("%d saves acknowledged before a file could grow no more; a stop then ends with status %d; 0 lost", w.saves.Load(), code), w.recheck(d)
}

// recheck lets everybody come back, and holds what they have against what was acknowledged.
func (w *writers) recheck(d *daemon) error {
	return w.write(d, func() bool { return true })
}

// damaged damages pages of a file, and lets doctor look and rescue; it ends, and tells no wrong content for right.
func damaged(dir string, lasts time.Duration) (string, error) {
	data, end := filepath.Join(dir, "a.db"), time.Now().Add(lasts)
	d, err := serve(data, "")
	if err != nil {
		return "", err
	}
	if err := d.found(); err != nil {
		return "", err
	}
	w := &writers{acknowledged: make([]atomic.Int64, 60)}
	until := time.Now().Add(lasts / 5)
	if err := w.write(d, func() bool { return time.Now().After(until) }); err != nil {
		return "", err
	}
	d.end(syscall.SIGTERM)
	content, err := os.ReadFile(data)
	if err != nil {
		return "", err
	}
	trials, told, saved, players := 0, 0, 0, 0
	for ; time.Now().Before(end); trials++ {
		hurt := filepath.Join(dir, fmt.Sprintf("hurt%d.db", trials))
		if err := os.WriteFile(hurt, hurtBy(content), 0o600); err != nil {
			return "", err
		}
		_, code := ask(2*time.Minute, "doctor", hurt)
		if code < 0 {
			return "", fmt.Errorf("doctor did not end on %s", hurt)
		}
		if code != 0 {
			told++
		}
		rescued := filepath.Join(dir, "rescued.db")
		out, code := ask(2*time.Minute, "doctor", "-rescue", rescued, hurt)
		if code < 0 {
			return "", fmt.Errorf("a rescue did not end on %s", hurt)
		}
		if _, err := os.Stat(rescued); err == nil {
			if whole, code := ask(2*time.Minute, "doctor", rescued); code != 0 {
				return "", fmt.Errorf("what was rescued of %s is not whole: %s%s", hurt, out, whole)
			}
			saved++
			n, err := w.rightIn(rescued)
			if err != nil {
				return "", err
			}
			players += n
		}
		for _, name := range []string{hurt, rescued, rescued + "-wal", rescued + "-shm"} {
			_ = os.Remove(name)
		}
	}
	return fmt.Sprintf("%d files with damaged pages or a lost end: doctor reported %d, %d were rescued, with %d of %d players on average; 0 with wrong content",
		trials, told, saved, players/max(saved, 1), len(w.acknowledged)), nil
}

// hurtBy gives a file's bytes with a few pages overwritten, some bits turned, or its end cut off. The first page,
// without which nothing of the file is known, is left as it is.
func hurtBy(content []byte) []byte {
	out := bytes.Clone(content)
	const page = 4096
	switch random.IntN(3) {
	case 0:
		for range 1 + random.IntN(6) {
			at := page * (1 + random.IntN(len(out)/page-1))
			for i := range page {
				out[at+i] = byte(random.Uint32())
			}
		}
	case 1:
		for range 1 + random.IntN(40) {
			out[page+random.IntN(len(out)-page)] ^= 1 << random.IntN(8)
		}
	default:
		out = out[:len(out)-random.IntN(len(out)/3)]
	}
	return out
}

// rightIn counts the players of a rescued file that can be loaded; what they have was theirs at some time.
func (w *writers) rightIn(data string) (int, error) {
	d, err := serve(data, "")
	if err != nil {
		return 0, err
	}
	defer d.end(syscall.SIGTERM)
	n := 0
	for i := range w.acknowledged {
		state, err := d.c.Player(ctx, "lantern-pass", player(i), 0)
		if err != nil {
			continue
		}
		for _, v := range state.Values {
			if v.Name == "player.delivered" && v.Stored {
				if had, _ := v.Saved.Num.Int(); had > w.acknowledged[i].Load()+1 {
					return 0, fmt.Errorf("%s has %d in a rescued file, and never had more than %d", player(i), had,
						w.acknowledged[i].Load())
				}
				n++
			}
		}
	}
	return n, nil
}

// held stops the service while others hold on to it in every way; everybody is saved, and it ends by itself.
func held(dir string, lasts time.Duration) (string, error) {
	end, stops := time.Now().Add(lasts), 0
	var longest time.Duration
	for ; time.Now().Before(end); stops++ {
		data := filepath.Join(dir, fmt.Sprintf("%d.db", stops))
		d, err := serve(data, "")
		if err != nil {
			return "", err
		}
		if err := d.found(); err != nil {
			return "", err
		}
		w := &writers{acknowledged: make([]atomic.Int64, 30)}
		until := time.Now().Add(time.Second)
		if err := w.write(d, func() bool { return time.Now().After(until) }); err != nil {
			return "", err
		}
		room, err := d.c.Open(ctx, "lantern-pass", "winter")
		if err != nil {
			return "", err
		}
		for i := range w.acknowledged { // written, and not saved yet
			next := w.acknowledged[i].Add(1)
			value := types.OfInt(int(next % most))
			if _, err := room.Do(ctx, contract.Request{Do: "write", Server: true, Player: player(i),
				Name: "player.delivered", Value: &value}); err != nil {
				return "", err
			}
		}
		letGo := holdOn(d)
		signal := []syscall.Signal{syscall.SIGTERM, syscall.SIGINT, syscall.SIGHUP}[stops%3]
		began := time.Now()
		code := d.end(signal)
		longest = max(longest, time.Since(began))
		letGo()
		if code != 0 {
			return "", fmt.Errorf("a stop by %v ended with status %d", signal, code)
		}
		if d, err = serve(data, ""); err != nil {
			return "", err
		}
		err = w.recheck(d)
		d.end(syscall.SIGTERM)
		if err != nil {
			return "", err
		}
	}
	return fmt.Sprintf("%d stops with 200 idle connections, requests that are never read, machines that read nothing: all 30 players saved each time, the longest stop %.1f s", stops, longest.Seconds()), nil
}

// holdOn connects to a service in ways that keep it busy, until what it gives is called.
func holdOn(d *daemon) (letGo func()) {
	var all []io.Closer
	address := strings.TrimPrefix(d.url, "http://")
	for i := range 200 {
		c, err := net.Dial("tcp", address)
		if err != nil {
			continue
		}
		all = append(all, c)
		if i%4 == 0 { // many requests in one go, whose answers nobody reads
			go func() {
				_, _ = io.WriteString(c,
					strings.Repeat("GET /v1/games/lantern-pass/matrix HTTP/1.1\r\nHost: "+address+"\r\n\r\n", 2000))
			}()
		}
	}
	for i := range 10 { // machines that read nothing
		conn, _, err := websocket.Dial(ctx, d.url+"/v1/games/lantern-pass/sessions/winter/live", nil)
		if err != nil {
			continue
		}
		_ = conn.Write(ctx, websocket.MessageText, []byte(fmt.Sprintf(`{"is":"hello","player":"held%d"}`, i)))
		all = append(all, closer(func() error { return conn.CloseNow() }))
	}
	time.Sleep(300 * time.Millisecond)
	return func() {
		for _, c := range all {
			_ = c.Close()
		}
	}
}

type closer func() error

// Close closes it.
func (c closer) Close() error { return c() }

// growth lets a crowd play, and looks at how memory, goroutines, files and the data grow from the second half on.
func growth(dir string, lasts time.Duration) (string, error) {
	data := filepath.Join(dir, "a.db")
	d, err := serve(data, "")
	if err != nil {
		return "", err
	}
	defer d.end(syscall.SIGTERM)
	if err := d.found(); err != nil {
		return "", err
	}
	if _, err := d.c.Open(ctx, "lantern-pass", "winter"); err != nil {
		return "", err
	}
	played := make(chan error, 1)
	go func() {
		_, err := crowd.Run(ctx, client.New(d.url), crowd.Config{Game: "lantern-pass", Session: "winter", Players: 40,
			For: lasts, Rate: 5, Seed: 1, Dropping: 4}, nil)
		played <- err
	}()
	var seen []figures
	for tick := time.NewTicker(max(lasts/40, time.Second)); ; {
		select {
		case err := <-played:
			tick.Stop()
			if err != nil {
				return "", err
			}
			return grown(seen)
		case <-tick.C:
			seen = append(seen, d.figures(data))
		}
	}
}

// figures are what a process has.
type figures struct{ memory, goroutines, files, data float64 }

var goroutines = regexp.MustCompile(`(?m)^go_goroutines (\d+)`)

func (d *daemon) figures(data string) figures {
	var f figures
	if status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", d.cmd.Process.Pid)); err == nil {
		if m := regexp.MustCompile(`VmRSS:\s+(\d+) kB`).FindSubmatch(status); m != nil {
			f.memory, _ = strconv.ParseFloat(string(m[1]), 64)
			f.memory /= 1024
		}
	}
	if open, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", d.cmd.Process.Pid)); err == nil {
		f.files = float64(len(open))
	}
	if res, err := http.Get(d.url + "/metrics"); err == nil {
		raw, _ := io.ReadAll(res.Body)
		_ = res.Body.Close()
		if m := goroutines.FindSubmatch(raw); m != nil {
			f.goroutines, _ = strconv.ParseFloat(string(m[1]), 64)
		}
	}
	f.data = float64(size(data)+size(data+"-wal")) / (1 << 20)
	return f
}

// grown compares the middle of the run with its end: what is kept of players grows, the rest does not by much.
func grown(seen []figures) (string, error) {
	if len(seen) < 8 {
		return "", errors.New("it ran too short to say how anything grows")
	}
	middle, last := average(seen[len(seen)/2-2:len(seen)/2+2]), average(seen[len(seen)-4:])
	text := fmt.Sprintf("40 walkers; from the middle to the end: memory %.0f to %.0f MB, goroutines %.0f to %.0f, open files %.0f to %.0f, data %.1f to %.1f MB",
		middle.memory, last.memory, middle.goroutines, last.goroutines, middle.files, last.files, middle.data, last.data)
	switch {
	case last.memory > 1.5*middle.memory+20:
		return text, errors.New("memory grows")
	case last.goroutines > 1.2*middle.goroutines+20:
		return text, errors.New("goroutines are left behind")
	case last.files > 1.2*middle.files+10:
		return text, errors.New("files stay open")
	}
	return text, nil
}

func average(of []figures) figures {
	var out figures
	for _, f := range of {
		out.memory, out.goroutines, out.files, out.data = out.memory+f.memory, out.goroutines+f.goroutines,
			out.files+f.files, out.data+f.data
	}
	n := float64(len(of))
	return figures{out.memory / n, out.goroutines / n, out.files / n, out.data / n}
}
