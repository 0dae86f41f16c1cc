package rehearse

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	yaml "github.com/goccy/go-yaml"

	"alluvion.dev/core/plan"
)

// Draft is a rehearsal that is being made step by step.
type Draft struct {
	Title   string
	Plan    string            // its file, as the script names it
	Beside  map[string]string // other games that are played at the same time, with their plans' files
	Players []string
	Seed    int
	Steps   []jsontext.Value // each as it would stand in a script, as JSON
}

// Script is the draft as a rehearsal's text, with a step on each line.
func (d Draft) Script() ([]byte, error) {
	lines, err := d.lines()
	if err != nil {
		return nil, err
	}
	return d.around(lines), nil
}

func (d Draft) lines() ([]string, error) {
	lines := make([]string, len(d.Steps))
	for i, s := range d.Steps {
		text, err := plan.Flow(s)
		if err != nil {
			return nil, fmt.Errorf("step %d: %w", i+1, err)
		}
		lines[i] = "  - " + text
	}
	return lines, nil
}

func (d Draft) around(lines []string) []byte {
	title, _ := plan.Flow(fmt.Appendf(nil, "%q", d.Title))
	var out bytes.Buffer
	fmt.Fprintf(&out, "rehearsal: %s\nplan: %s\nplayers: [%s]\n", title, d.Plan, strings.Join(d.Players, ", "))
	if len(d.Beside) > 0 {
		out.WriteString("beside:\n")
		for _, name := range slices.Sorted(maps.Keys(d.Beside)) {
			fmt.Fprintf(&out, "  %s: %s\n", name, d.Beside[name])
		}
	}
	if d.Seed != 0 {
		fmt.Fprintf(&out, "seed: %d\n", d.Seed)
	}
	out.WriteString("steps:")
	if len(lines) == 0 {
		out.WriteString(" []")
	}
	out.WriteString("\n")
	for _, line := range lines {
		out.WriteString(line + "\n")
	}
	return out.Bytes()
}

// ReadDraft reads a script that was written as one that can be gone on with.
func ReadDraft(source []byte) (Draft, error) {
	script, found := plan.ReadRehearsal(source)
	if found.Errors() {
		return Draft{}, fmt.Errorf("line %d: %s", found[0].Line, found[0].Message)
	}
	d := Draft{Title: script.Title.Value, Plan: script.Plan.Value, Seed: script.Seed.Value}
	for _, e := range script.Beside.Entries {
		if d.Beside == nil {
			d.Beside = map[string]string{}
		}
		d.Beside[e.ID] = e.Value.Value
	}
	for _, id := range script.Players {
		d.Players = append(d.Players, id.Name)
	}
	asJSON, err := yaml.YAMLToJSON(source)
	if err != nil {
		return Draft{}, err
	}
	var whole struct {
		Steps []jsontext.Value `json:"steps"`
	}
	err = json.Unmarshal(asJSON, &whole, jsontext.AllowDuplicateNames(true))
	d.Steps = whole.Steps
	return d, err
}

// Kept is the draft as a rehearsal that expects what this run of it showed: after each step the values that it
// changed, and what players were told; a step that was refused is expected to be. What the draft expects already
// stays as it is.
func (d Draft) Kept(r *Report, load func(string) ([]byte, error)) ([]byte, error) {
	lines, err := d.lines()
	if err != nil {
		return nil, err
	}
	var out []string
	for i, s := range r.Steps {
		if i >= len(lines) {
			break
		}
		if why, refused := strings.CutPrefix(s.Failed, "Refused: "); refused {
			step, _ := strings.CutPrefix(lines[i], "  - ")
			out = append(out, "  - refused: "+step, "    because: "+quoted(why))
			continue
		}
		out = append(out, lines[i])
		out = append(out, d.expected(&s)...)
	}
	played := Play(d.around(out), load)
	text, _ := played.Recorded()
	return []byte(text), nil
}

func quoted(text string) string {
	raw, _ := json.Marshal(text)
	flow, err := plan.Flow(raw)
	if err != nil {
		return fmt.Sprintf("%q", text)
	}
	return flow
}

// expected are blank tables of what a step changed, to be filled in, and what was told.
func (d Draft) expected(s *Step) []string {
	var names, out []string
	for _, c := range s.Changes {
		for _, name := range d.namesOf(c.Player, c.Scene, c.Prop, c.Option, c.Name) {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	if len(names) > 0 {
		out = append(out, "  - expect:")
		for _, name := range names {
			out = append(out, "      "+name+":")
		}
	}
	for _, n := range s.Notices {
		if n.Kind == "message" && n.To == "player" && slices.Contains(d.Players, n.Player) {
			out = append(out, fmt.Sprintf("  - {told: %s, notice: %s}", n.Player, quoted(n.Text)))
		}
	}
	return out
}

// namesOf are the names under which an expectation asks for what changed; none where it would need whom it is of.
func (d Draft) namesOf(player, scene, prop, option, name string) []string {
	holder, id, _ := strings.Cut(name, ".")
	switch {
	case player != "" && (!slices.Contains(d.Players, player) || scene != "" || prop != ""):
		return nil
	case option != "" && player != "" && !strings.Contains(id, "."):
		return []string{player + "." + id + "['" + option + "']"}
	case option != "":
		return []string{holder + "." + option + "." + id}
	case name == "place":
		return []string{player + ".place.scene", player + ".place.at"}
	case player != "" && holder == "player" && !strings.Contains(id, "."):
		return []string{player + "." + id}
	case holder == "game":
		return []string{name}
	case holder == "scene" && scene != "":
		return []string{"scenes." + scene + "." + id}
	}
	return nil
}
