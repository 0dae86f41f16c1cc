package model_test

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/examples"
)

func TestRule4ACommonsVariableHasOneWriter(t *testing.T) {
	market := string(examples.LanternMarket)
	load := func(text string) model.Commons {
		return func(id string) ([]byte, error) {
			if id != "courier-guild" {
				return nil, model.Unknown(id)
			}
			return []byte(text), nil
		}
	}
	guild := string(examples.CourierGuild)
	for name, row := range map[string]struct{ plan, guild, words string }{
		"a commons that is not there":  {strings.Replace(market, "commons: courier-guild", "commons: courier-gild", 1), guild, "no commons called"},
		"another's variable in writes": {strings.Replace(market, "writes: [market_stage", "writes: [pass_stage", 1), guild, "written by lantern-pass"},
		"a misspelt one in writes":     {strings.Replace(market, "writes: [market_stage", "writes: [market_stag", 1), guild, "Did you mean market_stage"},
		"another's variable in a rule": {strings.Replace(market, "{raise: player.guild.market_stage", "{raise: player.guild.pass_stage", 1), guild, "lantern-pass writes it"},
		"one that is not in writes":    {strings.Replace(market, "writes: [market_stage, seals]", "writes: [seals]", 1), guild, "says in uses what it writes"},
		"a name that is taken":         {strings.Replace(market, "as: guild", "as: coins", 1), guild, "something else already"},
		"a commons with an error":      {market, strings.Replace(guild, "writer: lantern-market, type: set", "type: set", 1), "has errors; the first is on its line 9"},
		"computed and written":         {market, strings.Replace(guild, "renown:       {type", "renown:       {writer: lantern-pass, type", 1), "nobody writes it"},
		"computed from itself":         {market, strings.Replace(guild, "is: pass_stage + market_stage", "is: renown + 1", 1), "from itself"},
		"another id":                   {market, strings.Replace(guild, "commons: courier-guild", "commons: guild", 1), "calls itself guild"},
		"a stopwatch":                  {market, strings.Replace(guild, "type: int, min: 0, max: 9, start: 0, title: Stage in", "type: stopwatch, title: Stage in", 1), "no stopwatch"},
	} {
		m, _, found := model.LoadFor([]byte(row.plan), load(row.guild))
		assert.Nil(t, m, name)
		require.NotEmpty(t, found, name)
		text := ""
		for _, f := range found {
			assert.Positive(t, f.Line, name)
			text += f.Message + "\n"
		}
		assert.Contains(t, text, row.words, name)
	}
	_, _, found := model.LoadFor([]byte(market), func(string) ([]byte, error) { return nil, errors.New("the disk is gone") })
	assert.Contains(t, found[0].Message, "the disk is gone")
	_, _, found = model.Load([]byte(market))
	assert.Contains(t, found[0].Message, "not at hand")
}

func TestACommonsIsKnownByItsKey(t *testing.T) {
	assert.True(t, plan.IsCommons(examples.CourierGuild))
	assert.True(t, plan.IsCommons([]byte(`{"alluvion": 1, "commons": "guild", "version": 1, "variables": {}}`)))
	assert.True(t, plan.IsCommons([]byte("{alluvion: 1, commons: guild}")))
	assert.False(t, plan.IsCommons(examples.LanternMarket))
	assert.False(t, plan.IsCommons([]byte("uses:\n  - {commons: guild, as: guild}\n")))
	assert.False(t, plan.IsCommons([]byte("")))
}
