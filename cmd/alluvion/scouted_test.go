package main

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/rehearse"
	"alluvion.dev/core/save"
	"alluvion.dev/core/scout"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
)

// lived plays a run of a search in a session of the real service, with players of its own.
type lived struct {
	t    *testing.T
	d    *daemon
	data string
	m    string // the game
	room string
	as   string // what the players' names end with
}

func (x *lived) session() *client.Session { return x.d.c.Session(x.m, x.room) }

func (x *lived) player(name string) string { return name + x.as }

func (x *lived) open() {
	_, err := x.d.c.Open(bg, x.m, x.room)
	require.NoError(x.t, err)
}

// players are values that name players, by the names that they have here.
func (x *lived) values(given plan.Map[plan.Literal]) wire.Values {
	out := wire.Values{}
	for _, e := range given.Entries {
		v := e.Value.Looks()
		if v.Kind == types.IsText && (v.Text == "p1" || v.Text == "p2") {
			v = types.OfText(x.player(v.Text))
		}
		out[e.ID] = v
	}
	return out
}

// step plays one step; it is false where the real service has no such request, or it would take too long.
func (x *lived) step(s *plan.Step) (plays bool, err error) {
	req := contract.Request{Do: s.Verb, Player: x.player(s.By.Value)}
	switch s.Verb {
	case "expect":
		return true, nil
	case "wait":
		if s.Wait.Value > 2*time.Second {
			return false, nil
		}
		time.Sleep(s.Wait.Value + 700*time.Millisecond)
		return true, nil
	case "crash":
		x.d.kill()
		*x.d = *serve(x.t, x.data)
		x.open()
		return true, nil
	case "restart":
		require.NoError(x.t, x.session().Close(bg))
		x.open()
		return true, nil
	case "refused":
		if plays, err = x.step(s.Refused); !plays {
			return false, nil
		}
		require.Error(x.t, err, "%v is to be refused", s.Refused)
		return true, nil
	case "join":
		req.Player, req.Picks = x.player(s.Join.Name), x.values(s.As)
	case "leave":
		req.Player = x.player(s.Leave.Name)
	case "start-over":
		req.Player = x.player(s.StartOver.Name)
	case "move":
		req.Player, req.Facing = x.player(s.Move.Name), s.Facing.Value
		for _, n := range s.To.Items {
			req.To = append(req.To, n.Number)
		}
	case "pass":
		req.Name = s.Pass.Name
	case "touch":
		req.Name = s.Touch.Name
	case "event":
		req.Name, req.Args = s.Event.Name, x.values(s.Args)
	case "write":
		if s.By.Value != "server" && s.Player.Given {
			return false, nil // another game's
		}
		value := s.Value.Looks()
		req.Name, req.Value, req.Args = s.Write.Name, &value, wire.Values{}
		for of, id := range map[string]string{"scene": s.Scene.Value, "prop": s.Prop.Value, "option": s.Option.Value} {
			if id != "" {
				req.Args[of] = types.OfText(id)
			}
		}
	default:
		return false, nil
	}
	if s.By.Value == "server" {
		req.Server, req.Player = true, ""
		if s.Player.Given {
			req.Player = x.player(s.Player.Value)
		}
	}
	_, err = x.session().Do(bg, req)
	return true, err
}

// plays plays a whole run, and holds what it leads to against where it ends as a rehearsal.
func (x *lived) plays(run *scout.Run, text []byte) bool {
	script, found := plan.ReadRehearsal([]byte(run.Script("plan.yaml")))
	require.Empty(x.t, found)
	x.open()
	for i := range script.Steps {
		plays, err := x.step(&script.Steps[i])
		if !plays {
			return false
		}
		require.NoError(x.t, err, "step %d of\n%s", i+1, run.Script("plan.yaml"))
	}
	var end *engine.Run
	rehearse.Watch([]byte(run.Script("plan.yaml")), func(name string) ([]byte, error) {
		if name != "plan.yaml" {
			return examples.Commons(strings.TrimSuffix(filepath.Base(name), ".yaml"))
		}
		return text, nil
	}, func(_ int, now *engine.Run, _ int64) { end = now })
	for _, id := range end.Present() {
		want, err := save.Encode(end.Save(id))
		require.NoError(x.t, err)
		saved, err := x.d.c.Save(bg, x.m, x.player(id))
		require.NoError(x.t, err)
		got, err := x.d.c.Revision(bg, x.m, x.player(id), 1, saved.Revision)
		require.NoError(x.t, err)
		want = []byte(strings.NewReplacer(`"p1"`, `"`+x.player("p1")+`"`, `"p2"`, `"`+x.player("p2")+`"`).Replace(string(want)))
		for _, v := range end.Model().Vars {
			if v.Stopwatch { // it has run on meanwhile
				reads := regexp.MustCompile(`"` + v.ID + `": ?[0-9.]+`)
				want, got = reads.ReplaceAll(want, []byte(`"`+v.ID+`":0`)), reads.ReplaceAll(got, []byte(`"`+v.ID+`":0`))
			}
		}
		assert.JSONEq(x.t, string(want), string(got), "%s", run.Script("plan.yaml"))
	}
	return true
}

// What a search finds happens in the real service as well, through kills of its process and sessions that are opened again: each
// run leads to the same saves as in the rehearsal.
func TestRunsOfASearchPlayInTheRealService(t *testing.T) {
	t.Parallel()
	files, err := filepath.Glob("../../examples/stuck/*.yaml")
	require.NoError(t, err)
	data := filepath.Join(t.TempDir(), "a.db")
	d := serve(t, data)
	played, crashed, left := 0, 0, 0
	for n, file := range append(files, "") {
		text, states := examples.LanternPass, 200
		if file != "" {
			states = 1500
			text, err = os.ReadFile(file)
			require.NoError(t, err)
			text = regexp.MustCompile(`(?m)^game: .*$`).ReplaceAll(text, fmt.Appendf(nil, "game: stuck-%d", n))
		} else {
			_, err = d.c.PutCommons(bg, "courier-guild", examples.CourierGuild, "")
			require.NoError(t, err)
		}
		m, _, found := check.Text(text, examples.Commons)
		require.NotNil(t, m, "%v", found)
		game := m.Plan.Game.Name
		_, _, err = d.c.PutPlan(bg, game, text, "")
		require.NoError(t, err, file)
		s := scout.New(m, scout.Options{States: states, Players: min(2, m.Players())})
		for jobs := s.Next(1); len(jobs) > 0; jobs = s.Next(1) {
			jobs[0].Work()
			s.Take(jobs)
		}
		var runs []*scout.Run
		r := s.Report()
		for _, a := range r.Answers {
			runs = append(runs, a.Run)
		}
		for _, end := range r.DeadEnds {
			runs = append(runs, end.Run)
		}
		for _, trouble := range r.Troubles {
			runs = append(runs, trouble.Run)
		}
		seen := map[string]bool{}
		for i, run := range runs {
			if run == nil || seen[strings.Join(run.Steps, "\n")] || len(seen) >= 12 {
				continue
			}
			seen[strings.Join(run.Steps, "\n")] = true
			x := &lived{t: t, d: d, data: data, m: game, room: fmt.Sprintf("run-%d", i), as: fmt.Sprintf("-%d", i)}
			if x.plays(run, text) {
				played++
				if strings.Contains(strings.Join(run.Steps, "\n"), "{crash: machine}") {
					crashed++
				}
			} else {
				left++
			}
		}
	}
	t.Logf("%d runs, %d of them with a kill; %d are of no service", played, crashed, left)
	assert.Greater(t, played, 100)
	assert.Positive(t, crashed)
}
