package api

import (
	"context"
	"net/http"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/live"
)

type correctInput struct {
	SlotPath
	IfMatch string `header:"If-Match" doc:"The entity tag of the slot's newest save; it may be left out while the player plays in the slot."`
	Body    contract.Correction
}

func (s *Server) correct(ctx context.Context, in *correctInput) (*editedOutput, error) {
	session, err := s.correctedIn(ctx, in)
	if err != nil {
		return nil, err
	}
	if session != nil {
		return s.correctLive(ctx, session, in)
	}
	j, l, err := s.opened(ctx, in.SlotPath)
	if err != nil {
		return nil, err
	}
	if err := inWords(&in.Body, j.model); err != nil {
		return nil, err
	}
	if in.IfMatch == "" {
		return nil, problem(http.StatusPreconditionFailed, "conflict", "Say which save is corrected",
			"If-Match is wanted: the entity tag of the save that was looked at.")
	}
	if v := j.model.Var(in.Body.Name); v != nil && v.Holder.OfProfiles() {
		profile, err := s.profileOf(ctx, j, in.Game, in.Player)
		if err != nil {
			return nil, err
		}
		l.Player.Profile, l.Over = upgrade.WithOver(j.model, profile, in.Player, l.Over), nil
	}
	before := len(engine.NewJudge(j.model, nil).Player(l.Player, false))
	if err := l.Player.Correct(j.model, in.Body.Name, in.Body.Of, in.Body.Value); err != nil {
		return nil, s.asProblem(err)
	}
	if after := engine.NewJudge(j.model, nil).Player(l.Player, false); len(after) > before {
		return nil, problem(http.StatusConflict, engine.Refused, "The plan does not allow it now", "%s.", after[0].Text)
	}
	return s.put(ctx, j, in.SlotPath, in.IfMatch, "corrected", in.Body.Name+": "+in.Body.Why, l)
}

// correctedIn is the session in which a value is corrected, where the player plays in the slot; what they have over all
// slots, where they play in any.
func (s *Server) correctedIn(ctx context.Context, in *correctInput) (*live.Session, error) {
	session := s.live.Where(in.Game, in.Player)
	if session == nil {
		return nil, nil
	}
	if v := session.Model().Var(in.Body.Name); v != nil && v.Holder.OfProfiles() {
		return session, nil
	}
	return s.playingIn(ctx, in.SlotPath), nil
}

// correctLive corrects a live value, and saves the player.
func (s *Server) correctLive(ctx context.Context, session *live.Session, in *correctInput) (*editedOutput, error) {
	if err := inWords(&in.Body, session.Model()); err != nil {
		return nil, err
	}
	req := engine.Request{Do: "correct", Player: in.Player, Server: true, Name: in.Body.Name, Value: in.Body.Value,
		Why: in.Body.Why, Args: engine.ArgsFor(session.Model().Var(in.Body.Name), in.Body.Of)}
	if _, err := s.live.Do(ctx, session, req); err != nil {
		return nil, s.asProblem(err)
	}
	saved, err := session.SaveAs(ctx, in.Player, "corrected", in.Body.Name+": "+in.Body.Why)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &editedOutput{etagOf(saved.Revision), contract.Edited{Revision: saved.Revision, Moment: "corrected",
		Problems: []save.Problem{}}}, nil
}

// inWords takes the value of a correction out of the words, where it is said in words.
func inWords(c *contract.Correction, m *model.Model) error {
	v := m.Var(c.Name)
	if c.Words == nil || v == nil { // that there is no such variable is told where it is written
		return nil
	}
	value, err := v.FromWords(*c.Words)
	if err != nil {
		return problem(http.StatusUnprocessableEntity, engine.Invalid, "The request is not what the plan says",
			"%s cannot become %s: %v.", c.Name, *c.Words, err)
	}
	c.Value = value
	return nil
}
