// Command screenshots takes the pictures that the documentation shows, from the demo: the console's
// pages in headless Chromium, and the command line in a terminal window under Xvfb.
//
// It needs Debian's chromium, xvfb, xterm, imagemagick and fonts-dejavu-core.
package main

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/chromedp/chromedp"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/examples"
	"alluvion.dev/internal/browser"
)

type page struct {
	name, path, theme string
	wait              time.Duration // until something has happened that is worth a picture
}

const soon = 1500 * time.Millisecond

// steps are what somebody presses in the game.
const steps = `for (const code of ['KeyL', 'ArrowRight', 'ArrowDown']) dispatchEvent(new KeyboardEvent('keydown', {code}));
setTimeout(() => dispatchEvent(new KeyboardEvent('keyup', {code: 'ArrowDown'})), 800); 1`

// tries is the run that is in a dry run.
const tries = `{"players":["wren","finn"],"steps":[{"join":"wren"},{"join":"finn"},{"event":"choose","by":"wren","args":{"who":"brisa"}},{"pass":"porch_gorge","by":"wren","at":[20,0]},{"event":"load","by":"wren"},{"pass":"rope_bridge","by":"wren","at":[63,22]},{"move":"wren","to":[50,10]},{"wait":"1s"}]}`

var pages = []page{
	{"adopt", "/adopt", "light", soon},
	{"matrix", "/games/lantern-pass/matrix?row=player.warmth&at=death", "light", soon},
	{"rules", "/games/lantern-pass/rules?at=/rules/9", "light", soon},
	{"plan", "/games/lantern-pass/plan?line=41", "light", soon},
	{"scenes", "/games/lantern-pass/scenes?pick=passage:rope_bridge", "light", soon},
	{"dry-run", "/games/lantern-pass/dry-run?at=7&run=" + url.QueryEscape(tries), "light", soon},
	{"scout", "/games/lantern-pass/scout?look=milestone-wayfarer", "light", 2 * time.Second},
	{"live", "/games/lantern-pass/live/winter?player=lark_6", "dark", 20 * time.Second},
	{"player", "/games/lantern-pass/players/wren", "light", soon},
	{"why", "/games/lantern-pass/why?player=wren", "light", soon},
	{"game", "/play/lantern-pass/?player=ada", "dark", 3 * time.Second},
	{"population", "/games/lantern-pass/saves?show=player.warmth", "light", soon},
	{"versions", "/games/lantern-pass/versions", "light", soon}, // the last: the demo gets its next version for it
}

type terminal struct{ name, command string }

var terminals = []terminal{
	{"cli-check", "BIN check examples/troubled/still-dead.yaml; BIN check examples/troubled/none-unhandled.yaml"},
	{"cli-play", "BIN play examples/lantern-pass/plan.yaml <(head -17 examples/lantern-pass/first-night.play)"},
	{"cli-trial", "BIN save check examples/lantern-pass/history/saves/bad/unknown-options.json examples/lantern-pass/history/saves/bad/cut-short.json examples/lantern-pass/history/saves/fay.v2.json; BIN trial examples/lantern-pass/plan.yaml -old examples/lantern-pass/history/plan.v1.yaml,examples/lantern-pass/history/plan.v2.yaml"},
	{"cli-watch", "BIN demo -addr 127.0.0.1:8297 -walkers 18 >/dev/null 2>&1 & sleep 4; timeout -s INT 25 BIN watch -service http://127.0.0.1:8297 -game lantern-pass -show player.warmth,player.parcels,player.courier; kill %1"},
	{"cli-rehearse", "BIN rehearse -coverage examples/lantern-pass"},
}

