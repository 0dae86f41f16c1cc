package house

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// saying are the functions that take what a person reads.
var saying = []string{"report", "fail", "New", "refuse", "problem", "away", "Errorf", "misfit", "tell", "Fprintf", "Fprintln", "Fprint", "Sprintf", "printf", "told", "one", "beyond", "told", "add", "Fail", "End", "Refuse", "deny", "Report", "AboutPlayer", "Target", "unreadable", "hungUp"}

// spoken are the members of tables that take it.
var spoken = []string{"Reason", "Why", "Text", "Detail", "Do", "What", "Title", "Fails", "Sentence"}

// messages lists everything that the program can say, by the file that says it: texts of more than one word that stand where
// a message is made.
func messages(t *testing.T) map[string][]string {
	out := map[string][]string{}
	for _, root := range []string{"../../core", "../../service", "../../cmd", "../../client"} {
		require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
			if err != nil {
				return err
			}
			name := strings.TrimPrefix(filepath.ToSlash(path), "../../")
			keep := func(e ast.Expr) {
				ast.Inspect(e, func(n ast.Node) bool {
					if lit, ok := n.(*ast.BasicLit); ok && lit.Kind == token.STRING {
						text, err := strconv.Unquote(lit.Value)
						if err == nil && strings.Contains(strings.TrimSpace(text), " ") && strings.ContainsFunc(text, func(r rune) bool { return 'a' <= r && r <= 'z' }) {
							out[name] = append(out[name], text)
						}
					}
					_, call := n.(*ast.CallExpr)
					return !call
				})
			}
			ast.Inspect(file, func(n ast.Node) bool {
				switch n := n.(type) {
				case *ast.CallExpr:
					if slices.Contains(saying, called(n.Fun)) {
						for _, arg := range n.Args {
							keep(arg)
						}
					}
				case *ast.KeyValueExpr:
					if key, ok := n.Key.(*ast.Ident); ok && slices.Contains(spoken, key.Name) {
						keep(n.Value)
					}
				}
				return true
			})
			return nil
		}))
	}
	return out
}

func called(fun ast.Expr) string {
	switch f := fun.(type) {
	case *ast.Ident:
		return f.Name
	case *ast.SelectorExpr:
		return f.Sel.Name
	}
	return ""
}

// list is the list as it is kept: everything that the program can say, so that whoever changes a message sees it beside its
// neighbours, and reads it as a designer would.
func list(all map[string][]string) string {
	var b strings.Builder
	b.WriteString("Everything that the program can say, by the file that says it. UPDATE_GOLDEN=1 go test ./internal/house writes it.\n")
	files := make([]string, 0, len(all))
	for f := range all {
		files = append(files, f)
	}
	slices.Sort(files)
	for _, f := range files {
		texts := slices.Clone(all[f])
		slices.Sort(texts)
		fmt.Fprintf(&b, "\n%s\n", f)
		for _, text := range slices.Compact(texts) {
			fmt.Fprintf(&b, "  %s\n", strings.ReplaceAll(text, "\n", `\n`))
		}
	}
	return b.String()
}

func TestEverythingThatIsSaidIsListed(t *testing.T) {
	const path = "testdata/messages.txt"
	now := list(messages(t))
	if os.Getenv("UPDATE_GOLDEN") != "" {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(path, []byte(now), 0o644))
	}
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	if string(kept) != now { // whole lists are too long to be told
		a, b := strings.Split(string(kept), "\n"), strings.Split(now, "\n")
		for _, line := range b {
			if !slices.Contains(a, line) {
				t.Errorf("not in the list: %s", line)
			}
		}
		for _, line := range a {
			if !slices.Contains(b, line) {
				t.Errorf("in the list, and not said any more: %s", line)
			}
		}
		t.Log("read the new messages as a designer would, and write the list anew: UPDATE_GOLDEN=1 go test ./internal/house -run Listed")
	}
}

// Words that are the program's own, or say that something is wrong without saying what.
func TestMessagesSpeakNoProgrammersLanguage(t *testing.T) {
	for file, texts := range messages(t) {
		for _, text := range texts {
			for _, bad := range []string{"nil ", " nil", "struct", "goroutine", "null pointer", "unmarshal", "invalid argument", "unexpected token", "parse error", "syntax error", "validation failed",
				"the form that the message names", "regex", "enum ", "boolean", "integer", "UTF8", "an array"} {
				assert.NotContains(t, strings.ToLower(text), bad, "%s says: %s", file, text)
			}
		}
	}
}
