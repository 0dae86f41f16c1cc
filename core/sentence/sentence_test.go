package sentence_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/sentence"
	"alluvion.dev/examples"
	"alluvion.dev/examples/starts"
)

func said(t *testing.T, text string) map[string]string {
	p, _ := plan.Read([]byte(text))
	out := map[string]string{}
	for _, s := range sentence.Of(p) {
		assert.NotContains(t, out, s.At, "one sentence for each")
		out[s.At] = s.Text
	}
	return out
}

func TestWhatTheDemosRulesDoIsSaid(t *testing.T) {
	says := said(t, string(examples.LanternPass))
	for at, text := range map[string]string{
		"/events/gust":          "Gust: the game's server sends it, with ‹amount› and ‹at›",
		"/events/deliver":       "Deliver: a player sends it about themselves; it is refused unless the player's Parcels is more than 0",
		"/rules/0":              "when Gust comes from the game's server",
		"/rules/0/do/0":         "‹at›'s Warmth becomes ‹at›'s Warmth − ‹amount›",
		"/rules/0/do/2":         "If ‹at›'s Warmth is at most 0:",
		"/rules/0/do/2/do/0":    "‹at› dies",
		"/rules/6/do/1":         "The player's Lamp becomes bright",
		"/rules/8":              "when a player sends Plank, if the player's scene is Scree Gorge and the game's Bridge mended is false",
		"/rules/9/do/0/do/0":    "The event is refused: “There is not enough oil.”",
		"/rules/8/do/1/do/1":    "Everybody is told: “The rope bridge is mended.”",
		"/rules/9/do/1":         "3 is taken from the player's Oil",
		"/rules/10/do/1":        "The player goes to Hearth in The Lodge",
		"/rules/19":             "when a player comes into the reach of a cache, if the prop's Taken is false",
		"/rules/21":             "every 5m, once for the session",
		"/rules/22/do/0":        "With ‹chill› being the smallest of 20 and 4 × the number of players who are there:",
		"/rules/22/do/0/do/0":   "For each player in the session, called ‹p›:",
		"/rules/23":             "when the player's Oil changes",
		"/rules/23/do/0/elif/0": "Otherwise, if the player's Oil is less than 5:",
		"/rules/23/do/0/else/0": "The player's Lamp becomes bright",
		"/rules/25":             "when a player earns Full Sack",
		"/rules/27":             "when a player comes into Loose scree in Scree Gorge",
		"/always/0":             "always: the player's Warmth is at most the player's Max warmth",
	} {
		assert.Equal(t, text, says[at], at)
	}
}

// What a plan says of conditions and values; what nothing says is left as it is written.
func TestExpressionsAreReadAsTheyAre(t *testing.T) {
	for source, want := range map[string]string{
		"player.oil > 3 || player.oil < 1 && scene.snow == 2": "the player's Oil is more than 3 or (the player's Oil is less than 1 and the scene's Snow is 2)",
		"!(player.oil > 3 && player.chilled)":                 "the player's Oil is at most 3 or the player's Chilled is false",
		"has(player.camp)":                                    "the player's Camp is not none",
		"!has(player.camp)":                                   "the player's Camp is none",
		"inside('gorge/scree')":                               "the player is in Loose scree in Scree Gorge",
		"!holds('sled')":                                      "the player does not hold The sled",
		"player.earned('full_sack')":                          "the player has earned Full Sack",
		"player.oil - (player.parcels - 1) > -2":              "the player's Oil − (the player's Parcels − 1) is more than −2",
		"(player.oil > 3 ? 1 : 2) == 1":                       "(1 if the player's Oil is more than 3, else 2) is 1",
		"(player.oil > 3 ? 1 : 2) + 3 < 4":                    "(1 if the player's Oil is more than 3, else 2) + 3 is less than 4",
		"min(player.oil, 3) + 1 == 2":                         "(the smallest of the player's Oil and 3) + 1 is 2",
		"-(player.oil + 1) < 2":                               "−(the player's Oil + 1) is less than 2",
		"round(player.oil + 0.5) == 2":                        "((the player's Oil + 0.5), rounded) is 2",
		"count(player.visited) > 2":                           "the number of the player's Visited is more than 2",
		"player.nickname == 'oil'":                            "the player's Nickname is “oil”",
		"player.nickname == 'Wren of old'":                    "the player's Nickname is “Wren of old”",
		"player.courier == 'tarn'":                            "the player's Courier is Tarn",
		"player.lamp == out":                                  "the player's Lamp is out",
		"draw(1, 2, 0, 9) == 3":                               "draw(1, 2, 0, 9) == 3",
		"player.oil >":                                        "player.oil >",
	} {
		text := strings.Replace(string(examples.LanternPass), "if: place.scene == 'gorge' && !game.bridge_mended", `if: "`+source+`"`, 1)
		assert.Equal(t, "when a player sends Plank, if "+want, said(t, text)["/rules/8"], source)
	}
}

