package finding

import (
	"slices"
	"strings"
)

// Nearest is the candidate with the fewest single-letter changes from name (Damerau's distance, which
// counts swapped neighbours as one; F. Damerau, CACM 7(3), 1964), or "" where none is near enough to
// be a slip of the keyboard: one in a word of up to four letters, two in one of up to eight. Of equals the first wins.
func Nearest(name string, candidates []string) string {
	best, least := "", reach(name)
	for _, c := range candidates {
		if d := distance(name, c, least); d < least {
			best, least = c, d
		}
	}
	return best
}

// reach is from which distance on a name is no slip any more.
func reach(name string) int {
	n := len([]rune(name))
	if n <= 4 {
		return 2
	}
	return n/3 + 2
}

// Guess is the name that was probably meant. Sure says that nothing else can have been meant, so that it may be written
// without asking; otherwise it is a suggestion.
type Guess struct {
	Name string
	Sure bool
}

// Declared guesses among names that the document declares: sure where no other is as near.
func Declared(name string, names []string) Guess {
	g := Guess{Name: Nearest(name, names)}
	d := distance(name, g.Name, reach(name))
	g.Sure = g.Name != "" && within(name, names, d+1) == 1
	return g
}

// Word guesses among words of the language: sure where no other is near at all, and it does nothing that cannot be
// taken back. Where none is near, it may be what others call one of them.
func Word(name string, words []string) Guess {
	g := Guess{Name: Nearest(name, words)}
	g.Sure = g.Name != "" && within(name, words, reach(name)) == 1 && !grave[g.Name]
	if g.Name == "" {
		for _, meant := range strings.Fields(elsewhere[strings.ToLower(name)]) {
			if slices.Contains(words, meant) {
				return Guess{Name: meant}
			}
		}
	}
	return g
}

// elsewhere are words that languages, programs and people have for what is called otherwise here.
var elsewhere = map[string]string{
	// types
	"integer": "int", "number": "int", "whole": "int", "float": "decimal", "double": "decimal", "real": "decimal",
	"string": "text", "str": "text", "flag": "bool", "enum": "choice choices", "array": "list", "vector": "point", "vec2": "point",
	"vec3": "point", "position": "point at place", "timer": "stopwatch", "table": "group", "object": "group", "record": "group", "struct": "group",
	// what variables, rules and saving say
	"default": "start", "initial": "start", "init": "start", "maximum": "max", "minimum": "min", "values": "choices", "options": "choices",
	"owner": "of", "holder": "of", "label": "title", "formula": "is", "computed": "is",
	"when": "on", "trigger": "on", "condition": "if", "where": "if", "then": "do", "actions": "do", "disabled": "off",
	"interval": "every", "autosave": "every",
	// actions
	"increment": "add", "increase": "add", "inc": "add", "plus": "add", "subtract": "add", "decrement": "add", "decrease": "add",
	"assign": "set", "teleport": "go", "warp": "go", "kill": "die", "respawn": "come-back", "revive": "come-back", "restart": "start-over",
	"message": "notify", "say": "notify", "print": "notify", "emit": "send", "fire": "send", "unlock": "earn", "award": "earn", "append": "put",
	"push": "put", "remove": "take-out", "delete": "take-out", "foreach": "each",
	// moments and fates
	"quit": "leave left", "exit": "leave left", "disconnect": "leave left", "connect": "join joined", "close": "restart", "dying": "death",
	"stay": "keep", "preserve": "keep", "retain": "keep", "wipe": "reset", "lose": "reset", "undo": "rewind", "rollback": "rewind",
	// who sends
	"player": "self", "client": "self", "host": "server",
}

// grave are the words that kill, move, clear or save: nobody's slip becomes one of them.
var grave = map[string]bool{"die": true, "come-back": true, "start-over": true, "go": true, "take": true,
	"set-down": true, "clear": true, "forget": true,
	"take-out": true, "unearn": true, "save": true, "drop": true, "restore": true, "reset": true, "rewind": true, "death": true}

// within counts the candidates that are nearer than a distance, each name once.
func within(name string, candidates []string, limit int) int {
	seen := map[string]bool{}
	for _, c := range candidates {
		if distance(name, c, limit) < limit {
			seen[c] = true
		}
	}
	return len(seen)
}

// distance is Damerau's, or limit where it is at least that.
func distance(from, to string, limit int) int {
	a, b := []rune(from), []rune(to)
	if len(a)-len(b) >= limit || len(b)-len(a) >= limit || len(a) > 256 {
		return limit
	}
	before, prev, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range prev {
		prev[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(prev[j]+1, row[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, prev, row = prev, row, before
	}
	return min(prev[len(b)], limit)
}

// DidYouMean asks, behind a sentence about a name that nothing has, whether the nearest that something has was meant;
// it says nothing where none is near.
func DidYouMean(near string) string {
	if near == "" {
		return ""
	}
	return " Did you mean " + near + "?"
}
