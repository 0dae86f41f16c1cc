package sentence

import (
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
)

// condition says when a condition holds; as it is written where that cannot be said otherwise.
func (s *speaker) condition(x plan.Expr) string {
	if root := expr.Tree(x.Source); root != nil {
		if text, ok := s.holds(root, false); ok {
			return text
		}
	}
	return x.Source
}

// value says what a value is; as it is written where that cannot be said otherwise.
func (s *speaker) value(x plan.Expr) string {
	if root := expr.Tree(x.Source); root != nil {
		if text, ok := s.is(root); ok {
			return text
		}
	}
	return x.Source
}

// whole says an expression that may be a value or a condition.
func (s *speaker) whole(x plan.Expr) string {
	root := expr.Tree(x.Source)
	if root != nil && root.Kind == tree.Call && (compares[root.Word] != "" || root.Word == tree.And || root.Word == tree.Or) {
		return "whether " + s.condition(x)
	}
	return s.value(x)
}

// compares are the operators that compare, in words, and against those what they are where they do not hold.
var (
	compares = map[string]string{tree.Equal: "is", tree.NotEqual: "is not", tree.Less: "is less than", tree.LessEqual: "is at most",
		tree.Greater: "is more than", tree.GreaterEqual: "is at least"}
	against = map[string]string{tree.Equal: tree.NotEqual, tree.NotEqual: tree.Equal, tree.Less: tree.GreaterEqual, tree.LessEqual: tree.Greater,
		tree.Greater: tree.LessEqual, tree.GreaterEqual: tree.Less}
	// runsOn are calls whose sentence has words at its end that could belong to what comes after it.
	runsOn = map[string]bool{tree.Choose: true, "min": true, "max": true, "clamp": true, "round": true, "floor": true, "ceil": true}
	// holdsOn are those whose sentence begins with a value, to all of which the rest of it belongs.
	holdsOn = map[string]bool{tree.Subtract: true, tree.Multiply: true, tree.Divide: true, tree.Negate: true, "clamp": true, "round": true, "floor": true, "ceil": true}
	signs   = map[string]string{tree.Add: "+", tree.Subtract: "−", tree.Multiply: "×", tree.Divide: "÷"}
)

// holds says a condition, or with not that it does not hold.
func (s *speaker) holds(n *tree.Node, not bool) (string, bool) {
	if n.Kind != tree.Call {
		text, ok := s.is(n)
		if not {
			return text + " is false", ok
		}
		return text + " is true", ok
	}
	switch {
	case n.Word == tree.Not:
		return s.holds(n.Args[0], !not)
	case n.Word == tree.And || n.Word == tree.Or:
		return s.both(n, not)
	case compares[n.Word] != "":
		op := n.Word
		if not {
			op = against[op]
		}
		a, ok := s.part(n.Args[0])
		b, too := s.part(n.Args[1])
		return a + " " + compares[op] + " " + b, ok && too
	}
	for _, f := range asked {
		if f.name == n.Word && (f.of == (n.On != nil)) {
			return s.asks(n, f, not)
		}
	}
	return "", false
}

