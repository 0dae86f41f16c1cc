package api

import (
	"cmp"
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
)

type milestonesInput struct {
	GamePath
	Most int `query:"most" minimum:"1" maximum:"2000" default:"200" doc:"How many players."`
}

func (s *Server) milestones(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "list-milestones", Method: http.MethodGet,
		Path: "/v1/games/{game}/milestones", Summary: "Who has earned what, and how far the others are", Tags: []string{"players"}, Errors: []int{404, 422},
		Description: "Of players who play, as they are now; of the others, as saved. A correction of player.earned.ID gives a milestone by hand, or takes it back."}, s.listMilestones)
}

func (s *Server) listMilestones(ctx context.Context, in *milestonesInput) (*body[contract.Milestones], error) {
	j, err := s.playing(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	out := contract.Milestones{Milestones: []contract.MilestoneInfo{}, Players: []contract.MilestonePlayer{}}
	for _, m := range j.model.Milestones {
		out.Milestones = append(out.Milestones, milestoneInfo(m))
	}
	if len(out.Milestones) == 0 {
		return &body[contract.Milestones]{out}, nil
	}
	live := s.liveMilestones(ctx, in.Game, j.model)
	err = s.stands.of(in.Game, j.model).each(ctx, s.store, in.Game, j.chain,
		func(player string, slot int, list []contract.MilestoneStand) {
			switch known, ok := live[player]; {
			case ok && known.Slot == slot:
			case list == nil:
				out.Unread++
			default:
				out.Players = append(out.Players, contract.MilestonePlayer{Player: player, Slot: slot, Stands: list})
			}
		})
	if err != nil {
		return nil, s.asProblem(err)
	}
	for _, p := range live {
		out.Players = append(out.Players, p)
	}
	out.Slots = len(out.Players)
	for _, p := range out.Players {
		for i, x := range p.Stands {
			if x.Earned {
				out.Milestones[i].Earned++
			}
		}
	}
	slices.SortFunc(out.Players, func(a, b contract.MilestonePlayer) int {
		return cmp.Or(cmp.Compare(earned(b), earned(a)), cmp.Compare(a.Player, b.Player), a.Slot-b.Slot)
	})
	out.Players = out.Players[:min(len(out.Players), in.Most)]
	return &body[contract.Milestones]{out}, nil
}

// liveMilestones are those of everybody who plays under the plan.
func (s *Server) liveMilestones(ctx context.Context, game string, m *model.Model) map[string]contract.MilestonePlayer {
	out := map[string]contract.MilestonePlayer{}
	for _, session := range s.live.Sessions(game) {
		if session.Model().Plan.Version.Value != m.Plan.Version.Value {
			continue // it has other milestones
		}
		v, err := session.Brief(ctx)
		if err != nil {
			continue // it has just been closed
		}
		for _, id := range v.Present {
			now, ok, err := session.Player(ctx, id)
			if err == nil && ok {
				out[id] = contract.MilestonePlayer{Player: id, Slot: now.Slot, Present: true,
					Stands: standsOf(now.Milestones)}
			}
		}
	}
	return out
}

func milestoneInfo(m *model.Milestone) contract.MilestoneInfo {
	x := contract.MilestoneInfo{ID: m.ID, Title: m.Title, Line: m.At.Line}
	if m.When != nil {
		x.When = m.When.Source
	}
	if m.Progress != nil {
		x.Progress, x.Goal = m.Progress.Source, plainNumber(m.Goal)
	}
	return x
}

func standsOf(list []engine.Progress) []contract.MilestoneStand {
	out := make([]contract.MilestoneStand, len(list))
	for i, p := range list {
		out[i].Earned = p.Earned
		if !p.Reached.IsNone() {
			out[i].Reached = plainNumber(p.Reached.Num)
		}
	}
	return out
}

func earned(p contract.MilestonePlayer) int {
	n := 0
	for _, x := range p.Stands {
		if x.Earned {
			n++
		}
	}
	return n
}
