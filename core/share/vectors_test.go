package share_test

import (
	"bytes"
	"encoding/hex"
	"encoding/json"
	"os"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
)

// The conversations that are published for those who write a client: read in both forms, from nothing but what they have
// themselves, they lead to the views and digests that they say.
func TestTheRecordedConversationsAreUnderstood(t *testing.T) {
	forms := map[string]bool{}
	for _, name := range []string{"conversations", "near", "everything", "lantern-pass"} {
		understood(t, name, forms)
	}
	for _, form := range []string{"value", "id", "place", "spot", "thing", "watch"} {
		assert.True(t, forms[form], "the conversations have nothing of the form %s", form)
	}
}

func understood(t *testing.T, name string, forms map[string]bool) {
	raw, err := os.ReadFile("../../docs/vectors/" + name + ".json")
	require.NoError(t, err)
	var said struct {
		Layout json.RawMessage
		Turns  []struct {
			Who         string
			Asks, Frame json.RawMessage
			Away        bool
			Packed      string
			View        map[string]map[string]json.RawMessage
			Digest      string
		}
	}
	require.NoError(t, json.Unmarshal(raw, &said))
	layout, err := share.ReadLayout(said.Layout)
	require.NoError(t, err)
	text, bits := share.NewMirror(nil), share.NewMirror(layout)
	text.SetNear(layout.HasNear())
	for _, turn := range said.Turns {
		if turn.Away {
			continue
		}
		packed, err := hex.DecodeString(turn.Packed)
		require.NoError(t, err)
		_, err = text.ApplyText(compact(t, turn.Frame))
		require.NoError(t, err)
		_, err = bits.ApplyPacked(packed)
		require.NoError(t, err)
		for _, m := range []*share.Mirror{text, bits} {
			assert.Equal(t, turn.Digest, m.Digest(), "%s", turn.Asks)
			view := map[string]map[string]json.RawMessage{}
			for part, values := range m.Values() {
				view[part] = map[string]json.RawMessage{}
				for address, value := range values {
					view[part][address] = json.RawMessage(value)
				}
			}
			want, err := json.Marshal(turn.View)
			require.NoError(t, err)
			got, err := json.Marshal(view)
			require.NoError(t, err)
			assert.JSONEq(t, string(want), string(got))
		}
		valid(t, "tick", turn.Frame)
		if turn.Asks != nil {
			valid(t, "from_machine", turn.Asks)
		}
	}
	for _, h := range layout.Holders {
		for _, f := range h.Fields {
			forms[string(f.Form)] = true
		}
	}
}

func compact(t *testing.T, raw []byte) []byte {
	var b bytes.Buffer
	require.NoError(t, json.Compact(&b, raw))
	return b.Bytes()
}

func valid(t *testing.T, def string, raw []byte) {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(wire.Schema()))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("wire.json", doc))
	s, err := c.Compile("wire.json#/$defs/" + def)
	require.NoError(t, err)
	message, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	require.NoError(t, s.Validate(message), "%s", raw)
}

// The bits of codes are those of the values beside them, and the other way round.
func TestTheRecordedCodesAreUnderstood(t *testing.T) {
	var fields []struct {
		Name   string
		Code   *types.Code
		Values []struct {
			Value types.Value
			Bits  string
		}
	}
	recorded(t, "codes", &fields)
	kinds := map[string]bool{}
	for _, f := range fields {
		kinds[f.Code.Kind] = true
		for _, x := range f.Values {
			var b bitstream.Bits
			require.NoError(t, f.Code.Write(&b, x.Value), "%s %v", f.Name, x.Value)
			require.Equal(t, len(x.Bits), b.Len(), f.Name)
			var want bitstream.Bits
			for _, bit := range x.Bits {
				want.Flag(bit == '1')
			}
			assert.Equal(t, want.Raw(), b.Raw(), "%s %v", f.Name, x.Value)
			assert.Equal(t, x.Value, f.Code.Read(bitstream.NewSource(want.Raw())), f.Name)
			assert.LessOrEqual(t, b.Len(), f.Code.Width(), f.Name)
		}
	}
	for _, kind := range []string{"number", "option", "truth", "text", "list"} {
		assert.True(t, kinds[kind], kind)
	}
}

// Where players are drawn is where the recorded points say.
func TestTheRecordedMotionIsUnderstood(t *testing.T) {
	var said struct {
		Told  []share.Point
		Drawn []struct {
			Time int64
			Is   share.Point
		}
	}
	recorded(t, "motion", &said)
	require.Greater(t, len(said.Drawn), 10)
	var track share.Track
	for _, p := range said.Told {
		track.Add(p)
	}
	for _, x := range said.Drawn {
		is, ok := track.At(x.Time)
		require.True(t, ok)
		assert.Equal(t, x.Is, is, "at %d", x.Time)
	}
}

func recorded(t *testing.T, name string, into any) {
	raw, err := os.ReadFile("../../docs/vectors/" + name + ".json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, into))
}
