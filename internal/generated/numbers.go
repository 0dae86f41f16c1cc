package generated

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/check"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
)

// coded is one value of a code with the bits that stand for it, from the first to the last.
type coded struct {
	Value types.Value `json:"value"`
	Bits  string      `json:"bits"`
}

// codes are the codes of a layout with values at their limits and some between, and the bits of each.
func codes() ([]byte, error) {
	m, _, found := check.Text([]byte(Everything), nil)
	if m == nil {
		return nil, fmt.Errorf("the plan of the codes: %+v", found)
	}
	type field struct {
		Name   string      `json:"name"`
		Code   *types.Code `json:"code"`
		Values []coded     `json:"values"`
	}
	var out []field
	chance := rand.New(rand.NewPCG(7, 0))
	for _, v := range m.Vars {
		if v.Stopwatch || v.With == "nobody" {
			continue
		}
		f := field{Name: v.Name, Code: types.CodeOf(&v.Domain)}
		values := v.Domain.Edges(chance.IntN)
		for range 3 {
			values = append(values, v.Domain.Some(chance.IntN))
		}
		seen := map[types.Value]bool{}
		for _, value := range values {
			if seen[value] {
				continue
			}
			seen[value] = true
			var b bitstream.Bits
			if err := f.Code.Write(&b, value); err != nil {
				return nil, fmt.Errorf("%s: %w", v.Name, err)
			}
			f.Values = append(f.Values, coded{value, bitsOf(&b)})
		}
		out = append(out, f)
	}
	return indented(out)
}

// bitsOf writes a row of bits as zeros and ones.
func bitsOf(b *bitstream.Bits) string {
	var out strings.Builder
	for i := range b.Len() {
		out.WriteByte('0' + b.Raw()[i/8]>>(7-i%8)&1)
	}
	return out.String()
}

// digests are views with their canonical form (RFC 8785) and its SHA-256: names in the order of their UTF-16 units, numbers
// as the standard writes them.
func digests() ([]byte, error) {
	type digest struct {
		View      jsontext.Value `json:"view"`
		Canonical string         `json:"canonical"`
		SHA256    string         `json:"sha256"`
	}
	var out []digest
	for _, view := range []string{
		`{}`,
		`{"player.oil@wren": 62.5, "player.oil@ada": -0, "game.fund": 1e3}`,
		`{"player.here@～": true, "player.here@😀": true, "player.here@é": true, "player.here@z": true}`,
		`{"a": 0.000000001, "b": 0.000001, "c": 123456789012345, "d": -1234567.000000001, "e": 9007199254740991, "f": 0.1, "g": 100}`,
		`{"player.name@ada": "tab\there \"quoted\" \\ and / € \u0001 \u2028", "player.bag@ada": ["lamp", "rope"], "player.vow@ada": null}`,
		`{"player.place@ada": {"scene": "hall", "at": [1.5, 2], "facing": "north", "time": 3.049, "arrival": 2}, "player.run@ada": {"since": 2.9}}`,
	} {
		raw := jsontext.Value(view)
		if err := raw.Canonicalize(); err != nil {
			return nil, err
		}
		out = append(out, digest{jsontext.Value(view), string(raw), share.Sum(raw)})
	}
	return indented(out)
}

// draws are numbers that seeds give (docs/draw.md).
func draws() ([]byte, error) {
	type drawn struct {
		Seed   uint32 `json:"seed"`
		Index  int64  `json:"index"`
		Bits   uint32 `json:"bits"`
		From   int64  `json:"from"`
		To     int64  `json:"to"`
		Number int64  `json:"number"`
	}
	var out []drawn
	for _, row := range []drawn{{Seed: 0, Index: 0, From: 1, To: 6}, {Seed: 1, Index: 0, From: 1, To: 6}, {Seed: 7, Index: -1, From: 1, To: 100},
		{Seed: 4294967295, Index: 4294967295, From: 0, To: 9}, {Seed: 4294967295, Index: 4294967296, From: 0, To: 9},
		{Seed: 123456789, Index: 987654321, From: -10, To: 10}, {Seed: 42, Index: 42, From: 5, To: 5}, {Seed: 42, Index: 43, From: 0, To: 4294967295}} {
		row.Bits = uint32(expr.Mix(row.Seed, uint32(row.Index)))
		number, err := expr.Draw(fixed.FromInt(int64(row.Seed)), fixed.FromInt(row.Index), fixed.FromInt(row.From), fixed.FromInt(row.To))
		if err != nil {
			return nil, err
		}
		row.Number, _ = number.Int()
		out = append(out, row)
	}
	return indented(out)
}

// motion is where to draw a player between the places that a machine was told of.
func motion() ([]byte, error) {
	type point struct {
		Scene   string      `json:"scene"`
		At      []fixed.Num `json:"at"`
		Facing  string      `json:"facing,omitempty"`
		Time    int64       `json:"time"` // milliseconds
		Arrival int         `json:"arrival"`
	}
	type drawn struct {
		Time int64 `json:"time"`
		Is   point `json:"is"`
	}
	at := func(x, y string) []fixed.Num { return []fixed.Num{fixed.Must(x), fixed.Must(y)} }
	points := []point{{"hall", at("1", "1"), "north", 1000, 1}, {"hall", at("2", "1"), "north", 1100, 1}, {"hall", at("2", "3"), "south", 1200, 1},
		{"hall", at("8", "3"), "south", 3000, 1}, {"hall", at("20", "20"), "south", 3100, 2}, {"pit", at("1", "1"), "south", 3200, 3}, {"pit", at("1", "2"), "south", 3300, 3}}
	var track share.Track
	for _, p := range points {
		track.Add(share.Point{Scene: p.Scene, At: p.At, Facing: p.Facing, Time: p.Time, Arrival: p.Arrival})
	}
	var all []drawn
	for _, time := range []int64{0, 1000, 1025, 1050, 1100, 1133, 1199, 1200, 2000, 2600, 2700, 2999, 3000, 3050, 3100, 3150, 3199, 3200, 3250, 3300, 9000} {
		p, ok := track.At(time)
		if !ok {
			return nil, fmt.Errorf("nothing is known at %d", time)
		}
		all = append(all, drawn{time, point{p.Scene, p.At, p.Facing, p.Time, p.Arrival}})
	}
	return indented(struct {
		Told  []point `json:"told"`
		Drawn []drawn `json:"drawn"`
	}{points, all})
}

func indented(doc any) ([]byte, error) {
	raw, err := json.Marshal(doc, json.Deterministic(true), jsontext.WithIndent(" "))
	return append(bytes.TrimSpace(raw), '\n'), err
}
