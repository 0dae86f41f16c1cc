// Command release makes what can be handed on: for each kind of machine that can be built for here, an archive with the
// program, its console inside, a unit for systemd and an example of its flags; and the checksums of the archives.
package main

import (
	"archive/tar"
	"compress/gzip"
	"crypto/sha256"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// target is a kind of machine, and the compiler that builds SQLite for it.
type target struct{ arch, compiler, install string }

var targets = []target{
	{"amd64", "x86_64-linux-gnu-gcc", "gcc-x86-64-linux-gnu"},
	{"arm64", "aarch64-linux-gnu-gcc", "gcc-aarch64-linux-gnu libc6-dev-arm64-cross"},
}

func main() {
	out := flag.String("out", "bin/release", "the folder for the archives; what stood in it is removed")
	flag.Parse()
	if err := run(*out); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

func run(out string) error {
	if err := os.RemoveAll(out); err != nil {
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	described, err := exec.Command("git", "describe", "--tags", "--always", "--dirty").Output()
	if err != nil {
		return fmt.Errorf("which version it is, git does not say: %w", err)
	}
	version := strings.TrimSpace(string(described))
	var sums strings.Builder
	for _, t := range targets {
		if _, err := exec.LookPath(t.compiler); err != nil {
			fmt.Printf("linux/%s is left out: %s is needed for it (apt-get install %s)\n", t.arch, t.compiler,
				t.install)
			continue
		}
		name, sum, err := archive(out, version, t)
		if err != nil {
			return fmt.Errorf("linux/%s: %w", t.arch, err)
		}
		fmt.Fprintf(&sums, "%s  %s\n", sum, name)
		fmt.Println(filepath.Join(out, name))
	}
	if sums.Len() == 0 {
		return fmt.Errorf("nothing could be built")
	}
	return os.WriteFile(filepath.Join(out, "checksums.txt"), []byte(sums.String()), 0o644)
}

// archive builds the program for one kind of machine and packs it.
func archive(out, version string, t target) (name, sum string, err error) {
	folder := fmt.Sprintf("alluvion-%s-linux-%s", version, t.arch)
	program := filepath.Join(out, "alluvion")
	build := exec.Command("go", "build", "-trimpath", "-buildvcs=true", "-ldflags", "-s -w", "-o", program,
		"./cmd/alluvion")
	build.Env = append(os.Environ(), "CGO_ENABLED=1", "GOOS=linux", "GOARCH="+t.arch, "CC="+t.compiler)
	build.Stderr = os.Stderr
	if err := build.Run(); err != nil {
		return "", "", err
	}
	defer os.Remove(program)
	name = folder + ".tar.gz"
	file, err := os.Create(filepath.Join(out, name))
	if err != nil {
		return "", "", err
	}
	defer file.Close()
	hash := sha256.New()
	zipped := gzip.NewWriter(io.MultiWriter(file, hash))
	packed := tar.NewWriter(zipped)
	for _, path := range []string{program, "LICENSE", "CHANGELOG.md", "packaging/README.md",
		"packaging/alluvion.service", "packaging/alluvion.env"} {
		if err := add(packed, folder, path); err != nil {
			return "", "", err
		}
	}
	if err := packed.Close(); err != nil {
		return "", "", err
	}
	if err := zipped.Close(); err != nil {
		return "", "", err
	}
	return name, fmt.Sprintf("%x", hash.Sum(nil)), file.Close()
}

func add(packed *tar.Writer, folder, path string) error {
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	head := &tar.Header{Name: folder + "/" + filepath.Base(path), Mode: int64(info.Mode().Perm()), Size: info.Size(),
		ModTime: time.Unix(0, 0)}
	if err := packed.WriteHeader(head); err != nil {
		return err
	}
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	_, err = io.Copy(packed, file)
	return err
}
