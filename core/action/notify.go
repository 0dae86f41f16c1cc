package action

import (
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(notify{})

type notify struct{}

type notifyForm struct {
	Notify plan.Expr          `plan:"notify,required" say:"{notify} is told: {text}" doc:"Tells somebody something: player, scene or everyone, or an expression that is a player. To one who is none or away nothing is said."`
	Text   plan.Given[string] `plan:"text,required" doc:"What is said."`
}

func (notify) Form() any { return new(notifyForm) }

// many are those who are notified by a word.
var many = []string{"player", "scene", "everyone"}

func (notify) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*notifyForm)
	to := strings.TrimSpace(f.Notify.Source)
	if slices.Contains(many, to) {
		if to != "everyone" && !c.HasPlayer() {
			c.Report("bad-value", f.Notify.At,
				"There is no player here: this rule can notify everyone, or a player whom it names.")
		}
		return &telling{to: to, text: c.Text(f.Text)}
	}
	who := c.Somebody(f.Notify, many)
	if who == nil {
		return nil
	}
	return &telling{one: who, text: c.Text(f.Text)}
}

// telling tells somebody something: those whom a word stands for, or one player, perhaps nobody.
type telling struct {
	to   string
	one  *expr.Program
	text model.Text
}

// Do tells them.
func (t *telling) Do(d model.Doer) error {
	if t.one != nil {
		return d.TellOne(t.one, t.text)
	}
	d.Tell(t.to, t.text)
	return nil
}

// Traits are what is read: nothing changes.
func (t *telling) Traits() model.Traits {
	if t.one == nil {
		return model.Traits{}
	}
	return model.Traits{Reads: []*expr.Program{t.one}}
}
