// Package matrix says what survives what: a row for each piece of state, a column for each crossing,
// and in each cell that state's fate, who decided it, and a sentence for people.
package matrix

import (
	"fmt"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Matrix is the whole table.
type Matrix struct {
	Game    string   `json:"game"`
	Title   string   `json:"title"`
	Version int      `json:"version" doc:"Version of the plan."`
	Columns []Column `json:"columns"`
	Groups  []Group  `json:"groups"`
	Rosters []string `json:"rosters" doc:"What a pick can be of."`
	Holders []Holder `json:"holders" doc:"Who can have variables in this plan."`
}

// Holder is who can have variables.
type Holder struct {
	Holder string `json:"holder" doc:"As it is written in a plan: player, [player, prop:cache]."`
	Prefix string `json:"prefix" doc:"What stands before the names of its variables, here and in rules: player., prop.cache."`
}

// Column is one crossing, or the derived column crash.
type Column struct {
	ID      string `json:"id" doc:"scene, death, leave, restart, new-run or crash."`
	Title   string `json:"title"`
	Meaning string `json:"meaning" doc:"When the crossing happens."`
}

// Group is the rows of one holder.
type Group struct {
	Holder string `json:"holder" doc:"As it is written in a plan: player, scene, game, prop:cache, [player, scene], [player, prop:cache]; and commons:courier-guild."`
	Title  string `json:"title"`
	Rows   []Row  `json:"rows"`
}

// Row is one piece of state.
type Row struct {
	Name     string      `json:"name" doc:"Its identity, as player.warmth."`
	Title    string      `json:"title"`
	Type     string      `json:"type" doc:"Its type, in words."`
	Start    types.Value `json:"start" doc:"Its start value; null for none and for what is computed."`
	Computed string      `json:"computed,omitempty" doc:"The expression of a computed variable."`
	Cells    []Cell      `json:"cells" doc:"One for each column, in the columns' order."`
	Declared *Declared   `json:"declared,omitempty" doc:"How a variable of this game is declared, so that it can be declared otherwise; not for what is built in, of a group, or of a commons."`
	finding.At
}

// Declared is what a variable's declaration says of its type.
type Declared struct {
	ID string `json:"id"`
	plan.DeclaredType
	Optional bool               `json:"optional,omitempty"`
	Items    *plan.DeclaredType `json:"items,omitempty" doc:"Of a list or a set: what its items are."`
}

// Cell is one fate.
type Cell struct {
	Fate     string        `json:"fate" doc:"keep, reset, rewind, set; for place checkpoint, entry, stay, exact, start, passage; computed; n/a; undecided; for crash saved or unbounded."`
	Short    string        `json:"short" doc:"The fate in a word or two."`
	Becomes  string        `json:"becomes,omitempty" doc:"Of the fate set: the expression."`
	Decided  model.Decided `json:"decided" doc:"own: by the item itself; default: by the plan's defaults; built-in; undecided; n/a."`
	Choices  []string      `json:"choices" doc:"The fates that can be chosen here; none where nothing can be changed by itself. The empty one is what the defaults say."`
	Sentence string        `json:"sentence" doc:"What it means, for people."`
	Where    *finding.At   `json:"where,omitempty" doc:"Where in the plan it is decided."`
}

// Of makes the matrix of a plan.
func Of(m *model.Model) Matrix {
	out := Matrix{Game: m.Plan.Game.Name, Title: model.Title(m.Plan.Title, m.Plan.Game.Name),
		Version: m.Plan.Version.Value, Columns: columns(m), Rosters: append([]string{}, m.Plan.Rosters.IDs()...)}
	w := &writer{m: m}
	for _, h := range w.holdings() {
		out.Holders = append(out.Holders, Holder{h.Written(), h.Prefix()})
		rows := w.rows(h, "")
		switch h.Holder {
		case model.OfPlayer:
			rows = append(rows, w.place(), w.reached())
			for _, mark := range w.m.Waymarks {
				rows = append(rows, w.waymark(mark))
			}
			for _, m := range w.m.Milestones {
				rows = append(rows, w.milestone(m))
			}
		case model.OfGame:
			for _, x := range w.m.Movables {
				rows = append(rows, w.movable(x))
			}
		}
		if len(rows) > 0 {
			out.Groups = append(out.Groups, Group{Holder: h.Written(), Title: h.Title(), Rows: rows})
		}
		for _, use := range w.m.Plan.Uses {
			if id := use.Commons.Name; h.Holder == model.OfPlayer {
				out.Groups = append(out.Groups, Group{Holder: "commons:" + id,
					Title: "Each player has in the " + strings.ReplaceAll(id, "-", " "), Rows: w.rows(h, id)})
			}
		}
	}
	out.complete()
	return out
}

// complete makes sure that every cell has a list of choices, though it may be empty: nothing is null in JSON.
func (m *Matrix) complete() {
	for _, g := range m.Groups {
		for _, r := range g.Rows {
			for i := range r.Cells {
				if r.Cells[i].Choices == nil {
					r.Cells[i].Choices = []string{}
				}
			}
		}
	}
}

// holdings are in the order in which designers think of them: what players have first.
func (w *writer) holdings() []*model.Holding {
	h := w.m.Holders
	out := []*model.Holding{h[model.OfPlayer], w.m.Profile, h[model.OfPlayerScene]}
	for _, k := range w.m.Kinds {
		out = append(out, k.Players)
	}
	for _, l := range w.m.Lists {
		out = append(out, l.Players, l.Profile)
	}
	out = append(out, h[model.OfScene])
	for _, k := range w.m.Kinds {
		out = append(out, k.Own)
	}
	for _, l := range w.m.Lists {
		out = append(out, l.Own)
	}
	return append(out, h[model.OfGame])
}

// Cell finds the cell of a row and a column; nil where there is none.
func (m *Matrix) Cell(row, column string) *Cell {
	for g := range m.Groups {
		for r := range m.Groups[g].Rows {
			for c := range m.Columns {
				if m.Groups[g].Rows[r].Name == row && m.Columns[c].ID == column {
					return &m.Groups[g].Rows[r].Cells[c]
				}
			}
		}
	}
	return nil
}

func columns(m *model.Model) []Column {
	var out []Column
	for _, c := range m.Crossings {
		out = append(out, Column{c.String(), c.Title(), c.Meaning()})
	}
	return append(out, Column{"crash", "Crash",
		"What is left if the machine stops now: it follows from the save moments."})
}

type writer struct{ m *model.Model }

// rows are the variables of a holding; those of a commons, or ("") those that are the game's own.
func (w *writer) rows(h *model.Holding, commons string) []Row {
	var rows []Row
	for _, v := range w.m.Vars {
		of := ""
		if v.Shared != nil {
			of = v.Shared.Commons
		}
		if v.Hold == h && of == commons {
			rows = append(rows, w.variable(v))
		}
	}
	return rows
}

func (w *writer) variable(v *model.Var) Row {
	row := Row{Name: v.Name, Title: v.Title, Type: TypeText(v), Start: v.Start, At: v.At}
	if v.Shared == nil && !strings.Contains(v.ID, ".") {
		row.Declared = declared(v)
	}
	if v.Computed() {
		row.Computed, row.Start = v.Decl.Is.Source, types.None
	}
	for _, c := range w.m.Crossings {
		row.Cells = append(row.Cells, w.cell(v, c, *v.Fates.At(c)))
	}
	if v.Computed() {
		row.Cells = append(row.Cells, computed(v))
	} else {
		row.Cells = append(row.Cells, w.crash(v.Title))
	}
	return row
}

func declared(v *model.Var) *Declared {
	own, items := v.Decl.Declares()
	return &Declared{v.ID, own, v.Decl.Optional.Value, items}
}

// TypeText is a variable's type with its limits, as people read it: int 0 to 40 in steps of 5, or none.
func TypeText(v *model.Var) string {
	limits := v.Decl.Plain()
	text := v.Decl.Type.Name + v.Type.Kind.Limits(&v.Domain, limits)
	if v.While != nil {
		text += ", while " + v.While.Source
	}
	if v.Type.Optional {
		text += ", or none"
	}
	if v.Shared != nil {
		text += ", of the commons " + v.Shared.Commons
	}
	return text
}

func (w *writer) cell(v *model.Var, c plan.Crossing, f model.Fate) Cell {
	if v.Computed() {
		return computed(v)
	}
	out := Cell{Fate: f.Kind, Short: f.Kind, Decided: f.By, Where: where(f)}
	switch {
	case f.By == model.NotAtAll:
		return notAtAll(c)
	case f.By == model.ByNobody:
		out = w.undecided(v.Title, v.Holder, c)
	case v.Shared != nil:
		out.Sentence = fmt.Sprintf("%s is held in common with other games, in all slots: nothing here takes it away.",
			v.Title)
		return out
	case f.Kind == "keep":
		out.Sentence = fmt.Sprintf("%s stays as it is when %s.", v.Title, w.m.When(v.Holder, c))
	case f.Kind == "reset":
		out.Sentence = fmt.Sprintf("%s goes back to its start, %s, when %s.", v.Title, startText(v),
			w.m.When(v.Holder, c))
	case f.Kind == "rewind":
		out.Sentence = fmt.Sprintf("%s goes back to what it was at the checkpoint reached (before the first one: at the start of the run) when %s.", v.Title, w.m.When(v.Holder, c))
	case f.Kind == "set":
		out.Short, out.Becomes = "= "+strings.TrimPrefix(f.Set.Source, v.Holder.String()+"."), f.Set.Source
		out.Sentence = fmt.Sprintf("%s becomes %s when %s.", v.Title, f.Set.Source, w.m.When(v.Holder, c))
	}
	out.Choices = []string{"keep", "reset"}
	if c.Rewinds() {
		out.Choices = append(out.Choices, "rewind")
	}
	if f.By == model.ByItself {
		out.Choices = append(out.Choices, "")
	}
	return out
}

func startText(v *model.Var) string {
	switch {
	case v.Seed:
		return "a new seed"
	case v.Start == types.OfItems(nil):
		return "empty"
	}
	return v.Start.Plain()
}

func where(f model.Fate) *finding.At {
	if f.At.Line == 0 {
		return nil
	}
	at := f.At
	return &at
}

func computed(v *model.Var) Cell {
	return Cell{Fate: "computed", Short: "computed", Decided: model.NotAtAll, Where: &v.Decl.Is.At,
		Sentence: fmt.Sprintf("%s is computed: it is never stored, and always %s.", v.Title, v.Decl.Is.Source)}
}

func (w *writer) undecided(title string, h model.Holder, c plan.Crossing) Cell {
	return Cell{Fate: "undecided", Short: "undecided", Decided: model.ByNobody,
		Sentence: fmt.Sprintf("Nobody has decided what happens to %s when %s.", title, w.m.When(h, c))}
}

func notAtAll(c plan.Crossing) Cell {
	return Cell{Fate: "n/a", Short: "–", Decided: model.NotAtAll, Sentence: c.Apart()}
}

// crash derives what a machine that stops takes with it (rule 35).
func (w *writer) crash(title string) Cell {
	s, every := w.m.Plan.Saving, w.m.SavesEvery()
	var moments []string
	for _, name := range []struct{ moment, text string }{{"checkpoint", "checkpoint"}, {"scene", "change of scene"},
		{"death", "coming back"}} {
		if w.m.SavesOn(name.moment) {
			moments = append(moments, name.text)
		}
	}
	for _, c := range w.m.OwnCrossings {
		if w.m.SavesOn(c.String()) {
			moments = append(moments, c.Title())
		}
	}
	at := s.At
	out := Cell{Fate: "saved", Decided: model.ByNature, Where: &at}
	since := "the last " + strings.Join(moments, " or ")
	switch {
	case every > 0 && len(moments) > 0:
		out.Short = "≤ " + every.String()
		out.Sentence = fmt.Sprintf("If the machine stops, %s comes back as it was at most %s before, or at %s, whichever was later.", title, every, since)
	case every > 0:
		out.Short = "≤ " + every.String()
		out.Sentence = fmt.Sprintf("If the machine stops, %s comes back as it was at most %s before.", title, every)
	case len(moments) > 0:
		out.Short = "since " + strings.TrimPrefix(since, "the ")
		out.Sentence = fmt.Sprintf("If the machine stops, %s comes back as it was at %s, however long ago that was.",
			title, since)
	default:
		out.Fate, out.Short = "unbounded", "unbounded"
		out.Sentence = fmt.Sprintf("If the machine stops, everything that happened to %s in this visit is lost: nothing saves it before the visit ends.", title)
	}
	if at.Line == 0 {
		out.Where = nil
	}
	return out
}

func (w *writer) waymark(mark *model.Waymark) Row {
	row := Row{Name: "player." + mark.ID, Title: mark.Title, Type: "waymark, or none", At: mark.At}
	return w.remembered(row, mark.Fates, map[string]string{
		"keep":   mark.Title + " stays remembered when %s.",
		"rewind": mark.Title + " is the place again that was remembered at the checkpoint reached when %s.",
		"reset":  mark.Title + " is forgotten when %s.",
	})
}

func (w *writer) milestone(m *model.Milestone) Row {
	row := Row{Name: "player.earned." + m.ID, Title: m.Title, Type: "milestone", Start: types.OfBool(false), At: m.At}
	return w.remembered(row, m.Fates, map[string]string{
		"keep":  "Who has earned " + m.Title + " has it still when %s.",
		"reset": m.Title + " has to be earned anew when %s.",
	})
}

func (w *writer) movable(x *model.Movable) Row {
	row := Row{Name: "movables." + x.ID, Title: x.Title, Type: "movable", Start: types.OfText(x.Start.ID), At: x.At}
	return w.builtIn(row, model.OfGame, x.Fates, map[string]string{
		"keep":  x.Title + " stays where it is when %s. Who leaves or dies sets it down.",
		"reset": x.Title + " goes home to " + x.Start.ID + " when %s.",
	})
}

func (w *writer) reached() Row {
	row := Row{Name: "player.checkpoint", Title: "Checkpoint reached", Type: "checkpoint, or none"}
	if c := w.m.Plan.Checkpoints; c != nil {
		row.At = c.List.At
	}
	return w.remembered(row, w.m.Reached, map[string]string{
		"keep":  "The checkpoint reached stays the one to come back to when %s.",
		"reset": "No checkpoint counts as reached any more when %s.",
	})
}

func (w *writer) remembered(row Row, fates model.Fates, sentences map[string]string) Row {
	return w.builtIn(row, model.OfPlayer, fates, sentences)
}

// builtIn fills a row of something built in; sentences say what each fate means.
func (w *writer) builtIn(row Row, h model.Holder, fates model.Fates, sentences map[string]string) Row {
	for _, c := range w.m.Crossings {
		f := *fates.At(c)
		cell := Cell{Fate: f.Kind, Short: f.Kind, Decided: f.By, Where: where(f)}
		switch {
		case f.By == model.NotAtAll:
			cell = notAtAll(c)
		case f.By == model.ByNobody:
			cell = w.undecided(row.Title, h, c)
		default:
			cell.Sentence = fmt.Sprintf(sentences[f.Kind], w.m.When(h, c))
		}
		row.Cells = append(row.Cells, cell)
	}
	row.Cells = append(row.Cells, w.crash(row.Title))
	return row
}

func (w *writer) place() Row {
	p := w.m.Place
	row := Row{Name: "place", Title: "Place", Type: "scene, coordinates, facing", Start: types.OfText(w.m.Start.ID),
		At: w.m.Plan.Start.At}
	passage := Cell{Fate: "passage", Short: "passage", Decided: model.ByNature,
		Sentence: "The passage decides where the player arrives, and what they carry along."}
	none := notAtAll(plan.CrossRestart)
	row.Cells = []Cell{passage, w.placeCell(p.Death, plan.CrossDeath), w.placeCell(p.Leave, plan.CrossLeave), none,
		w.placeCell(p.NewRun, plan.CrossNewRun)}
	for _, c := range w.m.OwnCrossings { // which move nobody
		cell := notAtAll(c.Crossing)
		if w.m.Applies(w.m.Holders[model.OfPlayer], c.Crossing) {
			cell = Cell{Fate: "stay", Short: "stay", Decided: model.ByNature,
				Sentence: fmt.Sprintf("The player stays where they are when %s.", model.OfPlayer.When(c.Crossing))}
		}
		row.Cells = append(row.Cells, cell)
	}
	row.Cells = append(row.Cells, w.crash("the player's place"))
	return row
}

func (w *writer) placeCell(f model.Fate, c plan.Crossing) Cell {
	if f.By == model.ByNobody {
		return w.undecided("the player's place", model.OfPlayer, c)
	}
	words := map[string]string{
		"checkpoint": "at the checkpoint reached, or before the first one at " + w.beforeFirst(),
		"entry":      "where they last arrived in this scene",
		"stay":       "where they died",
		"exact":      "exactly where they were",
		"start":      "at " + w.m.Start.ID + ", where a run begins",
	}
	return Cell{Fate: f.Kind, Short: f.Kind, Decided: f.By, Where: where(f),
		Sentence: fmt.Sprintf("The player is %s when %s.", words[f.Kind], model.OfPlayer.When(c))}
}

func (w *writer) beforeFirst() string {
	if w.m.Fallback != nil {
		return w.m.Fallback.ID
	}
	return w.m.Start.ID
}