// What is done in which case is seen from how deep it stands: an else belongs to its if, not to the branch above it.
func TestBranchesStandBesideEachOther(t *testing.T) {
	p, _ := plan.Read(examples.LanternPass)
	var lines []string
	for _, s := range sentence.Of(p) {
		if s.At == "/rules/23" || strings.HasPrefix(s.At, "/rules/23/") {
			lines = append(lines, strings.Repeat("  ", s.Deep)+s.Text)
		}
	}
	assert.Equal(t, []string{
		"when the player's Oil changes",
		"  If the player's Oil is 0:",
		"    The player's Lamp becomes out",
		"  Otherwise, if the player's Oil is less than 5:",
		"    The player's Lamp becomes low",
		"  Otherwise:",
		"    The player's Lamp becomes bright",
	}, lines)
}

// What players are told stands as it is written, whatever the words mean elsewhere.
func TestTextsAreSaidAsTheyAre(t *testing.T) {
	for _, text := range []string{"scene", "world", "session", "courier", "ware", "lodge"} {
		plan := strings.Replace(string(examples.LanternPass), "There is not enough oil.", text, 1)
		assert.Equal(t, "The event is refused: “"+text+"”", said(t, plan)["/rules/9/do/0/do/0"])
	}
}

// Every verb and every moment has a sentence, and no key of an action is left out of it.
func TestEveryVerbAndMomentIsSaid(t *testing.T) {
	const text = `alluvion: 1
game: all
version: 1
start: hut/door
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
rules:
  - on: [joined, loaded, started, left, arrived, {arrived: hut}, departed, {departed: hut}, {entered: hut/mat}, {exited: hut/mat}, checkpoint, {checkpoint: bed}, died, came-back, picked, milestone, {milestone: won}, {changed: player.oil}, saved, {crossed: round}, {crossed: round, of: player}, {every: 30s}, {every: {time: 30s, of: player}}]
    do:
      - {add: player.oil, by: key1}
      - {add: player.oil, by: -key2}
      - {clear: player.key3}
      - {come-back: key4}
      - {die: key5}
      - {each: key6, in: session, do: [{die: key7}]}
      - {earn: key8, of: key9}
      - {forget: key10}
      - {go: key11, else: key12}
      - {go: {scene: key13, carry: [key14]}}
      - {if: key15, do: [{die: key16}], elif: [{if: key17, do: [{die: key18}]}], else: [{die: key19}]}
      - {let: {key20: key21}, do: [{die: key22}]}
      - {notify: key23, text: key24}
      - {pick: key25, to: key26}
      - {pick: key27, option: key28}
      - {put: key29, item: key30}
      - {raise: key31, to: key32}
      - {refuse: key33}
      - {remember: key34}
      - {save: player}
      - {send: key35, args: {key36: key37}}
      - {set: key38, to: key39}
      - {set-down: key40, at: key41}
      - {start-over: key42}
      - {take: key43}
      - {take-out: key44, item: key45}
      - {unearn: key46, of: key47}
`
	p, _ := plan.Read([]byte(text))
	says := said(t, text)
	verbs := map[string]bool{}
	var visit func(all []plan.Action)
	visit = func(all []plan.Action) {
		for _, a := range all {
			verbs[a.Verb] = true
			assert.NotEmpty(t, says[a.At.Pointer], a.Verb)
			assert.NotContains(t, says[a.At.Pointer], "{", a.Verb)
			a.Inside(func(b plan.Branch, _ finding.At) { visit(b.Do) })
		}
	}
	visit(p.Rules[0].Do)
	for _, verb := range plan.Verbs() {
		assert.True(t, verbs[verb], verb)
	}
	all := strings.ToLower(strings.Join([]string{says["/rules/0"], joined(says)}, "\n"))
	for i := 1; i <= 47; i++ {
		assert.Contains(t, all, fmt.Sprint("key", i))
	}
	assert.Equal(t, 22, strings.Count(says["/rules/0"], ", when ")+strings.Count(says["/rules/0"], ", every ")+strings.Count(says["/rules/0"], " or every "), says["/rules/0"])
}

