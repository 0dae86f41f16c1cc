package api

import (
	"context"
	"encoding/json"
	"net/http"
	"slices"
	"time"

	"alluvion/core/plan"
	"alluvion/service/auth"
	"alluvion/service/live"
	"alluvion/service/store"
)

type forgetInput struct {
	PlayerPath
	Name    string `query:"name" required:"true" doc:"The player's id once more: what is deleted is asked about by naming it."`
	Commons bool   `query:"commons" doc:"Also what the player has in common over all games, while other games have something of them; for designers. It goes by itself with the player's last game."`
}

// Forgotten says how much was held about a player, and is no more.
type Forgotten struct {
	Slots   int64 `json:"slots"`
	Saves   int64 `json:"saves"`
	Ranks   int64 `json:"ranks"`
	Journal int64 `json:"journal"`
	Commons int64 `json:"commons"`
}

// Held is everything that is held about a player.
type Held struct {
	Game      string             `json:"game"`
	Player    string             `json:"player"`
	At        time.Time          `json:"at"`
	Saves     []HeldSave         `json:"saves"`
	Standings []HeldRank         `json:"standings"`
	Journal   []HeldChange       `json:"journal" doc:"What the journals say of the player, newest first; at most 20,000."`
	Commons   map[string]anyJSON `json:"commons" doc:"By commons and name, as courier-guild.seals. A game's server is given those that its plan uses."`
}

// HeldSave is one stored save.
type HeldSave struct {
	SlotInfo
	Why  string  `json:"why,omitempty"`
	Save anyJSON `json:"save"`
}

// HeldRank is a place in a standing.
type HeldRank struct {
	Standing string `json:"standing"`
	Number   string `json:"number"`
}

// HeldChange is a change that a journal tells of.
type HeldChange struct {
	At     time.Time `json:"at"`
	Change anyJSON   `json:"change"`
}

func (s *Server) export(ctx context.Context, in *PlayerPath) (*body[Held], error) {
	out := Held{Game: in.Game, Player: in.Player, At: time.Now().UTC(), Saves: []HeldSave{}, Standings: []HeldRank{}, Journal: []HeldChange{}, Commons: map[string]anyJSON{}}
	err := s.store.Everything(ctx, in.Game, in.Player, func(r store.Revision) error {
		doc := anyJSON(r.Doc)
		if !json.Valid(r.Doc) {
			doc, _ = json.Marshal(string(r.Doc))
		}
		out.Saves = append(out.Saves, HeldSave{revisionOf(r, nil), r.Why, doc})
		return nil
	})
	if err != nil {
		return nil, s.asProblem(err)
	}
	ranks, err := s.store.RanksOf(ctx, in.Game, in.Player)
	if err != nil {
		return nil, s.asProblem(err)
	}
	for _, r := range ranks {
		out.Standings = append(out.Standings, HeldRank{r.Standing, r.Text})
	}
	changes, err := s.store.JournalOf(ctx, in.Game, in.Player, store.JournalKept)
	if err != nil {
		return nil, s.asProblem(err)
	}
	for _, c := range changes {
		out.Journal = append(out.Journal, HeldChange{c.At, anyJSON(c.Doc)})
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
			return j.model != nil && slices.ContainsFunc(j.model.Plan.Uses, func(u plan.Use) bool { return u.Commons.Name == commons })
		}
	}
	for _, v := range shared {
		if !ours(v.Commons) {
			continue
		}
		out.Commons[v.Commons+"."+v.Name] = anyJSON(v.Doc)
	}
	if len(out.Saves)+len(out.Standings)+len(out.Journal)+len(out.Commons) == 0 {
		return nil, problem(http.StatusNotFound, "not-found", "There is no such thing here", "Nothing is held about %q.", in.Player)
	}
	return &body[Held]{out}, nil
}

func (s *Server) forget(ctx context.Context, in *forgetInput) (*body[Forgotten], error) {
	if err := named(in.Name, in.Player); err != nil {
		return nil, err
	}
	if in.Commons && whoOf(ctx).Role != auth.Designer {
		return nil, problem(http.StatusForbidden, "forbidden", "The token is not for this", "What a player has in common over all games is also other games', and only a designer may delete it. Leave commons out: it goes by itself where no other game has anything of the player.")
	}
	var t store.Traces
	err := s.live.Aside(ctx, in.Game, in.Player, live.EverySlot, func() (err error) {
		if err := s.trials.Forget(ctx, in.Game, in.Player); err != nil {
			return s.trialProblem(err)
		}
		t, err = s.store.Forget(ctx, in.Game, in.Player, in.Commons)
		return err
	})
	if err == nil {
		s.log.Info("everything about a player was deleted", "game", in.Game, "saves", t.Saves)
	}
	return &body[Forgotten]{Forgotten(t)}, s.asProblem(err)
}
