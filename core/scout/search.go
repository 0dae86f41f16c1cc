package scout

import (
	"fmt"
	"slices"

	"alluvion.dev/core/model"
)

// search expands states. It begins breadth first, so that the first ways that it finds are the shortest.
type search struct {
	name  string
	m     *model.Model
	s     *slice
	moves *moves
	asks  []question
	kept  []*model.Conserved
	most  int
	bytes int // that may be kept; 0 stands for no limit

	nodes []node
	known index
	arena arena
	edges edges
	facts map[fact]where
	first map[int]int32           // of each question: the first state in which it held
	queue [nothingNew + 1]waiting // the states that were not expanded yet, by what is new in them; with some that were
	plain int                     // up to which state all have been expanded, in their order
	level int                     // up to which state the way to each is a shortest one; 0 as long as all are
	done  int                     // how many states have been expanded
	short int                     // how many had been when ways were last made short
	news  news
	// player plays runs once more, to write them down; nil until the first.
	player *worker
	tried  int
	costly []Cost
	looked int  // at how many states, to see what costs most
	full   bool // more states than may be kept
	room   room // that there was when the jobs that are being done were given out
}

// node is a state: where it is kept, how one comes to it, and where it leads. There are millions of them: hence the small fields.
type node struct {
	had    uint64 // which questions have come to hold on the way
	at     uint32 // in the arena, up to where the next begins
	edges  uint32 // where they are; 0 if it has none
	parent int32
	move   int32
	scene  int16 // of the first player
	is     flags
}

type flags uint8

const (
	ofCrash  flags = 1 << iota // it comes of a crash after the move
	crashed                    // a crash in it was tried
	expanded                   // its moves were tried
	isNew                      // something in it was in no state before
)

// edge leads to another state (-1: there was no room for it), by a move.
type edge struct {
	to, move int32
	crash    bool // the machine crashes after it
	alone    bool // the first player, or time, can do it
	way      outward
}

// where is how something was first seen: in which state (-1: on joining), and by which move from there (-1: in the state
// itself).
type where struct {
	node, move int32
	crash      bool // after the move
}

func newSearch(name string, m *model.Model, asks []question, s *slice, o Options) *search {
	most := o.States
	if most <= 0 {
		most = MostStates
	}
	most = min(most, ManyStates)
	return &search{name: name, m: m, s: s, asks: asks, moves: movesOf(m, s, o), most: most,
		facts: map[fact]where{}, first: map[int]int32{}, news: news{map[atom]bool{}, map[uint64]bool{}}}
}

// worker makes one that can work at this search.
func (x *search) worker() *worker { return newWorker(x.m, x.moves, x.asks, x.kept) }

// begin adds the first states: one for each way to join.
func (x *search) begin() error {
	w := x.worker()
	for i := -1; i < len(x.moves.all); i++ {
		var with *move
		if i >= 0 {
			if with = &x.moves.all[i]; with.do != "join" {
				break
			}
			w.begin()
		}
		w.heard = nil
		if err := w.start(with); err != nil {
			if with == nil {
				return err
			}
			continue // it may not be picked
		}
		for _, f := range w.heard {
			if _, before := x.facts[f]; !before {
				x.facts[f] = where{node: -1, move: int32(i)}
			}
		}
		had := w.holds()
		first := next{move: int32(i), key: w.key(had), had: had, scene: w.scene(), kept: w.keep(), gap: w.gap(had)}
		first.atoms, first.start = w.atoms()
		x.take(-1, first)
	}
	return nil
}

// take adds a state and returns its number, or -1 if there is no room for it.
func (x *search) take(parent int32, n next) int32 {
	if at, ok := x.known.find(n.key); ok {
		return at
	}
	class := nothingNew
	if n.kept != nil {
		class = x.news.of(n.gap, n.atoms, n.start)
	}
	if room := x.roomFor(); n.kept == nil || room == noRoom || room == littleRoom && class == nothingNew {
		x.full = true
		return -1
	}
	at := int32(len(x.nodes))
	place, ok := x.arena.add(n.kept)
	if !ok {
		x.full = true
		return -1
	}
	x.known.add(n.key)
	one := node{at: place, parent: parent, move: n.move, had: n.had, scene: n.scene}
	if n.crash {
		one.is |= ofCrash
	}
	if class < nothingNew {
		one.is |= isNew
	}
	x.nodes = append(x.nodes, one)
	x.queue[class].add(n.gap, at)
	for i := range x.asks {
		if _, before := x.first[i]; !before && n.had&(1<<i) != 0 {
			x.first[i] = at
		}
	}
	return at
}

// room is how much of it there is for more states.
type room uint8

const (
	noRoom     room = iota
	littleRoom      // less than a half, which is for states with something new
	muchRoom
)