func joined(says map[string]string) string {
	var out strings.Builder
	for _, text := range says {
		out.WriteString(text + "\n")
	}
	return out.String()
}

func TestARuleSaysWhatItReadsAndChanges(t *testing.T) {
	m, _, found := check.Plan(examples.LanternPass, func(string) ([]byte, error) { return examples.CourierGuild, nil })
	require.NotNil(t, m, "%v", found)
	touched := map[string]sentence.Touched{}
	for _, x := range sentence.Touches(m) {
		touched[x.At] = x
	}
	assert.Equal(t, []string{"player.chilled", "player.warmth"}, touched["/rules/0"].Changes)
	assert.Equal(t, []string{"player.warmth"}, touched["/rules/0"].Reads)
	assert.Equal(t, []string{"player.lamp"}, touched["/rules/23"].Changes)
	assert.Equal(t, []string{"player.oil"}, touched["/rules/23"].Reads)
	assert.Len(t, touched, 28)
}

func TestRulesStandUnderWhatSetsThemOff(t *testing.T) {
	p, _ := plan.Read(examples.LanternPass)
	under := map[string][]string{}
	rules := map[string]bool{}
	for _, g := range sentence.Groups(p) {
		under[g.Title+" "+g.Event] = g.Rules
		for _, at := range g.Rules {
			rules[at] = true
		}
	}
	assert.Len(t, rules, 28, "each rule stands somewhere")
	assert.Equal(t, []string{"/rules/0"}, under["Gust gust"])
	assert.Equal(t, []string{"/rules/19", "/rules/20", "/rules/27"}, under["In places "])
	assert.Equal(t, []string{"/rules/21"}, under["As time goes on "])
	p, _ = plan.Read([]byte("alluvion: 1\nrules:\n  - {on: nowhere_declared, do: [{die: player}]}\n  - {on: [died, left], do: []}\n"))
	assert.Equal(t, []sentence.Group{{Title: "Coming and going", Rules: []string{"/rules/1"}}, {Title: "Life and death", Rules: []string{"/rules/1"}},
		{Title: "Set off by nothing that could be read", Rules: []string{"/rules/0"}}}, sentence.Groups(p))
}

// A plan that is half written is said as far as it can be read.
func TestBrokenPlansAreSaidAsFarAsTheyGo(t *testing.T) {
	for _, dir := range []string{"../../examples/troubled", "../../examples/stuck"} {
		files, err := os.ReadDir(dir)
		require.NoError(t, err)
		for _, f := range files {
			if !strings.HasSuffix(f.Name(), ".yaml") {
				continue
			}
			text, err := os.ReadFile(dir + "/" + f.Name())
			require.NoError(t, err)
			for at, says := range said(t, string(text)) {
				assert.NotEmpty(t, says, at)
			}
		}
	}
}

// An option of a list that is named has its own name in a sentence.
func TestAnOptionIsCalledByItsName(t *testing.T) {
	for _, start := range starts.All() {
		if start.ID != "rounds" {
			continue
		}
		says := said(t, start.Plan)
		assert.Equal(t, "If Heron's Cut this round is more than Swift's Cut this round:", says["/rules/winning/do/0"])
		assert.Equal(t, "Everybody is told: “Nobody wins the round.”", says["/rules/winning/do/0/else/0"])
	}
}
