package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"time"

	"alluvion.dev/service/console"
)

// start measures from starting the process to its first healthy answer, and its memory then.
func start() row {
	dir, err := os.MkdirTemp("", "alluvion-bench-")
	if err != nil {
		panic(err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	const addr = "127.0.0.1:8299"
	began := time.Now()
	cmd := exec.Command("bin/alluvion", "serve", "-addr", addr, "-data", filepath.Join(dir, "a.db"))
	if err := cmd.Start(); err != nil {
		return row{"start to healthy", "bin/alluvion is missing: make build", "–", "–", "under 0.3 s, 60 MB"}
	}
	for range 500 {
		if res, err := http.Get("http://" + addr + "/healthz"); err == nil {
			_ = res.Body.Close()
			break
		}
		time.Sleep(2 * time.Millisecond)
	}
	took := time.Since(began)
	status, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", cmd.Process.Pid))
	memory := regexp.MustCompile(`VmRSS:\s+(\d+ kB)`).FindSubmatch(status)
	_ = cmd.Process.Signal(syscall.SIGTERM)
	_ = cmd.Wait()
	ours := seconds(took)
	if memory != nil {
		ours += ", " + string(memory[1])
	}
	return row{"start to healthy, idle memory", ours, "–", "–", "under 0.3 s, 60 MB"}
}

// firstLoad measures what the browser loads first: what index.html names, gzipped.
func firstLoad() row {
	n, err := firstBytes()
	if err != nil {
		return row{"console, first load", err.Error(), "–", "–", "under 350 KB"}
	}
	return row{"console, first load, gzipped", fmt.Sprintf("%d KB", n/1000), "350 KB",
		fmt.Sprintf("%.2f", float64(n)/350000), "≤ 1"}
}

func firstBytes() (int, error) {
	files := console.Files()
	index, err := fs.ReadFile(files, "index.html")
	if err != nil {
		return 0, err
	}
	total := gzipped(index)
	for _, m := range regexp.MustCompile(`(?:src|href)="/(assets/[^"]+)"`).FindAllSubmatch(index, -1) {
		raw, err := fs.ReadFile(files, string(m[1]))
		if err != nil {
			return 0, err
		}
		if strings.HasSuffix(string(m[1]), ".js") || strings.HasSuffix(string(m[1]), ".css") {
			total += gzipped(raw)
		}
	}
	return total, nil
}

func gzipped(raw []byte) int {
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	_, _ = w.Write(raw)
	_ = w.Close()
	return b.Len()
}
