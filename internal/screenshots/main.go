// Command screenshots takes the pictures of the console that the README shows, from a running demo.
//
//	go run ./internal/screenshots -url http://127.0.0.1:8230 -out docs/screenshots
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/chromedp/chromedp"

	"alluvion/internal/browser"
)

type shot struct{ name, path, theme string }

var shots = []shot{
	{"games", "/", "light"},
	{"matrix", "/games/lantern-pass/matrix?row=player.warmth&at=death", "light"},
	{"matrix-dark", "/games/lantern-pass/matrix?row=player.parcels&at=death", "dark"},
	{"plan", "/games/lantern-pass/plan?line=41", "light"},
	{"players", "/games/lantern-pass/players", "light"},
	{"player", "/games/lantern-pass/players/wren", "light"},
}

func main() {
	url := flag.String("url", "http://127.0.0.1:8230", "where the demo runs")
	out := flag.String("out", "docs/screenshots", "the folder for the pictures")
	only := flag.String("only", "", "take only this one")
	flag.Parse()
	if err := take(*url, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func take(url, out, only string) error {
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	defer cancel()
	tab, stop, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	for _, s := range shots {
		if only != "" && only != s.name {
			continue
		}
		png, err := picture(tab, url, s)
		if err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if err := os.WriteFile(filepath.Join(out, s.name+".png"), png, 0o644); err != nil {
			return err
		}
	}
	return nil
}

func picture(tab context.Context, url string, s shot) ([]byte, error) {
	if err := chromedp.Do(tab, chromedp.Navigate(url)); err != nil {
		return nil, err
	}
	if _, err := chromedp.Run(tab, chromedp.Evaluate[any](`localStorage.setItem('alluvion-theme', '`+s.theme+`')`)); err != nil {
		return nil, err
	}
	if err := chromedp.Do(tab, chromedp.Navigate(url+s.path), chromedp.WaitVisible(chromedp.CSS("h1")), chromedp.Sleep(1500*time.Millisecond)); err != nil {
		return nil, err
	}
	return chromedp.Run(tab, chromedp.CaptureScreenshot())
}
