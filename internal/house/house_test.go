// Package house tests the rules that hold the house up.
package house

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/wire"
	"alluvion.dev/internal/generated"
)

const root = "../.."

func golist(t *testing.T, args ...string) []string {
	cmd := exec.Command("go", append([]string{"list"}, args...)...)
	cmd.Dir = root
	out, err := cmd.Output()
	require.NoError(t, err)
	return strings.Fields(string(out))
}

// The core reads no clock, no file and no network: it imports nothing of the house around it, and no
// package that does input or output.
func TestTheCoreIsPure(t *testing.T) {
	forbidden := []string{"os", "net", "net/http", "database/sql", "math/rand", "math/rand/v2", "crypto/rand", "os/exec", "syscall", "io/fs", "embed", "log", "log/slog"}
	for _, pkg := range golist(t, "./core/...") {
		for _, imported := range golist(t, "-f", "{{join .Imports \"\\n\"}}", pkg) {
			assert.NotContains(t, forbidden, imported, "%s imports %s", pkg, imported)
			if rest, ours := strings.CutPrefix(imported, "alluvion.dev/"); ours {
				assert.True(t, strings.HasPrefix(rest, "core/"), "%s imports %s", pkg, imported)
			}
		}
	}
}

// The engine asks nobody what time it is.
func TestTheCoreReadsNoClock(t *testing.T) {
	files, err := filepath.Glob(root + "/core/*/*.go")
	require.NoError(t, err)
	for _, f := range files {
		text, err := os.ReadFile(f)
		require.NoError(t, err)
		assert.NotContains(t, string(text), "time.Now", f)
		assert.NotContains(t, string(text), "time.Since", f)
	}
}

// The core starts no goroutine, which is why its tests run without the race detector: those of the service, which do use
// it from many goroutines, run with it.
func TestTheCoreStartsNoGoroutine(t *testing.T) {
	files, err := filepath.Glob(root + "/core/*/*.go")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		file, err := parser.ParseFile(token.NewFileSet(), f, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			_, starts := n.(*ast.GoStmt)
			return assert.False(t, starts, f)
		})
	}
}

// Tests use rapid, the program does not: it registers flags.
func TestTheProgramDoesNotLinkTheTestTools(t *testing.T) {
	deps := golist(t, "-deps", "./cmd/alluvion")
	for _, tool := range []string{"pgregory.net/rapid", "github.com/stretchr/testify/assert", "github.com/chromedp/chromedp"} {
		assert.NotContains(t, deps, tool)
	}
}

// Whoever uses the client takes nothing of the service along.
func TestTheClientLinksNeitherTheServiceNorItsStore(t *testing.T) {
	for _, pkg := range []string{"./client", "./contract"} {
		for _, dep := range golist(t, "-deps", pkg) {
			for _, part := range []string{"alluvion.dev/service", "sqlite", "gorm.io", "danielgtaylor/huma", "go-chi/chi"} {
				assert.NotContains(t, dep, part, "%s needs %s", pkg, dep)
			}
		}
	}
}

// Every entry of every table is explained and tried: what rules can do in the engine's own tests, crossings and holders in
// words. Of types core/types has a test of its own, of findings core/check.
func TestEveryEntryOfEveryTableIsExplainedAndTried(t *testing.T) {
	reference, err := os.ReadFile(root + "/docs/plan.md")
	require.NoError(t, err)
	files, err := filepath.Glob(root + "/core/engine/*_test.go")
	require.NoError(t, err)
	files = append(files, root+"/internal/worlds/plans.go") // in which these tests play
	var tried strings.Builder
	for _, f := range files {
		text, err := os.ReadFile(f)
		require.NoError(t, err)
		tried.Write(text)
	}
	for _, verb := range plan.Verbs() {
		assert.True(t, strings.Contains(string(reference), "| `"+verb+"` | "), "%s is documented", verb)
		assert.True(t, strings.Contains(tried.String(), verb+": "), "%s is tried", verb)
	}
	for _, c := range plan.Crossings {
		for _, text := range []string{c.String(), c.Title(), c.Meaning(), c.Apart()} {
			assert.NotEmpty(t, text)
		}
		for h := model.OfPlayer; h <= model.OfPlayerProp; h++ {
			assert.NotEmpty(t, h.String())
		}
	}
}

// Whatever players are told of is of a kind that the messages' schema and the reference know.
func TestEveryKindOfNoticeIsKnownOutside(t *testing.T) {
	reference, err := os.ReadFile(root + "/docs/plan.md")
	require.NoError(t, err)
	files, err := filepath.Glob(root + "/core/engine/*.go")
	require.NoError(t, err)
	notice, found := regexp.MustCompile(`Notice\{[^}]*Kind: "([a-z-]+)"`), map[string]bool{}
	for _, f := range files {
		text, err := os.ReadFile(f)
		require.NoError(t, err)
		for _, kind := range notice.FindAllStringSubmatch(string(text), -1) {
			found[kind[1]] = true
		}
	}
	assert.Len(t, found, len(wire.ToldKinds))
	for kind := range found {
		assert.Contains(t, wire.ToldKinds, kind)
		assert.Contains(t, string(reference), "`"+kind+"`")
	}
}

func TestGeneratedFilesAreCurrent(t *testing.T) {
	t.Chdir(root)
	files, err := generated.Files()
	require.NoError(t, err)
	for path, want := range files {
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, string(want), string(got), "%s is out of date: make generate", path)
	}
}

// Every public name of the core and the service is explained.
func TestEveryPackageIsExplained(t *testing.T) {
	for _, pkg := range golist(t, "-f", "{{if not .Doc}}{{.ImportPath}}{{end}}", "./...") {
		if pkg != "alluvion.dev/internal/house" {
			assert.Fail(t, "a package without a comment", pkg)
		}
	}
}

// The plan that the README begins with has no problems.
func TestTheREADMEsPlanIsFine(t *testing.T) {
	raw, err := os.ReadFile(root + "/README.md")
	require.NoError(t, err)
	_, rest, ok := strings.Cut(string(raw), "```yaml\n")
	require.True(t, ok)
	text, _, _ := strings.Cut(rest, "```")
	_, _, found := check.Text([]byte(text))
	assert.Empty(t, found)
}

func TestScreenshotsAreLinked(t *testing.T) {
	shots, err := filepath.Glob(root + "/docs/screenshots/*.png")
	require.NoError(t, err)
	assert.Less(t, len(shots), 20)
	pages, err := filepath.Glob(root + "/docs/*.md")
	require.NoError(t, err)
	var text strings.Builder
	for _, p := range append(pages, root+"/README.md") {
		raw, err := os.ReadFile(p)
		require.NoError(t, err)
		text.Write(raw)
	}
	for _, s := range shots {
		assert.Contains(t, text.String(), filepath.Base(s))
	}
}

// One library reads and writes JSON, so that what one part writes another reads the same way.
func TestOneLibraryReadsAndWritesJSON(t *testing.T) {
	for _, pair := range golist(t, "-f", `{{range .Imports}}{{$.ImportPath}}|{{.}} {{end}}`, "./core/...", "./service/...", "./client/...", "./contract/...", "./cmd/...") {
		assert.False(t, strings.HasSuffix(pair, "|encoding/json"), pair)
	}
}