func (x *search) roomFor() room {
	taken := func(part int) bool { return len(x.nodes) >= x.most/part || x.bytes > 0 && x.size() >= x.bytes/part }
	switch {
	case taken(1):
		return noRoom
	case taken(2):
		return littleRoom
	}
	return muchRoom
}

// size is how many bytes the states take, about: each itself, how it is found again, and where it leads.
func (x *search) size() int {
	return len(x.arena.blocks)<<blockBits + 64*len(x.nodes) + len(x.edges.b) + x.moves.returns.bytes()
}

// stateAt is a state, as it was kept.
func (x *search) stateAt(at int32) []byte {
	last := int(at)+1 == len(x.nodes)
	next := uint32(0)
	if !last {
		next = x.nodes[at+1].at
	}
	return x.arena.from(x.nodes[at].at, next, last)
}

// layer is how many states are expanded in one batch; it is smaller if there are many moves. The results of a batch are
// added in the order of its states, so that the result does not depend on the number of workers.
const layer = 512

func (x *search) layer() int { return max(8, min(layer, 20_000/max(1, len(x.moves.all)))) }

// jobs are the next states to expand, for some workers; none where the search is over.
func (x *search) jobs(workers int) [][]int32 {
	next := x.next()
	x.room = x.roomFor()
	var out [][]int32
	part := max(1, (len(next)+workers-1)/max(1, workers))
	for part := range slices.Chunk(next, part) {
		out = append(out, part)
	}
	return out
}

// breadth is the part of the states that are expanded in their order, so that the first way is a shortest one.
func (x *search) breadth() int { return min(x.most/4, 4096) }

func (x *search) next() []int32 {
	var out []int32
	for ; x.plain < len(x.nodes) && len(x.nodes) < x.breadth() && len(out) < x.layer(); x.plain++ {
		x.nodes[x.plain].is |= expanded
		out = append(out, int32(x.plain))
	}
	if len(out) > 0 {
		return out
	}
	if x.level == 0 {
		x.level = len(x.nodes)
	}
	for class := range x.queue {
		for len(out) < max(1, x.layer()/8) {
			at, ok := x.queue[class].next()
			if !ok {
				break
			}
			if x.nodes[at].is&expanded == 0 {
				x.nodes[at].is |= expanded
				out = append(out, at)
			}
		}
		if len(out) > 0 { // the better ones first: what they lead to may be better than what is waiting
			break
		}
	}
	return out
}

// work expands states. It only reads the search, so that several can work at the same time.
func (x *search) work(w *worker, part []int32) []found {
	out := make([]found, 0, len(part))
	known := func(k key) bool { _, ok := x.known.find(k); return ok }
	tried := func(k key) bool { at, ok := x.known.find(k); return ok && x.nodes[at].is&crashed != 0 }
	seen := func(f fact) bool { _, ok := x.facts[f]; return ok }
	for _, i := range part {
		out = append(out, w.expand(x.stateAt(i), x.nodes[i].had, asked{known, tried, seen, x.news.has, x.room}, x.nodes[i].is&isNew != 0))
	}
	return out
}

// takeAll adds the results of a job.
func (x *search) takeAll(part []int32, all []found) {
	for k, f := range all {
		from := part[k]
		x.tried += f.tried
		for i, fact := range f.facts {
			if _, before := x.facts[fact]; !before {
				x.facts[fact] = where{from, f.by[i].move, f.by[i].crash}
			}
		}
		var edges []edge
		for _, n := range f.nexts {
			to := x.take(from, n)
			if n.crashed && to >= 0 {
				x.nodes[to].is |= crashed
			}
			if to == from {
				continue
			}
			one := edge{to, n.move, n.crash, x.moves.alone(n.move), x.moves.all[n.move].way}
			if n.crash {
				one.way, one.alone = noWay, false
			}
			i := slices.IndexFunc(edges, func(e edge) bool { return e.to == to })
			if i < 0 {
				edges = append(edges, one)
				continue
			}
			one.alone = one.alone || edges[i].alone
			if edges[i].alone = one.alone; one.way < edges[i].way {
				edges[i] = one
			}
		}
		x.nodes[from].edges = x.edges.add(from, edges)
	}
	x.done += len(part)
}

// finish looks at what costs most where not all was searched. It drops what only the search itself needs, and the room that was
// left for more; what was found stays.
func (x *search) finish() {
	if !x.over() && len(x.nodes) > 0 {
		x.looked, x.costly = x.costs()
	}
	x.known, x.news = index{}, news{}
	x.nodes, x.edges.b = fitting(x.nodes), fitting(x.edges.b)
	for i := range x.queue {
		x.queue[i] = nil
	}
}

func fitting[T any](list []T) []T { return append(make([]T, 0, len(list)), list...) }

