package main

import (
	"bytes"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestNothingButColoursSteersATerminal(t *testing.T) {
	t.Parallel()
	for _, row := range []struct {
		style     style
		in, shown string
	}{
		{false, "a\x1b[31mb\n\tc", "a\\u001b[31mb\n\tc"},
		{true, "\x1b[31ma\x1b[0m \x1b[2J \x1b]0;x\x07 \r \r\n", "\x1b[31ma\x1b[0m \\u001b[2J \\u001b]0;x\\u0007 \\u000d \r\n"},
		{true, "c1 \u009b2J, turned \u202e, \u2066, line \u2028", `c1 \u009b2J, turned \u202e, \u2066, line \u2028`},
		{true, "é → 猫 \xff.", "é → 猫 \uFFFD."},
	} {
		for cut := range len(row.in) + 1 { // however it is cut into writes, but within a colour
			if bool(row.style) && strings.Contains(row.in, "\x1b[31m") && cut > 0 && cut < 13 {
				continue
			}
			var out bytes.Buffer
			w := &shown{to: &out, style: row.style}
			for _, part := range []string{row.in[:cut], row.in[cut:]} {
				n, err := w.Write([]byte(part))
				require.NoError(t, err)
				assert.Equal(t, len(part), n)
			}
			assert.Equal(t, row.shown, out.String(), cut)
		}
	}
}

// Every colour that the program writes passes: the code of each call of style.in is one of them.
func TestEveryColourPasses(t *testing.T) {
	t.Parallel()
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	seen := 0
	for _, file := range files {
		source, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, code := range regexp.MustCompile(`\.in\("([0-9;]+)"`).FindAllSubmatch(source, -1) {
			var out bytes.Buffer
			_, _ = (&shown{to: &out, style: true}).Write([]byte(style(true).in(string(code[1]), "x")))
			assert.Equal(t, "\x1b["+string(code[1])+"mx\x1b[0m", out.String(), file)
			seen++
		}
	}
	assert.Greater(t, seen, 6)
}

// Whatever stands in the files that a command reads, none of it reaches the terminal as more than text.
func TestFilesCannotSteerATerminal(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	evil := "\u009b2J\u202e"
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	plan := write("plan.yaml", `alluvion: 1
game: evil
title: "Evil \e[2J`+evil+`"
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: entry, leave: exact, new-run: start}}
variables:
  oil: {of: player, type: text, start: "\e]0;x\a\e[31m", title: "[Oil](javascript:alert(1))<b>\e[2J", read_by: game, max_length: 99}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
events: {say: {from: self, args: {what: text}}}
rules: [{on: say, do: [{set: player.oil, to: args.what}]}]
saving: {when: [scene], every: 30s}
`)
	script := write("script.txt", "join ada\nsay ada what=\"x\ne[2J\x1b[2J\"\nshow ada\n")
	save := write("save.json", "{\"alluvion_save\": 1, \"player\": \"\x1b[2J"+evil+"\", \"\\u001b[31m\": 3}")
	rehearsal := write("r.yaml", "rehearsal: \"\\e[2J"+evil+"\"\nplan: plan.yaml\nplayers: [ada]\nsteps:\n  - {join: ada}\n  - {event: say, by: ada, args: {what: \"\\e[2J\\nfine  1 rehearsal\"}}\n")
	for _, args := range [][]string{{"check", plan}, {"check", "-json", plan}, {"matrix", plan}, {"matrix", "-form", "csv", plan}, {"matrix", "-form", "markdown", plan}, {"matrix", "-form", "svg", plan},
		{"matrix", "-row", "player.oil", plan}, {"play", plan, script}, {"save", "check", "-plan", plan, save}, {"save", "check", "-json", "-plan", plan, save}, {"rehearse", rehearsal}, {"doctor", save}, {"check", "\x1b[2J"}} {
		o := runWith(t, "", args...)
		for _, bad := range []string{"\x1b", "\a", "\u009b", "\u202e", "\r"} {
			assert.NotContains(t, strings.ReplaceAll(o.out+o.errs, "\r\n", "\n"), bad, args)
		}
		assert.NotContains(t, o.out, "\nfine  1 rehearsal\"", args)
		if args[0] == "matrix" && args[1] == "-form" && args[2] == "markdown" {
			assert.Contains(t, o.out, `\[Oil\](javascript:alert(1))&lt;b&gt;`)
		}
	}
}
