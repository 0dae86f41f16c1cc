package pack

import (
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// Report is a carrier's layout with all that it takes to write its messages and to read them, without the plan:
// docs/wire.md, "Carriers", says how.
type Report struct {
	Carrier string  `json:"carrier"`
	Symbols string  `json:"symbols"` // the alphabet, in the order of what each stands for, from 0
	Length  int     `json:"length"`  // how many symbols fit
	Used    int     `json:"used"`
	Lanes   int     `json:"lanes"`
	Every   float64 `json:"every"`   // seconds
	Writers string  `json:"writers"` // players or server
	Fields  []Told  `json:"fields"`
}

// Told is one field of a Report: Width symbols from At on, counted from 0.
type Told struct {
	Name     string    `json:"name"`
	Sample   int       `json:"sample,omitzero"` // from 1, the newest; 0 of what is carried once
	At       int       `json:"at"`
	Width    int       `json:"width"`
	Kind     string    `json:"kind"`              // number, truth, option or text
	Optional bool      `json:"optional,omitzero"` // it may be none
	Min      fixed.Num `json:"min,omitzero"`      // of a number
	Step     fixed.Num `json:"step,omitzero"`
	Codes    uint64    `json:"codes,omitzero"` // of a number: how many there are, none not counted
	Options  []string  `json:"options,omitempty"`
	Letters  string    `json:"letters,omitempty"`     // of a text, in their order; without them, all code points
	Most     int       `json:"most,omitzero"`         // of a text: letters
	Each     int       `json:"letter_width,omitzero"` // of a text: symbols for each letter
}

// Report tells the layout.
func (l Layout) Report() Report {
	x := l.Carrier
	out := Report{Carrier: x.ID, Symbols: string(x.Alphabet), Length: x.Length, Used: l.Used, Lanes: x.Lanes,
		Every: x.Every.Seconds(), Writers: "server", Fields: []Told{}}
	if x.Players {
		out.Writers = "players"
	}
	for _, f := range l.Fields {
		c := types.CodeOf(f.domain)
		t := Told{Name: f.Name, Sample: f.Sample, At: f.At, Width: f.Width, Kind: c.Kind, Optional: c.Optional,
			Min: c.Min, Step: c.Step, Codes: c.Codes, Options: c.Options}
		if f.text() {
			t.Letters, t.Most, t.Each = string(lettersOf(f.domain).list), f.domain.MaxLength,
				f.Width/max(f.domain.MaxLength, 1)
		}
		out.Fields = append(out.Fields, t)
	}
	return out
}

// Read reads a message as people write it: by name a value, or, of what is carried in samples, a list of them.
func (l Layout) Read(raw []byte) (Message, error) {
	var doc map[string]jsontext.Value
	if err := json.Unmarshal(raw, &doc); err != nil {
		return nil, err
	}
	out := Message{}
	for name, text := range doc {
		if text.Kind() != '[' {
			text = append(append(jsontext.Value("["), text...), ']')
		}
		var values []types.Value
		if err := json.Unmarshal(text, &values); err != nil {
			return nil, err
		}
		out[name] = values
	}
	return out, nil
}

// Plain is a message as people write it.
func (m Message) Plain() map[string]any {
	out := map[string]any{}
	for name, values := range m {
		if out[name] = values; len(values) == 1 {
			out[name] = values[0]
		}
	}
	return out
}
