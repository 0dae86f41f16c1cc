package scout

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/population"
	"alluvion.dev/core/rehearse"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
	"alluvion.dev/internal/worlds"
)

// madePlans is how many made-up plans are searched; SCOUT_PLANS says another number.
func madePlans(t testing.TB) uint64 {
	n := uint64(30)
	if more := os.Getenv("SCOUT_PLANS"); more != "" {
		_, err := fmt.Sscan(more, &n)
		require.NoError(t, err)
	}
	return n
}

// plans are those of the examples, those in which something is wrong, and made-up ones, by their names.
func plans(t testing.TB) map[string]string {
	out := map[string]string{"lantern-pass": string(examples.LanternPass), "harbour": string(examples.Harbour)}
	for _, folder := range []string{"troubled", "stuck"} {
		files, err := filepath.Glob("../../examples/" + folder + "/*.yaml")
		require.NoError(t, err)
		for _, file := range files {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			out[folder+" "+filepath.Base(file)] = string(raw)
		}
	}
	for seed := range madePlans(t) {
		out[fmt.Sprintf("made %d", seed)] = worlds.Made(seed)
	}
	for seed := range madePlans(t) * 10 {
		out[fmt.Sprintf("little %d", seed)] = little(seed)
	}
	return out
}

func searchedFor(t testing.TB, m *model.Model, o Options) *Scout {
	s := New(m, o)
	for jobs := s.Next(1); len(jobs) > 0; jobs = s.Next(1) {
		for _, j := range jobs {
			j.Work()
		}
		s.Take(jobs)
	}
	require.NoError(t, s.Err())
	return s
}

// Nothing that check calls impossible happens in any scouted run, and each run plays as a rehearsal to the same end.
func TestNothingHappensThatCheckCallsImpossible(t *testing.T) {
	claims, states, open := 0, 0, 0
	all := plans(t)
	for seed := madePlans(t) * 10; seed < 2000; seed++ { // of many more little ones, only the nearest states
		all[fmt.Sprintf("near %d", seed)] = little(seed)
	}
	all["near 4289"] = little(4289) // a run of it is made shorter by leaving out that somebody leaves who comes back later
	for name, text := range all {
		t.Run(name, func(t *testing.T) {
			m, _, found := check.Text([]byte(text), examples.Commons)
			if m == nil || found.Errors() {
				t.Skip("it cannot run")
			}
			o := Options{States: 400}
			if strings.HasPrefix(name, "near") {
				o.States = 60
			}
			if n := len(name); m.Players() > 1 && name[n-1]%3 == 0 { // some of them with two players
				o.Players = 2
			}
			s := searchedFor(t, m, o)
			for _, f := range found {
				claims += holds(t, s, f)
			}
			for i, one := range leaves(m) {
				for _, x := range s.searches {
					if one.By != "" && len(x.kept) == 0 {
						open++
						ends := x.ends(func(at int32) bool { return int(x.nodes[at].scene) != i }, false)
						require.Empty(t, ends, "%s can always be left by %s, it is said", one.Scene, one.By)
					}
				}
			}
			states += goOnAlike(t, s.whole())
			r := s.Report()
			for i, a := range r.Answers {
				if i%6 == 0 || a.Kind == "goal" || a.Kind == "milestone" { // reading a plan takes long
					playsToTheEnd(t, a.Run, text)
				}
			}
			for _, d := range r.DeadEnds {
				playsToTheEnd(t, d.Run, text)
			}
			for _, x := range r.Troubles {
				playsToTheEnd(t, x.Run, text)
			}
		})
	}
	require.Greater(t, claims, 100, "so many claims were tried")
	require.Greater(t, open, 100, "so many times a scene can always be left")
	require.Greater(t, states, 1000, "so many states were saved, and played on")
}

// holds tries to make a finding's claim false: how many facts it looked for that must not be there.
func holds(t testing.TB, s *Scout, f finding.Finding) int {
	what, id, _ := strings.Cut(f.Item, ".")
	none := func(unwanted fact) int {
		for _, x := range s.searches {
			if at, seen := x.facts[unwanted]; seen {
				run := s.run(x, x.pathTo(at), true, nil)
				t.Errorf("%s, line %d: %s\nbut:\n%s", f.ID, f.Line, f.Message, run.Script("plan.yaml"))
				return 1
			}
		}
		return 1
	}
	m := s.m
	at := func(i int) int32 { return int32(i) }
	switch {
	case f.ID == "unreachable-scene" && m.Scene(id) != nil:
		return none(fact{wasIn, at(m.Scene(id).Index), ""})
	case f.ID == "no-way-out" && m.Scene(id) != nil:
		return none(fact{leftScene, at(m.Scene(id).Index), ""})
	case f.ID == "never-refuses" && what == "passages":
		return none(fact{wasClosed, at(indexOf(m.Passages, m.Passage(id))), ""})
	case (f.ID == "always-refused" || f.ID == "gate-out-of-reach") && what == "passages" && m.Passage(id).Else == nil:
		return none(fact{wentThrough, at(indexOf(m.Passages, m.Passage(id))), ""})
	case f.ID == "always-refused" && what == "events":
		return none(fact{sent, at(m.Event(id).Index), ""})
	case slices.Contains([]string{"always-refused", "goal-out-of-range", "goal-never-nears"}, f.ID) && what == "milestones":
		for i, x := range m.Milestones {
			if x.ID == id && !strings.Contains(f.Message, "this condition") {
				return none(fact{earned, at(i), ""})
			}
		}
	case f.ID == "never-written" && m.Var(f.Item) != nil:
		return none(fact{changed, at(slot(m, m.Var(f.Item))), ""})
	case f.ID == "always-refused" && what == "rules":
		for i, r := range m.Rules {
			if fmt.Sprint(r.Number) == id && r.If != nil && r.If.At == f.At {
				return none(fact{ranRule, at(i), ""})
			}
		}
	case what == "goals" && (f.ID == "always-refused" || f.ID == "never-refuses"):
		for _, x := range s.searches {
			asks := slices.IndexFunc(x.asks, func(q question) bool { return q.goal != nil && q.id == id })
			if asks < 0 || len(x.nodes) == 0 {
				continue
			}
			if at, seen := x.first[asks]; seen != (f.ID == "never-refuses") || at != 0 {
				t.Errorf("%s, line %d: %s\nbut it is so in state %d: %v", f.ID, f.Line, f.Message, at, seen)
			}
		}
		return 1
	}
	return 0
}

