// Package browser drives headless Chromium, for the tests of the console and for its pictures.
package browser

import (
	"context"
	"fmt"
	"os/exec"

	"github.com/chromedp/chromedp"
)

// Start starts Chromium with a window of 1280 by 800, and gives what ends it.
func Start(ctx context.Context) (context.Context, context.CancelFunc, error) {
	path := ""
	for _, name := range []string{"chromium", "chromium-browser", "google-chrome"} {
		if p, err := exec.LookPath(name); err == nil {
			path = p
			break
		}
	}
	if path == "" {
		return nil, nil, fmt.Errorf("no Chromium is installed; make setup-browser installs Debian's")
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox,
		chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update",
			true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("force-color-profile", "srgb"), chromedp.WindowSize(1280, 800))
	alloc, stopAlloc := chromedp.NewExecAllocator(ctx, options...)
	tab, stopTab := chromedp.NewContext(alloc)
	if err := chromedp.Do(tab, chromedp.EmulateViewport(1280, 800)); err != nil {
		stopTab()
		stopAlloc()
		return nil, nil, fmt.Errorf("chromium did not start: %w", err)
	}
	return tab, func() { stopTab(); stopAlloc() }, nil
}
