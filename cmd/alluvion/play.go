package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"golang.org/x/term"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
	"alluvion.dev/service"
)

const playHelp = `Plays in a service of its own for one plan, or (-service, -game) in one that runs. Each line of a
script, or each line that you type, is one of:

  join wren [slot]              a player comes
  wren move 30 1 [facing]       goes somewhere in the scene
  wren pass porch_gorge         takes a passage
  wren touch gorge_shelter      touches a checkpoint
  wren load [name=value ...]    sends an event of the plan
  wren start-over | wren leave
  server gust at=wren amount=40 the game's server sends an event
  server write player.oil 20 [wren]
  show wren | show session      prints values: start, live, saved
  why wren [player.warmth]      prints what changed, and why
  standing carried [wren]       prints who stands where, of all who were ever saved, or those around wren
  save wren                     saves now
  wait 0.8s
  restart                       stops the service, saving everybody, and starts it again
  refused wren pass mill_gate   the same as without the word, and expected to be refused
  # ...                         a remark

The exit status is 1 where something was refused that was not expected to be, or the other way round.`

// player plays lines in a session, and prints what comes of them.
type player struct {
	client  *client.Client
	session *client.Session
	game    string
	name    string
	out     io.Writer
	style   style
	json    bool
	quiet   bool
	restart func(ctx context.Context) error // nil where the service is not ours
	staying staying
	amiss   int // how often something was refused that should not have been, or not
}

func runPlay(c *call) (int, error) {
	own := c.service == ""
	p := &player{out: c.out, style: c.style, json: c.json, name: c.session, game: c.game}
	script, err := c.playArgs(own)
	if err != nil {
		return wrongUse, err
	}
	if !own {
		if err := c.needsGame(); err != nil {
			return failed, err
		}
		p.game = c.game
	}
	if own {
		stop, err := c.ownService(p)
		if err != nil {
			return failed, err
		}
		if stop == nil {
			return findings, nil
		}
		defer stop()
	} else {
		p.client = c.remote()
	}
	if p.session, err = p.client.Open(c.ctx, p.game, p.name); err != nil {
		return failed, fmt.Errorf("the session could not be opened: %w", err)
	}
	in, interactive, err := c.script(script)
	if err != nil {
		return failed, err
	}
	here, gone := context.WithCancel(c.ctx)
	defer gone()
	go p.staying.keep(here)
	if err := p.play(c.ctx, in, interactive); err != nil {
		return failed, err
	}
	if p.amiss > 0 && !interactive {
		return findings, nil
	}
	return fine, nil
}

// playArgs takes the plan and the script out of the arguments.
func (c *call) playArgs(own bool) (script string, err error) {
	most := 2
	if !own {
		most = 1
	}
	switch {
	case own && len(c.args) == 0:
		fmt.Fprintln(c.err, "alluvion: which plan? Name a plan's file, or a running service with -service and -game.")
		return "", errUse
	case len(c.args) > most:
		fmt.Fprintf(c.err, "alluvion: %q was not expected.\n", c.args[most])
		return "", errUse
	}
	if len(c.args) == most {
		return c.args[most-1], nil
	}
	return "", nil
}

func (c *call) script(name string) (io.Reader, bool, error) {
	if name == "" || name == "-" {
		f, ok := c.in.(*os.File)
		return c.in, ok && term.IsTerminal(int(f.Fd())), nil
	}
	raw, err := os.ReadFile(name)
	return strings.NewReader(string(raw)), false, err
}

