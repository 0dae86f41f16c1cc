package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/store"
)

// uploadOwn takes a save in a format of the game's own into a slot, and keeps the file: what is downloaded in that format
// is written into it.
func (s *Server) uploadOwn(ctx context.Context, j judged, in *uploadInput) (*editedOutput, error) {
	if !in.Unsealed {
		return nil, problem(http.StatusConflict, "save", "The save cannot be loaded",
			"A save in a format of the game's own has no seal, so that nobody knows who changed it. Ask for unsealed=true to take it all the same.")
	}
	opened, err := s.own(j).Open(in.RawBody, in.Name)
	if err != nil {
		return nil, problem(http.StatusConflict, "save", "The save cannot be loaded", "%v.", finding.Upper(err.Error()))
	}
	if len(opened) > 1 {
		return nil, manySaves(len(opened))
	}
	one := opened[0]
	x := one.Check(engine.NewJudge(j.model, nil))
	if one.Format.Of() == "profile" {
		out, err := s.uploadProfile(ctx, j, in, one, x)
		if err != nil {
			return nil, err
		}
		return out, s.keepOriginal(ctx, in, one)
	}
	player := in.Player
	if x.Loaded != nil && !one.SaysPlayer {
		x.Loaded.Player.Player = player // nothing in it says whose it is
	}
	l, err := loaded(x, player)
	if err != nil {
		return nil, err
	}
	l.Player.Slot, l.Player.About = in.Slot, nil
	out, err := s.put(ctx, j, in.SlotPath, in.IfMatch, "uploaded", in.Why, l)
	if err != nil {
		return nil, err
	}
	return out, s.keepOriginal(ctx, in, one)
}

func (s *Server) keepOriginal(ctx context.Context, in *uploadInput, one *format.Opened) error {
	return s.asProblem(s.store.KeepOriginal(ctx, store.Original{Game: in.Game, Player: in.Player, Slot: in.Slot,
		Format: one.Format.Name, Name: in.Name, Doc: in.RawBody}))
}

// uploadProfile takes what a player has over all slots. It is written with the slot, as a revision of it.
func (s *Server) uploadProfile(ctx context.Context, j judged, in *uploadInput, one *format.Opened, x upgrade.Checked) (*editedOutput, error) {
	switch {
	case x.Outcome != save.Take || x.Over == nil:
		p := problem(http.StatusConflict, "save", "The save cannot be loaded", "It is no profile of a player.")
		for _, one := range x.Problems {
			p.Errors = append(p.Errors, strings.TrimSpace(one.Pointer+" "+one.Reason))
		}
		return nil, p
	case one.SaysPlayer && x.Over.Player != in.Player:
		return nil, problem(http.StatusConflict, "save", "The save is another player's", "It is of %s, not of %s.", x.Over.Player, in.Player)
	}
	_, l, err := s.opened(ctx, in.SlotPath)
	if err != nil {
		return nil, err
	}
	x.Over.Player = in.Player
	l.Player.Profile, l.Player.About, l.Over, l.Problems = x.Over, nil, nil, x.Problems
	return s.put(ctx, j, in.SlotPath, in.IfMatch, "uploaded", in.Why, l)
}

// downloadAs gives a slot's newest save in a format of the game's own.
func (s *Server) downloadAs(ctx context.Context, in *downloadInput) (*sealedSave, error) {
	j, l, err := s.opened(ctx, in.SlotPath)
	if err != nil {
		return nil, err
	}
	own := s.own(j)
	f := own.Format(in.As)
	if f == nil {
		names := []string{}
		for _, f := range own.Formats {
			names = append(names, f.Name)
		}
		return nil, problem(http.StatusUnprocessableEntity, engine.Invalid, "The plan has no such format", "It has no format called %q.%s",
			in.As, finding.DidYouMean(finding.Nearest(in.As, names)))
	}
	var doc []byte
	switch f.Of() {
	case "world":
		return nil, problem(http.StatusUnprocessableEntity, engine.Invalid, "That is no format of a player's save",
			"A file of %s holds the world.", f.Name)
	case "profile":
		profile, err := s.profileOf(ctx, j, in.Game, in.Player)
		if err != nil {
			return nil, err
		}
		if profile = upgrade.WithOver(j.model, profile, in.Player, l.Over); profile == nil {
			return nil, problem(http.StatusNotFound, "not-found", "There is no such thing here", "%s has nothing over all slots yet.", in.Player)
		}
		if doc, err = save.Encode(profile); err != nil {
			return nil, s.asProblem(err)
		}
	default:
		if doc, err = save.Encode(l.Player); err != nil {
			return nil, s.asProblem(err)
		}
	}
	was, name, err := s.originalOf(ctx, in, f)
	if err != nil {
		return nil, err
	}
	raw, left, err := f.Write(doc, was)
	switch {
	case err != nil:
		return nil, problem(http.StatusConflict, "save", "The save cannot be written", "%v.", finding.Upper(err.Error()))
	case len(left) > 0:
		p := problem(http.StatusConflict, "save", "The save cannot be written in full", "%s: %s.", left[0].Name, left[0].Why)
		for _, l := range left {
			p.Errors = append(p.Errors, l.Name+" "+l.Why)
		}
		return nil, p
	}
	if name == "" {
		name = fmt.Sprintf("%s-%d.%s", in.Player, in.Slot, f.Ending())
	}
	stored, err := s.store.Peek(ctx, in.Game, in.Player, in.Slot)
	return &sealedSave{"application/octet-stream", etagOf(stored.Revision), `attachment; filename="` + safeFile(name) + `"`, raw}, s.asProblem(err)
}

// originalOf is the file that was uploaded into a slot last, and its name; nil where there is none that can still be read.
func (s *Server) originalOf(ctx context.Context, in *downloadInput, f *format.Format) (*format.Opened, string, error) {
	all, err := s.store.Originals(ctx, in.Game, in.Player)
	if err != nil {
		return nil, "", s.asProblem(err)
	}
	i := slices.IndexFunc(all, func(o store.Original) bool { return o.Slot == in.Slot && o.Format == f.Name })
	if i < 0 {
		return nil, "", nil
	}
	opened, err := f.Open(all[i].Doc, all[i].Name)
	if err != nil || len(opened) != 1 {
		return nil, all[i].Name, nil
	}
	return opened[0], all[i].Name, nil
}

// safeFile is the name of a file, without what could end it.
func safeFile(name string) string {
	ending := ""
	for i := len(name) - 1; i > 0; i-- {
		if name[i] == '.' {
			name, ending = name[:i], name[i+1:]
			break
		}
	}
	if ending == "" {
		return safeName(name)
	}
	return safeName(name) + "." + safeName(ending)
}
