package service_test

import (
	"bytes"
	"context"
	"encoding/json"
	"maps"
	"slices"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/wire"
)

// messages compiles the schema of one side's messages.
func messages(t *testing.T, side string) *jsonschema.Schema {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(wire.Schema()))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("wire.json", doc))
	s, err := c.Compile("wire.json#/$defs/" + side)
	require.NoError(t, err)
	return s
}

// A conversation over the network in which everything is said once: each message is as the schema has it.
func TestEveryMessageIsAsItsSchemaSays(t *testing.T) {
	t.Parallel()
	h := start(t)
	within, stop := context.WithTimeout(ctx, time.Minute)
	defer stop()
	conn, _, err := websocket.Dial(within, h.s.URL()+"/v1/games/lantern-pass/sessions/winter/live", nil)
	require.NoError(t, err)
	defer func() { _ = conn.CloseNow() }()
	conn.SetReadLimit(16 << 20)
	asks, says := messages(t, "from_machine"), messages(t, "from_service")
	valid := func(s *jsonschema.Schema, raw []byte) {
		t.Helper()
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
		require.NoError(t, err)
		require.NoError(t, s.Validate(doc), "%s", raw)
	}
	say := func(text string) {
		t.Helper()
		valid(asks, []byte(text))
		require.NoError(t, conn.Write(within, websocket.MessageText, []byte(text)))
	}
	heard := map[string]bool{}
	var told []wire.Told
	hear := func() (message struct {
		Is    string      `json:"is"`
		Tick  int64       `json:"tick"`
		Check bool        `json:"check"`
		Told  []wire.Told `json:"told"`
	}) {
		_, raw, err := conn.Read(within)
		require.NoError(t, err)
		valid(says, raw)
		require.NoError(t, json.Unmarshal(raw, &message))
		heard[message.Is] = true
		told = append(told, message.Told...)
		return message
	}
	say(`{"is":"hello","player":"ada","slot":1,"checks":true,"anything":"is ignored"}`)
	require.Equal(t, "welcome", hear().Is)
	for _, text := range []string{`{"is":"move","number":1,"to":[30.000000000001,1],"facing":"south"}`, `{"is":"event","number":2,"name":"choose","args":{"who":"brisa"}}`, `{"is":"pass","number":3,"name":"porch_gorge"}`,
		`{"is":"touch","number":4,"name":"gorge_shelter"}`, `{"is":"write","number":5,"name":"player.nickname","value":"Ada"}`, `{"is":"write","number":5,"name":"player.nickname","value":"Ada"}`,
		`{"is":"start-over","number":6}`, `{"is":"ping","number":7}`, `{"is":"token","number":8,"token":"x"}`, `{"is":"whole"}`} {
		say(text)
	}
	for wanted := []string{"answer", "refused", "saved", "pong", "tick", "differs"}; slices.ContainsFunc(wanted, func(is string) bool { return !heard[is] }); {
		if m := hear(); m.Check {
			say(`{"is":"belief","tick":` + string(mustJSON(m.Tick)) + `,"digest":"another"}`)
		} else if m.Is == "differs" {
			say(`{"is":"believed","tick":` + string(mustJSON(m.Tick)) + `,"values":{"self":{}}}`)
		}
	}
	say(`{"is":"leave","number":9}`)
	for _, n := range told {
		assert.Contains(t, wire.ToldKinds, n.Kind)
		if n.Kind == "milestone" || n.Kind == "checkpoint" {
			assert.NotEmpty(t, n.ID, "%+v", n)
		}
	}
	assert.NotEmpty(t, told)

	for _, text := range []string{`{"is":"move","number":1}`, `{"is":"move","to":["a"]}`, `{"is":"event","name":3}`, `{"is":"nothing"}`, `{"number":1}`, `{"is":"ping","arg":1}`} {
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader([]byte(text)))
		require.NoError(t, err)
		assert.Error(t, asks.Validate(doc), text)
	}
	t.Log(slices.Sorted(maps.Keys(heard)))
}

func mustJSON(v any) []byte {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return raw
}