// ownService starts a service for one plan. Where the plan cannot run its findings are printed, and
// there is nothing to stop.
func (c *call) ownService(p *player) (stop func(), err error) {
	source, name, err := c.readFile(c.args[0])
	if err != nil {
		return nil, err
	}
	data := c.data
	remove := func() {}
	if data == "" {
		dir, err := os.MkdirTemp("", "alluvion-play-")
		if err != nil {
			return nil, err
		}
		data, remove = filepath.Join(dir, "play.db"), func() { _ = os.RemoveAll(dir) }
	}
	doc, found := plan.Read(source)
	if found.Errors() {
		remove()
		c.printFindings(name, found)
		return nil, nil
	}
	p.game = doc.Game.Name
	s, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: data, Version: version})
	if err != nil {
		remove()
		return nil, err
	}
	p.client = client.New(s.URL())
	ok, err := c.ensurePlan(p, source, name)
	finish := func() {
		ctx, cancel := context.WithTimeout(context.Background(), service.StopWithin)
		defer cancel()
		if err := s.Stop(ctx); err != nil {
			fmt.Fprintf(c.err, "alluvion: the service did not stop cleanly: %v\n", err)
		}
	}
	p.restart = func(ctx context.Context) error {
		finish()
		if s, err = service.Start(service.Config{Addr: "127.0.0.1:0", Data: data, Version: version}); err != nil {
			return err
		}
		p.client = client.New(s.URL())
		p.session, err = p.client.Open(ctx, p.game, p.name)
		return err
	}
	if !ok || err != nil {
		finish()
		remove()
		return nil, err
	}
	return func() { finish(); remove() }, nil
}

// ensurePlan makes the file the game's plan, in place of what a kept data file had.
func (c *call) ensurePlan(p *player, source []byte, name string) (bool, error) {
	if err := c.ensureCommons(p, source, name); err != nil {
		return false, err
	}
	report, err := p.client.Check(c.ctx, source)
	if err != nil {
		return false, err
	}
	if !report.Runnable {
		c.printFindings(name, report.Findings)
		return false, nil
	}
	_, etag, err := p.client.Plan(c.ctx, p.game)
	var problem *client.Problem
	if err != nil && !(errors.As(err, &problem) && problem.Status == 404) {
		return false, err
	}
	_, _, err = p.client.PutPlan(c.ctx, p.game, source, etag)
	return err == nil, err
}

// ensureCommons brings the commons that the plan uses into the service.
func (c *call) ensureCommons(p *player, source []byte, name string) error {
	doc, _ := plan.Read(source)
	for _, use := range doc.Uses {
		text, err := commonsBeside(name)(use.Commons.Name)
		if err != nil {
			continue // the check says so
		}
		_, etag, _ := p.client.Commons(c.ctx, use.Commons.Name)
		if _, err := p.client.PutCommons(c.ctx, use.Commons.Name, text, etag); err != nil {
			return err
		}
	}
	return nil
}

func (p *player) play(ctx context.Context, in io.Reader, interactive bool) error {
	lines := bufio.NewScanner(in)
	if interactive {
		fmt.Fprintln(p.out, p.style.quiet("Type help for what can be played; Ctrl-D ends."))
	}
	for {
		if interactive {
			fmt.Fprint(p.out, p.style.bold("> "))
		}
		if !lines.Scan() || ctx.Err() != nil {
			break
		}
		line := strings.TrimSpace(lines.Text())
		switch {
		case line == "":
		case line == "help":
			fmt.Fprintln(p.out, playHelp)
		case line == "quit" || line == "exit":
			return nil
		default:
			if !interactive && !p.json {
				p.echo(line)
			}
			if err := p.line(ctx, line); err != nil {
				return err
			}
		}
	}
	return lines.Err()
}

func (p *player) echo(line string) {
	if strings.HasPrefix(line, "#") {
		fmt.Fprintln(p.out, "\n"+p.style.blue(line))
		return
	}
	fmt.Fprintln(p.out, p.style.bold(line))
}

