package plan

import (
	"reflect"

	"alluvion.dev/core/finding"
)

// Commons is a document of player variables that several games hold in common.
type Commons struct {
	Alluvion  Given[int]           `plan:"alluvion,required" min:"1" max:"1" doc:"Format of this document: 1."`
	Commons   ID                   `plan:"commons,required" id:"game" doc:"The commons' id; plans that use it name it so."`
	Title     Given[string]        `plan:"title" doc:"Its name for people."`
	Version   Given[int]           `plan:"version,required" min:"1" max:"1000000" doc:"Whole number of this version."`
	Variables Map[CommonsVariable] `plan:"variables,required" doc:"What each player has of it, once for all games and slots."`

	// Source is the text that was read.
	Source string `plan:"-"`
}

// CommonsVariable is one of its variables: written by exactly one game, or computed from others of it.
type CommonsVariable struct {
	Writer ID            `plan:"writer" id:"game" doc:"The game whose rules write it; every other reads it. Needed unless it is computed."`
	Is     Expr          `plan:"is" doc:"Makes it a computed variable, over others of the commons: pass_stage + market_stage."`
	Type   ID            `plan:"type,required" id:"type" stands:"commons"`
	Title  Given[string] `plan:"title" doc:"What people call it."`
	Start  *Literal      `plan:"start" doc:"Its value before anything happened. Needed unless it is optional, a list, a set or computed."`
	Limits
	Items    *ValueType `plan:"items" doc:"What the items of a list or a set are."`
	MaxItems Given[int] `plan:"max_items" min:"1" max:"1000" default:"100" doc:"Most items of a list or a set."`
}

// Use names a commons that a game uses.
type Use struct {
	Commons ID     `plan:"commons,required" id:"game" doc:"The commons' id. On the command line it is read from the file of that name beside the plan, or one or two folders above."`
	As      ID     `plan:"as,required" doc:"How expressions call it: player.guild.pass_stage."`
	Writes  []ID   `plan:"writes" doc:"Which of its variables this game writes; the commons has to say so too."`
	Accept  Accept `plan:"accept"`

	finding.At
}

// isCommons says it of what begins as a plan does.
func isCommons(root *node) bool { return root.key("commons") != nil && root.key("game") == nil }

// ReadCommons reads a commons from YAML, as Read does a plan. It is never nil.
func ReadCommons(source []byte) (*Commons, finding.List) {
	out := &Commons{Source: textOf(source)}
	root, found := parse(source)
	if root != nil {
		r := newReader(found)
		r.read(root, reflect.ValueOf(out).Elem(), field{})
		found = r.found
	}
	found.Sort()
	found.Excerpts(out.Source)
	return out, found
}

// CommonsSchema is the JSON Schema (2020-12) of commons.
func CommonsSchema() []byte {
	return schemaOf(reflect.TypeFor[Commons](), "Alluvion commons",
		"Player variables that several games hold in common.")
}
