package wire

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// MostNumber is the largest number of a request: beyond it not every JSON reader keeps whole numbers (RFC 7493,
// section 2.2).
const MostNumber = 1<<53 - 1

// Whole is a whole number from 0 to MostNumber as programs write it: 3, 3.0, 3e0.
type Whole uint64

// UnmarshalJSON reads it.
func (w *Whole) UnmarshalJSON(raw []byte) error {
	n, err := fixed.Read(string(raw))
	if err != nil {
		return err
	}
	i, ok := n.Int()
	if !ok || i < 0 || i > MostNumber || fixed.FromInt(i) != n {
		return fmt.Errorf("a whole number from 0 to %d is wanted", uint64(MostNumber))
	}
	*w = Whole(i)
	return nil
}

// Coordinates are numbers as games compute them: what has more places than are kept is rounded.
type Coordinates []fixed.Num

// UnmarshalJSON reads them.
func (c *Coordinates) UnmarshalJSON(raw []byte) error {
	var list []jsontext.Value
	if err := json.Unmarshal(raw, &list); err != nil {
		return errors.New("a list of coordinates is wanted")
	}
	out := make(Coordinates, len(list))
	for i, x := range list {
		n, err := fixed.Read(string(x))
		if err != nil {
			return err
		}
		out[i] = n
	}
	*c = out
	return nil
}

// Values are named values. An empty list is an empty table: some programs write it so.
type Values map[string]types.Value

// UnmarshalJSON reads them.
func (v *Values) UnmarshalJSON(raw []byte) error {
	if text := bytes.TrimSpace(raw); len(text) > 1 && text[0] == '[' && len(bytes.TrimSpace(text[1:len(text)-1])) == 0 {
		*v = Values{}
		return nil
	}
	var table map[string]types.Value
	if err := json.Unmarshal(raw, &table); err != nil {
		return errors.New("a table of names and values is wanted")
	}
	*v = table
	return nil
}

// Fault is what is wrong with a message: in which member, of which request, as far as that could be read.
type Fault struct {
	Is     string
	Number uint64
	Member string // "" where the whole is no message
	Why    string
}

// Error is the reason.
func (f *Fault) Error() string { return f.Why }

// asking is an Ask as it is read.
type asking struct {
	Is      string                               `json:"is"`
	Number  Whole                                `json:"number"`
	Arrival Whole                                `json:"arrival"`
	Player  string                               `json:"player"`
	Name    string                               `json:"name"`
	To      Coordinates                          `json:"to"`
	Facing  string                               `json:"facing"`
	Args    Values                               `json:"args"`
	Value   *types.Value                         `json:"value"`
	Token   string                               `json:"token"`
	Tick    Whole                                `json:"tick"`
	Digest  string                               `json:"digest"`
	Values  map[string]map[string]jsontext.Value `json:"values"`
}

// members are those of a message, each with how it is written.
var members = map[string]string{
	"is": `a text: "move"`, "number": "a whole number from 0: 17", "arrival": "a whole number from 0: 3", "player": `a text: "wren"`, "name": `a text: "load"`,
	"to": "a list of numbers: [12.5, 3]", "facing": `a text: "north"`, "args": `a table of names and values: {"amount": 2}`,
	"value": "a number, a text, true, false, null, or a list of these", "token": "a text", "tick": "a whole number from 0: 120", "digest": `a text`, "values": "a table of tables, as docs/wire.md says",
}

// ReadAsk reads a message of a client. What common JSON writers write is understood; what is wrong is a *Fault.
func ReadAsk(raw []byte) (Ask, error) {
	var in asking
	if err := json.Unmarshal(raw, &in, json.RejectUnknownMembers(true)); err != nil {
		return Ask{}, faultOf(raw)
	}
	ask := Ask{Is: in.Is, Number: uint64(in.Number), Arrival: int(min(in.Arrival, 1<<31)), Player: in.Player,
		Name: in.Name, To: in.To, Facing: in.Facing, Args: in.Args,
		Value: in.Value, Token: in.Token, Tick: int64(in.Tick), Digest: in.Digest, Values: in.Values}
	if ask.Value == nil && ask.Is == "write" { // null is a value: none
		if table := tableOf(raw); table != nil && table["value"] != nil {
			ask.Value = &types.Value{}
		}
	}
	return ask, nil
}