func main() {
	bin := flag.String("bin", "bin/alluvion", "the built program")
	out := flag.String("out", "docs/screenshots", "the folder for the pictures")
	only := flag.String("only", "", "take only these, by name, with commas between")
	theme := flag.String("theme", "", "light or dark: take every page so, to look at it")
	flag.Parse()
	for i := range pages {
		pages[i].theme = cmp.Or(*theme, pages[i].theme)
	}
	wanted := func(name string) bool {
		return *only == "" || slices.Contains(strings.Split(*only, ","), name)
	}
	if err := takeAll(*bin, *out, wanted); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func takeAll(bin, out string, wanted func(name string) bool) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	for _, t := range terminals {
		if wanted(t.name) {
			if err := shootTerminal(strings.ReplaceAll(t.command, "BIN", bin),
				filepath.Join(out, t.name+".png")); err != nil {
				return fmt.Errorf("%s: %w", t.name, err)
			}
		}
	}
	return shootPages(bin, out, wanted)
}

// shootTerminal runs a command in a terminal window and takes its picture.
func shootTerminal(command, path string) error {
	shell := "clear; " + command + "; touch " + path + ".ready; sleep 30"
	script := fmt.Sprintf(`TERM=xterm-256color xterm -geometry 128x53 -fa 'DejaVu Sans Mono' -fs 9 -bg '#fdfcf9' -fg '#26323a' -cr '#fdfcf9' -xrm '*color1: #b3391f' -xrm '*color2: #2a6f5f' -xrm '*color3: #8a5a00' -xrm '*color5: #7a3f78' -xrm '*color6: #21607f' -e bash -c %q & pid=$!
for i in $(seq 200); do [ -e %s.ready ] && break; sleep 0.25; done; sleep 0.6
import -window root %s; kill $pid; rm -f %s.ready`, shell, path, path, path)
	cmd := exec.Command("xvfb-run", "-a", "-s", "-screen 0 1024x800x24", "bash", "-c", script)
	cmd.Stderr = os.Stderr
	return cmd.Run()
}

func shootPages(bin, out string, wanted func(name string) bool) error {
	ctx, cancel := context.WithTimeout(context.Background(), 4*time.Minute)
	defer cancel()
	address, stopDemo, err := startDemo(bin)
	if err != nil {
		return err
	}
	defer stopDemo()
	tab, stop, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	for _, p := range pages {
		if !wanted(p.name) {
			continue
		}
		if prepare := prepares[p.name]; prepare != nil {
			if err := prepare(ctx, client.New(address)); err != nil {
				return fmt.Errorf("%s: %w", p.name, err)
			}
		}
		png, err := picture(tab, address, p)
		if err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
		if err := os.WriteFile(filepath.Join(out, p.name+".png"), png, 0o644); err != nil {
			return err
		}
	}
	if wanted("nodes") {
		return shootNodes(bin, filepath.Join(out, "nodes.png"), tab)
	}
	return nil
}

