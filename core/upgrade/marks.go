package upgrade

import (
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
)

// marks writes what a player has reached, remembers and has earned, and where they are.
func (h *hand) marks(l *save.Loose) {
	was := *l.Player
	p := was
	l.Player = &p
	p.Place, p.Entry = h.place(was.Place), h.place(was.Entry)
	if was.Back != nil {
		back := h.place(*was.Back)
		p.Back = &back
	}
	if was.Checkpoint != "" {
		p.Checkpoint = h.renamed("checkpoints", was.Checkpoint)
	}
	p.Used, p.Milestones = h.list("checkpoints", was.Used), h.list("milestones", was.Milestones)
	p.Standings = maps.Clone(renamedKeys(h.stage, "standings", was.Standings))
	p.Waymarks = h.marked(was.Waymarks)
	h.dropped("checkpoints", func(id string) (jsontext.Value, bool) {
		i := slices.Index(p.Used, id)
		if p.Checkpoint == id {
			p.Checkpoint, p.Back = "", nil
		}
		if i >= 0 {
			p.Used = slices.Delete(p.Used, i, i+1)
		}
		return jsontext.Value("true"), i >= 0
	})
	h.dropped("milestones", func(id string) (jsontext.Value, bool) {
		i := slices.Index(p.Milestones, id)
		if i >= 0 {
			p.Milestones = slices.Delete(p.Milestones, i, i+1)
		}
		return jsontext.Value("true"), i >= 0
	})
	h.dropped("standings", func(id string) (jsontext.Value, bool) {
		n, ok := p.Standings[id]
		delete(p.Standings, id)
		return jsontext.Value(n.String()), ok
	})
	h.dropped("waymarks", func(id string) (jsontext.Value, bool) {
		at, ok := p.Waymarks[id]
		delete(p.Waymarks, id)
		return encoded(at), ok
	})
	h.restored(&p)
}

// restored brings back milestones, checkpoints and standings that were given up.
func (h *hand) restored(p *save.Player) {
	for where, list := range map[string]*[]string{"milestones": &p.Milestones, "checkpoints": &p.Used} {
		for _, x := range h.restores[where] {
			_, id, _ := strings.Cut(x.Restore.Value, ".")
			if _, ok := h.attic.Get(x.Restore.Value); ok && !slices.Contains(*list, id) {
				*list = append(*list, id)
				delete(h.attic, x.Restore.Value)
			}
		}
	}
	for _, x := range h.restores["standings"] {
		_, id, _ := strings.Cut(x.Restore.Value, ".")
		if kept, ok := h.attic.Get(x.Restore.Value); ok {
			if n, err := fixed.Parse(string(kept.Value)); err == nil {
				if p.Standings == nil {
					p.Standings = map[string]fixed.Num{}
				}
				p.Standings[id] = n
				delete(h.attic, x.Restore.Value)
			}
		}
	}
}

// rankings writes the numbers of options in standings of options, in which an option that is called something else has
// the best number of all that have become it.
func (h *hand) rankings(was map[string]map[string]fixed.Num) map[string]map[string]fixed.Num {
	if len(was) == 0 {
		return h.rankingsRestored(was)
	}
	out := maps.Clone(renamedKeys(h.stage, "standings", was))
	for id, numbers := range out {
		x := h.chain.m.Standing(id)
		if x == nil || x.List == nil {
			continue
		}
		for old, steps := range h.lists {
			if h.renamed("lists", old) == x.List.ID {
				out[id] = h.ranked(x, steps, numbers)
			}
		}
	}
	h.dropped("standings", func(id string) (jsontext.Value, bool) {
		numbers, ok := out[id]
		delete(out, id)
		return encoded(numbers), ok
	})
	return h.rankingsRestored(out)
}

// rankingsRestored brings back numbers of options that were given up with their standing, or with their option.
func (h *hand) rankingsRestored(was map[string]map[string]fixed.Num) map[string]map[string]fixed.Num {
	out := maps.Clone(was)
	put := func(id string, numbers map[string]fixed.Num) {
		if out == nil {
			out = map[string]map[string]fixed.Num{}
		}
		both := maps.Clone(numbers)
		maps.Copy(both, out[id])
		out[id] = both
	}
	for _, x := range h.restores["standings"] {
		_, id, _ := strings.Cut(x.Restore.Value, ".")
		var numbers map[string]fixed.Num
		if kept, ok := h.attic.Get(x.Restore.Value); ok && json.Unmarshal(kept.Value, &numbers) == nil {
			put(id, numbers)
			delete(h.attic, x.Restore.Value)
		}
	}
	for _, x := range h.chain.m.Standings {
		for old, steps := range h.lists {
			if x.List == nil || h.renamed("lists", old) != x.List.ID {
				continue
			}
			for option := range steps.restores {
				name := "standings." + x.ID + "." + option
				if kept, ok := h.attic.Get(name); ok {
					if n, err := fixed.Parse(string(kept.Value)); err == nil {
						put(x.ID, map[string]fixed.Num{option: n})
						delete(h.attic, name)
					}
				}
			}
		}
	}
	return out
}

func (h *hand) ranked(x *model.Standing, steps *listSteps, was map[string]fixed.Num) map[string]fixed.Num {
	out := map[string]fixed.Num{}
	for _, option := range sortedKeys(was) {
		if why, gone := steps.drops[option]; gone {
			h.keep("standings."+x.ID+"."+option, jsontext.Value(was[option].String()), why)
			continue
		}
		to := option
		if steps.becomes[option] != "" {
			to = steps.becomes[option]
		}
		n, has := out[to]
		if !has || x.High == n.Less(was[option]) {
			out[to] = was[option]
		}
	}
	return out
}

// dropped gives up things of a space: take takes one away and gives what there was of it.
func (h *hand) dropped(space string, take func(id string) (jsontext.Value, bool)) {
	for id, why := range h.drops[space] {
		if raw, had := take(id); had {
			h.keep(space+"."+id, raw, why)
		}
	}
}

func (h *hand) list(space string, ids []string) []string {
	out := slices.Clone(ids)
	for i := range out {
		out[i] = h.renamed(space, out[i])
	}
	return out
}

func (h *hand) marked(marks map[string]save.Place) map[string]save.Place {
	if marks == nil {
		return nil
	}
	out := make(map[string]save.Place, len(marks))
	for id, at := range renamedKeys(h.stage, "waymarks", marks) {
		out[id] = h.place(at)
	}
	return out
}
