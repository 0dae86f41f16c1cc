package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
)

// kitchen has what a player has over all slots: settings, play time, and what was unlocked for good.
const kitchen = `
alluvion: 1
game: kitchen
version: 1
start: hall/door
lists: {channel: [music, voices], recipe: [stew, bread]}
defaults:
  player:  {scene: keep, death: keep, leave: keep, new-run: reset, day: keep}
  profile: {day: keep}
  place:   {death: stay, leave: exact}
crossings:
  day: {calendar: {every: day}, for: [player, profile]}
variables:
  score:   {of: player, type: int, min: 0, max: 999, start: 0, across: {day: {set: player.score + 1}}}
  hints:   {of: profile, type: bool, start: true}
  played:  {of: profile, type: int, min: 0, max: 9999, start: 0, across: {day: {set: profile.played + days_missed}}}
  runs:    {of: profile, type: int, min: 0, max: 99, start: 0}
  tries:   {of: profile, type: int, min: 0, max: 99, start: 0, across: {new-run: reset}}
  volume:  {of: [profile, channel], type: int, min: 0, max: 10, start: 7}
  known:   {of: [profile, recipe], type: bool, start: false}
  cooks:   {of: player, type: int, min: 0, max: 2, is: count(player.known)}
  cheer:   {of: player, type: bool, start: false}
scenes: {hall: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
events:
  cook: {args: {recipe: recipe}, from: self}
  quiet: {args: {channel: channel, to: {type: int, min: 0, max: 10}}, from: self}
  teach: {args: {whom: player}, from: self}
  fall: {from: self}
milestones: {chef: {when: all(player.known)}}
rules:
  - {on: cook, do: [{set: args.recipe.known, to: true}, {add: player.score, by: 10}, {add: profile.tries, by: 1}]}
  - {on: quiet, do: [{set: args.channel.volume, to: args.to}]}
  - {on: teach, do: [{set: "args.whom.known['stew']", to: true}, {add: args.whom.profile.runs, by: 1}]}
  - {on: started, do: [{add: profile.runs, by: 1}]}
  - {on: {changed: profile.runs}, do: [{set: player.cheer, to: true}]}
  - {on: fall, do: [{die: player}]}
saving: {slots: 3, every: 30s, when: [leave]}
`

func TestRule47AProfileIsOneOverAllSlots(t *testing.T) {
	w := open(t, kitchen)
	w.join("ada")
	w.is("ada", "runs", "1")
	w.is("ada", "cheer", "true")
	require.NoError(t, w.self("ada", "cook", "recipe", "stew"))
	require.NoError(t, w.self("ada", "quiet", "channel", "music", "to", 2))
	w.must(engine.Request{Do: "start-over", Player: "ada"})
	w.is("ada", "score", "0")
	w.is("ada", "runs", "2")
	w.is("ada", "tries", "0") // its own fate says so
	w.is("ada", "cooks", "1")
	first := w.leave("ada")
	require.NotNil(t, first.Profile)
	assert.NotContains(t, first.Values, "hints", "it is in no slot's save")
	assert.Empty(t, first.Lists)
	assert.Equal(t, "2", first.Profile.Lists["channel"]["music"]["volume"].Plain())

	w.must(engine.Request{Do: "join", Player: "ada", Slot: 2, Profile: first.Profile})
	w.is("ada", "runs", "3")
	w.is("ada", "cooks", "1")
	assert.Equal(t, "2", w.held("ada", "volume", "music"))
	require.NoError(t, w.self("ada", "cook", "recipe", "bread"))
	assert.True(t, w.told("milestone"))
	second := w.leave("ada")

	w.must(engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: first, Profile: second.Profile})
	w.is("ada", "cooks", "2") // also in the slot that is older
	assert.Equal(t, []string{"chef"}, w.run.Save("ada").Milestones)
}

func TestRule47WhatAnotherHasOverAllSlotsIsReadAndWritten(t *testing.T) {
	w := open(t, kitchen)
	w.join("ada")
	w.join("bob")
	require.NoError(t, w.self("ada", "teach", "whom", "bob"))
	w.is("bob", "runs", "2")
	w.is("bob", "cooks", "1")
	w.is("ada", "cooks", "0")
}

func TestRule48TwoSlotsMeetADayTwiceAndTheProfileOnce(t *testing.T) {
	w := open(t, kitchen)
	w.on("2027-02-03T12:00:00Z")
	w.join("ada")
	first := w.leave("ada")
	w.must(engine.Request{Do: "join", Player: "ada", Slot: 2, Profile: first.Profile})
	second := w.leave("ada")
	w.on("2027-02-05T12:00:00Z")
	w.must(engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: first, Profile: second.Profile})
	w.is("ada", "score", "1")
	w.is("ada", "played", "2")
	first = w.leave("ada")
	w.must(engine.Request{Do: "join", Player: "ada", Slot: 2, Saved: second, Profile: first.Profile})
	w.is("ada", "score", "1")
	w.is("ada", "played", "2")
}

func TestAProfileIsWrittenAndReadAgain(t *testing.T) {
	w := open(t, kitchen)
	w.on("2027-02-03T12:00:00Z")
	w.join("ada")
	require.NoError(t, w.self("ada", "quiet", "channel", "music", "to", 2))
	p := w.leave("ada").Profile
	raw, err := save.Encode(p)
	require.NoError(t, err)
	loose, err := save.OpenProfile(raw)
	require.NoError(t, err)
	again, problems, err := loose.Fit(w.m)
	require.NoError(t, err)
	assert.Empty(t, problems)
	assert.Equal(t, p, again)
	assert.NotEmpty(t, save.ProfileSchema(w.m))
}
