package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	json "github.com/go-json-experiment/json/v1"
)

// What became of one mutant that could be built.
type result struct {
	mutant  mutant
	noticed bool
}

// How much of a processor the tests of one package may use with a fault in it: a fault that makes them run for ever is
// noticed. Without a fault they use a third of it at most. The clock's limit is far away, for a machine that is busy.
const (
	patience = 2 * time.Minute
	atMost   = 10 * time.Minute
)

// A bench lays one fault over the source and runs tests on it.
type bench struct {
	folder string // for the changed files; removed in the end
}

func newBench() (*bench, error) {
	folder, err := os.MkdirTemp("", "mutate")
	return &bench{folder}, err
}

func (b *bench) close() { os.RemoveAll(b.folder) }

// Whether the package's own tests fail with this fault, and whether it could be built at all.
func (b *bench) try(m mutant) (noticed, built bool) {
	folder, err := os.MkdirTemp(b.folder, "one")
	if err != nil {
		return false, false
	}
	defer os.RemoveAll(folder)
	overlay, err := lay(m, folder)
	if err != nil {
		return false, false
	}
	binary := filepath.Join(folder, "tests")
	build := exec.Command("go", "test", "-c", "-vet=off", "-ldflags=-s -w", "-overlay", overlay, "-o", binary,
		"./"+m.Package)
	if build.Run() != nil {
		return false, false
	}
	ctx, cancel := context.WithTimeout(context.Background(), atMost)
	defer cancel()
	// The binary's own limit ends it where this program is killed meanwhile.
	return limited(ctx, m.Package, binary, "-test.failfast", "-test.timeout="+atMost.String()).Run() != nil, true
}

// An error when a package's tests fail without any fault: all faults would then seem to be noticed.
func (b *bench) sound(folder string) error {
	output, err := exec.Command("go", "test", "-failfast", "./"+folder).CombinedOutput()
	if err != nil {
		return fmt.Errorf("%s fails without a fault:\n%s", folder, output)
	}
	return nil
}

// Tests in one thread and a few GiB of memory, so that a fault that takes memory for ever takes not the machine.
func limited(ctx context.Context, folder string, command ...string) *exec.Cmd {
	limits := fmt.Sprintf(`ulimit -v 8000000; ulimit -t %d; exec "$@"`, int(patience.Seconds()))
	tests := exec.CommandContext(ctx, "sh", append([]string{"-c", limits, "tests"}, command...)...)
	tests.Dir = folder
	tests.Env = append(os.Environ(), "GOMAXPROCS=1")
	return tests
}

// Writes the changed file and the list that puts it in the place of the real one.
func lay(m mutant, folder string) (overlay string, err error) {
	source, err := os.ReadFile(m.File)
	if err != nil {
		return "", err
	}
	if m.To > len(source) || string(source[m.From:m.To]) != m.Old {
		return "", fmt.Errorf("%s was changed meanwhile", m.File)
	}
	changed := filepath.Join(folder, "changed.go")
	text := string(source[:m.From]) + m.New + string(source[m.To:])
	if err := os.WriteFile(changed, []byte(text), 0o600); err != nil {
		return "", err
	}
	real, err := filepath.Abs(m.File)
	if err != nil {
		return "", err
	}
	list, err := json.Marshal(map[string]map[string]string{"Replace": {real: changed}})
	if err != nil {
		return "", err
	}
	overlay = filepath.Join(folder, "overlay.json")
	return overlay, os.WriteFile(overlay, list, 0o600)
}