// line plays one line. Refusals are printed and counted; an error is what makes going on senseless.
func (p *player) line(ctx context.Context, line string) error {
	if strings.HasPrefix(line, "#") {
		return nil
	}
	words := strings.Fields(line)
	expected := words[0] == "refused" && len(words) > 1
	if expected {
		words = words[1:]
	}
	handled, err := p.special(ctx, words)
	if handled {
		return p.outcome(nil, err, expected)
	}
	req, err := requestOf(words)
	if err != nil {
		p.amiss++
		p.printf("  %s\n", p.style.red(err.Error()))
		return nil
	}
	answer, err := p.session.Do(ctx, req)
	if req.Do == "join" && err == nil {
		p.staying.add(p.session, req.Player)
	}
	if p.json {
		return p.printJSON(req, answer, err)
	}
	if req.Do == "move" && err == nil && len(answer.Changes)+len(answer.Notices) == 0 && !expected {
		return nil // the line says it all
	}
	return p.outcome(&answer, err, expected)
}

// outcome prints what came of a line, and counts what was not expected.
func (p *player) outcome(answer *contract.Answer, err error, expected bool) error {
	var problem *client.Problem
	if err != nil && !errors.As(err, &problem) {
		return err
	}
	misspelt := expected && err != nil && problem.Type == "/problems/"+engine.Unknown
	if (err != nil) != expected || misspelt {
		p.amiss++
	}
	switch {
	case misspelt:
		p.printf("  %s %s\n", p.style.red("refused, but for a name that stands for nothing:"), problemText(problem))
	case err != nil && expected:
		p.printf("  %s %s\n", p.style.green("refused, as expected:"), problemText(problem))
	case err != nil:
		p.printf("  %s %s\n", p.style.red("refused:"), problemText(problem))
	case expected:
		p.printf("  %s\n", p.style.red("this was expected to be refused, and was not"))
	}
	if answer != nil && err == nil {
		p.printAnswer(*answer)
	}
	return nil
}

func problemText(p *client.Problem) string {
	text := p.Error()
	if p.Rule > 0 {
		text += fmt.Sprintf(" (rule %d, line %d)", p.Rule, p.Line)
	}
	for _, e := range p.Errors {
		text += "\n    " + e
	}
	return text
}

// special plays the lines that are no requests.
func (p *player) special(ctx context.Context, words []string) (bool, error) {
	switch {
	case words[0] == "show" && len(words) == 2 && words[1] == "session":
		return true, p.showSession(ctx)
	case words[0] == "show" && len(words) == 2:
		return true, p.show(ctx, words[1])
	case words[0] == "why" && (len(words) == 2 || len(words) == 3):
		return true, p.why(ctx, words[1:])
	case words[0] == "standing" && (len(words) == 2 || len(words) == 3):
		return true, p.standing(ctx, words[1:])
	case words[0] == "save" && len(words) == 2:
		saved, err := p.client.Save(ctx, p.game, words[1])
		if err == nil {
			p.printf("  saved: revision %d\n", saved.Revision)
		}
		return true, err
	case words[0] == "wait" && len(words) == 2:
		d, err := time.ParseDuration(words[1])
		if err != nil || d < 0 || d > time.Minute {
			return true, &client.Problem{Detail: "wait needs a time of at most a minute, such as 0.8s", Status: 422}
		}
		select {
		case <-time.After(d):
		case <-ctx.Done():
		}
		return true, nil
	case words[0] == "restart" && len(words) == 1:
		if p.restart == nil {
			return true, &client.Problem{Detail: "only a service of play's own can be restarted; this one belongs to somebody else", Status: 409}
		}
		return true, p.restart(ctx)
	}
	return false, nil
}

// requestOf reads a line such as: wren load count=2.
func requestOf(words []string) (contract.Request, error) {
	if words[0] == "join" {
		return joinOf(words[1:])
	}
	if len(words) < 2 {
		return contract.Request{}, fmt.Errorf("%q says nothing to do; type help for what can be played", words[0])
	}
	who, do, rest := words[0], words[1], words[2:]
	req := contract.Request{Player: who}
	if who == "server" {
		req.Player, req.Server = "", true
	}
	switch do {
	case "move":
		return moveOf(req, rest)
	case "pass", "touch":
		req.Do = do
		if len(rest) != 1 {
			return req, fmt.Errorf("%s needs the name of one", do)
		}
		req.Name = rest[0]
		return req, nil
	case "leave", "start-over":
		req.Do = do
		return req, nil
	case "write":
		return writeOf(req, rest)
	}
	req.Do, req.Name, req.Args = "event", do, map[string]types.Value{}
	return req, argsOf(rest, req.Args)
}

