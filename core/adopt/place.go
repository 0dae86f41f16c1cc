package adopt

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/format"
)

// where is where saves say that a player is.
type where struct {
	scene    *figure
	scenes   map[string]string // as they are called in the file, with their ids in the plan
	axes     []string
	paths    []string // one for each axis
	step     fixed.Num
	facing   *figure
	facings  map[string]string
	now      map[string]string // those of the newest version
	order    []string          // of facings, in the plan
	sizes    map[string][]span
	start    string // as it is called in the file
	startAt  []fixed.Num
	used     map[*figure]bool
	evidence string
	group    *group
	before   map[int]*where   // in earlier versions
	until    map[int][]string // rows of the format, by the version up to which they are so
}

// ofGroup notes of which files it is, and where earlier versions of them say the same.
func (w *where) ofGroup(g *group) {
	w.group, w.until, w.before = g, map[int][]string{}, map[int]*where{}
	w.now = maps.Clone(w.scenes)
	order := g.inOrder()
	for _, version := range order[:len(order)-1] {
		old := findPlace(g.figures(version), g.filesOf(version))
		if old == nil {
			continue
		}
		w.before[version] = old
		for text := range old.scenes {
			if w.scenes[text] == "" {
				w.scenes[text] = old.scenes[text]
				w.sizes[text] = old.sizes[text]
			}
			w.scene.seen[text] += old.scene.seen[text]
			for i, s := range old.sizes[text] {
				if i < len(w.sizes[text]) {
					w.sizes[text][i] = span{fixed.Min(w.sizes[text][i].lo, s.lo), fixed.Max(w.sizes[text][i].hi, s.hi)}
				}
			}
		}
		if old.step.Less(w.step) {
			w.step = old.step
		}
		rows := []string{}
		if old.scene.path != w.scene.path {
			rows = append(rows, "place.scene: "+held(old.scene.path, "map: "+mapOf(old.scenes), mapOf(old.scenes) != "")+"   # ? the only place there")
		}
		for i, axis := range old.axes {
			if i < len(w.paths) && old.paths[i] != w.paths[i] {
				rows = append(rows, "place."+axis+": "+old.paths[i]+"   # ? the only place there")
			}
		}
		if old.facing != nil && w.facing != nil && old.facing.path != w.facing.path {
			rows = append(rows, "place.facing: "+held(old.facing.path, "map: "+mapOf(w.facings), mapOf(w.facings) != "")+"   # ? the only place there")
		}
		if len(rows) > 0 {
			w.until[version] = rows
		}
	}
}

// has says whether something is part of the place.
func (w *where) has(f *figure) bool {
	for u := range w.used {
		if u.place() == f.place() {
			return true
		}
	}
	return false
}

// span is from where to where one coordinate goes.
type span struct{ lo, hi fixed.Num }

var (
	sceneName  = regexp.MustCompile(`(?i)^(scene|level|map|room|zone|area|place|where|at|location|stage|world)(_?(id|name))?$`)
	facingName = regexp.MustCompile(`(?i)^(deg|degrees|angle|facing|dir|direction|heading|yaw|rot|rotation)$`)
	placeName  = regexp.MustCompile(`(?i)^(pos|position|xy|xyz|at|location|coords|coordinates|place)$`)
)

// findPlace looks for the name of a scene beside coordinates.
func findPlace(all []*figure, files []*source) *where {
	for _, scene := range all {
		last := scene.words[len(scene.words)-1]
		if scene.each != "" || scene.list || !sceneName.MatchString(named(last)) || len(scene.seen) > 200 || scene.more > 0 || scene.count < scene.in {
			continue
		}
		if form := scene.mostly(); form != format.Text && (form != format.Number || !scene.whole) {
			continue
		}
		w := &where{scene: scene, used: map[*figure]bool{scene: true}, scenes: map[string]string{}}
		if !w.findAxes(all) {
			continue
		}
		w.findFacing(all)
		taken := map[string]bool{}
		for _, text := range slices.Sorted(maps.Keys(scene.seen)) {
			id := named(text)
			if scene.mostly() == format.Number {
				id = "scene_" + text
			}
			w.scenes[text] = fresh(id, taken)
		}
		w.measure(files)
		return w
	}
	return nil
}

// beside says whether something stands where the scene does, or right below it.
func (w *where) beside(f *figure) bool {
	parent := w.scene.words[:len(w.scene.words)-1]
	if strings.HasSuffix(w.scene.path, "/#text") { // of an element with attributes: those are beside it
		parent = w.scene.words
	}
	return f.each == "" && len(f.words) > len(parent) && len(f.words) <= len(parent)+2 && slices.Equal(f.words[:len(parent)], parent)
}

