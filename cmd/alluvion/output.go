package main

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"

	json "github.com/go-json-experiment/json/v1"

	"golang.org/x/term"

	"alluvion.dev/core/check"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/service"
	"alluvion.dev/service/store"
)

// style colours text, or leaves it as it is.
type style bool

// styleFor colours only what a terminal shows, and not where NO_COLOR is set (no-color.org).
func styleFor(out io.Writer) style {
	f, ok := out.(*os.File)
	return style(ok && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && term.IsTerminal(int(f.Fd())))
}

func (s style) in(code, text string) string {
	if !s || text == "" {
		return text
	}
	return "\x1b[" + code + "m" + text + "\x1b[0m"
}

func (s style) bold(t string) string   { return s.in("1", t) }
func (s style) quiet(t string) string  { return s.in("2", t) }
func (s style) red(t string) string    { return s.in("31", t) }
func (s style) yellow(t string) string { return s.in("33", t) }
func (s style) green(t string) string  { return s.in("32", t) }
func (s style) blue(t string) string   { return s.in("36", t) }

func (s style) severity(v finding.Severity) string {
	switch v {
	case finding.Error:
		return s.red(string(v))
	case finding.Warning:
		return s.yellow(string(v))
	}
	return s.blue(string(v))
}

func nearest(name string, names []string) string { return finding.Nearest(name, names) }

func writeJSON(out io.Writer, v any) error {
	e := json.NewEncoder(out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// readPlan reads a plan's file; - is standard input. Nothing larger than a plan may be is read whole.
func (c *call) readPlan() ([]byte, string, error) {
	if len(c.args) != 1 {
		fmt.Fprintf(c.err, "alluvion: one plan is wanted, not %d.\n", len(c.args))
		return nil, "", errUse
	}
	return c.readFile(c.args[0])
}

// planToRun reads the plan that a command is about. Where it cannot run, what is wrong with it has been printed, and
// there is none, but the exit status.
func (c *call) planToRun() (m *model.Model, name string, code int, err error) {
	source, name, err := c.readPlan()
	if err != nil {
		return nil, name, failed, err
	}
	m, _, found := check.Plan(source, commonsBeside(name))
	if found.Errors() {
		c.printFindings(name, found)
		return nil, name, findings, nil
	}
	return m, name, findings, nil
}

func (c *call) readFile(name string) ([]byte, string, error) {
	if name == "-" {
		raw, err := io.ReadAll(io.LimitReader(c.in, maxFile))
		return raw, "standard input", err
	}
	if files := c.loose[name]; files != nil {
		raw, err := c.packed(files)
		return raw, name, err
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, name, err
	}
	defer func() { _ = f.Close() }()
	if info, err := f.Stat(); err == nil && info.IsDir() {
		return nil, name, folderFor(name)
	}
	raw, err := io.ReadAll(io.LimitReader(f, maxFile))
	return raw, name, err
}

// errFolder is a folder where a file is wanted.
var errFolder = errors.New("is a folder, and a plan's file is wanted")

// folderFor says which plans are in a folder that was named in place of one.
func folderFor(name string) error {
	found, _ := filepath.Glob(filepath.Join(name, "*.yaml"))
	if len(found) == 0 {
		return fmt.Errorf("%s %w; there is none in it", name, errFolder)
	}
	return fmt.Errorf("%s %w, such as %s", name, errFolder, found[0])
}

// replaceFile writes a designer's file anew, with the rights that it has: whole, or, whatever happens meanwhile, not at
// all.
func replaceFile(name string, text []byte) error {
	name, err := filepath.EvalSymlinks(name)
	if err != nil {
		return err
	}
	kept, err := os.Stat(name)
	if err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(name), "."+filepath.Base(name)+".*")
	if err != nil {
		return err
	}
	defer func() { _ = os.Remove(part.Name()) }() // which is gone where all went well
	_, err = part.Write(text)
	err = errors.Join(err, part.Chmod(kept.Mode().Perm()), part.Sync(), part.Close())
	if err != nil {
		return err
	}
	return os.Rename(part.Name(), name)
}

// commonsBeside finds the commons that a plan uses: in the plan's folder, or one or two above.
func commonsBeside(plan string) model.Commons {
	return func(id string) ([]byte, error) {
		folder := filepath.Dir(plan)
		for _, path := range []string{filepath.Join(folder, id+".yaml"), filepath.Join(folder, "..", id+".yaml"),
			filepath.Join(folder, "..", "..", id+".yaml")} {
			if text, err := os.ReadFile(path); err == nil {
				return text, nil
			}
		}
		return nil, fmt.Errorf("there is no %s.yaml beside the plan, or one or two folders above", id)
	}
}

// maxFile is enough of a file to see that it is larger than a plan may be.
const maxFile = 2 << 20

// wide is how many columns a line of text may have: what COLUMNS says or the terminal has, at least 72; 98 where neither is
// known.
func (c *call) wide() int {
	if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n > 0 {
		return max(n, 72)
	}
	if f, ok := c.terminal.(*os.File); ok {
		if n, _, err := term.GetSize(int(f.Fd())); err == nil && n > 0 {
			return max(n, 72)
		}
	}
	return 98
}

// wrap breaks a sentence into lines as wide as the terminal.
func (c *call) wrap(text, indent string) string { return wrap(text, indent, c.wide()-len(indent)) }

// wrap breaks a sentence into lines.
func wrap(text, indent string, width int) string {
	var lines []string
	line := ""
	for _, word := range strings.Fields(text) {
		if line != "" && len([]rune(line))+1+len([]rune(word)) > width {
			lines, line = append(lines, indent+line), ""
		}
		if line != "" {
			line += " "
		}
		line += word
	}
	return strings.Join(append(lines, indent+line), "\n")
}

// plainError is an error in words for people: of files and of services, without the names of calls.
func plainError(err error) string {
	var asked *url.Error
	var file *fs.PathError
	switch {
	case errors.As(err, &asked):
		where := asked.URL
		if u, bad := url.Parse(asked.URL); bad == nil {
			where = u.Scheme + "://" + u.Host
		}
		if errors.Is(err, syscall.ECONNREFUSED) {
			return "no service answers at " + where + "."
		}
		return fmt.Sprintf("the service at %s cannot be asked: %v", where, asked.Err)
	case errors.As(err, &file) && err == error(file) && errors.Is(err, fs.ErrNotExist):
		return "there is no file " + file.Path + "."
	case errors.As(err, &file) && err == error(file) && errors.Is(err, fs.ErrPermission):
		return file.Path + " cannot be opened: it belongs to somebody else."
	}
	return err.Error()
}

// nextToTry is what helps with an error.
func nextToTry(err error) string {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "check the path; ls shows what is there"
	case errors.Is(err, service.ErrNotLoopback):
		return "alluvion serve -addr 127.0.0.1:8230"
	case errors.Is(err, syscall.EADDRINUSE):
		return "another port, such as -addr 127.0.0.1:8231, or -addr 127.0.0.1:0 for any free one"
	case errors.Is(err, store.ErrInUse):
		return "stop the other service, or use another file with -data"
	case errors.Is(err, syscall.ECONNREFUSED):
		return "alluvion serve, in another terminal"
	}
	return ""
}
