package api

import (
	"context"
	"runtime"
	"slices"
	"sync"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/store"
)

// stands remembers how far each save is with the milestones of its plan: reading a save takes much longer than looking
// whether it is the same one. It is safe for use by several goroutines.
type stands struct {
	mu    sync.Mutex
	games map[string]*gameStands
}

// gameStands are those of one game under one plan.
type gameStands struct {
	mu    sync.Mutex // held while they are brought up to date
	model *model.Model
	of    map[slotKey]stand
}

type slotKey struct {
	player string
	slot   int
}

// stand is how far one save is; list is nil where the save cannot be read.
type stand struct {
	checksum string
	list     []contract.MilestoneStand
}

// Of how many saves and games it is remembered.
const (
	mostStands     = 200_000
	mostStandGames = 16
)

func newStands() *stands { return &stands{games: map[string]*gameStands{}} }

func (x *stands) of(game string, m *model.Model) *gameStands {
	x.mu.Lock()
	defer x.mu.Unlock()
	g := x.games[game]
	if g == nil || g.model != m {
		if len(x.games) >= mostStandGames {
			clear(x.games)
		}
		g = &gameStands{model: m, of: map[slotKey]stand{}}
		x.games[game] = g
	}
	return g
}

// drop forgets a game.
func (x *stands) drop(game string) {
	x.mu.Lock()
	defer x.mu.Unlock()
	delete(x.games, game)
}

// each visits all saves of a game, by player and slot; only those that are not known yet are read.
func (g *gameStands) each(ctx context.Context, from *store.Store, game string, chain *upgrade.Chain,
	visit func(player string, slot int, list []contract.MilestoneStand)) error {
	g.mu.Lock()
	defer g.mu.Unlock()
	var all, unknown []store.Mark
	err := from.Marks(ctx, game, func(m store.Mark) error {
		all = append(all, m)
		if known, ok := g.of[slotKey{m.Player, m.Slot}]; !ok || known.checksum != m.Checksum {
			unknown = append(unknown, m)
		}
		return nil
	})
	if err != nil {
		return err
	}
	for part := range slices.Chunk(unknown, 1000) {
		heads, err := from.HeadsOf(ctx, game, part)
		if err != nil {
			return err
		}
		for i, now := range g.read(heads, chain) {
			g.of[slotKey{heads[i].Player, heads[i].Slot}] = now
		}
	}
	for _, m := range all {
		if now, ok := g.of[slotKey{m.Player, m.Slot}]; ok { // it is not when it was deleted meanwhile
			visit(m.Player, m.Slot, now.list)
		}
	}
	g.prune(all)
	return nil
}

// read reads saves, on all processors.
func (g *gameStands) read(heads []store.Head, chain *upgrade.Chain) []stand {
	out := make([]stand, len(heads))
	var working sync.WaitGroup
	part := max(50, (len(heads)+runtime.NumCPU()-1)/runtime.NumCPU())
	for from := 0; from < len(heads); from += part {
		working.Go(func() {
			judge := engine.NewJudge(g.model, nil)
			for i := from; i < min(from+part, len(heads)); i++ {
				out[i].checksum = heads[i].Checksum
				if l, err := chain.Player(heads[i].Doc, upgrade.Around{}); err == nil {
					out[i].list = standsOf(judge.Milestones(l.Player))
				}
			}
		})
	}
	working.Wait()
	return out
}

// prune forgets saves that are gone, and all where there are too many.
func (g *gameStands) prune(all []store.Mark) {
	switch {
	case len(all) > mostStands:
		clear(g.of)
	case len(g.of) > len(all):
		there := make(map[slotKey]bool, len(all))
		for _, m := range all {
			there[slotKey{m.Player, m.Slot}] = true
		}
		for key := range g.of {
			if !there[key] {
				delete(g.of, key)
			}
		}
	}
}
