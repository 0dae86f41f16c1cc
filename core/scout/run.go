package scout

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/types"
)

// Run is a way from the start to something, as the steps of a rehearsal.
type Run struct {
	Title    string   `json:"title"`
	Steps    []string `json:"steps"`
	Moves    int      `json:"moves"`    // of players, the game and time; a step of walking belongs to what it is for
	Shortest bool     `json:"shortest"` // that no run of fewer moves leads there
	Digest   string   `json:"digest"`   // of the session's state at its end
	Last     string   `json:"last"`     // the last move, in words
	End      string   `json:"end"`      // what holds at its end, as a condition about Of
	Of       string   `json:"of"`       // the first player who is there; empty where nobody is

	players []string
}

// Script is the run as a rehearsal: one that plays to the same end.
func (r *Run) Script(plan string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "rehearsal: %s\nplan: %s\nplayers: [%s]\nsteps:\n", quoted(r.Title), plan,
		strings.Join(r.players, ", "))
	for _, s := range r.Steps {
		b.WriteString("  - " + s + "\n")
	}
	fmt.Fprintf(&b, "  - {expect: %s", quoted(r.End))
	if r.Of != "" {
		fmt.Fprintf(&b, ", of: %s", r.Of)
	}
	b.WriteString("}\n")
	return b.String()
}

// quoted is a text as YAML takes it anywhere: JSON is YAML.
func quoted(s string) string {
	raw, err := json.Marshal(s)
	if err != nil {
		return `""`
	}
	return string(raw)
}

// noteStep notes a request as a step of a rehearsal, where a run is written down.
func (w *worker) noteStep(req *engine.Request) {
	switch {
	case !w.records:
	case req.Do == "commons":
		v := w.m.Var(req.Name)
		w.step(fmt.Sprintf("{write: %s, by: %s, player: %s, value: %s}", v.Name, v.Shared.Writer, req.Player,
			literal(req.Shared[v.Shared.Commons][v.Shared.ID])))
	default:
		w.step(stepOf(req))
	}
}

// stepOf is a request as a step of a rehearsal.
func stepOf(req *engine.Request) string {
	by := req.Player
	if req.Server {
		by = "server"
	}
	switch req.Do {
	case "move":
		to := make([]string, len(req.To))
		for i, n := range req.To {
			to[i] = n.String()
		}
		facing := ""
		if req.Facing != "" {
			facing = ", facing: " + req.Facing
		}
		return fmt.Sprintf("{move: %s, to: [%s]%s}", req.Player, strings.Join(to, ", "), facing)
	case "join":
		if len(req.Picks) > 0 {
			return fmt.Sprintf("{join: %s, as: %s}", req.Player, arguments(req.Picks))
		}
	case "pass", "touch":
		return fmt.Sprintf("{%s: %s, by: %s}", req.Do, req.Name, req.Player)
	case "event":
		if len(req.Args) == 0 {
			return fmt.Sprintf("{event: %s, by: %s}", req.Name, by)
		}
		return fmt.Sprintf("{event: %s, by: %s, args: %s}", req.Name, by, arguments(req.Args))
	case "write":
		whose := ""
		if req.Server && req.Player != "" {
			whose = ", player: " + req.Player
		}
		for _, key := range slices.Sorted(maps.Keys(req.Args)) {
			whose += fmt.Sprintf(", %s: %s", key, req.Args[key].Text)
		}
		return fmt.Sprintf("{write: %s, by: %s%s, value: %s}", req.Name, by, whose, literal(req.Value))
	}
	return fmt.Sprintf("{%s: %s}", req.Do, req.Player) // join, leave, die, start-over
}

// step notes a step of a rehearsal that is no request.
func (w *worker) step(text string) {
	if w.records {
		w.steps = append(w.steps, text)
	}
}

// waited notes that time passed.
func (w *worker) waited(ms int64) {
	if w.records {
		w.steps = append(w.steps, fmt.Sprintf("{wait: %s}", duration(ms)))
	}
}

// duration is a time as plans write it.
func duration(ms int64) string {
	if ms%1000 == 0 {
		return fmt.Sprintf("%ds", ms/1000)
	}
	return fmt.Sprintf("%dms", ms)
}

func arguments(args map[string]types.Value) string {
	var parts []string
	for _, id := range slices.Sorted(maps.Keys(args)) {
		parts = append(parts, id+": "+literal(args[id]))
	}
	return "{" + strings.Join(parts, ", ") + "}"
}

// literal is a value as a rehearsal writes it.
func literal(v types.Value) string {
	raw, err := v.MarshalJSON()
	if err != nil {
		return "null"
	}
	return string(raw)
}

// replay plays moves from the start and writes them down.
func (w *worker) replay(list []*move) (*Run, error) {
	w.begin()
	w.heard = nil
	w.records, w.steps, w.rates = true, nil, engine.Rates{}
	defer func() { w.records = false }()
	var with *move
	if len(list) > 0 && list[0].do == "join" {
		with, list = list[0], list[1:]
	}
	if err := w.start(with); err != nil {
		return nil, err
	}
	out := &Run{Moves: len(list), players: w.moves.players}
	for _, m := range list {
		w.notTooOften(m)
		w.do(m)
		out.Last = m.words()
	}
	out.Steps, out.Digest = w.steps, w.run.Digest()
	out.End, out.Of = w.end()
	return out, nil
}

// end is what holds now: where the first player is who is there, and whether they live.
func (w *worker) end() (that, of string) {
	for _, id := range w.moves.players {
		if p := w.player(id); p != nil {
			at, _, _ := p.Where()
			return fmt.Sprintf("place.scene == '%s' && player.dead == %t", w.m.Scenes[at.Scene].ID, p.Dead()), id
		}
	}
	return "count(present) == 0", ""
}

// notTooOften waits until a plan's at_most lets somebody send something again: searches send without waiting.
func (w *worker) notTooOften(m *move) {
	if m.do != "event" && m.do != "write" {
		return
	}
	for range 1000 {
		req := engine.Request{Do: m.do, Player: m.player, Name: m.name, Server: m.server, At: w.run.Clock()}
		if w.rates.Allow(w.run, req) == nil {
			return
		}
		w.advance(1000)
	}
}
