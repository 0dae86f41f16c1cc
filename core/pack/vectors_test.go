package pack_test

import (
	"encoding/json"
	"math/big"
	"os"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A codec of carriers as somebody writes it who has docs/wire.md and the layout, and nothing of this program.
type foreign struct {
	Symbols string `json:"symbols"`
	Used    int    `json:"used"`
	Fields  []struct {
		Name, Kind, Letters string
		Sample, At, Width   int
		Optional            bool
		Min, Step           json.Number
		Codes               int64
		Options             []string
		Most                int
		LetterWidth         int `json:"letter_width"`
	} `json:"fields"`
}

func rational(n json.Number) *big.Rat {
	r, ok := new(big.Rat).SetString(string(n))
	if !ok {
		return new(big.Rat)
	}
	return r
}

func (f foreign) encode(values map[string]any) string {
	out := make([]rune, f.Used)
	alphabet := []rune(f.Symbols)
	put := func(at, width int, code int64) {
		for i := at + width - 1; i >= at; i-- {
			out[i] = alphabet[code%int64(len(alphabet))]
			code /= int64(len(alphabet))
		}
	}
	for _, x := range f.Fields {
		v := values[x.Name]
		if x.Sample > 0 {
			v = v.([]any)[x.Sample-1]
		}
		code := int64(0)
		switch x.Kind {
		case "number":
			if code = x.Codes; v != nil {
				steps := new(big.Rat).Sub(rational(v.(json.Number)), rational(x.Min))
				code = steps.Quo(steps, rational(x.Step)).Num().Int64()
			}
		case "option":
			code = int64(len(x.Options))
			for i, name := range x.Options {
				if name == v {
					code = int64(i)
				}
			}
		case "truth":
			code = map[any]int64{false: 0, true: 1, nil: 2}[v]
		case "text":
			text, _ := v.(string)
			for i := range x.Most {
				code, letters := int64(0), []rune(text)
				switch {
				case i < len(letters) && x.Letters == "":
					code = 1 + int64(letters[i])
				case i < len(letters):
					before, _, _ := strings.Cut(x.Letters, string(letters[i]))
					code = 1 + int64(utf8.RuneCountInString(before))
				case i == 0 && v == nil && x.Letters == "":
					code = 1_114_113
				case i == 0 && v == nil:
					code = 1 + int64(utf8.RuneCountInString(x.Letters))
				}
				put(x.At+i*x.LetterWidth, x.LetterWidth, code)
			}
			continue
		}
		put(x.At, x.Width, code)
	}
	return string(out)
}

func TestACodecWrittenFromTheDocumentsAgreesWithTheVectors(t *testing.T) {
	raw, err := os.ReadFile("../../docs/vectors/carriers.json")
	require.NoError(t, err)
	var file struct {
		Layout   foreign
		Messages []struct {
			Values  json.RawMessage
			Message string
		}
	}
	require.NoError(t, json.Unmarshal(raw, &file))
	require.Len(t, file.Messages, 3)
	for _, x := range file.Messages {
		in := json.NewDecoder(strings.NewReader(string(x.Values)))
		in.UseNumber()
		var values map[string]any
		require.NoError(t, in.Decode(&values))
		assert.Equal(t, x.Message, file.Layout.encode(values), "%s", x.Values)
	}
}

// What -decode prints, -encode takes: none, and samples.
func TestWhatIsDecodedCanBeEncodedAgain(t *testing.T) {
	l := layout(t, "type: int, min: 0, max: 9, optional: true", "player.v, player.dead", "0-9")
	for _, text := range []string{"100", "091", "001"} {
		m, err := l.Decode(text)
		require.NoError(t, err)
		printed, err := json.Marshal(m.Plain())
		require.NoError(t, err)
		again, err := l.Read(printed)
		require.NoError(t, err)
		back, err := l.Encode(again)
		require.NoError(t, err, "%s", printed)
		assert.Equal(t, text, back)
	}
}