// both says two conditions; in brackets where a word of the other kind stands beside it.
func (s *speaker) both(n *tree.Node, not bool) (string, bool) {
	word := " and "
	if (n.Word == tree.Or) != not {
		word = " or "
	}
	var parts []string
	for _, a := range n.Args {
		text, ok := s.holds(a, not)
		if !ok {
			return "", false
		}
		if strings.Contains(text, " and ") && word == " or " || strings.Contains(text, " or ") && word == " and " {
			text = "(" + text + ")"
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, word), true
}

// asking is a function that is a condition, and what it and its opposite say: what it is of in place of the first {},
// what it asks for in place of the next.
type asking struct {
	name   string
	of     bool
	is, no string
}

var asked = []asking{
	{"has", false, "{} is not none", "{} is none"},
	{"inside", false, "the player is in {}", "the player is not in {}"},
	{"holds", false, "the player holds {}", "the player does not hold {}"},
	{"contains", true, "{} contains {}", "{} does not contain {}"},
	{"earned", true, "{} has earned {}", "{} has not earned {}"},
	{"startsWith", true, "{} begins with {}", "{} does not begin with {}"},
	{"endsWith", true, "{} ends with {}", "{} does not end with {}"},
}

func (s *speaker) asks(n *tree.Node, f asking, not bool) (string, bool) {
	text := f.is
	if not {
		text = f.no
	}
	parts := n.Args
	if f.of {
		parts = append([]*tree.Node{n.On}, parts...)
	}
	if strings.Count(text, "{}") != len(parts) {
		return "", false
	}
	for _, part := range parts {
		said, ok := s.is(part)
		if !ok {
			return "", false
		}
		text = strings.Replace(text, "{}", said, 1)
	}
	return text, true
}

// part says a value that stands within another sentence: in brackets where words of its own would run on into that.
func (s *speaker) part(n *tree.Node) (string, bool) {
	text, ok := s.is(n)
	if n.Kind == tree.Call && runsOn[n.Word] {
		text = "(" + text + ")"
	}
	return text, ok
}

// is says what a value is.
func (s *speaker) is(n *tree.Node) (string, bool) {
	switch n.Kind {
	case tree.Text:
		return s.written(n.Word), true
	case tree.Bool, tree.Int, tree.Decimal:
		return strings.Replace(n.Word, "-", "−", 1), true
	case tree.Null:
		return "none", true
	case tree.Name, tree.Field:
		return s.name(n)
	case tree.Call:
		return s.worked(n)
	}
	return "", false
}

// written says a written text: the title of what it names, where it names something.
func (s *speaker) written(text string) string {
	if title, known := s.known(text); known {
		return title
	}
	return quoted(text)
}

// name says whose a variable is, and what people call it: the player's Oil.
func (s *speaker) name(n *tree.Node) (string, bool) {
	var parts []string
	for ; n.Kind == tree.Field; n = n.On {
		parts = append([]string{n.Word}, parts...)
	}
	if n.Kind == tree.Call && n.Word == tree.Index { // what is held for an option: player.have['rice'].price
		of, ok := s.is(n)
		return strings.Join(append([]string{of}, parts...), "'s "), ok
	}
	if n.Kind != tree.Name {
		return "", false
	}
	who := n.Word
	if who == "args" && len(parts) > 0 {
		who, parts = named(parts[0]), parts[1:]
	} else if own := map[string]string{"player": "the player", "scene": "the scene", "game": "the game", "prop": "the prop", "profile": "the profile",
		"present": "players who are there", "everyone": "everybody", "time": "the time"}[who]; own != "" {
		who = own
	} else if who == "place" {
		who = "the player"
		if len(parts) == 0 || parts[0] == "at" {
			return "where the player is", len(parts) < 2
		}
	}
	if s.plan.Lists.Get(n.Word) != nil && len(parts) > 0 { // one of its options, by name
		option := parts[0]
		if who, parts = s.options[option], parts[1:]; who == "" {
			who = plan.Spaced(option)
		}
	} else if title, option := s.options[who]; option {
		who = title
	} else if who == n.Word && s.plan.Lists.Get(who) == nil {
		who = named(who)
	}
	for _, part := range parts {
		title := s.titles[part]
		if title == "" {
			title = strings.ToLower(plan.Spaced(part))
		}
		who += "'s " + title
	}
	return who, true
}

// worked says a value that is worked out.
func (s *speaker) worked(n *tree.Node) (string, bool) {
	var args []string
	for _, a := range n.Args {
		var text string
		var ok bool
		switch {
		case n.Word == tree.Choose && len(args) == 0:
			text, ok = s.holds(a, false)
		case n.Word == tree.Add || holdsOn[n.Word]:
			text, ok = s.part(a)
			if a.Kind == tree.Call && signs[a.Word] != "" && holdsOn[n.Word] {
				text = "(" + text + ")"
			}
		default:
			text, ok = s.is(a)
		}
		if !ok {
			return "", false
		}
		args = append(args, text)
	}
	switch {
	case n.On != nil && n.Word == "orValue" && len(args) == 1:
		of, ok := s.is(n.On)
		return of + " (or " + args[0] + ", where that is none)", ok
	case n.On != nil && n.Word == "size" && len(args) == 0:
		of, ok := s.is(n.On)
		return "the length of " + of, ok
	case n.On != nil:
		return "", false
	case signs[n.Word] != "" && len(args) == 2:
		return args[0] + " " + signs[n.Word] + " " + args[1], true
	case n.Word == tree.Negate:
		return "−" + args[0], true
	case n.Word == tree.Choose:
		return args[1] + " if " + args[0] + ", else " + args[2], true
	case n.Word == tree.Index && len(args) == 2:
		return args[0] + " of " + args[1], true
	case n.Word == "min" && len(args) > 1:
		return "the smallest of " + list(args, "and"), true
	case n.Word == "max" && len(args) > 1:
		return "the largest of " + list(args, "and"), true
	case n.Word == "clamp" && len(args) == 3:
		return args[0] + ", kept between " + args[1] + " and " + args[2], true
	case n.Word == "count" && len(args) == 1:
		return "the number of " + args[0], true
	case n.Word == "round" && len(args) == 1:
		return args[0] + ", rounded", true
	case n.Word == "floor" && len(args) == 1:
		return args[0] + ", rounded down", true
	case n.Word == "ceil" && len(args) == 1:
		return args[0] + ", rounded up", true
	}
	return "", false
}
