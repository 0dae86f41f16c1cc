// Command soak tries for as long as it is told what a service promises of saves and stops (docs/reliability.md),
// against the program as it is built: killed under load, on a disk that is full, with damaged pages, stopped while
// somebody holds on, and left to run. It writes what came of it into that page. The exit status is 1 where a promise
// was broken.
package main

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"
)

// finding is what came of one trial.
type result struct {
	name, figures string
	broken        string // which promise; "" where all held
}

func main() {
	lasts := flag.Duration("for", 10*time.Minute, "how long it all takes, about")
	page := flag.String("page", "docs/reliability.md",
		"the `page` that the figures are written into; none where it is empty")
	only := flag.String("only", "", "try only the trial with this `name`, for all of the time, and write nothing")
	flag.Parse()
	if *only != "" {
		*page = ""
	}
	if _, err := os.Stat(program); err != nil {
		fmt.Fprintln(os.Stderr, "soak: there is no "+program+": make build")
		os.Exit(1)
	}
	var all []result
	broken := false
	for _, trial := range []struct {
		name  string
		share float64 // of the time
		try   func(dir string, lasts time.Duration) (string, error)
	}{
		{"killed under load", 0.4, killed},
		{"a disk that is full", 0.05, full},
		{"damaged pages", 0.15, damaged},
		{"stopped while others hold on", 0.1, held},
		{"left to run", 0.3, growth},
	} {
		if *only == trial.name {
			trial.share = 1
		} else if *only != "" {
			continue
		}
		dir, err := os.MkdirTemp("", "alluvion-soak-")
		if err != nil {
			panic(err)
		}
		figures, err := trial.try(dir, time.Duration(float64(*lasts)*trial.share))
		r := result{name: trial.name, figures: figures}
		if err != nil {
			r.broken, broken = err.Error(), true
			fmt.Printf("BROKEN  %s: %v (in %s)\n", trial.name, err, dir)
		} else {
			_ = os.RemoveAll(dir)
		}
		fmt.Printf("%-30s %s\n", trial.name, figures)
		all = append(all, r)
	}
	if *page != "" {
		if err := write(*page, *lasts, all); err != nil {
			fmt.Fprintln(os.Stderr, "soak:", err)
			os.Exit(1)
		}
	}
	if broken {
		os.Exit(1)
	}
}

// write puts the figures between the marks of the page.
func write(path string, lasts time.Duration, all []result) error {
	page, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	begin, end := []byte("<!-- soak: begin -->\n"), []byte("<!-- soak: end -->")
	head, rest, ok := bytes.Cut(page, begin)
	_, tail, ok2 := bytes.Cut(rest, end)
	if !ok || !ok2 {
		return fmt.Errorf("%s has no place for the figures", filepath.Base(path))
	}
	var b bytes.Buffer
	fmt.Fprintf(&b, "%s, `make soak SOAK=%s`:\n\n| trial | figures | held |\n| --- | --- | --- |\n",
		time.Now().Format("2 January 2006"), lasts)
	for _, r := range all {
		held := "yes"
		if r.broken != "" {
			held = "**no**: " + r.broken
		}
		fmt.Fprintf(&b, "| %s | %s | %s |\n", r.name, r.figures, held)
	}
	b.WriteString("\n")
	return os.WriteFile(path, bytes.Join([][]byte{head, begin, b.Bytes(), end, tail}, nil), 0o644)
}
