// Package compiled is plans that were read beforehand: what was written in YAML and in expressions, as trees. A program
// that runs such a plan links no reader of either (go build -tags compiled), and is about half as large. A compiled plan
// is a cache, and never a source: what made it is kept, and makes it anew.
package compiled

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/calendar"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
)

// Format is the format of compiled plans that this program writes, and the only one that it reads.
const Format = 1

// mark is what every compiled plan begins with, whatever its format.
const mark = `{"alluvion_compiled":`

// file is a compiled plan as it is kept.
type file struct {
	Format int `json:"alluvion_compiled"`
	// Sum is the SHA-256 of Content, byte for byte, in hexadecimal.
	Sum     string         `json:"sum"`
	Content jsontext.Value `json:"content"`
}

// content is what was read of a plan.
type content struct {
	Game    string `json:"game"`
	Version int    `json:"version"`
	// Source is the SHA-256 of the plan's text, in hexadecimal.
	Source      string                    `json:"source"`
	Document    jsontext.Value            `json:"document"` // as plan.Nodes writes it
	Commons     map[string]jsontext.Value `json:"commons"`  // the same, by id
	Expressions map[string]*tree.Node     `json:"expressions"`
	Zones       map[string][]byte         `json:"zones"` // the time zones of its calendars
}

// Plan is a compiled plan that was read.
type Plan struct {
	Game    string
	Version int
	// Source is the SHA-256 of the text that it was made from, in hexadecimal.
	Source string

	document jsontext.Value
	commons  map[string]jsontext.Value
}

// Is says whether something is a compiled plan, of whatever format.
func Is(raw []byte) bool { return bytes.HasPrefix(raw, []byte(mark)) }

// Read reads a compiled plan. It fails where it is of another format, or damaged.
func Read(raw []byte) (*Plan, error) {
	var f file
	if err := json.Unmarshal(raw, &f); err != nil {
		return nil, errors.New("this compiled plan is damaged; compile the plan again")
	}
	if f.Format != Format {
		return nil, fmt.Errorf("this compiled plan is of format %d, and format %d is read here: compile the plan with the "+
			"program that runs it", f.Format, Format)
	}
	if sum(f.Content) != f.Sum {
		return nil, errors.New("this compiled plan is damaged or was changed; compile the plan again")
	}
	var c content
	if err := json.Unmarshal(f.Content, &c); err != nil {
		return nil, errors.New("this compiled plan is damaged; compile the plan again")
	}
	for name, zone := range c.Zones {
		if err := calendar.Know(name, zone); err != nil {
			return nil, fmt.Errorf("the time zone %s of this compiled plan is damaged; compile the plan again", name)
		}
	}
	for source, root := range c.Expressions {
		if !root.Sound() {
			return nil, fmt.Errorf("the expression %q of this compiled plan is damaged; compile the plan again", source)
		}
	}
	expr.Know(c.Expressions)
	return &Plan{c.Game, c.Version, c.Source, c.Document, c.Commons}, nil
}

// Load makes the plan's model, as model.LoadFor does of its text. It is nil where the findings hold an error: where the
// plan was compiled by a program that knows more of the language than this one.
func (p *Plan) Load() (*model.Model, finding.List) {
	m, _, found := model.LoadFor(plan.OfNodes(p.document), func(id string) ([]byte, error) {
		if text, has := p.commons[id]; has {
			return plan.OfNodes(text), nil
		}
		return nil, model.Unknown(id)
	})
	return m, found
}

func sum(raw []byte) string {
	digest := sha256.Sum256(raw)
	return hex.EncodeToString(digest[:])
}
