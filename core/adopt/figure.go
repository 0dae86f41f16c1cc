package adopt

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/format"
)

// figure is one thing that saves of one version hold: what becomes a variable, or a part of one.
type figure struct {
	path  string // in the file; with each from the record
	each  string
	id    string // with each: the field by which one knows which; "" for the key of a table
	words []string
	ids   map[string]string // as they are called in the file: as options of a list
	in    int               // how many saves have its parent
	*shape
	list bool // it is a list of single values
}

// place is where it stands, as a text.
func (f *figure) place() string { return f.each + " " + f.path }

// gather lists what a shape holds.
func (s *shape) gather(at string, in int, words []string) []*figure {
	var out []*figure
	one := func(f *figure) { out = append(out, f) }
	switch form := s.mostly(); form {
	case format.Table:
		if s.alikeTables() || s.counted() {
			return s.held(at, "", words)
		}
		for _, k := range s.keys {
			under := append(words[:len(words):len(words)], strings.TrimPrefix(k, "@"))
			if k == "#text" {
				under = words
			}
			out = append(out, s.inner[k].gather(at+"/"+format.Escaped(k), in, under)...)
		}
	case format.List:
		if id, ok := s.records(); ok {
			return s.held(at, id, words)
		}
		plain := s.item != nil && s.item.mostly() != format.Table && s.item.mostly() != format.List && s.item.count > 0
		one(&figure{path: at, words: words, in: in, shape: s, list: plain})
	default:
		if s.forms[format.Number]+s.forms[format.Text]+s.forms[format.Bool]+s.forms[format.Null] == s.count {
			one(&figure{path: at, words: words, in: in, shape: s})
		}
	}
	return out
}

// held lists what is held for each of many.
func (s *shape) held(at, id string, words []string) []*figure {
	ids := map[string]string{}
	var inFile []string
	var all *shape
	if id != "" {
		for text := range s.item.inner[id].seen {
			inFile = append(inFile, text)
		}
		all = s.item
	} else {
		inFile = slices.Clone(s.keys)
		all = merged(s)
	}
	slices.Sort(inFile)
	taken := map[string]bool{}
	for _, text := range inFile {
		ids[text] = fresh(named(text), taken)
	}
	var out []*figure
	if all.mostly() != format.Table {
		return []*figure{{path: "", each: at, words: append(words[:len(words):len(words)], "amount"), ids: ids, in: all.count, shape: all}}
	}
	for _, k := range all.keys {
		if k == id {
			continue
		}
		for _, f := range all.inner[k].gather("/"+format.Escaped(k), all.count, append(words[:len(words):len(words)], k)) {
			if f.each == "" && !f.list {
				f.each, f.id, f.ids = at, id, ids
				out = append(out, f)
			}
		}
	}
	return out
}

// merged is what stands in all entries of a table, taken together.
func merged(s *shape) *shape {
	out := newShape("")
	for _, n := range s.byFile {
		for _, k := range n.Keys {
			out.add(k.Value, nil)
		}
	}
	out.texts(s.alone)
	return out
}

var notOfIDs = regexp.MustCompile(`[^a-z0-9]+`)

// named makes an id of a name: HasTorch and has-torch become has_torch.
func named(name string) string {
	var b strings.Builder
	for i, r := range name {
		if 'A' <= r && r <= 'Z' && i > 0 {
			if before := name[i-1]; 'a' <= before && before <= 'z' || '0' <= before && before <= '9' {
				b.WriteByte('_')
			}
		}
		b.WriteRune(r)
	}
	id := strings.Trim(notOfIDs.ReplaceAllString(strings.ToLower(b.String()), "_"), "_")
	if id == "" || id[0] < 'a' || id[0] > 'z' {
		id = "n" + id
	}
	return strings.TrimRight(id[:min(len(id), 60)], "_")
}

// fresh is an id that is not taken yet.
func fresh(id string, taken map[string]bool) string {
	out := id
	for i := 2; taken[out]; i++ {
		out = fmt.Sprintf("%s_%d", id, i)
	}
	taken[out] = true
	return out
}

