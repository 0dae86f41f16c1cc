package live

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/store"
)

// A save is upgraded to the session's version when it is loaded, once: what it became is a revision of its own, written
// before anybody plays with it, and the old one stays (rule 31). What the plan does not take as it is, it says what is
// done about (saving.misfits).

// load takes what was saved in the slot that a player joins with into the request, and gives the lease on it; 0 where
// nothing is taken. It runs on the goroutine of whoever asks, and goes to the session's only for what the session
// holds: nobody who plays waits for the disk. Meanwhile nobody else lets the player come or go (oneAtATime).
func (s *Session) load(ctx context.Context, req *engine.Request, turn int64) (lease int64, err error) {
	if req.Slot < 1 || req.Slot > s.m.SlotsPerPlayer() {
		return 0, nil // the engine says what is wrong
	}
	present := false
	if err := s.ask(ctx, func() { present = s.run.Has(req.Player) }); err != nil || present {
		return 0, err
	}
	if err := s.payOwed(ctx, req.Player); err != nil {
		return 0, err
	}
	saved, err := s.store.TakeFor(ctx, s.owner, req.Player, req.Slot, turn)
	if err != nil {
		return 0, err
	}
	if err := s.loadProfile(ctx, req); err != nil {
		return saved.Lease, err
	}
	return saved.Lease, s.loadDoc(ctx, req, saved)
}

// loadProfile takes what the player has over all slots to the session's plan. There is one of it and no earlier one: a
// session that is pinned to an older version than it has lets nobody in who has it.
func (s *Session) loadProfile(ctx context.Context, req *engine.Request) error {
	if !s.chain.NeedsProfile() {
		return nil
	}
	raw, err := s.store.Profile(ctx, s.Game, req.Player)
	if raw == nil && err == nil {
		return nil
	}
	var problems []save.Problem
	if err == nil {
		req.Profile, problems, err = s.chain.Profile(raw)
	}
	if err == nil {
		err = upgrade.RefusedBy(problems)
	}
	if err != nil {
		return fmt.Errorf("what %s has over all slots: %w", req.Player, err)
	}
	for _, p := range problems {
		s.log.Warn("something that a player has over all slots is not as the plan has it", "player", req.Player, "kind",
			p.Kind, "at", p.Pointer, "value", p.Name, "reason", p.Reason, "instead", p.Instead)
	}
	return nil
}

// profileIn is a profile where the plan has any; nil where all that it had went to the slots.
func (s *Session) profileIn(p *save.Profile) *save.Profile {
	if !s.m.HasProfile() {
		return nil
	}
	return p
}

// loadDoc takes a stored save to the session's plan.
func (s *Session) loadDoc(ctx context.Context, req *engine.Request, saved store.Saved) error {
	if saved.Doc == nil {
		var err error
		req.Profile = s.profileIn(req.Profile)
		req.Gone, err = s.gone(ctx, engine.Refers(s.m, &save.Player{Profile: req.Profile}))
		return err
	}
	loaded, moment, err := s.choose(ctx, req, saved)
	if err != nil {
		return fmt.Errorf("the save of %s in slot %d: %w", req.Player, req.Slot, err)
	}
	for _, p := range loaded.Problems {
		s.log.Warn("something in a save is not as the plan has it", "player", req.Player, "slot", req.Slot, "kind",
			p.Kind, "at", p.Pointer, "value", p.Name, "reason", p.Reason, "instead", p.Instead)
	}
	req.Profile = s.profileIn(upgrade.WithOver(s.m, req.Profile, req.Player, loaded.Over))
	loaded.Player.Profile = req.Profile
	if moment != "" {
		if err := s.raised(req, saved, loaded, moment); err != nil {
			return err
		}
	}
	req.Saved = loaded.Player
	req.Gone, err = s.gone(ctx, engine.Refers(s.m, loaded.Player))
	return err
}

// gone are those of some players who were deleted: who ever joined has a slot.
func (s *Session) gone(ctx context.Context, ids []string) ([]string, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	known, err := s.store.Known(ctx, s.Game, ids)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(ids, func(id string) bool { return slices.Contains(known, id) }), nil
}

// choose gives what is loaded of a slot: its newest state, or an earlier save where the plan says so. moment says what
// it is to be written as before it is played with; "" where it is as it was.
func (s *Session) choose(ctx context.Context, req *engine.Request, saved store.Saved) (*upgrade.Loaded, string, error) {
	loaded, problems, err := s.opened(ctx, saved.Doc, saved.Damaged, req)
	if err != nil && len(problems) == 0 { // the session has ended meanwhile
		return nil, "", err
	}
	switch save.Outcome(problems) {
	case save.Take:
		if loaded.Upgraded() {
			return loaded, "upgraded", nil
		}
		return loaded, "", nil
	case save.Last:
		earlier, err := s.earlier(ctx, req, saved)
		if earlier != nil || err != nil {
			return earlier, "earlier", err
		}
		if loaded != nil { // there is none: as if nothing had been said
			return loaded, "upgraded", nil
		}
	}
	if err == nil {
		err = upgrade.RefusedBy(problems)
	}
	return nil, "", err
}

