package rehearse_test

import (
	"errors"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/rehearse"
	"alluvion.dev/examples"
)

// passPlan gives rehearsals the plan of Lantern Pass and its commons.
func passPlan(name string) ([]byte, error) {
	if strings.HasPrefix(name, "plan") {
		return examples.LanternPass, nil
	}
	return examples.Commons(strings.TrimSuffix(filepath.Base(name), ".yaml"))
}

func draftOf(steps ...string) rehearse.Draft {
	d := rehearse.Draft{Title: "A try", Plan: "plan.yaml", Players: []string{"wren", "finn"}}
	for _, s := range steps {
		d.Steps = append(d.Steps, jsontext.Value(s))
	}
	return d
}

func TestTheSessionIsLookedAtBeforeTheFirstStepAndAfterEach(t *testing.T) {
	script, err := draftOf(`{"join":"wren"}`, `{"wait":"90s"}`, `{"leave":"wren"}`).Script()
	require.NoError(t, err)
	var seen []string
	rehearse.Watch(script, passPlan, func(played int, run *engine.Run, time int64) {
		seen = append(seen, fmt.Sprint(played, " ", run.Has("wren"), " ", time))
	})
	assert.Equal(t, []string{"0 false 0", "1 true 0", "2 true 90000", "3 false 90000"}, seen)
}

func TestAnEmptyDraftAndOneThatCannotBeWritten(t *testing.T) {
	script, err := draftOf().Script()
	require.NoError(t, err)
	assert.Contains(t, string(script), "steps: []")
	_, err = draftOf(`{"join":`).Script()
	assert.ErrorContains(t, err, "step 1")
	script, err = rehearse.Draft{Title: "one: with a colon", Plan: "plan.yaml", Players: []string{"wren"}, Seed: 7}.Script()
	require.NoError(t, err)
	back, err := rehearse.ReadDraft(script)
	require.NoError(t, err)
	assert.Equal(t, "one: with a colon", back.Title)
	assert.Equal(t, 7, back.Seed)
	report := rehearse.Play(script, func(string) ([]byte, error) { return nil, errors.New("gone") })
	assert.NotEmpty(t, report.Found)
}

// Whatever is tried in a dry run, kept it is a rehearsal that passes.
func TestWhateverIsKeptPasses(t *testing.T) {
	tries := []string{`{"join":"wren"}`, `{"join":"finn"}`, `{"leave":"wren"}`, `{"die":"wren"}`, `{"start-over":"wren"}`, `{"wait":"3s"}`, `{"event":"load","by":"wren"}`, `{"event":"light","by":"finn"}`,
		`{"pass":"porch_gorge","by":"wren","at":[20,0]}`, `{"touch":"gorge_shelter","by":"wren","at":[30,20]}`, `{"move":"wren","to":[50,10]}`, `{"event":"horn","by":"wren"}`, `{"restart":"session"}`, `{"crash":"machine"}`}
	rapid.Check(t, func(t *rapid.T) {
		d := draftOf(rapid.SliceOfN(rapid.SampledFrom(tries), 1, 8).Draw(t, "steps")...)
		script, err := d.Script()
		if err != nil {
			t.Fatal(err)
		}
		kept, err := d.Kept(rehearse.Play(script, passPlan), passPlan)
		if err != nil {
			t.Fatal(err)
		}
		if again := rehearse.Play(kept, passPlan); !again.Passed() {
			t.Fatalf("%+v\n%s", again.Found, kept)
		}
	})
}
