package scout_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/rehearse"
	"alluvion.dev/core/scout"
	"alluvion.dev/examples"
)

const stuck = "../../examples/stuck"

// searched searches a plan to the end.
func searched(t testing.TB, text string, o scout.Options) *scout.Report {
	m, _, found := check.Plan([]byte(text), examples.Commons)
	require.NotNil(t, m, "%+v", found)
	require.False(t, found.Errors(), "%+v", found)
	return search(t, m, o, 1)
}

func search(t testing.TB, m *model.Model, o scout.Options, workers int) *scout.Report {
	s := scout.New(m, o)
	for jobs := s.Next(workers); len(jobs) > 0; jobs = s.Next(workers) {
		for _, j := range jobs {
			j.Work()
		}
		s.Take(jobs)
	}
	require.NoError(t, s.Err())
	return s.Report()
}

// told is what a report says is wrong, each with the move at which it went wrong and how many there were.
func told(r *scout.Report) []string {
	var out []string
	for _, a := range r.Answers {
		if a.Verdict == scout.Never && (a.Kind == "goal" || a.Kind == "milestone") {
			out = append(out, fmt.Sprintf("never %s %s", a.Kind, a.ID))
		}
	}
	for _, d := range r.DeadEnds {
		if d.Proved {
			out = append(out, fmt.Sprintf("dead end %s; %s; %d", d.ID, d.Lost, d.Run.Moves))
		}
	}
	for _, x := range r.Troubles {
		out = append(out, fmt.Sprintf("%s; %s; %d", x.Kind, x.Run.Last, x.Run.Moves))
	}
	return out
}

// Each has one trouble, which is found by the shortest run; and a twin, which differs in one place, has none and is
// searched to the end.
func TestStuckPlansAreFoundAndTheirTwinsAreNot(t *testing.T) {
	files, err := filepath.Glob(filepath.Join(stuck, "*.yaml"))
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 20)
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			head, body, _ := strings.Cut(string(raw), "alluvion: 1")
			wanted, change, ok := strings.Cut(after(head, "# Found: "), "\n# Mended:  ")
			require.True(t, ok)
			from, to, ok := strings.Cut(strings.TrimSuffix(change, "\n"), "  =>  ")
			require.True(t, ok)
			require.Equal(t, 1, strings.Count(body, from))

			r := searched(t, string(raw), scout.Options{})
			assert.Equal(t, []string{wanted}, told(r))
			assert.True(t, r.Bad() || strings.HasPrefix(wanted, "cut off"))
			plays(t, r, "alluvion: 1"+body)

			twin := "alluvion: 1" + strings.Replace(body, from, to, 1)
			r = searched(t, twin, scout.Options{})
			assert.Empty(t, told(r))
			assert.False(t, r.Bad())
			for _, x := range r.Searches {
				assert.True(t, x.Complete, "%s: %v", x.Name, x.Why)
			}
			plays(t, r, twin)
		})
	}
}

func after(text, mark string) string {
	_, rest, _ := strings.Cut(text, mark)
	return rest
}

// plays makes sure that each run plays as a rehearsal to the same end.
func plays(t testing.TB, r *scout.Report, text string) {
	for _, run := range runs(r) {
		digest := ""
		played := rehearse.Watch([]byte(run.Script("a run", "plan.yaml")), func(name string) ([]byte, error) {
			if name == "plan.yaml" {
				return []byte(text), nil
			}
			return examples.Commons(strings.TrimSuffix(filepath.Base(name), ".yaml"))
		}, func(_ int, run *engine.Run, _ int64) { digest = run.Digest() })
		require.Empty(t, played.Found)
		for _, step := range played.Steps {
			require.Empty(t, step.Failed, "%s\n%s", step.Text, run.Script("a run", "plan.yaml"))
		}
		require.Equal(t, run.Digest, digest, "%s", run.Script("a run", "plan.yaml"))
	}
}

func runs(r *scout.Report) []*scout.Run {
	var out []*scout.Run
	for _, a := range r.Answers {
		if a.Run != nil {
			out = append(out, a.Run)
		}
	}
	for _, d := range r.DeadEnds {
		out = append(out, d.Run)
	}
	for _, x := range r.Troubles {
		out = append(out, x.Run)
	}
	return out
}
