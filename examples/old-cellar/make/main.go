// Command make writes the saves of the Old Cellar: a game that was never made, whose saves are of three versions and in
// two formats. They come from a seed, so that they are the same wherever they are made.
//
//	go run ./examples/old-cellar/make -o examples/old-cellar/saves
package main

import (
	"flag"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
)

var (
	wares   = []string{"rye", "oats", "barley", "malt", "salt", "honey", "yeast"}
	doors   = []string{"front", "hatch", "coal_chute", "back_stair"}
	stories = []string{"the_miller", "the_ghost", "the_flood", "the_wedding", "the_lost_key"}
	scenes  = []string{"bakehouse", "cellar", "well_room", "attic"}
	sizes   = map[string][2]int{"bakehouse": {24, 16}, "cellar": {60, 40}, "well_room": {12, 12}, "attic": {30, 10}}
	numbers = map[string]int{"bakehouse": 3, "cellar": 4, "well_room": 7, "attic": 9} // as the first version called scenes
	notes   = []string{"buy yeast", "the hatch sticks", "ask the widow about the key", "never open the coal chute at night", "rent is due"}
	nicks   = []string{"bo", "ada", "finn", "ingrid", "tor", "sunniva", "even", "marit", "olav", "ragna", "sigurd", "tone"}
)

// baker is one player's state, whatever version writes it.
type baker struct {
	nick         string
	slot         int
	scene        string
	x, y         float64
	deg          int
	coins, debt  int
	heat         float64 // of the oven, from 0 to 10
	lamp         string
	note         string
	pack         map[string]int
	open         map[string]bool
	knocks       map[string]int
	told         []string
	day          int
	played       float64
	apprentice   bool
	mail, token  string
	saved        string
	music, voice int
	hints        bool
	language     string
}

func main() {
	out := flag.String("o", "saves", "the `folder` to write into")
	seed := flag.Uint64("seed", 20261129, "what the saves are drawn from")
	many := flag.Int("saves", 300, "how many")
	flag.Parse()
	if err := os.MkdirAll(*out, 0o755); err != nil {
		log.Fatal(err)
	}
	r := rand.New(rand.NewPCG(*seed, 1))
	players := max(1, *many/5) // each has three slots of different versions and two files of options at most
	wrote := 0
	for i := range players {
		b := born(r, i)
		for slot := 1; slot <= 4 && wrote < *many; slot++ {
			b.slot = slot
			b.lives(r)
			version := min(slot, 3)
			write(filepath.Join(*out, fmt.Sprintf("%s-%d.json", b.nick, slot)), text(b, version))
			wrote++
		}
		if wrote < *many {
			write(filepath.Join(*out, b.nick+".ini"), b.options())
			wrote++
		}
	}
}

func write(name, text string) {
	if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
		log.Fatal(err)
	}
}

func born(r *rand.Rand, i int) *baker {
	nick := nicks[i%len(nicks)]
	if i >= len(nicks) {
		nick = fmt.Sprintf("%s%d", nick, i/len(nicks))
	}
	b := &baker{nick: nick, scene: "bakehouse", x: 4, y: 4, coins: 12, lamp: "dim", pack: map[string]int{}, open: map[string]bool{},
		knocks: map[string]int{}, day: 1, heat: 4, music: r.IntN(11), voice: r.IntN(11), hints: r.IntN(3) > 0,
		language: []string{"en", "nb", "de"}[r.IntN(3)], mail: nick + "@example.org"}
	for range 32 {
		b.token += string("0123456789abcdef"[r.IntN(16)])
	}
	return b
}

