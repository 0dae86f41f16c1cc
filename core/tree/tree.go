// Package tree is an expression as it was read, before anything is known of its names: what the reader of CEL gives, free
// of that reader, so that it can be written down and run where nothing reads CEL.
package tree

import "strings"

// Kind says what a part of an expression is.
type Kind string

// The kinds of parts. The first six are written values.
const (
	Bool    Kind = "bool"
	Int     Kind = "int"
	Decimal Kind = "decimal" // with up to 15 digits
	Text    Kind = "text"
	Null    Kind = "null"
	Other   Kind = "other" // of CEL, which the language does not have
	Name    Kind = "name"
	Field   Kind = "field" // a name after a dot
	Call    Kind = "call"  // of a function or an operator
	List    Kind = "list"
	Table   Kind = "table"
)

// The operators, as the Word of a call. Every other operator of CEL begins with an underscore.
const (
	And          = "&&"
	Or           = "||"
	Not          = "!"
	Choose       = "?:"
	Equal        = "=="
	NotEqual     = "!="
	Less         = "<"
	LessEqual    = "<="
	Greater      = ">"
	GreaterEqual = ">="
	Add          = "+"
	Subtract     = "-"
	Multiply     = "*"
	Divide       = "/"
	Modulo       = "%"
	Negate       = "-_" // of one number
	Index        = "[]"
	In           = "in"
)

// Node is one part of an expression. Nobody changes one that was read.
type Node struct {
	Kind Kind `json:"k"`
	// Word is the written value, without quotes; the name; or what is called.
	Word string `json:"w,omitempty"`
	// On is what a field is of, or what a function is called on; nil of a function that stands by itself.
	On   *Node   `json:"on,omitempty"`
	Args []*Node `json:"args,omitempty"`
	// Line and Column are where it begins: lines from 1, columns from 0, in characters. Of a call that is its operator or
	// its bracket.
	Line   int `json:"l,omitempty"`
	Column int `json:"c,omitempty"`
}

// Written says whether a part is a written value.
func (n *Node) Written() bool {
	switch n.Kind {
	case Bool, Int, Decimal, Text, Null, Other:
		return true
	}
	return false
}

// Quoted is the text of a part that is a written text; "" of every other.
func (n *Node) Quoted() string {
	if n.Kind == Text {
		return n.Word
	}
	return ""
}

// Member says whether a call is of a function of something: text.size().
func (n *Node) Member() bool { return n.Kind == Call && n.On != nil }

// Operator says whether what is called is an operator, not a function with a name.
func Operator(word string) bool {
	return word == In || word == "" || !('a' <= word[0] && word[0] <= 'z' || 'A' <= word[0] && word[0] <= 'Z')
}

// maxDepth is how deep a tree may be that is sound; the reader of CEL allows less.
const maxDepth = 100

// Sound says whether a tree that comes from outside is one that a reader could have given: operators have as many parts
// as they take, and nothing is missing.
func (n *Node) Sound() bool { return n.sound(0) }

func (n *Node) sound(depth int) bool {
	if n == nil || depth > maxDepth {
		return false
	}
	takes := -1 // as many as there are
	switch n.Kind {
	case Bool, Int, Decimal, Text, Null, Other, Name, Table:
		takes = 0
	case Field:
		if takes = 0; n.On == nil {
			return false
		}
	case Call:
		switch n.Word {
		case Not, Negate:
			takes = 1
		case Choose:
			takes = 3
		case And, Or, Equal, NotEqual, Less, LessEqual, Greater, GreaterEqual, Add, Subtract, Multiply, Divide, Modulo, Index, In:
			takes = 2
		case "":
			return false
		}
	case List:
	default:
		return false
	}
	if takes >= 0 && len(n.Args) != takes || n.On != nil && (n.Kind != Field && n.Kind != Call || !n.On.sound(depth+1)) {
		return false
	}
	for _, a := range n.Args {
		if !a.sound(depth + 1) {
			return false
		}
	}
	return true
}

// String writes the part so that equal parts are written in one way, each operator in brackets.
func (n *Node) String() string {
	switch n.Kind {
	case Text:
		return "'" + strings.ReplaceAll(strings.ReplaceAll(n.Word, `\`, `\\`), "'", `\'`) + "'"
	case Field:
		return n.On.String() + "." + n.Word
	case Call:
		return n.call()
	case List:
		return "[" + n.args(", ") + "]"
	}
	return n.Word
}

func (n *Node) call() string {
	switch {
	case n.Word == Choose && len(n.Args) == 3:
		return "(" + n.Args[0].String() + " ? " + n.Args[1].String() + " : " + n.Args[2].String() + ")"
	case n.Word == Index && len(n.Args) == 2:
		return n.Args[0].String() + "[" + n.Args[1].String() + "]"
	case Operator(n.Word) && len(n.Args) == 1:
		return n.Word[:1] + n.Args[0].String()
	case Operator(n.Word):
		return "(" + n.args(" "+n.Word+" ") + ")"
	case n.On != nil:
		return n.On.String() + "." + n.Word + "(" + n.args(", ") + ")"
	}
	return n.Word + "(" + n.args(", ") + ")"
}

func (n *Node) args(between string) string {
	all := make([]string, len(n.Args))
	for i, a := range n.Args {
		all[i] = a.String()
	}
	return strings.Join(all, between)
}