func joinOf(rest []string) (contract.Request, error) {
	req := contract.Request{Do: "join", Slot: 1}
	if len(rest) == 0 || len(rest) > 2 {
		return req, errors.New("join needs a player, and perhaps a slot: join wren 2")
	}
	req.Player = rest[0]
	if len(rest) == 2 {
		slot, err := strconv.Atoi(rest[1])
		if err != nil || slot < 1 {
			return req, fmt.Errorf("%q is no slot; slots are numbered from 1", rest[1])
		}
		req.Slot = slot
	}
	return req, nil
}

func moveOf(req contract.Request, rest []string) (contract.Request, error) {
	req.Do = "move"
	for _, w := range rest {
		n, err := fixed.Parse(w)
		if err != nil {
			req.Facing = w
			continue
		}
		req.To = append(req.To, n)
	}
	if len(req.To) == 0 {
		return req, errors.New("move needs coordinates: wren move 30 1")
	}
	return req, nil
}

func writeOf(req contract.Request, rest []string) (contract.Request, error) {
	req.Do = "write"
	if len(rest) < 2 {
		return req, errors.New("write needs a variable and a value: server write player.oil 20 wren")
	}
	v := valueOf(rest[1])
	req.Name, req.Value = rest[0], &v
	if len(rest) > 2 && strings.HasPrefix(req.Name, "scene.") {
		req.Args = map[string]types.Value{"scene": types.OfText(rest[2])}
	} else if len(rest) > 2 {
		req.Player = rest[2]
	}
	return req, nil
}

func argsOf(words []string, into map[string]types.Value) error {
	for _, w := range words {
		name, value, ok := strings.Cut(w, "=")
		if !ok {
			return fmt.Errorf("%q is no argument; arguments are written name=value", w)
		}
		into[name] = valueOf(value)
	}
	return nil
}

// valueOf reads a value as it is typed: a number, true, false, none, or a text (in quotes where it
// looks like something else).
func valueOf(s string) types.Value {
	if n, err := fixed.Parse(s); err == nil {
		return types.OfNum(n)
	}
	switch s {
	case "true", "false":
		return types.OfBool(s == "true")
	case "none":
		return types.None
	}
	if text, err := strconv.Unquote(s); err == nil {
		return types.OfText(text)
	}
	return types.OfText(s)
}

func (p *player) printf(format string, args ...any) {
	if !p.quiet {
		fmt.Fprintf(p.out, format, args...)
	}
}

func (p *player) printAnswer(a contract.Answer) {
	if !p.quiet {
		p.style.happened(p.out, "  ", a.Changes, a.Notices)
	}
	if a.Saved != nil && a.Saved.Error != "" {
		p.printf("  %s\n", p.style.red("not saved yet: "+a.Saved.Error))
	} else if a.Saved != nil {
		p.printf("  %s\n", p.style.green(fmt.Sprintf("saved on %s: revision %d", a.Saved.Moment, a.Saved.Revision)))
	}
	if len(a.Changes)+len(a.Notices) == 0 {
		p.printf("  %s\n", p.style.quiet("applied; nothing changed"))
	}
}

func (p *player) printJSON(req contract.Request, a contract.Answer, err error) error {
	var problem *client.Problem
	switch {
	case err == nil:
		return json.NewEncoder(p.out).Encode(map[string]any{"request": req, "answer": a})
	case errors.As(err, &problem):
		p.amiss++
		return json.NewEncoder(p.out).Encode(map[string]any{"request": req, "problem": problem})
	}
	return err
}
