package population

import (
	"math"
	"slices"
	"sort"
	"unicode/utf8"

	"github.com/DataDog/sketches-go/ddsketch"
	"github.com/DataDog/sketches-go/ddsketch/mapping"
	"github.com/DataDog/sketches-go/ddsketch/store"
	"github.com/axiomhq/hyperloglog"

	"alluvion.dev/core/check"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// What is counted exactly, and what beyond.
const (
	exactly  = 4_096 // different values
	accuracy = 0.01  // of the value: that of the sketch of more than that
	bins     = 2_048 // for each sign
	mostEnds = 5
	fewest   = 20 // values, for the quarters to say anything
	mostBars = 40 // stretches of a figure that is not exact
)

// figure counts the values of one variable.
type figure struct {
	name, title string
	d           *types.Domain
	number      bool
	text        bool

	count, none, missing, misfits int
	numbers                       map[fixed.Num]*tally // nil where there are too many
	words                         map[string]*tally
	sketch                        *ddsketch.DDSketch
	different                     *hyperloglog.Sketch
	sum                           float64
	least, most                   fixed.Num
	atMin, atMax                  int
	low, high                     []end
	given                         *check.Given // what the plan's rules can make of it; nil where that is not known
	beyond                        Beyond
}

// tally is how often a value is there, also by the version of the saves.
type tally struct {
	n  int
	of map[int]int
	in string // of a word: the first save that has it
}

func (t *tally) add(version int) {
	t.n++
	t.of[version]++
}

type end struct {
	value fixed.Num
	save  string
}

// note counts a save with a value that the plan's rules do not give.
func (b *Beyond) note(value string, version int, in string) {
	if b.Count++; b.Versions == nil {
		b.Versions = map[int]int{}
	}
	b.Versions[version]++
	if len(b.Saves) < mostEnds && !slices.ContainsFunc(b.Saves, func(x Example) bool { return x.Value == value }) {
		b.Saves = append(b.Saves, Example{value, in})
	}
}

func newFigure(name, title string, d *types.Domain) *figure {
	f := &figure{name: name, title: title, d: d, number: d.Type.Numeric(), text: isText(d), words: map[string]*tally{}}
	if f.text {
		f.different, f.number = hyperloglog.New14(), true // of a text its length is counted
	}
	if f.number {
		f.numbers = map[fixed.Num]*tally{}
	}
	return f
}

// note counts a value.
func (f *figure) note(v types.Value, version int, in string) {
	if f.given != nil && !f.given.Has(v) {
		f.beyond.note(v.Plain(), version, in)
	}
	switch {
	case v.IsNone():
		f.none++
		return
	case f.text:
		f.count++
		f.different.Insert([]byte(v.Text))
		f.add(fixed.FromInt(int64(utf8.RuneCountInString(v.Text))), version, in)
		return
	case f.number && v.Kind == types.IsNum:
		f.count++
		if f.d.Max.Sign() != 0 || f.d.Min.Sign() != 0 {
			if v.Num == f.d.Min {
				f.atMin++
			}
			if v.Num == f.d.Max {
				f.atMax++
			}
		}
		f.add(v.Num, version, in)
		return
	}
	f.count++
	if items := v.Items(); v.Kind == types.IsList {
		for _, i := range items {
			f.word(i.Plain(), version, in)
		}
		return
	}
	f.word(v.Plain(), version, in)
}

func (f *figure) word(word string, version int, in string) {
	t := f.words[word]
	if t == nil {
		if len(f.words) >= exactly {
			word = "all others"
			if t = f.words[word]; t == nil {
				t = &tally{of: map[int]int{}, in: in}
				f.words[word] = t
			}
			t.add(version)
			return
		}
		t = &tally{of: map[int]int{}, in: in}
		f.words[word] = t
	}
	t.add(version)
}

func (f *figure) add(n fixed.Num, version int, in string) {
	if f.count == 1 || n.Less(f.least) {
		f.least = n
	}
	if f.count == 1 || f.most.Less(n) {
		f.most = n
	}
	f.sum += n.Float()
	f.low = ended(f.low, end{n, in}, func(a, b fixed.Num) bool { return a.Less(b) })
	f.high = ended(f.high, end{n, in}, func(a, b fixed.Num) bool { return b.Less(a) })
	if f.sketch != nil {
		_ = f.sketch.Add(n.Float()) // a number of the plan is within what a sketch takes
		return
	}
	t := f.numbers[n]
	if t == nil {
		t = &tally{of: map[int]int{}}
		f.numbers[n] = t
	}
	if t.add(version); len(f.numbers) > exactly {
		f.overflow()
	}
}

// ended keeps the values at one end, one save for each.
func ended(list []end, e end, before func(a, b fixed.Num) bool) []end {
	if len(list) == mostEnds && !before(e.value, list[mostEnds-1].value) || slices.ContainsFunc(list, func(x end) bool { return x.value == e.value }) {
		return list
	}
	list = append(list, e)
	sort.SliceStable(list, func(i, j int) bool { return before(list[i].value, list[j].value) })
	return list[:min(len(list), mostEnds)]
}

// overflow goes on with a sketch (C. Masson, J. E. Rim, H. K. Lee, DDSketch, 2019), since there are too many values.
func (f *figure) overflow() {
	m, err := mapping.NewLogarithmicMapping(accuracy)
	if err != nil {
		panic(err) // the accuracy is a constant between 0 and 1
	}
	f.sketch = ddsketch.NewDDSketch(m, store.NewCollapsingLowestDenseStore(bins), store.NewCollapsingLowestDenseStore(bins))
	for n, t := range f.numbers {
		_ = f.sketch.AddWithCount(n.Float(), float64(t.n))
	}
	f.numbers = nil
}

func (f *figure) result() Spread {
	var beyond *Beyond
	if f.beyond.Count > 0 {
		beyond = &f.beyond
		beyond.Given = f.given.String()
	}
	out := Spread{Beyond: beyond, Name: f.name, Title: f.title, Type: "words", Count: f.count, None: f.none, Missing: f.missing, Misfits: f.misfits, Exact: true, Bars: []Bar{}}
	if !f.number {
		f.ofWords(&out)
		return out
	}
	out.Type = "number"
	if f.text {
		out.Type = "text"
	}
	if f.count == 0 {
		return out
	}
	least, most, mean := f.least.Float(), f.most.Float(), f.sum/float64(f.count)
	out.Least, out.Most, out.Mean = &least, &most, &mean
	if !f.text && (f.d.Min.Sign() != 0 || f.d.Max.Sign() != 0) {
		low, high := f.d.Min.Float(), f.d.Max.Float()
		out.Min, out.Max, out.AtMin, out.AtMax = &low, &high, f.atMin, f.atMax
	}
	if f.sketch != nil {
		f.ofSketch(&out)
	} else {
		f.ofNumbers(&out)
	}
	if f.text {
		out.Distinct = int(f.different.Estimate())
		out.Error = "how many are different is off by 0.81 % of it, as a standard deviation"
	}
	f.ends(&out)
	return out
}

func (f *figure) ofWords(out *Spread) {
	out.Distinct = len(f.words)
	order := map[string]int{}
	for i, c := range f.d.Choices() {
		order[c] = i + 1
	}
	for word, t := range f.words {
		out.Bars = append(out.Bars, Bar{Value: word, Count: t.n, Versions: t.of, Save: t.in})
	}
	slices.SortFunc(out.Bars, func(a, b Bar) int {
		if x, y := order[a.Value], order[b.Value]; x != y {
			return x - y
		}
		if a.Count != b.Count && len(order) == 0 {
			return b.Count - a.Count
		}
		return compare(a.Value, b.Value)
	})
}

func compare(a, b string) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// shares are the quantiles that are told.
var shares = []float64{0.01, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.99}

func (f *figure) ofNumbers(out *Spread) {
	out.Distinct = len(f.numbers)
	all := make([]fixed.Num, 0, len(f.numbers))
	for n := range f.numbers {
		all = append(all, n)
	}
	slices.SortFunc(all, func(a, b fixed.Num) int { return a.Cmp(b) })
	below, next := 0, 0
	for _, n := range all {
		t := f.numbers[n]
		out.Bars = append(out.Bars, Bar{Value: n.String(), From: n.Float(), To: n.Float(), Count: t.n, Versions: t.of})
		below += t.n
		for next < len(shares) && float64(below) >= shares[next]*float64(f.count) {
			out.Quantiles = append(out.Quantiles, Quantile{shares[next], n.Float()})
			next++
		}
	}
}

func (f *figure) ofSketch(out *Spread) {
	out.Exact = false
	out.Error = "quantiles and stretches are off by at most 1 % of the value"
	out.Distinct = exactly + 1
	values, err := f.sketch.GetValuesAtQuantiles(shares)
	for i := range values {
		if err == nil {
			out.Quantiles = append(out.Quantiles, Quantile{shares[i], values[i]})
		}
	}
	low, high := *out.Least, *out.Most
	width := (high - low) / mostBars
	counts := make([]float64, mostBars)
	f.sketch.ForEach(func(value, count float64) bool {
		counts[max(0, min(mostBars-1, int((value-low)/width)))] += count
		return false
	})
	for i, n := range counts {
		out.Bars = append(out.Bars, Bar{From: low + float64(i)*width, To: low + float64(i+1)*width, Count: int(math.Round(n))})
	}
}

// ends tells the values at the ends, and which of them are far from all others.
func (f *figure) ends(out *Spread) {
	at := func(share float64) float64 {
		for _, q := range out.Quantiles {
			if q.Share == share {
				return q.Value
			}
		}
		return math.NaN()
	}
	q1, q3 := at(0.25), at(0.75)
	spread := 3 * (q3 - q1)
	far := func(v float64) bool { return f.count >= fewest && spread > 0 && (v < q1-spread || v > q3+spread) }
	seen := map[float64]bool{}
	for _, list := range [][]end{f.low, f.high} {
		for _, e := range list {
			v := e.value.Float()
			if !seen[v] && !f.text {
				out.Ends = append(out.Ends, End{v, e.save, far(v)})
			}
			seen[v] = true
		}
	}
	slices.SortFunc(out.Ends, func(a, b End) int {
		switch {
		case a.Value < b.Value:
			return -1
		case a.Value > b.Value:
			return 1
		}
		return 0
	})
}
