package api

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"alluvion.dev/contract"
	"alluvion.dev/core/offline"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/live"
	"alluvion.dev/service/store"
)

// momentOffline is what a save was saved on that was made without the service.
const momentOffline = "offline"

type offlineInput struct {
	PlayerPath
	RawBody []byte
}

// handOver takes what was played without the service, as the plan's saving.offline says.
func (s *Server) handOver(ctx context.Context, in *offlineInput) (*body[contract.HandedOver], error) {
	j, err := s.playing(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	policy := j.model.OfflineSaves()
	if policy == "refuse" {
		return nil, problem(http.StatusConflict, "offline", "Saves made without the service are not taken",
			"The plan says so: saving.offline is refuse.")
	}
	kept, err := offline.ReadSaved(in.RawBody)
	if err != nil || len(kept.Player) == 0 {
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The request is not what the plan says",
			"This is nothing that was saved without the service, or nobody has played yet.")
	}
	l, err := j.loadable(kept.Player, nil, in.Player)
	if err != nil {
		return nil, err
	}
	l.Player.About = nil
	if err := s.withProfile(ctx, j, l, kept.Profile); err != nil {
		return nil, err
	}
	h := &handing{s: s, j: j, in: in.PlayerPath, l: l, began: offline.Base{Slot: max(l.Player.Slot, 1)}, take: policy == "take"}
	if kept.Base != nil {
		h.began = *kept.Base
	}
	out, err := h.put(ctx)
	if errors.Is(err, store.ErrConflict) { // somebody saved between the look and the leap: look once more
		out, err = h.put(ctx)
	}
	if err != nil {
		return nil, s.asProblem(err)
	}
	if out.Problems = l.Problems; out.Problems == nil {
		out.Problems = []save.Problem{}
	}
	s.log.Info("a save that was made without the service was handed over", "game", in.Game, "player", in.Player, "slot", out.Slot,
		"revision", out.Revision, "why", out.Why)
	return &body[contract.HandedOver]{out}, nil
}

// withProfile adds what the player has over all slots, where the service has nothing of it yet: two are never merged.
func (s *Server) withProfile(ctx context.Context, j judged, l *upgrade.Loaded, kept []byte) error {
	profile, err := s.profileOf(ctx, j, l.Player.Game, l.Player.Player)
	if err != nil {
		return err
	}
	if profile == nil && len(kept) > 0 && j.chain.NeedsProfile() {
		var problems []save.Problem
		profile, problems, err = j.chain.Profile(kept)
		if err == nil {
			err = upgrade.RefusedBy(problems)
		}
		if err != nil {
			return s.asProblem(err)
		}
		if profile.Player != l.Player.Player {
			return problem(http.StatusConflict, "save", "The save is another player's", "What is over all slots is of %s, not of %s.",
				profile.Player, l.Player.Player)
		}
		l.Player.Profile, l.Problems = profile, append(l.Problems, problems...)
	}
	if len(l.Over) > 0 { // what the upgrade of the slot moves to where all slots have it
		l.Player.Profile = upgrade.WithOver(j.model, profile, l.Player.Player, l.Over)
	}
	return nil
}

// handing is one save that is handed over.
type handing struct {
	s     *Server
	j     judged
	in    PlayerPath
	l     *upgrade.Loaded
	began offline.Base // the slot and the revision that it began from; revision 0 where that was nothing
	take  bool         // it may go to the slot that it began from
}

// put writes the save into the slot where it goes. It is an ErrConflict where the slot is not any more as it was when that
// was found out.
func (h *handing) put(ctx context.Context) (out contract.HandedOver, err error) {
	all, newest := h.j.model.SlotsPerPlayer(), map[int]int{}
	for slot := 1; slot <= all; slot++ {
		there, err := h.s.store.Peek(ctx, h.in.Game, h.in.Player, slot)
		switch {
		case errors.Is(err, store.ErrNotFound) || err == nil && there.Doc == nil:
		case err != nil:
			return out, err
		case there.Recovered: // somebody played on there before a crash
			newest[slot] = playedOn
		case bytes.Equal(there.Doc, h.part(slot).Doc): // it was handed over before, and the answer got lost
			return contract.HandedOver{Slot: slot, Revision: there.Revision}, nil
		default:
			newest[slot] = there.Revision
		}
	}
	var base int
	if out.Slot, base, out.Why = h.began.Goes(newest, all, h.take); out.Slot == 0 {
		return out, problem(http.StatusConflict, "offline", "No slot is empty", "%s", strings.TrimSpace(fmt.Sprintf(
			"%s All %d slots of %s are in use. Empty one, and hand it over again.", out.Why, all, h.in.Player)))
	}
	in := SlotPath{PlayerPath: h.in, Slot: out.Slot}
	out.Revision, err = h.s.replace(ctx, h.j, in, h.part(out.Slot), base)
	return out, err
}

// playedOn stands for the newest revision of a slot that has something newer, which is none.
const playedOn = -1

// part is the save as it is written into a slot: without ranks, and without what commons hold.
func (h *handing) part(slot int) store.PlayerCut {
	h.l.Player.Slot = slot
	part := live.PartOf(h.j.model, h.l.Player, momentOffline)
	part.Ranks, part.Shared = nil, nil
	return part
}