// dates says whether all of it are dates with times.
func (f *figure) dates() bool {
	for text := range f.seen {
		if _, err := time.Parse(time.RFC3339, text); err != nil {
			return false
		}
	}
	return len(f.seen) > 0 && f.mostly() == format.Text
}

// kind is what type a figure is of, with its limits as a plan writes them.
type kind struct {
	name     string
	limits   []string // min: 0, max: 40
	start    string
	optional bool
	none     string            // how none is written: "", missing, null, empty
	read     map[string]string // what stands in the file, with what it means
	evidence string
	doubts   []string
	choices  []string
}

// word is a text of one word: what is more may be what somebody wrote, and nobody else is to read that.
var word = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_.-]{0,40}$`)

// secretName is what people call what nobody else is to read.
var secretName = regexp.MustCompile(`(?i)(^|_)(e?mail|token|pass|password|secret|key|ip|ip_address|nick|nick_?name|name|address|phone|session|device|hwid)$`)

var (
	mailLike    = regexp.MustCompile(`^[^@\s]+@[^@\s]+\.[^@\s]+$`)
	addressLike = regexp.MustCompile(`^([0-9]{1,3}\.){3}[0-9]{1,3}$`)
	randomLike  = regexp.MustCompile(`^[A-Za-z0-9+/=_-]{20,}$`)
)

// secret says whether what a figure holds is to be shown to nobody: by its name, or by what it looks like.
func (f *figure) secret(players int) bool {
	if f.mostly() != format.Text || f.each != "" {
		return false
	}
	if secretName.MatchString(named(f.words[len(f.words)-1])) {
		return true
	}
	like, different := 0, len(f.seen)+f.more
	for text := range f.seen {
		if mailLike.MatchString(text) || addressLike.MatchString(text) || randomLike.MatchString(text) && strings.ContainsAny(text, "0123456789") {
			like++
		}
	}
	return like*2 > len(f.seen) || different > 20 && different*10 >= players*9
}

// kindOf finds the type that fits all that was seen.
func (f *figure) kindOf(shapes []*shape, players int) kind {
	k := kind{}
	count, nulls, numbers, bools, words, missing, empty := 0, 0, 0, 0, 0, max(0, f.in-f.count), 0
	for _, s := range shapes {
		count += s.count
		nulls += s.forms[format.Null]
		numbers += s.forms[format.Number]
		bools += s.forms[format.Bool]
		words += s.forms[format.Text]
		empty += s.empty
	}
	if f.each != "" {
		missing = 0
	}
	all := numbers + bools + words
	few := func(n int) bool { return n == 0 || all >= 50 && n <= max(1, all/200) }
	switch { // a few of another type change nothing: they are told
	case few(bools) && few(words) && numbers > 0:
		bools, words = 0, 0
	case few(bools) && few(numbers) && words > 0:
		bools, numbers = 0, 0
	case few(words) && few(numbers) && bools > 0:
		words, numbers = 0, 0
	default:
		return k
	}
	switch {
	case words > 0:
		f.textKind(&k, shapes, count-nulls, players)
	case numbers > 0 && bools == 0 && f.yesNo(shapes, numbers):
		k.name, k.start = "bool", "false"
		k.read = map[string]string{"0": "false", "1": "true"}
		k.evidence = "0 or 1"
	case numbers > 0 && bools == 0:
		f.numberKind(&k, shapes)
	case bools > 0 && numbers == 0:
		k.name, k.start = "bool", "false"
		yes := 0
		for _, s := range shapes {
			yes += s.seen["true"]
		}
		k.evidence = fmt.Sprintf("true in %d", yes)
	default:
		k.name = "" // nothing is known of it, or it is two things
		return k
	}
	if empty > 0 && k.name != "text" && k.name != "choice" {
		nulls += empty
		k.none = "empty"
	}
	if missing > 0 && k.none != "empty" {
		k.none = "missing"
	}
	if nulls+missing > 0 {
		k.optional, k.start = true, ""
		part := []string{}
		if missing > 0 {
			part = append(part, fmt.Sprintf("not there in %d", missing))
		}
		if nulls > 0 {
			part = append(part, fmt.Sprintf("none in %d", nulls))
		}
		k.evidence += "; " + strings.Join(part, ", ")
		if nulls+missing == 1 && count+missing >= 50 {
			k.doubts = append(k.doubts, "only one save has none")
		}
	}
	k.evidence = fmt.Sprintf("in %d of %d: %s", f.count, max(f.in, f.count), k.evidence)
	return k
}

// yesNo says whether 0 and 1 stand for no and yes.
func (f *figure) yesNo(shapes []*shape, numbers int) bool {
	both := map[string]bool{}
	for _, s := range shapes {
		for text := range s.seen {
			if both[text] = true; text != "0" && text != "1" {
				return false
			}
		}
	}
	return numbers >= 30 && len(both) == 2
}

// steps are those that numbers go in, the largest first.
var steps = func() []fixed.Num {
	var out []fixed.Num
	for _, s := range []string{"0.5", "0.25", "0.125", "0.1", "0.0625", "0.05", "0.03125", "0.015625", "0.01", "0.005", "0.001", "0.0005", "0.0001", "0.00001", "0.000001"} {
		out = append(out, fixed.Must(s))
	}
	return out
}()

func (f *figure) numberKind(k *kind, shapes []*shape) {
	least, most, divides, whole, different := shapes[0].least, shapes[0].most, fixed.Num{}, true, map[string]bool{}
	atLeast, atMost, n := 0, 0, 0
	first := true
	for _, s := range shapes {
		if s.numbers == 0 {
			continue
		}
		if first || s.least.Less(least) {
			least, atLeast = s.least, 0
		}
		if first || most.Less(s.most) {
			most, atMost = s.most, 0
		}
		first = false
		if s.least == least {
			atLeast += s.atLeast
		}
		if s.most == most {
			atMost += s.atMost
		}
		divides = fixed.GCD(divides, s.divides)
		whole = whole && s.whole
		n += s.numbers
		for text := range s.seen {
			different[text] = true
		}
	}
	k.name = "int"
	step := fixed.FromInt(1)
	if !whole {
		k.name = "decimal"
		step = fixed.Must("0.000001")
		for _, s := range steps {
			if divides.MultipleOf(s) {
				step = s
				break
			}
		}
		if len(different) < 20 {
			k.doubts = append(k.doubts, fmt.Sprintf("the step is guessed from %d different values", len(different)))
		}
	}
	lo, sureLo := limit(least, atLeast, n, false)
	hi, sureHi := limit(most, atMost, n, true)
	if !sureLo && lo.Sign() != 0 || !sureHi {
		k.doubts = append(k.doubts, fmt.Sprintf("no limit is seen beyond %s and %s", least, most))
	}
	lo, hi = within(lo, step, false), within(hi, step, true)
	k.limits = append(k.limits, "min: "+lo.String(), "max: "+hi.String())
	if !whole {
		k.limits = append(k.limits, "step: "+step.String())
	}
	if f.each != "" { // of what has no record, there is none
		lo, hi = fixed.Min(lo, fixed.FromInt(0)), fixed.Max(hi, fixed.FromInt(0))
		k.limits[0], k.limits[1] = "min: "+lo.String(), "max: "+hi.String()
	}
	start := fixed.Max(lo, fixed.Min(hi, fixed.FromInt(0)))
	k.start = start.String()
	k.evidence = fmt.Sprintf("%s to %s, %d different", least, most, len(different))
	if half, ok := middle(shapes); ok {
		k.evidence += ", half of them up to " + half.String()
	}
	for v, seen := range map[fixed.Num]int{least: atLeast, most: atMost} {
		if seen == 1 && n >= 50 {
			k.doubts = append(k.doubts, v.String()+" is in one save alone")
		}
	}
	slices.Sort(k.doubts)
}

// middle is the value that half of all are at or below.
func middle(shapes []*shape) (fixed.Num, bool) {
	var all []fixed.Num
	for _, s := range shapes {
		if s.more > 0 {
			return fixed.Num{}, false
		}
		for text, n := range s.seen {
			v, err := fixed.Read(text)
			for range n {
				if err == nil {
					all = append(all, v)
				}
			}
		}
	}
	if len(all) < 10 {
		return fixed.Num{}, false
	}
	slices.SortFunc(all, func(a, b fixed.Num) int { return a.Cmp(b) })
	return all[(len(all)-1)/2], true
}

// limit is where values end: where enough of them lie on the last one, there; else the next round number.
func limit(last fixed.Num, there, n int, up bool) (fixed.Num, bool) {
	if there >= 3 && there*100 >= n {
		return last, true
	}
	if !up && last.Sign() >= 0 {
		return fixed.FromInt(0), false
	}
	if up && last.Sign() <= 0 {
		return fixed.FromInt(0), false
	}
	beyond := last.Abs()
	for at := fixed.FromInt(1); ; at, _ = at.Mul(fixed.FromInt(10)) {
		for _, m := range []int64{1, 2, 5} {
			round, err := at.Mul(fixed.FromInt(m))
			if err != nil {
				return last, false
			}
			if !round.Less(beyond) {
				if !up {
					round = round.Neg()
				}
				return round, false
			}
		}
	}
}

// within is a limit as a whole number of steps that leaves out nothing.
func within(n, step fixed.Num, up bool) fixed.Num {
	at, err := n.RoundTo(step)
	switch {
	case err != nil:
		return n
	case up && at.Less(n):
		at, _ = at.Add(step)
	case !up && n.Less(at):
		at, _ = at.Sub(step)
	}
	return at
}

func (f *figure) textKind(k *kind, shapes []*shape, n, players int) {
	all, chars, more, odd := map[string]int{}, 0, 0, 0
	for _, s := range shapes {
		for text, seen := range s.seen {
			all[text] += seen
		}
		chars, more = max(chars, s.chars), more+s.more
		odd += s.forms[format.Number] + s.forms[format.Bool]
	}
	once, words, real := 0, true, 0
	for text, seen := range all {
		if text == "" {
			continue
		}
		real++
		words = words && word.MatchString(text)
		if seen == 1 {
			once++
		}
	}
	if f.secret(players) {
		k.name, k.start = "text", "''"
		k.limits = []string{fmt.Sprintf("max_length: %d", roundUp(chars))}
		k.evidence = fmt.Sprintf("%d different texts of up to %d characters; what they say is not shown", real+more, chars)
		return
	}
	pairs := map[string][2]string{"yes": {"yes", "no"}, "no": {"yes", "no"}, "on": {"on", "off"}, "off": {"on", "off"}}
	if real == 2 && more == 0 && all[""] == 0 {
		for text := range all {
			if p, ok := pairs[text]; ok && all[p[0]] > 0 && all[p[1]] > 0 {
				k.name, k.start = "bool", "false"
				k.read = map[string]string{p[0]: "true", p[1]: "false"}
				k.evidence = fmt.Sprintf("%s in %d", p[0], all[p[0]])
				return
			}
		}
	}
	if words && odd == 0 && more == 0 && real >= 1 && real <= min(32, max(2, n/10)) && once*100 <= max(n, 100) {
		k.name = "choice"
		taken := map[string]bool{}
		inFile := []string{}
		for text := range all {
			if text != "" {
				inFile = append(inFile, text)
			}
		}
		slices.Sort(inFile)
		same := true
		read := map[string]string{}
		for _, text := range inFile {
			id := fresh(named(text), taken)
			read[text] = id
			k.choices = append(k.choices, id)
			same = same && id == text
		}
		if !same {
			k.read = read
		}
		often, most := "", 0
		for text, seen := range all {
			if text != "" && (seen > most || seen == most && text < often) {
				often, most = text, seen
			}
		}
		k.start = read[often]
		k.evidence = fmt.Sprintf("%s, %s in %d", many(real, "word"), often, most)
		if all[""] > 0 {
			k.optional, k.none, k.start = true, "empty", ""
			k.evidence += fmt.Sprintf(", empty in %d", all[""])
		}
		return
	}
	k.name, k.start = "text", "''"
	k.limits = []string{fmt.Sprintf("max_length: %d", roundUp(chars))}
	k.evidence = fmt.Sprintf("%d different texts of up to %d characters", real+more, chars)
}

// roundUp is the next power of two, at least 8.
func roundUp(n int) int {
	out := 8
	for out < n {
		out *= 2
	}
	return out
}

// many is a number of things: 1 word, 5 words.
func many(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
