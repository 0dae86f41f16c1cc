package main

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"

	"github.com/fxamacker/cbor/v2"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/check"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

// packedVars are the five variables of the demo that are packed with a place.
var packedVars = []string{"player.warmth", "player.oil", "player.parcels", "player.courier", "player.lamp"}

// packing compares the size of a place and five variables of the demo, over a thousand drawn at random.
func packing() []row {
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	if m == nil {
		panic(fmt.Sprint(found))
	}
	dice := rand.New(rand.NewPCG(1, 2))
	var ours, asJSON, asCBOR, limit float64
	const times = 1000
	for range times {
		o, j, c, l := packOne(m, dice)
		ours, asJSON, asCBOR, limit = ours+float64(o)/times, asJSON+float64(j)/times, asCBOR+float64(c)/times,
			limit+l/8/times
	}
	what := "packed place and 5 variables, bytes, against "
	size := func(n float64) string { return fmt.Sprintf("%.1f", n) }
	return []row{
		{what + "JSON", size(ours), size(asJSON), fmt.Sprintf("%.3f", ours/asJSON), "≤ 1/6"},
		{what + "CBOR", size(ours), size(asCBOR), fmt.Sprintf("%.3f", ours/asCBOR), "≤ 1/3"},
		{what + "the information limit", size(ours), size(limit), fmt.Sprintf("+%.2f", ours-limit), "≤ +1"},
	}
}

// packOne packs one player's place and variables: bytes of ours, of JSON and of CBOR, and the bits that tell them apart
// from all that they could have been.
func packOne(m *model.Model, dice *rand.Rand) (ours, asJSON, asCBOR int, limit float64) {
	l := share.LayoutOf(m)
	scene := m.Scenes[dice.IntN(len(m.Scenes))]
	doc, facing := map[string]any{"scene": scene.ID}, m.Facings[dice.IntN(len(m.Facings))]
	doc["facing"] = facing
	limit = math.Log2(float64(len(m.Scenes))) + math.Log2(float64(len(m.Facings)))
	var at []fixed.Num
	var plain []float64
	for i := range m.Axes {
		span, _ := scene.Hi[i].Sub(scene.Lo[i])
		steps, _ := span.Div(m.Step)
		n, _ := steps.Int()
		above, _ := fixed.FromInt(dice.Int64N(n)).Mul(m.Step)
		x, _ := scene.Lo[i].Add(above)
		at, plain, limit = append(at, x), append(plain, asFloat(x)), limit+math.Log2(float64(n))
	}
	doc["at"] = plain
	var bits bitstream.Bits
	for _, name := range packedVars {
		v := m.Var(name)
		codes, _ := v.Codes()
		value, read := anyValue(v, codes, dice)
		if err := types.CodeOf(&v.Domain).Write(&bits, value); err != nil {
			panic(err)
		}
		doc[v.ID], limit = read, limit+math.Log2(float64(codes))
	}
	l.WritePlace(&bits, m.Scene(scene.ID).Index, at, facing)
	text, err := json.Marshal(doc)
	if err != nil {
		panic(err)
	}
	binary, err := cbor.Marshal(doc)
	if err != nil {
		panic(err)
	}
	return len(bits.Raw()), len(text), len(binary), limit
}

func asFloat(n fixed.Num) float64 {
	nano, _ := n.Nano()
	return float64(nano) / 1e9
}

// anyValue draws one of a variable's values, and gives it also as other formats write it.
func anyValue(v *model.Var, codes int64, dice *rand.Rand) (types.Value, any) {
	if v.Type.Named() {
		name := v.Type.Names[dice.IntN(len(v.Type.Names))]
		return types.OfText(name), name
	}
	above, _ := fixed.FromInt(dice.Int64N(codes)).Mul(v.Step)
	n, _ := v.Min.Add(above)
	if whole, ok := n.Int(); ok {
		return types.OfNum(n), whole
	}
	return types.OfNum(n), asFloat(n)
}
