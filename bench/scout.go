package main

import (
	"fmt"
	"runtime"
	"time"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/scout"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

// searching is what a search of the demo costs: moves a second on one processor, against bare steps of the engine in the
// same plan; and the memory for a state.
func searching() []row {
	m, _, found := check.Plan(examples.LanternPass, examples.Commons)
	if found.Errors() {
		panic("the demo has errors")
	}
	// In turns, so that whatever else the machine does slows both down.
	s := scout.New(m, scout.Options{States: 60_000})
	var took, bare float64
	const turns = 5
	for range turns {
		bare += bareSteps(m) / turns
		began := time.Now()
		for jobs := s.Next(1); jobs != nil && time.Since(began) < 3*time.Second; jobs = s.Next(1) {
			jobs[0].Work()
			s.Take(jobs)
		}
		took += time.Since(began).Seconds()
	}
	rate := float64(s.Moves()) / took
	size := bytesForState(m)
	return []row{
		{"search: moves in the demo, one player, one processor, against bare steps (a walk and an event)", fmt.Sprintf("%.0f a second", rate),
			fmt.Sprintf("%.0f a second", bare), fmt.Sprintf("%.2f", rate/bare), "≥ 50,000 a second, ≥ 0.33"},
		{"search: memory for a state that is kept and was expanded", fmt.Sprintf("%.0f bytes", size), "300 bytes", fmt.Sprintf("%.2f", size/300), "≤ 1"},
	}
}

// bytesForState is what a search takes for each state that it keeps and has expanded: the state, where it leads, and how it is
// found again.
func bytesForState(m *model.Model) float64 {
	s := scout.New(m, scout.Options{States: 16_000})
	s.Take(worked(s))
	before := heap()
	for {
		s.Take(worked(s))
		if _, states, done := s.Progress(); done == states {
			size := float64(heap()-before) / float64(states)
			runtime.KeepAlive(s)
			return size
		}
	}
}

func worked(s *scout.Scout) []*scout.Job {
	jobs := s.Next(1)
	jobs[0].Work()
	return jobs
}

// bareSteps is how many requests a session of the demo carries out in a second, where nothing else is done.
func bareSteps(m *model.Model) float64 {
	r := engine.New(m)
	ask := func(req engine.Request) {
		_, err := r.Step(&req)
		must(err)
	}
	ask(engine.Request{Do: "join", Player: "p1", Slot: 1})
	const n = 200_000
	began := time.Now()
	for i := range n / 2 {
		at := int64(i+1) * 1000
		ask(engine.Request{Do: "move", Player: "p1", At: at, To: []fixed.Num{fixed.FromInt(int64(2 + i%2)), fixed.FromInt(2)}})
		ask(engine.Request{Do: "event", Name: "gust", Server: true, At: at,
			Args: map[string]types.Value{"at": types.OfText("p1"), "amount": types.OfInt(1 + i%2)}})
	}
	return n / time.Since(began).Seconds()
}

func heap() int64 {
	runtime.GC()
	var now runtime.MemStats
	runtime.ReadMemStats(&now)
	return int64(now.HeapAlloc)
}