// path are the moves from the start to a state: the shortest way that is known.
func (x *search) path(at int32) []*move {
	if x.level > 0 && int(at) >= x.level {
		x.shorten()
	}
	var out []*move
	for at >= 0 && x.nodes[at].move >= 0 {
		if x.nodes[at].is&ofCrash != 0 {
			out = append(out, theCrash)
		}
		out = append(out, &x.moves.all[x.nodes[at].move])
		at = x.nodes[at].parent
	}
	slices.Reverse(out)
	return out
}

// shorten makes the known edges the ways to all states, by a breadth-first pass.
func (x *search) shorten() {
	if x.short == x.done || x.moves.lens.Nameless { // an edge may lead to others' state
		return
	}
	x.short = x.done
	seen := make([]bool, len(x.nodes))
	var queue []int32
	for i := range x.nodes {
		if x.nodes[i].parent < 0 {
			seen[i], queue = true, append(queue, int32(i))
		}
	}
	for ; len(queue) > 0; queue = queue[1:] {
		for e := range x.edges.of(x.nodes[queue[0]].edges, queue[0]) {
			if e.to >= 0 && !seen[e.to] {
				seen[e.to] = true
				to := &x.nodes[e.to]
				to.parent, to.move, to.is = queue[0], e.move, to.is&^ofCrash
				if e.crash {
					to.is |= ofCrash
				}
				queue = append(queue, e.to)
			}
		}
	}
}

// pathTo are the moves to where something was first seen, that one included.
func (x *search) pathTo(w where) []*move {
	switch {
	case w.move < 0 && w.node >= 0: // the state itself
		return x.path(w.node)
	case w.move < 0:
		return nil
	case w.node < 0: // on joining
		return []*move{&x.moves.all[w.move]}
	}
	out := append(x.path(w.node), &x.moves.all[w.move])
	if w.crash {
		out = append(out, theCrash)
	}
	return out
}

// isShortest says whether the way to a state is a shortest one: it was found in the order of length, or every way is
// known. A crash after another move is one step of the search, and two of the run.
func (x *search) isShortest(at int32) bool {
	if slices.Contains(x.path(at), theCrash) {
		return false
	}
	return x.level == 0 || int(at) < x.level || x.over() && !x.moves.lens.Nameless
}

// over says whether every state that can be reached was expanded.
func (x *search) over() bool { return x.done == len(x.nodes) && !x.full }

// why says what keeps the search from being complete.
func (x *search) why() []string {
	out := x.doubts()
	if !x.over() {
		out = append(out, "there are more states than were kept, or there was no more time")
	}
	return out
}

// doubts are the reasons for which a search is not complete even where all its states were expanded.
func (x *search) doubts() []string { return append(x.doubtsAlone(), x.doubtsOfOthers()...) }

// doubtsAlone are those that are not about what others do.
func (x *search) doubtsAlone() []string {
	out := slices.Clone(x.s.why)
	for _, name := range x.moves.sampled {
		out = append(out, fmt.Sprintf("of %s only some values are tried", name))
	}
	return out
}

func (x *search) doubtsOfOthers() []string {
	var out []string
	if x.m.Players() > len(x.moves.players) && x.s.others() {
		out = append(out, fmt.Sprintf("with more than %s it may be otherwise", players(len(x.moves.players))))
	}
	if len(x.moves.players) > 1 && x.s.others() && !x.moves.stays {
		out = append(out, "players who stay away while others play on are not tried")
	}
	if x.moves.options.NoServer {
		out = append(out, "what the game's server sends is left out")
	}
	return out
}

// ends are the states from which no good state can be reached. A state that was not expanded counts as good. One pass
// backward from the good states marks all states that lead to them; the others are dead ends. If the search asks what the
// first player can do alone, only their moves and time lead there.
func (x *search) ends(good func(int32) bool, startsOver bool) []int32 {
	back := make([][]int32, len(x.nodes))
	live := make([]bool, len(x.nodes))
	var queue []int32
	mark := func(i int32) {
		if !live[i] {
			live[i] = true
			queue = append(queue, i)
		}
	}
	for i := range x.nodes {
		n := &x.nodes[i]
		if n.is&expanded == 0 || good(int32(i)) {
			mark(int32(i))
		}
		for e := range x.edges.of(n.edges, int32(i)) {
			switch {
			case e.way == noWay || e.way == byStartingOver && !startsOver || x.moves.options.Alone && !e.alone:
			case e.to < 0: // there was no room for where it leads
				mark(int32(i))
			default:
				back[e.to] = append(back[e.to], int32(i))
			}
		}
	}
	for len(queue) > 0 {
		at := queue[len(queue)-1]
		queue = queue[:len(queue)-1]
		for _, from := range back[at] {
			mark(from)
		}
	}
	var out []int32
	for i := range live {
		if !live[i] {
			out = append(out, int32(i))
		}
	}
	return out
}
