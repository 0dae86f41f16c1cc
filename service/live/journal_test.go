package live

import (
	"log/slog"
	"testing"
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/types"
	"alluvion.dev/service/store"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAJournalKeepsTheLastOutcomes(t *testing.T) {
	var j *journal
	_, known := j.find(1)
	assert.False(t, known)
	j = &journal{}
	for n := uint64(1); n <= 200; n++ {
		j.add(outcome{number: n, time: int64(n) * 10})
	}
	for n := uint64(1); n <= 200; n++ {
		o, known := j.find(n)
		assert.Equal(t, n > 200-mostAnswers, known, n)
		if known {
			assert.Equal(t, Answer{Number: n, Time: int64(n) * 10, Repeat: true}, o.again())
		}
	}
	_, known = j.find(201)
	assert.False(t, known)
	assert.Len(t, j.kept, mostAnswers)
}

// What the journal has of a change is the change, with names of its own; what earlier services wrote is read as well.
func TestAChangeIsWrittenUnderNamesOfItsOwn(t *testing.T) {
	cause := &engine.Cause{Kind: "rule", Rule: 3, Line: 41, Moment: "gust"}
	step := Step{At: time.Unix(7, 0), Time: 12, Change: engine.Change{Player: "wren", Name: "player.warmth", From: types.OfInt(5), To: types.None, Cause: cause}}
	var kept trail
	kept.add(step.Time, step.At, &step.Change)
	entries := kept.take()
	require.Len(t, entries, 1)
	assert.JSONEq(t, `{"player":"wren","name":"player.warmth","from":5,"to":null,"cause":{"kind":"rule","rule":3,"line":41,"moment":"gust"}}`, string(entries[0].Doc))
	old := entries[0]
	old.Doc = []byte(`{"Player":"wren","Scene":"","Prop":"","Name":"player.warmth","From":5,"To":null,"Cause":{"Kind":"rule","Rule":3,"Line":41,"Moment":"gust","Crossing":"","Fate":""}}`)
	broken := old
	broken.Doc = []byte(`{`)
	for _, read := range stepsOf([]store.Entry{entries[0], broken, old}, slog.New(slog.DiscardHandler)) {
		assert.Equal(t, step.Change, read.Change)
		assert.EqualValues(t, 1, read.Number)
	}
	assert.Len(t, stepsOf([]store.Entry{entries[0], broken, old}, slog.New(slog.DiscardHandler)), 2)
	var uncaused trail
	uncaused.add(0, time.Time{}, &engine.Change{Name: "game.fund"})
	assert.Nil(t, stepsOf(uncaused.take(), slog.New(slog.DiscardHandler))[0].Cause)
}
