package upgrade

import (
	"errors"
	"strings"
	"sync"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Formulas evaluate expressions over values of which only the values themselves say what types they are of. The zero
// Formulas are ready for use, by many at once.
type Formulas struct {
	programs sync.Map // of expressions as they were compiled for values of certain types: by text, a compiled
}

// Eval evaluates an expression over what look gives for each name that it says.
func (c *Formulas) Eval(x plan.Expr, look func(name string) (types.Value, error)) (types.Value, error) {
	paths, err := c.paths(x)
	if err != nil {
		return types.None, err
	}
	k := &known{read: make([]types.Value, len(paths))}
	for i, p := range paths {
		if k.read[i], err = look(p.Name); err != nil {
			return types.None, err
		}
	}
	program, err := c.program(x, paths, k.read)
	if err != nil {
		return types.None, err
	}
	v := program.Eval(k)
	return v, k.failed
}

// known is what an expression reads: values by their place.
type known struct {
	read   []types.Value
	failed error
}

// Read, Number, Mine and Fail make it an expr.Env: every name was looked up before.
func (e *known) Read(ref *expr.Ref) types.Value { return e.read[ref.Index] }

// Number is Read for a number.
func (e *known) Number(ref *expr.Ref) fixed.Num { return e.read[ref.Index].Num }

// Mine is never asked: no name here is a player's by its slot.
func (e *known) Mine(int) fixed.Num { return fixed.Num{} }

// Hand is never asked: no function here goes over the options of a list.
func (e *known) Hand(int, int) int { return 0 }

// Changed and AtStart are never asked, for the same reason.
func (e *known) Changed([]*expr.Ref, int) ([]int, bool) { return nil, false }

// AtStart is never asked.
func (e *known) AtStart(bool) {}

// Fault gives what went wrong first, and puts another in its place.
func (e *known) Fault(with error) error {
	was := e.failed
	e.failed = with
	return was
}

// Person is never asked: nobody is present in a save.
func (e *known) Person(int) int { return 0 }

// Fail notes the first thing that went wrong.
func (e *known) Fail(err error) {
	if e.failed == nil {
		e.failed = err
	}
}

// reading is what an expression reads, or why it cannot be understood.
type reading struct {
	paths []expr.Path
	err   error
}

func (c *Formulas) paths(x plan.Expr) ([]expr.Path, error) {
	key := "\x00" + x.Source
	if known, ok := c.programs.Load(key); ok {
		r := known.(reading)
		return r.paths, r.err
	}
	paths, found := expr.Paths(x)
	r := reading{paths: paths}
	if found.Errors() {
		r.err = errors.New(found[0].Message)
	}
	c.programs.Store(key, r)
	return r.paths, r.err
}

// compiled is an expression for values of certain types, or why there is none.
type compiled struct {
	program *expr.Program
	err     error
}

// program compiles an expression for values of these types, once.
func (c *Formulas) program(x plan.Expr, paths []expr.Path, values []types.Value) (*expr.Program, error) {
	var key strings.Builder
	for _, v := range values {
		key.WriteByte(signature(v))
	}
	key.WriteString(x.Source)
	if known, ok := c.programs.Load(key.String()); ok {
		one := known.(compiled)
		return one.program, one.err
	}
	one := compiled{}
	// Of none nobody knows what it is none of: whatever the expression makes sense with.
	for _, guess := range []types.Kind{types.Decimal, types.Text, types.Bool} {
		known := make([]types.Type, len(values))
		for i, v := range values {
			known[i] = typeOf(v, guess)
			known[i].Optional = v.IsNone() || paths[i].Asked
		}
		p, found := expr.Compile(x, namesOf(paths, known), nil)
		if p != nil {
			one = compiled{program: p}
			break
		}
		if one.err == nil {
			one.err = errors.New(found[0].Message)
		}
	}
	c.programs.Store(key.String(), one)
	return one.program, one.err
}

// signature is what of a value decides how an expression over it is compiled.
func signature(v types.Value) byte {
	switch v.Kind {
	case types.IsBool:
		return 'b'
	case types.IsNum:
		if v.Num.MultipleOf(types.One) {
			return 'i'
		}
		return 'd'
	case types.IsText:
		return 't'
	case types.IsList:
		if items := v.Items(); len(items) > 0 && items[0].Kind == types.IsNum {
			return 'N'
		}
		return 'T'
	}
	return '-'
}

func typeOf(v types.Value, guess types.Kind) types.Type {
	switch signature(v) {
	case 'b':
		return types.Type{Kind: types.Bool}
	case 'i':
		return types.Type{Kind: types.Int, Range: types.Whole()}
	case 'd':
		return types.Type{Kind: types.Decimal}
	case 't':
		return types.Type{Kind: types.Text}
	case 'N':
		return types.Type{Kind: types.List, Item: &types.Type{Kind: types.Decimal}}
	case 'T':
		return types.Type{Kind: types.List, Item: &types.Type{Kind: types.Text}}
	}
	return types.Type{Kind: guess}
}

// namesOf are names that stand for values by their place in a list.
func namesOf(paths []expr.Path, known []types.Type) expr.Names {
	roots := map[string]*expr.Entry{}
	for i, p := range paths {
		parts := strings.Split(p.Name, ".")
		fields := roots
		for _, part := range parts[:len(parts)-1] {
			if fields[part] == nil {
				fields[part] = &expr.Entry{Type: types.Type{Kind: types.Record}}
			}
			if fields[part].Fields == nil {
				fields[part].Fields = map[string]*expr.Entry{}
			}
			fields = fields[part].Fields
		}
		fields[parts[len(parts)-1]] = &expr.Entry{Type: known[i],
			Ref: expr.Ref{Who: expr.Nobody, What: expr.Itself, Index: i}}
	}
	return expr.Names{Roots: roots}
}