// opened takes the bytes of a save to the session's plan.
func (s *Session) opened(ctx context.Context, raw []byte, damaged error, req *engine.Request) (*upgrade.Loaded,
	[]save.Problem, error) {
	err := damaged
	var loaded *upgrade.Loaded
	if err == nil {
		loaded, err = s.chain.Player(raw, s.around(ctx, req))
	}
	if err != nil {
		return nil, []save.Problem{save.Whole(s.m, err)}, err
	}
	if err := s.ask(ctx, func() { s.chain.Judge(loaded, s.judge) }); err != nil {
		return nil, nil, err
	}
	return loaded, loaded.Problems, nil
}

// earlier finds the newest earlier save of a slot that the plan takes; nil where there is none.
func (s *Session) earlier(ctx context.Context, req *engine.Request, saved store.Saved) (*upgrade.Loaded, error) {
	list, err := s.store.Revisions(ctx, s.Game, req.Player, req.Slot)
	if err != nil {
		return nil, err
	}
	for _, r := range list {
		if r.Revision == saved.Revision && !saved.Recovered || r.Revision > saved.Revision {
			continue
		}
		r, err := s.store.Revision(ctx, s.Game, req.Player, req.Slot, r.Revision)
		if err != nil && !errors.Is(err, store.ErrDamaged) {
			return nil, err
		}
		if loaded, problems, _ := s.opened(ctx, r.Doc, err, req); loaded != nil &&
			save.Outcome(problems) == save.Take {
			return loaded, nil
		}
	}
	return nil, nil
}

// around is what an upgrade reads besides the save.
func (s *Session) around(ctx context.Context, req *engine.Request) upgrade.Around {
	return upgrade.Around{
		Profile: req.Profile,
		World: func() (*save.LooseWorld, error) {
			var raw []byte
			if err := s.ask(ctx, func() { raw = mustEncode(s.run.World()) }); err != nil {
				return nil, err
			}
			return save.OpenWorld(raw)
		},
		Shared: func(name string) (types.Value, bool) {
			v := s.m.Var(name)
			value, ok := req.Shared[v.Shared.Commons][v.Shared.ID]
			return value, ok
		},
	}
}

// raised writes what a save became, as a revision of its own; recovery state becomes one first, since it is what the
// player had. What the upgrade moves to a commons is written in the same transaction.
func (s *Session) raised(req *engine.Request, saved store.Saved, loaded *upgrade.Loaded, moment string) error {
	part := PartOf(s.m, loaded.Player, moment)
	part.Slot, part.Lease = req.Slot, saved.Lease
	for _, moved := range loaded.Moved {
		of := moved.Var.Shared
		part.Shared = append(part.Shared, store.SharedValue{Commons: of.Commons, Player: req.Player, Name: of.ID,
			Doc: mustJSON(moved.Value)})
		if req.Shared == nil {
			req.Shared = map[string]save.Values{}
		}
		if req.Shared[of.Commons] == nil {
			req.Shared[of.Commons] = save.Values{}
		}
		req.Shared[of.Commons][of.ID] = moved.Value
	}
	part.Player = req.Player
	parts := []store.PlayerCut{part}
	if saved.Recovered && saved.Damaged == nil {
		parts = slices.Insert(parts, 0, store.PlayerCut{Player: req.Player, Slot: req.Slot, Lease: saved.Lease,
			Moment: "recovered", Version: loaded.From, Scene: part.Scene, Doc: saved.Doc})
	}
	result := <-s.store.Write(s.cutOf(parts...))
	if result.Err != nil {
		return fmt.Errorf("what the save of %s became could not be written, and nothing was loaded: %w", req.Player,
			result.Err)
	}
	if len(result.Lost) > 0 {
		return store.ErrLease
	}
	s.log.Info("a save was upgraded", "player", req.Player, "slot", req.Slot, "from", loaded.From, "to",
		loaded.Player.Version, "as", moment, "revision", result.Written[req.Player])
	return nil
}

// loadWorld reads the world that a session had when it was last open, and takes it up. The old one is kept.
func (m *Manager) loadWorld(ctx context.Context, s *Session) (*save.World, error) {
	raw, err := m.store.World(ctx, s.Game, s.Name)
	if err != nil || raw == nil || s.m.Single {
		return nil, err
	}
	loaded, err := s.chain.World(raw, upgrade.Around{Players: func(visit func(*save.Loose) error) error {
		return m.everySave(ctx, s.Game, visit)
	}})
	if err == nil {
		err = upgrade.RefusedBy(loaded.Problems)
	}
	if err != nil {
		return nil, fmt.Errorf("the world of %s: %w", s.Name, err)
	}
	for _, p := range loaded.Problems {
		s.log.Warn("something in a world is not as the plan has it", "kind", p.Kind, "at", p.Pointer, "value", p.Name,
			"reason", p.Reason, "instead", p.Instead)
	}
	if loaded.Upgraded() {
		if err := m.store.KeepWorld(ctx, s.Game, s.Name, loaded.From, raw, mustEncode(loaded.World)); err != nil {
			return nil, fmt.Errorf("what the world of %s became could not be written: %w", s.Name, err)
		}
		s.log.Info("a world was upgraded", "from", loaded.From, "to", loaded.World.Version)
	}
	return loaded.World, nil
}

// everySave visits the newest saves of all players. One that cannot be read is passed over: whoever loads it is told.
func (m *Manager) everySave(ctx context.Context, game string, visit func(*save.Loose) error) error {
	return m.store.Heads(ctx, game, "", 0, func(h store.Head) error {
		l, err := save.OpenPlayer(h.Doc)
		if err != nil || h.Verify() != nil {
			return nil
		}
		return visit(l)
	})
}
