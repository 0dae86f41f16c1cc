package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	json "github.com/go-json-experiment/json/v1"

	"github.com/danielgtaylor/huma/v2"
	"github.com/wI2L/jsondiff"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/format"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/live"
	"alluvion.dev/service/store"
)

type checkSaveInput struct {
	GamePath
	Under   int    `query:"under" minimum:"0" doc:"A published version; 0 is the plan that is being worked on."`
	Name    string `query:"name" maxLength:"255" doc:"Of a save in a format of the game's own: the name of its file, which may say whose it is."`
	RawBody []byte
}

// sealedSave is a save as it leaves the service.
type sealedSave struct {
	ContentType string `header:"Content-Type"`
	ETag        string `header:"ETag"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

type uploadInput struct {
	SlotPath
	IfMatch  string `header:"If-Match" doc:"The entity tag of the slot's newest save; none where it is empty."`
	Why      string `query:"why" maxLength:"500" doc:"Why it is uploaded; it is kept with the revision."`
	Unsealed bool   `query:"unsealed" doc:"Take a save without a seal, too; a format of the game's own has none."`
	Name     string `query:"name" maxLength:"255" doc:"Of a save in a format of the game's own: the name of its file, which may say whose it is."`
	RawBody  []byte
}

type downloadInput struct {
	SlotPath
	As string `query:"as" maxLength:"64" doc:"The name of one of the plan's formats: the save in the game's own format, without a seal."`
}

type editedOutput struct {
	ETag string `header:"ETag"`
	Body contract.Edited
}

type copyInput struct {
	SlotPath
	IfMatch string `header:"If-Match" doc:"Where the other slot has something: the entity tag of its newest save."`
	Body    contract.Copying
}

type resetInput struct {
	SlotPath
	IfMatch string `header:"If-Match" required:"true"`
	Body    contract.Resetting
}

type emptyInput struct {
	SlotPath
	Name string `query:"name" required:"true" doc:"The player's id once more: what is deleted is asked about by naming it."`
}

// TwoSaves are two saves to be compared.
type TwoSaves struct {
	Before contract.JSON `json:"before,omitempty" doc:"A save; where it is missing, the other says everything anew."`
	After  contract.JSON `json:"after,omitempty"`
}

type twoSavesInput struct {
	GamePath
	Body TwoSaves
}

func (s *Server) differences(ctx context.Context, in *twoSavesInput) (*body[[]save.Otherwise], error) {
	j, err := s.runnable(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	out, err := save.Differences(j.model, in.Body.Before, in.Body.After)
	if err != nil {
		return nil, problem(http.StatusUnprocessableEntity, engine.Invalid, "That is no save", "%v.", err)
	}
	return &body[[]save.Otherwise]{out}, nil
}

func (s *Server) saves(api huma.API) {
	tags := []string{"saves"}
	at := "/v1/games/{game}/players/{player}"
	slot := at + "/slots/{slot}"
	huma.Register(api, huma.Operation{OperationID: "check-save", Method: http.MethodPost,
		Path: "/v1/games/{game}/check-save", Summary: "Say everything that the plan does not take as it is in a save", Tags: tags, MaxBodyBytes: 2 * save.MaxBytes,
		Description: "Nothing is kept. The save may be sealed or not, of a player or of a world, and of any version; or a file in a format of the game's own.", Errors: []int{404, 413, 422}}, s.checkSave)
	huma.Register(api, huma.Operation{OperationID: "compare-saves", Method: http.MethodPost,
		Path: "/v1/games/{game}/differences", Summary: "Say what two saves say otherwise, in the plan's words", Tags: tags, MaxBodyBytes: 4 * save.MaxBytes,
		Description: "Nothing is kept. What stands in a save is told as it stands, of whatever version it is.", Errors: []int{404, 413, 422}}, s.differences)
	huma.Register(api, huma.Operation{OperationID: "download-save", Responses: answering("application/json"),
		Method: http.MethodGet, Path: slot +
			"/save", Summary: "A slot's newest save, sealed", Tags: tags,
		Description: "Or in a format of the game's own: into the file that was uploaded last, where there was one, so that what the plan does not know stays in it.", Errors: []int{404, 409, 422}}, s.download)
	huma.Register(api, huma.Operation{OperationID: "upload-save", Method: http.MethodPut, Path: slot + "/save",
		Summary: "Put a save into a slot", Tags: tags, MaxBodyBytes: 2 * save.MaxBytes,
		Description: "It becomes the slot's newest revision, upgraded to the version that is played, and whatever was there stays an earlier one. A save that the plan does not load is refused.", Errors: []int{404, 409, 412, 413, 422}}, s.upload)
	huma.Register(api, huma.Operation{OperationID: "hand-over-save", Method: http.MethodPost, Path: at + "/offline",
		Summary: "Hand over what was played without the service", Tags: tags, MaxBodyBytes: 2 * save.MaxBytes,
		Description: "The body is what a session without a service keeps (docs/offline.md). It goes where the plan's saving.offline says, without ranks and without what commons hold. Handing over the same again changes nothing.", Errors: []int{404, 409, 413, 422}}, s.handOver)
	huma.Register(api, huma.Operation{OperationID: "copy-slot", Method: http.MethodPost, Path: slot + "/copy",
		Summary: "Copy a slot's newest save into another slot", Tags: tags, Errors: []int{404, 409, 412, 422}},
		s.copySlot)
	huma.Register(api, huma.Operation{OperationID: "empty-slot", Method: http.MethodDelete, Path: slot,
		Summary: "Make a slot empty", Tags: tags,
		Description: "Its revisions stay, and any of them can be restored.", Errors: []int{404, 409, 422}}, s.emptySlot)
	huma.Register(api, huma.Operation{OperationID: "correct-value", Method: http.MethodPost, Path: slot + "/correct",
		Summary: "Put a value right by hand", Tags: tags,
		Description: "It is checked against the plan, and becomes a revision of its own with the reason. While the player plays in the slot, it is their live value that is corrected.", Errors: []int{404, 409, 412, 422}}, s.correct)
	huma.Register(api, huma.Operation{OperationID: "reset-slot", Method: http.MethodPost, Path: slot + "/reset",
		Summary: "Begin a slot anew", Tags: tags,
		Description: "What was there stays an earlier revision.", Errors: []int{404, 409, 412, 422}}, s.resetSlot)
	huma.Register(api, huma.Operation{OperationID: "export-player", Method: http.MethodGet, Path: at + "/export",
		Summary: "Everything that is held about a player", Tags: tags, Errors: []int{404}}, s.export)
	huma.Register(api, huma.Operation{OperationID: "forget-player", Method: http.MethodDelete, Path: at,
		Summary: "Delete everything that is held about a player", Tags: tags,
		Description: "It cannot be taken back.", Errors: []int{404, 409, 422}}, s.forget)
	huma.Register(api, huma.Operation{OperationID: "list-keys", Method: http.MethodGet, Path: "/v1/keys",
		Summary: "The keys that seal what leaves the service", Tags: tags}, s.listKeys)
	huma.Register(api, huma.Operation{OperationID: "new-key", Method: http.MethodPost, Path: "/v1/keys",
		DefaultStatus: http.StatusCreated, Summary: "Seal with a new key from now on", Tags: tags,
		Description: "What was sealed with the older ones is still verified."}, s.newKey)
}

// keys are those that seal and verify.
func (s *Server) keys(ctx context.Context) (save.Keys, error) {
	list, err := s.store.SealKeys(ctx)
	var out save.Keys
	for _, k := range list {
		out = append(out, save.Key{ID: k.ID, Secret: k.Secret})
	}
	return out, s.asProblem(err)
}

func (s *Server) checkSave(ctx context.Context, in *checkSaveInput) (*body[upgrade.Checked], error) {
	j, err := s.versionOf(ctx, in.Game, in.Under)
	if err != nil {
		return nil, err
	}
	if j.model == nil {
		return nil, broken(j.found)
	}
	if own := s.own(j); len(own.Formats) > 0 && !format.Own(in.RawBody) {
		all := own.Check(in.RawBody, in.Name, engine.NewJudge(j.model, nil))
		if len(all) > 1 {
			return nil, manySaves(len(all))
		}
		return &body[upgrade.Checked]{all[0].Checked}, nil
	}
	keys, err := s.keys(ctx)
	if err != nil {
		return nil, err
	}
	return &body[upgrade.Checked]{j.chain.Check(in.RawBody, keys, upgrade.Around{}, engine.NewJudge(j.model, nil))}, nil
}

// manySaves says that a table of saves is not one save.
func manySaves(n int) error {
	return problem(http.StatusUnprocessableEntity, engine.Invalid, "That is not one save",
		"The file holds %d saves: each is looked at by alluvion save check, and none by itself here.", n)
}

// playingIn finds the session in which a player plays in a slot; nil where they do not.
func (s *Server) playingIn(ctx context.Context, in SlotPath) *live.Session {
	session := s.live.Where(in.Game, in.Player)
	if session == nil {
		return nil
	}
	if now, ok, err := session.Player(ctx, in.Player); err != nil || !ok || now.Slot != in.Slot {
		return nil
	}
	return session
}

func (s *Server) download(ctx context.Context, in *downloadInput) (*sealedSave, error) {
	if in.As != "" {
		return s.downloadAs(ctx, in)
	}
	stored, err := s.store.Peek(ctx, in.Game, in.Player, in.Slot)
	if err == nil && stored.Doc == nil {
		err = fmt.Errorf("save in slot %d of %s: %w", in.Slot, in.Player, store.ErrNotFound)
	}
	if err != nil {
		return nil, s.asProblem(err)
	}
	keys, err := s.keys(ctx)
	if err != nil {
		return nil, err
	}
	raw, err := keys.Seal(s.told(ctx, in.Game, in.Player, in.Slot, stored))
	name := fmt.Sprintf("%s-%s-slot%d-r%d.json", in.Game, safeName(in.Player), in.Slot, stored.Revision)
	return &sealedSave{"application/json", etagOf(stored.Revision), `attachment; filename="` + name + `"`, raw},
		s.asProblem(err)
}

// told is a save with what the service knows of it: its revision, when and on what it was saved, and under which plan.
func (s *Server) told(ctx context.Context, game, player string, slot int, stored store.Saved) []byte {
	r, err := s.store.Revision(ctx, game, player, slot, stored.Revision)
	if err != nil {
		return stored.Doc
	}
	about := save.About{Revision: r.Revision, Moment: r.Moment, SavedAt: r.SavedAt}
	if stored.Recovered {
		about.Moment = "recovery"
	}
	if v, err := s.store.Version(ctx, game, r.Version); err == nil {
		about.Plan = v.ETag
	}
	return save.Told(stored.Doc, about)
}

// safeName is an id as a part of a file's name.
func safeName(id string) string {
	return strings.Map(func(r rune) rune {
		if r == '-' || r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' {
			return r
		}
		return '_'
	}, id)
}

func (s *Server) upload(ctx context.Context, in *uploadInput) (*editedOutput, error) {
	j, err := s.playing(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	if len(j.plan.Formats.Entries) > 0 && !format.Own(in.RawBody) {
		return s.uploadOwn(ctx, j, in)
	}
	keys, err := s.keys(ctx)
	if err != nil {
		return nil, err
	}
	if !save.IsSealed(in.RawBody) && !in.Unsealed {
		return nil, problem(http.StatusConflict, "save", "The save cannot be loaded",
			"It has no seal, so that nobody knows who changed it. Ask for unsealed=true to take it all the same.")
	}
	l, err := j.loadable(in.RawBody, keys, in.Player)
	if err != nil {
		return nil, err
	}
	l.Player.Slot, l.Player.About = in.Slot, nil
	return s.put(ctx, j, in.SlotPath, in.IfMatch, "uploaded", in.Why, l)
}

// loadable reads a player's save that comes from outside, and says why where the plan does not load it.
func (j judged) loadable(raw []byte, keys save.Keys, player string) (*upgrade.Loaded, error) {
	return loaded(j.chain.Check(raw, keys, upgrade.Around{}, engine.NewJudge(j.model, nil)), player)
}

// loaded is a player's save that was checked, or why the plan does not load it.
func loaded(x upgrade.Checked, player string) (*upgrade.Loaded, error) {
	switch {
	case x.Outcome != save.Take || x.Loaded == nil:
		p := problem(http.StatusConflict, "save", "The save cannot be loaded", "It is no player's save.")
		if len(x.Problems) > 0 {
			p.Detail = fmt.Sprintf("%s: %s.", x.Problems[0].Name, x.Problems[0].Reason)
		}
		for _, one := range x.Problems {
			p.Errors = append(p.Errors, strings.TrimSpace(one.Pointer+" "+one.Reason))
		}
		return nil, p
	case x.Loaded.Player.Player != player:
		return nil, problem(http.StatusConflict, "save", "The save is another player's", "It is of %s, not of %s.",
			x.Loaded.Player.Player, player)
	}
	return x.Loaded, nil
}

// put writes a save that no session wrote, while nobody plays in the slot. A slot that has one needs its entity tag.
func (s *Server) put(ctx context.Context, j judged, in SlotPath, ifMatch, moment, why string,
	l *upgrade.Loaded) (*editedOutput, error) {
	at, err := base(ifMatch)
	if err != nil {
		return nil, err
	}
	if in.Slot > j.model.SlotsPerPlayer() {
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The request is not what the plan says",
			"There is no slot %d: a player has %d.", in.Slot, j.model.SlotsPerPlayer())
	}
	if len(l.Over) > 0 { // what the upgrade of the slot moves to where all slots have it
		profile, err := s.profileOf(ctx, j, in.Game, in.Player)
		if err != nil {
			return nil, err
		}
		l.Player.Profile = upgrade.WithOver(j.model, profile, in.Player, l.Over)
	}
	part := live.PartOf(j.model, l.Player, moment)
	part.Why = why
	for _, moved := range l.Moved {
		raw, _ := moved.Value.MarshalJSON()
		part.Shared = append(part.Shared, store.SharedValue{Commons: moved.Var.Shared.Commons, Player: in.Player,
			Name: moved.Var.Shared.ID, Doc: raw})
	}
	n, err := s.replace(ctx, j, in, part, max(at, 0))
	if errors.Is(err, store.ErrConflict) {
		return nil, s.conflict(ctx, in, at)
	}
	if err != nil {
		return nil, s.asProblem(err)
	}
	s.log.Info("a save was written by hand", "game", in.Game, "player", in.Player, "slot", in.Slot, "as", moment, "why",
		why, "revision", n)
	problems := l.Problems
	if problems == nil {
		problems = []save.Problem{}
	}
	return &editedOutput{etagOf(n), contract.Edited{Revision: n, Moment: moment, Problems: problems}}, nil
}

// replace writes a part as the newest of a slot, while nobody plays in it and base is the newest there.
func (s *Server) replace(ctx context.Context, j judged, in SlotPath, part store.PlayerCut, base int) (n int, err error) {
	err = s.live.Aside(ctx, in.Game, in.Player, in.Slot, func() (err error) {
		n, err = s.store.Put(ctx, store.Cut{Game: in.Game, Players: []store.PlayerCut{part}, Keep: j.model.RevisionsKept()}, base)
		return err
	})
	return n, err
}

// conflict says that somebody else wrote first, with what they changed (RFC 6902).
func (s *Server) conflict(ctx context.Context, in SlotPath, base int) error {
	p := problem(http.StatusPreconditionFailed, "conflict", "Somebody else changed it",
		"The newest save of slot %d is another by now. Read it again, and repeat the change on that.", in.Slot)
	newest, err := s.store.Peek(ctx, in.Game, in.Player, in.Slot)
	if err != nil {
		return p
	}
	p.Detail = fmt.Sprintf("The newest save of slot %d is revision %d by now, not %d. Read it again, and repeat the change on that.", in.Slot, newest.Revision, max(base, 0))
	if was, err := s.store.Revision(ctx, in.Game, in.Player, in.Slot, base); err == nil {
		if patch, err := jsondiff.CompareJSON(was.Doc, newest.Doc); err == nil {
			p.Patch, _ = json.Marshal(patch)
		}
	}
	return p
}

// opened reads a slot's newest save under the plan that is played.
func (s *Server) opened(ctx context.Context, in SlotPath) (judged, *upgrade.Loaded, error) {
	j, err := s.playing(ctx, in.Game)
	if err != nil {
		return j, nil, err
	}
	stored, err := s.store.Peek(ctx, in.Game, in.Player, in.Slot)
	if err == nil && stored.Doc == nil {
		err = fmt.Errorf("save in slot %d of %s: %w", in.Slot, in.Player, store.ErrNotFound)
	}
	if err != nil {
		return j, nil, s.asProblem(err)
	}
	profile, err := s.profileOf(ctx, j, in.Game, in.Player)
	if err != nil {
		return j, nil, err
	}
	l, err := j.chain.Player(stored.Doc, upgrade.Around{Profile: profile})
	if err == nil {
		err = upgrade.RefusedBy(l.Problems)
	}
	return j, l, s.asProblem(err)
}

func (s *Server) copySlot(ctx context.Context, in *copyInput) (*editedOutput, error) {
	to := in.SlotPath
	to.Slot = in.Body.To
	if to.Slot == in.Slot {
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The request is not what the plan says",
			"Slot %d is copied into itself.", in.Slot)
	}
	j, l, err := s.opened(ctx, in.SlotPath)
	if err != nil {
		return nil, err
	}
	l.Player.Slot = to.Slot
	return s.put(ctx, j, to, in.IfMatch, "copied", fmt.Sprintf("from slot %d", in.Slot), l)
}

func (s *Server) emptySlot(ctx context.Context, in *emptyInput) (*struct{}, error) {
	if err := named(in.Name, in.Player); err != nil {
		return nil, err
	}
	return nil, s.asProblem(s.live.Aside(ctx, in.Game, in.Player, in.Slot, func() error {
		return s.store.Empty(ctx, in.Game, in.Player, in.Slot)
	}))
}

// named makes sure that what is deleted is what is meant.
func named(name, player string) error {
	if name != player {
		return problem(http.StatusUnprocessableEntity, "invalid", "Say once more whose",
			"What is deleted is asked about by naming it: name has to be %q, not %q.", player, name)
	}
	return nil
}

func (s *Server) resetSlot(ctx context.Context, in *resetInput) (*editedOutput, error) {
	j, err := s.playing(ctx, in.Game)
	if err != nil {
		return nil, err
	}
	r := engine.Open(j.model, live.Seed())
	if _, err := r.Step(&engine.Request{Do: "join", Player: in.Player, Slot: in.Slot, Server: true}); err != nil {
		return nil, s.asProblem(err)
	}
	fresh := r.Save(in.Player)
	fresh.Visits = 0   // they have not been there in this run
	fresh.Shared = nil // what is in common belongs to no slot, and stays (rule 3)
	return s.put(ctx, j, in.SlotPath, in.IfMatch, "reset", in.Body.Why,
		&upgrade.Loaded{Player: fresh, From: j.model.Plan.Version.Value})
}

func (s *Server) listKeys(ctx context.Context, _ *struct{}) (*body[[]contract.KeyInfo], error) {
	list, err := s.store.SealKeys(ctx)
	return &body[[]contract.KeyInfo]{keyInfos(list)}, s.asProblem(err)
}

func (s *Server) newKey(ctx context.Context, _ *struct{}) (*body[[]contract.KeyInfo], error) {
	list, err := s.store.NewSealKey(ctx)
	return &body[[]contract.KeyInfo]{keyInfos(list)}, s.asProblem(err)
}

func keyInfos(list []store.SealKey) []contract.KeyInfo {
	out := make([]contract.KeyInfo, len(list))
	for i, k := range list {
		out[i] = contract.KeyInfo{ID: k.ID, MadeAt: k.MadeAt, Seals: i == len(list)-1}
	}
	return out
}
