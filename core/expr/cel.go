//go:build !compiled

package expr

import (
	"regexp"
	"strconv"
	"strings"

	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	celtypes "cel.dev/cel-go/common/types"
	"cel.dev/cel-go/parser"

	"alluvion.dev/core/tree"
)

// cel reads CEL. No macros: nothing in an expression loops, so none needs a limit at run time.
var cel = func() *parser.Parser {
	p, err := parser.NewParser(parser.Macros(), parser.MaxRecursionDepth(maxNested),
		parser.ExpressionSizeCodePointLimit(maxLength), parser.ErrorRecoveryLimit(1))
	if err != nil {
		panic(err)
	}
	return p
}()

// read reads an expression's text.
func read(source string) (*tree.Node, *mistake) {
	parsed, errs := cel.Parse(common.NewTextSource(source))
	if list := errs.GetErrors(); len(list) > 0 {
		wrong := &mistake{Why: plainer(list[0].Message), line: list[0].Location.Line(), column: list[0].Location.Column()}
		bare := quotedText.ReplaceAllString(source, "''")
		if oneEquals.MatchString(bare) {
			wrong.Why = "whether two are equal is asked with =="
		} else if word := operatorWord.FindStringSubmatch(bare); word != nil {
			wrong.Why = word[1] + " is written " + map[string]string{"and": "&&", "or": "||", "not": "!"}[strings.ToLower(word[1])]
		}
		return nil, wrong
	}
	return (&celReader{parsed.SourceInfo()}).node(parsed.Expr()), nil
}

// oneEquals is a = that is no part of ==, !=, <= or >=.
var oneEquals = regexp.MustCompile(`[^=!<>]=[^=]`)

// operatorWord is a word that other languages have for an operator; it says nothing within a quotedText.
var (
	operatorWord = regexp.MustCompile(`(?i)(?:^|[\s()])(and|or|not)(?:[\s()]|$)`)
	quotedText   = regexp.MustCompile(`'[^']*'|"[^"]*"`)
)

// plainer puts the parser's words into a designer's.
func plainer(message string) string {
	message = strings.TrimPrefix(message, "Syntax error: ")
	if i := strings.Index(message, " expecting "); i >= 0 {
		message = message[:i]
	}
	for from, to := range map[string]string{
		"extraneous input ": " is not expected here", "mismatched input ": " is not expected here",
		"no viable alternative at input ": " is where it stops making sense", "token recognition error at: ": " cannot stand in an expression",
	} {
		if rest, ok := strings.CutPrefix(message, from); ok {
			return strings.ReplaceAll(rest, "'<EOF>'", "its end") + to
		}
	}
	return strings.TrimSuffix(strings.ReplaceAll(message, "<EOF>", "its end"), ".")
}

// celReader makes parts of what CEL's library has read.
type celReader struct{ info *ast.SourceInfo }

func (r *celReader) node(e ast.Expr) *tree.Node {
	at := r.info.GetStartLocation(e.ID())
	out := &tree.Node{Line: at.Line(), Column: at.Column()}
	switch e.Kind() {
	case ast.LiteralKind:
		out.Kind, out.Word = written(e)
	case ast.IdentKind:
		out.Kind, out.Word = tree.Name, e.AsIdent()
	case ast.SelectKind:
		out.Kind, out.Word, out.On = tree.Field, e.AsSelect().FieldName(), r.node(e.AsSelect().Operand())
	case ast.CallKind:
		call := e.AsCall()
		out.Kind, out.Word, out.Args = tree.Call, call.FunctionName(), r.nodes(call.Args())
		if of, is := operatorsOfCEL[out.Word]; is {
			out.Word = of
		}
		if call.IsMemberFunction() {
			out.On = r.node(call.Target())
		}
	case ast.ListKind:
		out.Kind, out.Args = tree.List, r.nodes(e.AsList().Elements())
	case ast.MapKind, ast.StructKind:
		out.Kind = tree.Table
	default:
		out.Kind = tree.Other
	}
	return out
}

func (r *celReader) nodes(all []ast.Expr) (out []*tree.Node) {
	for _, e := range all {
		out = append(out, r.node(e))
	}
	return out
}

// written is the kind and the text of a written value.
func written(e ast.Expr) (tree.Kind, string) {
	switch v := e.AsLiteral().(type) {
	case celtypes.Bool:
		return tree.Bool, strconv.FormatBool(bool(v))
	case celtypes.Int:
		return tree.Int, strconv.FormatInt(int64(v), 10)
	case celtypes.Double:
		// The shortest decimal that stands for the number is the one that was written, up to 15 digits.
		return tree.Decimal, strconv.FormatFloat(float64(v), 'f', -1, 64)
	case celtypes.String:
		return tree.Text, string(v)
	case celtypes.Null:
		return tree.Null, "null"
	}
	return tree.Other, ""
}

// operatorsOfCEL are the operators of the language, as CEL's library calls them.
var operatorsOfCEL = map[string]string{
	operators.LogicalAnd: tree.And, operators.LogicalOr: tree.Or, operators.LogicalNot: tree.Not,
	operators.Conditional: tree.Choose, operators.Equals: tree.Equal, operators.NotEquals: tree.NotEqual,
	operators.Less: tree.Less, operators.LessEquals: tree.LessEqual, operators.Greater: tree.Greater,
	operators.GreaterEquals: tree.GreaterEqual, operators.Add: tree.Add, operators.Subtract: tree.Subtract,
	operators.Multiply: tree.Multiply, operators.Divide: tree.Divide, operators.Modulo: tree.Modulo,
	operators.Negate: tree.Negate, operators.Index: tree.Index, operators.In: tree.In, operators.OldIn: tree.In,
}
