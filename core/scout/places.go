package scout

import (
	"cmp"
	"maps"
	"slices"
)

// Places are the states of one search, by the scene that the first player is in, and how one scene leads to another.
type Places struct {
	Search string  `json:"search"` // which one: that which has seen the most scenes
	Scenes []Place `json:"scenes"` // all that the plan has, in its order
	Ways   []Way   `json:"ways"`
}

// Place is a scene.
type Place struct {
	ID     string `json:"id"`
	Title  string `json:"title,omitempty"`
	States int    `json:"states"`          // in which the first player is there; 0 if none was seen
	Stuck  int    `json:"stuck,omitempty"` // of how many dead ends, of any kind and search
	Steps  int    `json:"steps"`           // how often one has to change the scene to be there, from where players begin; -1 where none was seen
}

// Way is a way from one scene to another.
type Way struct {
	From  string   `json:"from"`
	To    string   `json:"to"`
	By    []string `json:"by"`    // passages by their names, and what else leads there, in words
	Pass  bool     `json:"pass"`  // a passage is among them
	Moves int      `json:"moves"` // how many moves of the search lead there
}

// mostBy is how many ways from one scene to another are named.
const mostBy = 6

// places says where the states of the search are that has seen the most scenes.
func (s *Scout) places() Places {
	var best *search
	seen := 0
	for _, x := range s.searches {
		scenes := map[int16]bool{}
		for i := range x.nodes {
			scenes[x.nodes[i].scene] = true
		}
		if delete(scenes, -1); len(scenes) > seen {
			best, seen = x, len(scenes)
		}
	}
	if best == nil {
		return Places{}
	}
	out := Places{Search: best.name}
	for _, scene := range s.m.Scenes {
		out.Scenes = append(out.Scenes, Place{ID: scene.ID, Title: scene.Title, Steps: -1})
	}
	ways := map[[2]int16]map[string]int{}
	for i := range best.nodes {
		from := &best.nodes[i]
		if from.scene < 0 {
			continue
		}
		out.Scenes[from.scene].States++
		for e := range best.edges.of(from.edges, int32(i)) {
			if e.to < 0 || best.nodes[e.to].scene < 0 || best.nodes[e.to].scene == from.scene {
				continue
			}
			pair := [2]int16{from.scene, best.nodes[e.to].scene}
			if ways[pair] == nil {
				ways[pair] = map[string]int{}
			}
			ways[pair][best.moves.all[e.move].leads(e.crash)]++
		}
	}
	for pair, by := range ways {
		out.Ways = append(out.Ways, s.way(pair, by))
	}
	slices.SortFunc(out.Ways, func(a, b Way) int {
		return cmp.Or(s.m.Scene(a.From).Index-s.m.Scene(b.From).Index, s.m.Scene(a.To).Index-s.m.Scene(b.To).Index)
	})
	for at, far := range best.changes() {
		if scene := best.nodes[at].scene; scene >= 0 && far >= 0 && (out.Scenes[scene].Steps < 0 || far < out.Scenes[scene].Steps) {
			out.Scenes[scene].Steps = far
		}
	}
	return out
}

func (s *Scout) way(pair [2]int16, by map[string]int) Way {
	w := Way{From: s.m.Scenes[pair[0]].ID, To: s.m.Scenes[pair[1]].ID}
	names := slices.SortedFunc(maps.Keys(by), func(a, b string) int {
		return cmp.Or(by[b]-by[a], cmp.Compare(a, b))
	})
	for _, name := range names {
		w.Moves += by[name]
		w.Pass = w.Pass || s.m.Passage(name) != nil
	}
	w.By = names[:min(len(names), mostBy)]
	return w
}

// leads is what a move is called that leads to another scene, after which the machine may have crashed.
func (m *move) leads(crash bool) string {
	switch {
	case m.do == "pass":
		return m.name
	case m.do == "event":
		return "the event " + m.name
	case m.do == "write" || m.do == "commons":
		return "writing " + m.name
	case m.do == "die":
		return "death"
	case m.do == "start-over":
		return "starting over"
	case m.do == "again":
		return "leaving and coming back"
	case m.do == "restart":
		return "a session that is opened again"
	case m.do == "walk" || m.do == "touch" || m.do == "face":
		return "walking"
	case crash:
		return "a crash"
	}
	return "time"
}

// changes is how often the scene has to be changed at least on the way to each state; -1 where no way is known. One pass: what
// stays in a scene comes before what leaves it.
func (x *search) changes() []int {
	far := make([]int, len(x.nodes))
	var now, later []int32
	for i := range x.nodes {
		if far[i] = -1; x.nodes[i].parent < 0 {
			now = append(now, int32(i))
		}
	}
	for steps := 0; len(now) > 0; steps++ {
		for len(now) > 0 {
			at := now[len(now)-1]
			now = now[:len(now)-1]
			if far[at] >= 0 {
				continue
			}
			far[at] = steps
			for e := range x.edges.of(x.nodes[at].edges, at) {
				switch {
				case e.to < 0 || far[e.to] >= 0:
				case x.nodes[e.to].scene == x.nodes[at].scene:
					now = append(now, e.to)
				default:
					later = append(later, e.to)
				}
			}
		}
		now, later = later, now[:0]
	}
	return far
}

// stuck notes in which scenes dead ends are.
func (s *Scout) stuck(x *search, ends []int32) map[string]int {
	out := map[string]int{}
	for _, at := range ends {
		if scene := x.nodes[at].scene; scene >= 0 {
			out[s.m.Scenes[scene].ID]++
		}
	}
	return out
}
