package adopt

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"time"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/format"
)

// fewestPairs is how many pairs of one player's saves say something of how a figure goes on.
const fewestPairs = 20

// timeName is what people call a time that somebody has played.
var timeName = regexp.MustCompile(`(^|_)(time|played|playtime|play_time|clock|seconds|elapsed|duration)(_|$)`)

// overTime looks at one player's saves one after another: whether a figure never falls, and whether it counts seconds.
func (f *figure) overTime(k *kind, all []*figure) {
	if f.each != "" || k.name != "int" && k.name != "decimal" {
		return
	}
	at := slices.IndexFunc(all, func(g *figure) bool { return g.each == "" && !g.list && g.dates() })
	if at < 0 {
		return
	}
	type moment struct {
		when  time.Time
		value fixed.Num
	}
	of := map[string][]moment{}
	for s, n := range f.byFile {
		saved := all[at].byFile[s]
		value, err := fixed.Read(n.Text)
		if saved == nil || n.Form != format.Number || err != nil {
			continue
		}
		if when, err := time.Parse(time.RFC3339, saved.Text); err == nil {
			of[s.player] = append(of[s.player], moment{when, value})
		}
	}
	pairs, falls, rises, slow := 0, 0, 0, 0
	for _, list := range of {
		slices.SortFunc(list, func(a, b moment) int { return cmp.Compare(a.when.UnixNano(), b.when.UnixNano()) })
		for i := 1; i < len(list); i++ {
			by, err := list[i].value.Sub(list[i-1].value)
			if err != nil {
				continue
			}
			pairs++
			if by.Sign() < 0 {
				falls++
			}
			if by.Sign() > 0 {
				rises++
			}
			if by.Float() <= list[i].when.Sub(list[i-1].when).Seconds() {
				slow++
			}
		}
	}
	if pairs < fewestPairs || falls > 0 || rises == 0 {
		return
	}
	k.evidence += fmt.Sprintf("; never falls in %d pairs of one player's saves", pairs)
	if name := named(f.words[len(f.words)-1]); timeName.MatchString(name) && slow*20 >= pairs*19 && f.least.Sign() >= 0 {
		k.name, k.limits, k.start = "stopwatch", nil, ""
		k.doubts = []string{"it counts no faster than the clock: seconds that somebody has played"}
	}
}
