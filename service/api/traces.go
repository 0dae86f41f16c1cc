package api

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/contract"
	"alluvion.dev/core/plan"
	"alluvion.dev/service/auth"
	"alluvion.dev/service/live"
	"alluvion.dev/service/store"
)

type forgetInput struct {
	PlayerPath
	Name    string `query:"name" required:"true" doc:"The player's id once more: what is deleted is asked about by naming it."`
	Commons bool   `query:"commons" doc:"Also what the player has in common over all games, while other games have something of them; for designers. It goes by itself with the player's last game."`
}

func (s *Server) export(ctx context.Context, in *PlayerPath) (*body[contract.Held], error) {
	out := contract.Held{Game: in.Game, Player: in.Player, At: time.Now().UTC(), Saves: []contract.HeldSave{},
		Standings: []contract.HeldRank{}, Journal: []contract.HeldChange{}, Commons: map[string]contract.JSON{}}
	err := s.store.Everything(ctx, in.Game, in.Player, func(r store.Revision) error {
		doc := contract.JSON(r.Doc)
		if !json.Valid(r.Doc) {
			doc, _ = json.Marshal(string(r.Doc))
		}
		out.Saves = append(out.Saves, contract.HeldSave{SlotInfo: revisionOf(r, nil), Why: r.Why, Save: doc})
		return nil
	})
	if err != nil {
		return nil, s.asProblem(err)
	}
	if out.Profile, err = s.profileHeld(ctx, in.Game, in.Player); err != nil {
		return nil, s.asProblem(err)
	}
	files, err := s.store.Originals(ctx, in.Game, in.Player)
	if err != nil {
		return nil, s.asProblem(err)
	}
	for _, f := range files {
		out.Files = append(out.Files, contract.HeldFile{Slot: f.Slot, Format: f.Format, Name: f.Name, SavedAt: f.SavedAt, File: f.Doc})
	}
	ranks, err := s.store.RanksOf(ctx, in.Game, in.Player)
	if err != nil {
		return nil, s.asProblem(err)
	}
	for _, r := range ranks {
		out.Standings = append(out.Standings, contract.HeldRank{Standing: r.Standing, Number: r.Text})
	}
	changes, err := s.store.JournalOf(ctx, in.Game, in.Player, store.JournalKept)
	if err != nil {
		return nil, s.asProblem(err)
	}
	for _, c := range changes {
		out.Journal = append(out.Journal, contract.HeldChange{At: c.At, Change: contract.JSON(c.Doc)})
	}
	shared, err := s.store.Shared(ctx, in.Player)
	if err != nil {
		return nil, s.asProblem(err)
	}
	ours := func(string) bool { return true }
	if whoOf(ctx).Role == auth.Server { // what other games keep there is not this one's
		j, err := s.playing(ctx, in.Game)
		if err != nil {
			return nil, err
		}
		ours = func(commons string) bool {
			return j.model != nil && slices.ContainsFunc(j.model.Plan.Uses, func(u plan.Use) bool {
				return u.Commons.Name == commons
			})
		}
	}
	for _, v := range shared {
		if !ours(v.Commons) {
			continue
		}
		out.Commons[v.Commons+"."+v.Name] = contract.JSON(v.Doc)
	}
	if len(out.Saves)+len(out.Standings)+len(out.Journal)+len(out.Commons) == 0 {
		return nil, problem(http.StatusNotFound, "not-found", "There is no such thing here",
			"Nothing is held about %q.", in.Player)
	}
	return &body[contract.Held]{out}, nil
}

// profileHeld is what a player has over all slots, also where it is damaged.
func (s *Server) profileHeld(ctx context.Context, game, player string) (contract.JSON, error) {
	raw, err := s.store.Profile(ctx, game, player)
	if errors.Is(err, store.ErrDamaged) {
		text, err := json.Marshal(string(raw))
		return text, err
	}
	return raw, err
}

// forgotten is what is answered to a deletion: that it is done everywhere, or (202) where it is not yet.
type forgotten struct {
	Status int
	Body   contract.Forgotten
}

func (s *Server) forget(ctx context.Context, in *forgetInput) (*forgotten, error) {
	if err := named(in.Name, in.Player); err != nil {
		return nil, err
	}
	if in.Commons && whoOf(ctx).Role != auth.Designer {
		return nil, problem(http.StatusForbidden, "forbidden", "The token is not for this",
			"What a player has in common over all games is also other games', and only a designer may delete it. Leave commons out: it goes by itself where no other game has anything of the player.")
	}
	var t store.Traces
	err := s.live.Aside(ctx, in.Game, in.Player, live.EverySlot, func() (err error) {
		if err := s.trials.Forget(ctx, in.Game, in.Player); err != nil {
			return s.trialProblem(err)
		}
		t, err = s.store.Forget(ctx, in.Game, in.Player, in.Commons)
		if err != nil {
			return err
		}
		return s.live.Deleted(ctx, in.Game, in.Player)
	})
	s.stands.drop(in.Game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	s.log.Info("everything about a player was deleted", "game", in.Game, "saves", t.Saves)
	out := &forgotten{Status: http.StatusOK, Body: contract.Forgotten{Slots: t.Slots, Saves: t.Saves, Ranks: t.Ranks, Journal: t.Journal, Commons: t.Commons, Profiles: t.Profiles}}
	if s.node != nil {
		if out.Body.Waiting = s.node.Behind(ctx, s.store.Place()); len(out.Body.Waiting) > 0 {
			out.Status = http.StatusAccepted
		}
	}
	return out, nil
}
