package api

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/live"
	"alluvion.dev/service/store"
)

// PlayerPath names a player of a game.
type PlayerPath struct {
	GamePath
	Player string `path:"player" maxLength:"64" doc:"The player's id."`
}

type playerOutput struct {
	ETag string `header:"ETag" doc:"Of the slot's newest save."`
	Body contract.PlayerView
}

type playerInput struct {
	PlayerPath
	Slot int `query:"slot" minimum:"0" maximum:"100" doc:"The slot; the one that they play in now, else 1, if unsaid."`
}

// SlotPath names a slot of a player.
type SlotPath struct {
	PlayerPath
	Slot int `path:"slot" minimum:"1" maximum:"100"`
}

// RevisionPath names a revision of a slot.
type RevisionPath struct {
	SlotPath
	Revision int `path:"revision" minimum:"1"`
}

func (s *Server) players(api huma.API) {
	tags := []string{"players"}
	at := "/v1/games/{game}/players/{player}"
	huma.Register(api, huma.Operation{OperationID: "list-players", Method: http.MethodGet,
		Path: "/v1/games/{game}/players", Summary: "Everybody who is present or has something saved", Tags: tags, Errors: []int{404}}, s.listPlayers)
	huma.Register(api, huma.Operation{OperationID: "get-player", Method: http.MethodGet, Path: at,
		Summary: "A player's values: start, live, saved", Tags: tags, Errors: []int{404}}, s.getPlayer)
	huma.Register(api, huma.Operation{OperationID: "save-player", Method: http.MethodPost, Path: at + "/save",
		Summary: "Save a present player now", Tags: tags, Errors: []int{404}}, s.savePlayer)
	huma.Register(api, huma.Operation{OperationID: "list-revisions", Method: http.MethodGet,
		Path: at + "/slots/{slot}/revisions", Summary: "A slot's saves, newest first", Tags: tags, Errors: []int{404}},
		s.revisions)
	huma.Register(api, huma.Operation{OperationID: "get-revision", Responses: answering("application/json"),
		Method: http.MethodGet, Path: at +
			"/slots/{slot}/revisions/{revision}", Summary: "One save's document", Tags: tags, Errors: []int{404}},
		s.revision)
	huma.Register(api, huma.Operation{OperationID: "take-up", Method: http.MethodPost,
		Path: at + "/slots/{slot}/revisions/{revision}/take-up", Summary: "Make an earlier save the newest once more", Tags: tags,
		Description: "A copy of it becomes the newest revision; nothing is lost. The player must not be playing in the slot.", Errors: []int{404, 409}}, s.takeUp)
}

// PlayersWanted says which players are listed.
type PlayersWanted struct {
	GamePath
	Part string `query:"part" maxLength:"64" doc:"Only those whose id has this in it."`
	Most int    `query:"most" minimum:"0" maximum:"1000000" doc:"At most so many, in the order of their ids; 0: all."`
}

func (s *Server) listPlayers(ctx context.Context, in *PlayersWanted) (*body[[]contract.PlayerInfo], error) {
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	saved, err := s.store.Players(ctx, in.Game, store.Whom{Part: in.Part, Most: in.Most})
	if err != nil {
		return nil, s.asProblem(err)
	}
	byID := map[string]*contract.PlayerInfo{}
	get := func(id string) *contract.PlayerInfo {
		if byID[id] == nil {
			byID[id] = &contract.PlayerInfo{Player: id, Slots: []contract.SlotInfo{}}
		}
		return byID[id]
	}
	j, _ := s.playing(ctx, in.Game) // without a plan that runs, scenes have no titles
	for _, slot := range saved {
		p := get(slot.Player)
		p.Slots = append(p.Slots, slotOf(slot, j.model))
	}
	for _, session := range s.live.Sessions(in.Game) {
		v, err := session.Brief(ctx)
		if err != nil {
			continue
		}
		for _, id := range v.Present {
			if !strings.Contains(id, in.Part) {
				continue
			}
			get(id).Session, get(id).Slot = session.Name, v.Slots[id]
		}
	}
	for _, other := range s.sessionsElsewhere(ctx, in.Game) {
		for _, id := range other.Present {
			if strings.Contains(id, in.Part) {
				get(id).Session = other.Name
			}
		}
	}
	simulated, err := s.store.Simulated(ctx, in.Game)
	if err != nil {
		return nil, s.asProblem(err)
	}
	out := make([]contract.PlayerInfo, 0, len(byID))
	for _, p := range byID {
		p.Simulated = simulated[p.Player]
		out = append(out, *p)
	}
	slices.SortFunc(out, func(a, b contract.PlayerInfo) int { return strings.Compare(a.Player, b.Player) })
	if in.Most > 0 {
		out = out[:min(len(out), in.Most)]
	}
	return &body[[]contract.PlayerInfo]{out}, nil
}