func tableOf(raw []byte) map[string]jsontext.Value {
	var table map[string]jsontext.Value
	if json.Unmarshal(raw, &table, jsontext.AllowDuplicateNames(true)) != nil {
		return nil
	}
	return table
}

// faultOf finds what is wrong with a message that could not be read.
func faultOf(raw []byte) *Fault {
	f := &Fault{}
	table := tableOf(raw)
	if table == nil {
		f.Why = `This is no message: a JSON object such as {"is":"move","number":1,"to":[3,4]} is wanted.`
		var syntax *jsontext.SyntacticError
		if err := json.Unmarshal(raw, &table); errors.As(err, &syntax) {
			f.Why = fmt.Sprintf("This is no JSON: it stops making sense at byte %d.", syntax.ByteOffset+1)
		}
		return f
	}
	var number Whole
	if json.Unmarshal(table["number"], &number) == nil {
		f.Number = uint64(number)
	}
	_ = json.Unmarshal(table["is"], &f.Is) // "" where it cannot be read
	names := make([]string, 0, len(table))
	for name := range table {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		if why := wrong(name, table[name]); why != "" {
			f.Member, f.Why = name, why
			return f
		}
	}
	f.Why = "This is no message: a member stands in it twice."
	return f
}

// wrong says what is wrong with one member; "" where nothing is.
func wrong(name string, value jsontext.Value) string {
	form, known := members[name]
	if !known {
		all := make([]string, 0, len(members))
		for m := range members {
			all = append(all, m)
		}
		slices.Sort(all)
		if near := finding.Nearest(name, all); near != "" {
			return fmt.Sprintf("A message has no member %q.%s", name, finding.DidYouMean(near))
		}
		return fmt.Sprintf("A message has no member %q. It may have %s.", name, strings.Join(all, ", "))
	}
	var one asking
	text, err := json.Marshal(map[string]jsontext.Value{name: value})
	if err == nil && json.Unmarshal(text, &one) == nil {
		return ""
	}
	return fmt.Sprintf("%s is %s; this is %s.", name, form, short(string(value)))
}

func short(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

// greeting is a Hello as it is read.
type greeting struct {
	Is        string `json:"is"`
	Token     string `json:"token"`
	Player    string `json:"player"`
	Server    string `json:"server"`
	Slot      Whole  `json:"slot"`
	Picks     Values `json:"picks"`
	Plan      string `json:"plan"`
	Run       string `json:"run"`
	Tick      Whole  `json:"tick"`
	Checks    bool   `json:"checks"`
	Simulated bool   `json:"simulated"`
}

// helloMembers are those of a hello, each with how it is written. Others are ignored: a newer client may say more.
var helloMembers = map[string]string{"token": "a text", "player": `a text: "wren"`, "server": `a text: "weather"`,
	"slot": "a whole number from 1", "picks": `a table: {"courier": "brisa"}`,
	"plan": "a text, the digest of the layout", "run": "a text, as the welcome has it", "tick": "a whole number", "checks": "true or false", "simulated": "true or false"}

// ReadHello reads the first message of a client. What is wrong is a *Fault.
func ReadHello(raw []byte) (Hello, error) {
	var in greeting
	err := json.Unmarshal(raw, &in)
	if err == nil && in.Is == "hello" {
		return Hello{Is: in.Is, Token: in.Token, Player: in.Player, Server: in.Server, Slot: int(min(in.Slot, 1<<20)),
			Picks: in.Picks, Plan: in.Plan, Run: in.Run, Tick: int64(in.Tick), Checks: in.Checks, Simulated: in.Simulated}, nil
	}
	f := &Fault{Why: `The first message is a hello: {"is":"hello","player":"wren"}.`}
	table := tableOf(raw)
	for _, name := range []string{"token", "player", "server", "slot", "picks", "plan", "run", "tick", "checks",
		"simulated"} {
		var one greeting
		text, err := json.Marshal(map[string]jsontext.Value{name: table[name]})
		if table[name] != nil && (err != nil || json.Unmarshal(text, &one) != nil) {
			f.Member, f.Why = name, fmt.Sprintf("In a hello, %s is %s; this is %s.", name, helloMembers[name],
				short(string(table[name])))
			break
		}
	}
	return Hello{}, f
}