// lives is what happens between two saves.
func (b *baker) lives(r *rand.Rand) {
	b.scene = scenes[r.IntN(len(scenes))]
	size := sizes[b.scene]
	b.x, b.y = float64(r.IntN(size[0]*4))/4, float64(r.IntN(size[1]*4))/4
	b.deg = 90 * r.IntN(4)
	b.coins = max(0, min(500, b.coins+r.IntN(120)-40))
	b.debt = max(0, b.debt+r.IntN(9)-4)
	b.heat = float64(r.IntN(101)) / 10
	b.lamp = []string{"out", "dim", "dim", "bright"}[r.IntN(4)]
	b.note = ""
	if r.IntN(3) > 0 {
		b.note = notes[r.IntN(len(notes))]
	}
	for range 1 + r.IntN(4) {
		b.pack[wares[r.IntN(len(wares))]] = 1 + r.IntN(30)
	}
	if r.IntN(4) == 0 {
		delete(b.pack, wares[r.IntN(len(wares))])
	}
	d := doors[r.IntN(len(doors))]
	b.open[d] = !b.open[d]
	b.knocks[d] += r.IntN(5)
	if s := stories[r.IntN(len(stories))]; !strings.Contains(strings.Join(b.told, " "), s) {
		b.told = append(b.told, s)
	}
	b.day += r.IntN(6)
	b.played += float64(r.IntN(7_200_000)) / 1000
	b.apprentice = r.IntN(2) == 0
	b.saved = fmt.Sprintf("2026-%02d-%02dT%02d:%02d:00Z", 1+b.slot*2, 1+r.IntN(28), r.IntN(24), r.IntN(60))
}

func text(b *baker, version int) string {
	var w strings.Builder
	line := func(form string, args ...any) { fmt.Fprintf(&w, form+"\n", args...) }
	quoted := func(s string) string {
		if s == "" {
			return "null"
		}
		return fmt.Sprintf("%q", s)
	}
	line("{")
	line(`  "meta": {"rev": %d, "engine": "cellar-2.1", "saved": %q, "mail": %q, "token": %q},`, version, b.saved, b.mail, b.token)
	switch version {
	case 1:
		line(`  "at": {"level": %d, "pos": [%g, %g], "deg": %d},`, numbers[b.scene], b.x, b.y, b.deg)
		line(`  "gold": %d,`, b.coins)
		line(`  "oven": %d,`, int(b.heat*10+0.5)*10)
	default:
		line(`  "hero": {`)
		line(`    "scene": %q, "x": %g, "y": %g, "deg": %d,`, b.scene, b.x, b.y, b.deg)
		line(`    "coins": %d,`, b.coins)
		if version == 2 {
			line(`    "oven": %d,`, int(b.heat*10+0.5)*10)
		} else {
			line(`    "oven": %g,`, b.heat)
		}
		line(`    "debt": %d`, b.debt)
		line(`  },`)
	}
	line(`  "lamp": %q,`, b.lamp)
	if version == 1 || b.note != "" {
		line(`  "note": %s,`, quoted(b.note))
	}
	line(`  "apprentice": %d,`, map[bool]int{true: 1}[b.apprentice])
	var pack, told, hinges []string
	for _, ware := range wares {
		switch n, has := b.pack[ware]; {
		case !has:
		case version == 1:
			pack = append(pack, fmt.Sprintf("%q: %d", ware, n))
		default:
			pack = append(pack, fmt.Sprintf(`{"name": %q, "count": %d}`, ware, n))
		}
	}
	if version == 1 {
		line(`  "pack": {%s},`, strings.Join(pack, ", "))
	} else {
		line(`  "pack": [%s],`, strings.Join(pack, ", "))
	}
	for _, s := range b.told {
		told = append(told, fmt.Sprintf("%q", s))
	}
	if version > 1 {
		line(`  "told": [%s],`, strings.Join(told, ", "))
	}
	for _, d := range doors {
		hinges = append(hinges, fmt.Sprintf(`%q: {"open": %t, "knocks": %d}`, d, b.open[d], b.knocks[d]))
	}
	line(`  "doors": {%s},`, strings.Join(hinges, ", "))
	line(`  "played": %.3f,`, b.played)
	line(`  "day": %d`, b.day)
	line("}")
	return w.String()
}

func (b *baker) options() string {
	yes := map[bool]string{true: "on", false: "off"}
	return fmt.Sprintf("; options of the Old Cellar\n[sound]\nmusic = %d\nvoice = %d\n\n[game]\nhints = %s\nlanguage = %s\n", b.music, b.voice,
		yes[b.hints], b.language)
}