// slotOf tells what is saved in a slot. m, which may be nil, knows what scenes are called.
func slotOf(i store.SlotInfo, m *model.Model) contract.SlotInfo {
	out := contract.SlotInfo{Slot: i.Slot, Revision: i.Revision, Moment: i.Moment, Version: i.Version, Scene: i.Scene,
		SavedAt: i.SavedAt}
	if m != nil && m.Scene(i.Scene) != nil {
		out.Title = m.Scene(i.Scene).Title
	}
	return out
}

func revisionOf(r store.Revision, m *model.Model) contract.SlotInfo {
	return slotOf(store.SlotInfo{Slot: r.Slot, Revision: r.Revision, Moment: r.Moment, Version: r.Version,
		Scene: r.Scene, SavedAt: r.SavedAt}, m)
}

func (s *Server) getPlayer(ctx context.Context, in *playerInput) (*playerOutput, error) {
	j, err := s.playing(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	now, session, err := s.now(ctx, in)
	if err != nil {
		return nil, s.asProblem(err)
	}
	if session != nil && session.Model().Plan.Version.Value != j.model.Plan.Version.Value {
		m := session.Model() // they play under an earlier version, which the session is pinned to
		j = judged{model: m, plan: m.Plan, chain: upgrade.New(m)}
	}
	out := contract.PlayerView{Player: in.Player, Slot: in.Slot, Slots: []contract.SlotInfo{},
		Problems: []save.Problem{}}
	for _, f := range s.own(j).Formats {
		if f.Of() == "player" && !f.Decl.Rows.Given {
			out.Formats = append(out.Formats, f.Name)
		}
	}
	if now != nil && (in.Slot == 0 || in.Slot == now.Slot) {
		out.Present, out.Slot, out.Dead, out.Session = true, now.Slot, now.Dead, session.Name
	} else {
		now = nil
	}
	out.Slot = max(out.Slot, 1)
	out.Under = j.model.Plan.Version.Value
	doc, err := s.saved(ctx, j, in, &out)
	if err != nil {
		return nil, err
	}
	kept, err := s.store.Revisions(ctx, in.Game, in.Player, out.Slot)
	if err != nil {
		return nil, s.asProblem(err)
	}
	if now == nil && doc == nil && len(out.Slots)+len(kept) == 0 {
		return nil, problem(http.StatusNotFound, "not-found", "There is no such thing here",
			"There is no player %q: nobody of that name is present, and nothing is saved.", in.Player)
	}
	out.Values = threes(j.model, now, doc)
	return &playerOutput{etagOf(out.Revision), out}, nil
}

// now finds what a player has in the session that they are in.
func (s *Server) now(ctx context.Context, in *playerInput) (*live.PlayerValues, *live.Session, error) {
	session := s.live.Where(in.Game, in.Player)
	if session == nil {
		return nil, nil, nil
	}
	v, ok, err := session.Player(ctx, in.Player)
	if err != nil || !ok {
		return nil, nil, err
	}
	return &v, session, nil
}

// saved reads what is saved, and lists the player's slots.
func (s *Server) saved(ctx context.Context, j judged, in *playerInput, out *contract.PlayerView) (*save.Player, error) {
	slots, err := s.store.Players(ctx, in.Game, store.Whom{Player: in.Player})
	if err != nil {
		return nil, s.asProblem(err)
	}
	for _, slot := range slots {
		out.Slots = append(out.Slots, slotOf(slot, j.model))
	}
	stored, err := s.store.Peek(ctx, in.Game, in.Player, out.Slot)
	if errors.Is(err, store.ErrNotFound) || err == nil && stored.Doc == nil {
		return nil, nil
	}
	if err != nil {
		return nil, s.asProblem(err)
	}
	out.Revision, out.Recovery = stored.Revision, stored.Recovered
	profile, err := s.profileOf(ctx, j, in.Game, in.Player)
	if err != nil {
		return nil, err
	}
	l, err := j.chain.Player(stored.Doc, upgrade.Around{Profile: profile})
	if err != nil {
		out.Problems = append(out.Problems, save.Whole(j.model, err))
		return nil, nil
	}
	out.From, out.Problems = l.From, append(out.Problems, l.Problems...)
	if !out.Present {
		out.Dead = l.Player.Dead
	}
	l.Player.Profile = upgrade.WithOver(j.model, profile, in.Player, l.Over)
	return l.Player, nil
}

// profileOf is what a player has over all slots, under the plan; nil where that is nothing.
func (s *Server) profileOf(ctx context.Context, j judged, game, player string) (*save.Profile, error) {
	if !j.chain.NeedsProfile() {
		return nil, nil
	}
	raw, err := s.store.Profile(ctx, game, player)
	if err != nil || raw == nil {
		return nil, s.asProblem(err)
	}
	profile, _, err := j.chain.Profile(raw)
	return profile, s.asProblem(err)
}

// threes puts start, live and saved side by side, place and checkpoint first.
func threes(m *model.Model, now *live.PlayerValues, doc *save.Player) []contract.Three {
	out := []contract.Three{placeThree(m, now, doc), checkpointThree(now, doc)}
	if len(m.Checkpoints) > 0 {
		out = append(out, reachedThree(now, doc))
	}
	if len(m.Movables) > 0 {
		out = append(out, heldThree(now))
	}
	for _, w := range m.Waymarks {
		out = append(out, waymarkThree(w, now, doc))
	}
	for i, x := range m.Milestones {
		out = append(out, milestoneThree(x, i, now, doc))
	}
	figures := map[string]types.Value{}
	if now != nil {
		for _, f := range now.Figures {
			if f.Var.Holder == model.OfPlayer || f.Var.Holder == model.OfProfile {
				figures[f.Var.Name] = f.Value
			}
		}
	}
	for _, v := range m.Vars {
		if v.Holder != model.OfPlayer && v.Holder != model.OfProfile {
			continue
		}
		t := contract.Three{Name: v.Name, Title: v.Title, Type: v.Decl.Type.Name, Computed: v.Computed(),
			Start: startOf(v), Live: figures[v.Name], Correctable: doc != nil &&
				save.Correctable(v), Choices: v.Choices()}
		if v.Holder == model.OfProfile {
			t.Title += overAll
		}
		if doc != nil {
			t.Stored = !v.Computed() && v.Shared == nil // a commons is kept apart
			values := doc.Values
			if v.Holder == model.OfProfile {
				values = nil
				if doc.Profile != nil {
					values = doc.Profile.Values
				}
			}
			if saved, ok := values[v.ID]; ok {
				t.Saved = saved
			} else if t.Stored {
				t.Saved = v.Start // an older save does not have it yet
			}
		}
		out = append(out, t)
	}
	return append(out, pairThrees(m, now, doc)...)
}

// overAll follows the title of what a player has over all slots.
const overAll = " · over all slots"

// startOf is a variable's start, for people; none of what begins by itself.
func startOf(v *model.Var) types.Value {
	if v.Seed {
		return types.None
	}
	return v.Start
}

// fewOptions is up to how many options of a list each is shown, also those that were never changed.
const fewOptions = 40

// pairThrees are those of pairs that were ever changed, now or in the save; and those of lists with few options.
func pairThrees(m *model.Model, now *live.PlayerValues, doc *save.Player) []contract.Three {
	type copyOf struct{ name, of string }
	known := map[copyOf]*contract.Three{}
	var out []*contract.Three
	three := func(v *model.Var, of string) *contract.Three {
		key := copyOf{v.Name, of}
		if known[key] == nil {
			title := v.Title + " · " + of
			if list := v.Hold.List; list != nil && list.Option(of) >= 0 {
				title = v.Title + " · " + list.Options[list.Option(of)].Title
			}
			if v.Holder.OfProfiles() {
				title += overAll
			}
			known[key] = &contract.Three{Name: v.Name, Of: of, Title: title, Type: v.Decl.Type.Name,
				Computed: v.Computed(), Start: v.Start, Live: v.Start, Saved: v.Start, Stored: doc != nil &&
					!v.Computed(), Correctable: doc != nil && save.Correctable(v), Choices: v.Choices()}
			out = append(out, known[key])
		}
		return known[key]
	}
	for _, v := range m.Vars {
		if list := v.Hold.List; list != nil && v.Holder.OfPlayers() && len(list.Options) <= fewOptions {
			for _, option := range list.Options {
				three(v, option.ID)
			}
		}
	}
	if now != nil {
		for _, f := range now.Figures {
			if of := f.Scene + f.Prop + f.Option; of != "" {
				three(f.Var, of).Live = f.Value
			}
		}
	}
	if doc != nil {
		for scene, values := range doc.Scenes {
			for id, value := range values {
				three(m.Holders[model.OfPlayerScene].Var(id), scene).Saved = value
			}
		}
		for kind, each := range doc.Props {
			for prop, values := range each {
				for id, value := range values {
					three(m.Kind(kind).Players.Var(id), kind+"."+prop).Saved = value
				}
			}
		}
		for list, each := range doc.Lists {
			for option, values := range each {
				for id, value := range values {
					three(m.List(list).Players.Var(id), option).Saved = value
				}
			}
		}
	}
	if doc != nil && doc.Profile != nil {
		for list, each := range doc.Profile.Lists {
			for option, values := range each {
				for id, value := range values {
					three(m.List(list).Profile.Var(id), option).Saved = value
				}
			}
		}
	}
	place := map[string]int{} // as the plan has it
	for _, v := range m.Vars {
		if list := v.Hold.List; list != nil {
			for i, option := range list.Options {
				place[v.Name+" "+option.ID] = i
			}
		}
	}
	slices.SortStableFunc(out, func(a, b *contract.Three) int {
		return cmp.Or(strings.Compare(a.Name, b.Name), cmp.Compare(place[a.Name+" "+a.Of], place[b.Name+" "+b.Of]),
			strings.Compare(a.Of, b.Of))
	})
	list := make([]contract.Three, len(out))
	for i := range out {
		list[i] = *out[i]
	}
	return list
}

func placeThree(m *model.Model, now *live.PlayerValues, doc *save.Player) contract.Three {
	t := contract.Three{Name: "place", Title: "Place", Type: "place", Start: types.OfText(m.Start.ID),
		Stored: doc != nil}
	if now != nil {
		t.Live = types.OfText(now.Place.String())
	}
	if doc != nil {
		t.Saved = types.OfText(doc.Place.String())
	}
	return t
}

// reachedThree lists the checkpoints that were reached in this run.
func reachedThree(now *live.PlayerValues, doc *save.Player) contract.Three {
	t := contract.Three{Name: "player.checkpoints", Title: "Checkpoints of this run", Type: "checkpoints",
		Start: types.OfItems(nil), Stored: doc != nil}
	if now != nil {
		t.Live = textItems(now.Reached)
	}
	if doc != nil {
		t.Saved = textItems(doc.Used)
	}
	return t
}

// heldThree lists the movables that the player has; the world's save has them, not the player's.
func heldThree(now *live.PlayerValues) contract.Three {
	t := contract.Three{Name: "player.holds", Title: "Holds", Type: "movables", Start: types.OfItems(nil)}
	if now != nil {
		t.Live = textItems(now.Held)
	}
	return t
}

func textItems(list []string) types.Value {
	items := make([]types.Value, len(list))
	for i, s := range list {
		items[i] = types.OfText(s)
	}
	return types.OfItems(items)
}

func milestoneThree(m *model.Milestone, i int, now *live.PlayerValues, doc *save.Player) contract.Three {
	t := contract.Three{Name: "player.earned." + m.ID, Title: m.Title, Type: "milestone", Start: milestoneText(false),
		Stored: doc != nil}
	if now != nil && i < len(now.Milestones) {
		t.Live = progressText(now.Milestones[i])
	}
	if doc != nil {
		t.Saved = milestoneText(slices.Contains(doc.Milestones, m.ID))
		if t.Saved == milestoneText(false) && now != nil && i < len(now.Milestones) && !now.Milestones[i].Earned {
			t.Saved = t.Live // how far it is follows from other values
		}
	}
	return t
}

// progressText is how far somebody is with a milestone, for people.
func progressText(p engine.Progress) types.Value {
	if p.Earned || p.Reached.IsNone() {
		return milestoneText(p.Earned)
	}
	return types.OfText(p.Reached.String() + " of " + p.Milestone.Goal.String())
}

// milestoneText is how a milestone stands, for people.
func milestoneText(earned bool) types.Value {
	if earned {
		return types.OfText("earned")
	}
	return types.OfText("not yet")
}

func waymarkThree(w *model.Waymark, now *live.PlayerValues, doc *save.Player) contract.Three {
	t := contract.Three{Name: "player." + w.ID, Title: w.Title, Type: "waymark", Stored: doc != nil}
	shown := func(marks map[string]save.Place) types.Value {
		if place, ok := marks[w.ID]; ok {
			return types.OfText(place.String())
		}
		return types.None
	}
	if now != nil {
		t.Live = shown(now.Waymarks)
	}
	if doc != nil {
		t.Saved = shown(doc.Waymarks)
	}
	return t
}

func checkpointThree(now *live.PlayerValues, doc *save.Player) contract.Three {
	named := func(id string) types.Value {
		if id == "" {
			return types.None
		}
		return types.OfText(id)
	}
	t := contract.Three{Name: "player.checkpoint", Title: "Checkpoint reached", Type: "checkpoint", Stored: doc != nil}
	if now != nil {
		t.Live = named(now.Checkpoint)
	}
	if doc != nil {
		t.Saved = named(doc.Checkpoint)
	}
	return t
}

func (s *Server) savePlayer(ctx context.Context, in *PlayerPath) (*body[contract.Saved], error) {
	session := s.live.Where(in.Game, in.Player)
	if session == nil {
		return nil, problem(http.StatusNotFound, "not-found", "There is no such thing here",
			"%s is in no session of %s: only who is present can be saved.", in.Player, in.Game)
	}
	saved, err := session.SaveNow(ctx, in.Player)
	return &body[contract.Saved]{contract.Saved{Revision: saved.Revision, Moment: saved.Moment, Error: saved.Error}},
		s.asProblem(err)
}

func (s *Server) revisions(ctx context.Context, in *SlotPath) (*body[[]contract.RevisionInfo], error) {
	list, err := s.store.Revisions(ctx, in.Game, in.Player, in.Slot)
	if err == nil && len(list) == 0 {
		return nil, problem(http.StatusNotFound, "not-found", "There is no such thing here",
			"Nothing is saved in slot %d of %s.", in.Slot, in.Player)
	}
	j, _ := s.playing(ctx, in.Game) // without a plan that runs, scenes have no titles
	out := make([]contract.RevisionInfo, 0, len(list))
	for _, r := range list {
		out = append(out, contract.RevisionInfo{SlotInfo: revisionOf(r, j.model), Why: r.Why, Checksum: r.Checksum})
	}
	return &body[[]contract.RevisionInfo]{out}, s.asProblem(err)
}

func (s *Server) revision(ctx context.Context, in *RevisionPath) (*rawBody, error) {
	r, err := s.store.Revision(ctx, in.Game, in.Player, in.Slot, in.Revision)
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &rawBody{"application/json", r.Doc}, nil
}

func (s *Server) takeUp(ctx context.Context, in *RevisionPath) (*body[contract.Saved], error) {
	j, err := s.playing(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	n := 0
	err = s.live.Aside(ctx, in.Game, in.Player, in.Slot, func() (err error) {
		n, err = s.store.TakeUp(ctx, in.Game, in.Player, in.Slot, in.Revision, j.model.RevisionsKept())
		return err
	})
	return &body[contract.Saved]{contract.Saved{Revision: n, Moment: "taken-up"}}, s.asProblem(err)
}