// shootNodes takes a picture of three nodes with the demo, each of which has been asked for a session.
func shootNodes(bin, path string, tab context.Context) error {
	dir, err := os.MkdirTemp("", "alluvion-nodes-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	secret := filepath.Join(dir, "secret")
	if err := os.WriteFile(secret, []byte("known to all nodes of this picture\n"), 0o600); err != nil {
		return err
	}
	const all = "127.0.0.1:8291,127.0.0.1:8292,127.0.0.1:8293"
	addresses := make([]string, 3)
	stops, failed := make([]func(), 3), make([]error, 3)
	defer func() {
		for _, stop := range stops {
			if stop != nil {
				stop()
			}
		}
	}()
	var starting sync.WaitGroup
	for i := range addresses {
		starting.Add(1)
		go func() {
			defer starting.Done()
			n := strconv.Itoa(i + 1)
			addresses[i], stops[i], failed[i] = startDemo(bin, "-data", filepath.Join(dir, n+".db"), "-cluster", all, "-cluster-at", "127.0.0.1:829"+n,
				"-node", "oslo-"+n, "-cluster-secret", secret)
		}()
	}
	if starting.Wait(); errors.Join(failed...) != nil {
		return errors.Join(failed...)
	}
	for i, session := range []string{"evening", "harvest", "thaw"} {
		if _, err := client.New(addresses[i]).Open(tab, "lantern-pass", session); err != nil {
			return err
		}
	}
	png, err := picture(tab, addresses[1], page{"nodes", "/nodes", "light", 4 * time.Second})
	if err != nil {
		return err
	}
	return os.WriteFile(path, png, 0o644)
}

// prepares is what is done before a page is looked at.
var prepares = map[string]func(context.Context, *client.Client) error{"versions": nextVersion, "scout": search}

// search searches the demo's plan, and waits until that is over.
func search(ctx context.Context, c *client.Client) error {
	now, err := c.StartScout(ctx, "lantern-pass", contract.ScoutStart{Seconds: 20, States: 100_000})
	for err == nil && now.State == "running" {
		time.Sleep(time.Second)
		now, err = c.Scout(ctx, "lantern-pass")
	}
	return err
}

// nextVersion puts the demo's next version in as the plan in work, and tries it.
func nextVersion(ctx context.Context, c *client.Client) error {
	text, err := examples.LanternPassHistory.ReadFile("lantern-pass/history/plan.v4.yaml")
	if err != nil {
		return err
	}
	_, etag, err := c.Plan(ctx, "lantern-pass")
	if err != nil {
		return err
	}
	if _, _, err := c.PutPlan(ctx, "lantern-pass", text, etag); err != nil {
		return err
	}
	t, err := c.StartTrial(ctx, "lantern-pass", contract.TrialStart{Made: 200, Seed: 1})
	if err != nil {
		return err
	}
	_, err = c.WatchTrial(ctx, "lantern-pass", t.Trial, func(contract.TrialInfo) {})
	return err
}

func startDemo(bin string, more ...string) (address string, stop func(), err error) {
	cmd := exec.Command(bin, append([]string{"demo", "-addr", "127.0.0.1:0"}, more...)...)
	stdout, err := cmd.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := cmd.Start(); err != nil {
		return "", nil, err
	}
	lines := bufio.NewScanner(stdout)
	for lines.Scan() {
		if _, at, ok := strings.Cut(lines.Text(), "Lantern Pass is at "); ok {
			go func() { _, _ = io.Copy(io.Discard, stdout) }()
			return at, func() { _ = cmd.Process.Signal(syscall.SIGTERM); _ = cmd.Wait() }, nil
		}
	}
	return "", nil, fmt.Errorf("the demo did not start")
}

func dropSaves(tab context.Context) error {
	names, err := filepath.Glob("examples/old-cellar/saves/*")
	for i := range names {
		if full, e := filepath.Abs(names[i]); e == nil {
			names[i] = full
		}
	}
	if err != nil || len(names) == 0 {
		return fmt.Errorf("the Old Cellar has no saves (%v)", err)
	}
	return chromedp.Do(tab, chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), names), chromedp.Sleep(4*time.Second))
}

func picture(tab context.Context, address string, p page) ([]byte, error) {
	if err := chromedp.Do(tab, chromedp.Navigate(address)); err != nil {
		return nil, err
	}
	if _, err := chromedp.Run(tab,
		chromedp.Evaluate[any](`localStorage.clear(); localStorage.setItem('alluvion-theme', '`+p.theme+`'); localStorage.setItem('alluvion-first-steps', '["away"]')`)); err != nil {
		return nil, err
	}
	if err := chromedp.Do(tab, chromedp.Navigate(address+p.path), chromedp.WaitVisible(chromedp.CSS("h1")),
		chromedp.Sleep(p.wait)); err != nil {
		return nil, err
	}
	if p.name == "adopt" { // some of the Old Cellar's saves are dropped
		if err := dropSaves(tab); err != nil {
			return nil, err
		}
	}
	if p.name == "game" { // ada walks on, and lights a lantern
		if _, err := chromedp.Run(tab, chromedp.Evaluate[any](steps)); err != nil {
			return nil, err
		}
		time.Sleep(3 * time.Second)
	}
	return chromedp.Run(tab, chromedp.CaptureScreenshot())
}