func (w *where) findAxes(all []*figure) bool {
	for _, f := range all {
		if w.beside(f) && f.list && f.shortest == f.longest && (f.longest == 2 || f.longest == 3) && f.item.mostly() == format.Number &&
			placeName.MatchString(named(f.words[len(f.words)-1])) {
			w.axes = []string{"x", "y", "z"}[:f.longest]
			for i := range w.axes {
				w.paths = append(w.paths, f.path+"/"+strconv.Itoa(i))
			}
			w.used[f] = true
			w.evidence = "beside it " + f.path + " is " + strconv.Itoa(f.longest) + " numbers in each save"
			return true
		}
	}
	for _, axis := range []string{"x", "y", "z"} {
		for _, f := range all {
			last := strings.TrimPrefix(f.words[len(f.words)-1], "@")
			if w.beside(f) && !f.list && strings.EqualFold(last, axis) && f.mostly() == format.Number && len(w.axes) < 3 {
				w.axes, w.paths = append(w.axes, axis), append(w.paths, f.path)
				w.used[f] = true
				break
			}
		}
	}
	w.evidence = "beside it are " + strings.Join(w.paths, " and ")
	return len(w.axes) >= 2
}

func (w *where) findFacing(all []*figure) {
	for _, f := range all {
		if !w.beside(f) || f.list || !facingName.MatchString(named(f.words[len(f.words)-1])) || len(f.seen) < 2 || len(f.seen) > 8 || f.more > 0 || f.count < f.in {
			continue
		}
		texts := slices.SortedFunc(maps.Keys(f.seen), func(a, b string) int {
			x, errX := fixed.Read(a)
			y, errY := fixed.Read(b)
			if errX == nil && errY == nil {
				return x.Cmp(y)
			}
			return strings.Compare(a, b)
		})
		w.facings = map[string]string{}
		compass := map[string]string{"0": "north", "45": "north_east", "90": "east", "135": "south_east", "180": "south", "225": "south_west", "270": "west", "315": "north_west"}
		taken := map[string]bool{}
		for _, text := range texts {
			id := named(text)
			if f.mostly() == format.Number {
				if id = compass[text]; id == "" {
					id = "facing_" + named(strings.ReplaceAll(text, "-", "minus_"))
				}
			}
			w.facings[text] = fresh(id, taken)
			w.order = append(w.order, w.facings[text])
		}
		w.facing, w.used[f] = f, true
		return
	}
}

// measure finds how large scenes have to be at least, and where the first save is.
func (w *where) measure(files []*source) {
	w.sizes = map[string][]span{}
	var divides fixed.Num
	for _, s := range files {
		scene := s.root.Find(w.scene.path)
		if scene == nil {
			continue
		}
		var at []fixed.Num
		for _, p := range w.paths {
			if n := s.root.Find(p); n != nil {
				if num, err := fixed.Read(n.Text); err == nil {
					if n.Float || len(strings.TrimLeft(n.Text, "-0.")) >= 15 {
						num, _ = num.RoundTo(nearly)
					}
					at = append(at, num)
				}
			}
		}
		if len(at) < len(w.paths) {
			continue
		}
		if w.startAt == nil {
			w.start, w.startAt = scene.Text, at
		}
		spans := w.sizes[scene.Text]
		for i, n := range at {
			divides = fixed.GCD(divides, n.Abs())
			if len(spans) <= i {
				spans = append(spans, span{n, n})
			}
			spans[i] = span{fixed.Min(spans[i].lo, n), fixed.Max(spans[i].hi, n)}
		}
		w.sizes[scene.Text] = spans
	}
	w.step = fixed.Must("0.000001")
	for _, s := range append([]fixed.Num{fixed.FromInt(1)}, steps...) {
		if divides.MultipleOf(s) {
			w.step = s
			break
		}
	}
}

// size is a scene's origin and size, in tens: a place lies before its end.
func (w *where) size(scene string) (origin, size []string, moved bool) {
	ten := fixed.FromInt(10)
	spans := w.sizes[scene]
	for i := range w.axes {
		s := span{}
		if i < len(spans) {
			s = spans[i]
		}
		lo := fixed.Num{}
		if s.lo.Sign() < 0 {
			n, _ := s.lo.Div(ten)
			lo, _ = n.Floor().Mul(ten)
			moved = true
		}
		n, _ := s.hi.Div(ten)
		n, _ = n.Floor().Add(fixed.FromInt(1))
		hi, _ := n.Mul(ten)
		wide, _ := hi.Sub(lo)
		origin, size = append(origin, lo.String()), append(size, wide.String())
	}
	return origin, size, moved
}

// points are the coordinates of the first save.
func (w *where) points() string {
	var out []string
	for _, n := range w.startAt {
		out = append(out, n.String())
	}
	return "[" + strings.Join(out, ", ") + "]"
}

// mapOf is a map of a format as a plan writes it.
func mapOf(read map[string]string) string {
	var out []string
	same := true
	for _, text := range slices.Sorted(maps.Keys(read)) {
		out = append(out, quoted(text)+": "+read[text])
		same = same && text == read[text]
	}
	if same {
		return ""
	}
	return "{" + strings.Join(out, ", ") + "}"
}

var plainWord = regexp.MustCompile(`^[A-Za-z0-9/][A-Za-z0-9_./-]*$`)

// quoted is a text as it stands in YAML, in quotes where it needs them.
func quoted(text string) string {
	if plainWord.MatchString(text) && text != "null" {
		return text
	}
	return fmt.Sprintf("%q", text)
}