// goOnAlike takes some states of a search: what is saved in them is read again as it was, without a problem, and the
// plan's rules can give it; and they go on as the session does that came there from the start. It returns how many there
// were.
func goOnAlike(t testing.TB, x *search) int {
	chain := upgrade.New(x.m)
	here, there := x.worker(), x.worker()
	held := population.New(x.m, population.Pick{})
	n := 0
	last := len(x.nodes)
	if x.level > 0 { // of later states the ways are not those by which they were found
		last = x.level
	}
	for at := 0; at < last; at += 1 + last/12 {
		here.recall(x.stateAt(int32(at)))
		before := here.run.Digest()
		loads(t, chain, here.run, held, fmt.Sprint("after ", words(x.path(int32(at)))))
		require.Equal(t, before, here.run.Digest(), "saving changes nothing")
		_, err := there.replay(x.path(int32(at)))
		require.NoError(t, err)
		require.Equal(t, before, there.run.Digest(), "%v", words(x.path(int32(at))))
		for i := range 40 {
			m := &x.moves.all[(at*7+i*13)%len(x.moves.all)]
			if m.do == "join" || !here.fits(m) {
				continue
			}
			here.heard, there.heard = nil, nil
			require.Equal(t, here.do(m), there.do(m), "%s after %v", m.words(), words(x.path(int32(at))))
			require.Equal(t, here.heard, there.heard)
		}
		require.Equal(t, here.run.Digest(), there.run.Digest(), "%v", words(x.path(int32(at))))
		n++
	}
	for _, f := range held.Population().Spreads {
		if f.Beyond != nil {
			t.Errorf("%s can be %s, it is said, and is %v", f.Name, f.Beyond.Given, f.Beyond.Saves)
		}
	}
	return n
}

func words(list []*move) (out []string) {
	for _, m := range list {
		out = append(out, m.words())
	}
	return out
}

// loads writes everything that a session holds, and reads it again.
func loads(t testing.TB, chain *upgrade.Chain, run *engine.Run, held *population.Counter, name string) {
	encoded := func(doc any) []byte {
		raw, err := save.Encode(doc)
		require.NoError(t, err)
		return raw
	}
	for _, id := range run.Present() {
		doc := run.Save(id)
		raw := encoded(doc)
		around := upgrade.Around{Profile: doc.Profile}
		if doc.Profile != nil {
			again, problems, err := chain.Profile(encoded(doc.Profile))
			require.NoError(t, err)
			require.Empty(t, problems)
			require.Equal(t, string(encoded(doc.Profile)), string(encoded(again)))
			held.Add(&upgrade.Checked{Outcome: save.Take, Over: again}, name)
		}
		again, err := chain.Player(raw, around)
		require.NoError(t, err)
		require.Empty(t, again.Problems)
		require.Equal(t, string(raw), string(encoded(again.Player)))
		held.Add(&upgrade.Checked{Outcome: save.Take, Loaded: again}, name)
	}
	if !run.Model().Single {
		raw := encoded(run.World())
		again, err := chain.World(raw, upgrade.Around{})
		require.NoError(t, err)
		require.Empty(t, again.Problems)
		require.Equal(t, string(raw), string(encoded(again.World)))
		held.Add(&upgrade.Checked{Outcome: save.Take, World: again}, name)
	}
}

func playsToTheEnd(t testing.TB, run *Run, text string) {
	if run == nil {
		return
	}
	digest := ""
	played := rehearse.Watch([]byte(run.Script("plan.yaml")), func(name string) ([]byte, error) {
		if name == "plan.yaml" {
			return []byte(text), nil
		}
		return examples.Commons(strings.TrimSuffix(filepath.Base(name), ".yaml"))
	}, func(_ int, run *engine.Run, _ int64) { digest = run.Digest() })
	require.Empty(t, played.Found)
	for _, step := range played.Steps {
		require.Empty(t, step.Failed, "%s\n%s", step.Text, run.Script("plan.yaml"))
	}
	require.Equal(t, run.Digest, digest, "%s", run.Script("plan.yaml"))
}
