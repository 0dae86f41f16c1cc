package plan

import (
	"reflect"
	"slices"
	"strconv"
	"strings"

	"alluvion.dev/core/finding"
)

// SaveFormat is how a save of the game's own is read and written, in place of a save of Alluvion's.
type SaveFormat struct {
	Title   Given[string]   `plan:"title" doc:"What people call it."`
	Is      Given[string]   `plan:"is,required" enum:"json,yaml,toml,xml,ini,csv,messagepack,cbor" doc:"What its files are written in: json, yaml, toml, xml, ini, csv, messagepack or cbor."`
	Of      Given[string]   `plan:"of" enum:"player,profile,world" default:"player" doc:"What a file holds: one player's save, what a player has over all slots, or the world."`
	Files   Map[SaveFile]   `plan:"files" doc:"Of a save that is several files: what each is called, the first one the most important. A path begins with the file that it leads into: /state/purse."`
	Version Held            `plan:"version,required" doc:"Where the version of the plan stands in a file, as a path: /meta/rev. {at: /v, map: {beta: 1, final: 2}} where it is called otherwise there, {is: 1} where all files are of one version and none says so."`
	Player  Held            `plan:"player" doc:"Where it says whose save it is, as a path; or {file: \"{player}-{slot}.json\"}, where the file's name says so."`
	Slot    Held            `plan:"slot" doc:"Where it says which slot, as a path; {file: …} or {is: 1}. Without it, slot 1."`
	Rows    Given[string]   `plan:"rows" enum:"saves" doc:"Of csv: saves, where each row is a save by itself."`
	Wrap    []Given[string] `plan:"wrap" enum:"gzip,base64,crc32,hmac" doc:"How a file is packed; the outermost packing comes first. gzip and base64 pack it. crc32 adds a checksum of four bytes at the end. hmac adds a signature of 32 bytes at the end (HMAC with SHA-256). Its key is stored in a file, never in a plan."`
	Where   HeldNames       `plan:"where,required" doc:"Where each thing stands in a file: player.oil: /inventory/oil. What is named nowhere stays in the file as it is."`
	Until   HeldUntil       `plan:"until" doc:"What stood elsewhere in files up to a version, or had another name in plans up to it: {1: {player.coins: /gold}}."`
	Accept  Accept          `plan:"accept"`
	finding.At
}

// SaveFile is one of the files of a save.
type SaveFile struct {
	Name Given[string]   `plan:"name,required" doc:"The end of its path, with {player} and {slot} in it where it says so: {player}/{slot}/state.json."`
	Is   Given[string]   `plan:"is" enum:"json,yaml,toml,xml,ini,csv,messagepack,cbor" doc:"What it is written in, where that is not what the format says."`
	Wrap []Given[string] `plan:"wrap" enum:"gzip,base64,crc32,hmac" doc:"How this file is packed; the outermost packing comes first."`
	finding.At
}

func (x *SaveFile) read(r *reader, n *node, _ field) {
	if n.form == formTable {
		r.table(n, reflect.ValueOf(x).Elem())
		return
	}
	r.read(n, reflect.ValueOf(&x.Name).Elem(), field{name: "name"})
	x.At = n.At
}

// Held is where one thing stands in a file, and how it is written there.
type Held struct {
	Path  Given[string] `plan:"at" doc:"The path in the file, as a JSON Pointer (RFC 6901): /pack/0/count. In ini /section/key, in csv /column, in xml /save/item/@name. With each: from the record."`
	Is    *Literal      `plan:"is" doc:"Of version and slot: what all files have, where none says so."`
	File  Given[string] `plan:"file" doc:"Of player and slot: the name of the file with {player} and {slot} in it."`
	Read  Expr          `plan:"read" doc:"The variable's value as an expression over old, what stands in the file: old / 10."`
	Write Expr          `plan:"write" doc:"What is written as an expression over value, the variable's: value * 10. Without it read is turned round where it adds, subtracts, multiplies or divides by a number."`
	Map   HeldMap       `plan:"map" doc:"What stands in the file, with the value that it means: {0: north, 90: east}."`
	None  Given[string] `plan:"none" enum:"missing,null,empty" doc:"How none is written: it is not there, it is null, or an empty text. Without it null."`
	As    Given[string] `plan:"as" enum:"number,seconds,millis,date" doc:"How a number is written: number, as digits in a text; of a stopwatch or a time in seconds: seconds or millis, in thousandths; date, as 2027-03-01T12:00:00Z (RFC 3339), for seconds since 1970."`
	Split Given[string] `plan:"split" doc:"Of a list or set that stands in one text: what stands between its items."`
	Each  Given[string] `plan:"each" doc:"Of ware.*.have and the like: the path to the list or the table in which each has a record."`
	ID    *HeldID       `plan:"id" doc:"With each: where a record says whose it is, as a path from the record; key where they are the keys of a table."`
	finding.At
}

// HeldID is where a record says whose it is.
type HeldID struct {
	Path Given[string] `plan:"at,required" doc:"The path from the record; key for the key of a table."`
	Map  HeldMap       `plan:"map" doc:"What stands in the file, with the id that it means in the plan."`
}

// HeldMap is what stands in a file with what it means.
type HeldMap []Means

// Means is one of them.
type Means struct {
	File Given[string]
	Plan Literal
}

// HeldNames are names of what a save holds with where each stands, in the order of the document.
type HeldNames []HeldName

// HeldName is one of them.
type HeldName struct {
	Name Given[string]
	Held Held
}

// HeldUntil is what stood elsewhere up to a version, the earliest first.
type HeldUntil []HeldBefore

// HeldBefore is what stood elsewhere up to one version.
type HeldBefore struct {
	Version int
	Where   HeldNames
	finding.At
}

// Given says whether anything is written.
func (h *Held) Given() bool { return h.At.Line > 0 }

func (h *Held) read(r *reader, n *node, f field) {
	if n.form != formTable {
		h.At = n.At
		r.read(n, reflect.ValueOf(&h.Path).Elem(), field{name: f.name})
		r.path(h.Path)
		return
	}
	r.table(n, reflect.ValueOf(h).Elem())
	h.At = n.At
	r.path(h.Path)
	r.path(h.Each)
	if h.ID != nil && h.ID.Path.Value != "key" {
		r.path(h.ID.Path)
	}
	ways := 0
	for _, k := range []string{"at", "is", "file"} {
		if n.key(k) != nil {
			ways++
		}
	}
	switch {
	case ways == 0 && !r.alreadyReported(n.keys):
		r.report("missing", n.At, "Where it stands in the file is missing here: at: /path.")
	case ways > 1:
		r.report("wrong-type", n.At, "at, is and file say the same thing in three ways: one of them is wanted.")
	case (h.Each.Given) != (h.ID != nil):
		r.report("missing", n.At, "each and id go together: the list, and where a record of it says whose it is.")
	case len(h.Map) > 0 && (h.Read.Given() || h.Write.Given()):
		r.report("wrong-type", n.At, "map goes both ways by itself: without read and write.")
	}
}

func (h *HeldID) read(r *reader, n *node, _ field) {
	if n.form == formTable {
		r.table(n, reflect.ValueOf(h).Elem())
		return
	}
	r.read(n, reflect.ValueOf(&h.Path).Elem(), field{name: "id"})
}

// path reports a path that is none.
func (r *reader) path(p Given[string]) {
	if p.Given && p.Value != "" && !strings.HasPrefix(p.Value, "/") {
		r.report("bad-value", p.At, "A path begins with a stroke: /%s. (It is a JSON Pointer, RFC 6901.)", clip(p.Value)).
			Suggest(finding.Guess{Name: "/" + strings.ReplaceAll(p.Value, ".", "/")})
	}
}

func (m *HeldMap) read(r *reader, n *node, _ field) {
	if n.form != formTable {
		r.wrong(n, "a table of what stands in the file, with what it means: {0: north, 90: east}")
		return
	}
	*m = readRows(r, n, func(row *Means, name Given[string]) any { row.File = name; return &row.Plan })
}

func (w *HeldNames) read(r *reader, n *node, _ field) {
	if n.form != formTable {
		r.wrong(n, "a table of names and paths: {player.oil: /inventory/oil}")
		return
	}
	*w = readRows(r, n, func(row *HeldName, name Given[string]) any { row.Name = name; return &row.Held })
}

func (u *HeldUntil) read(r *reader, n *node, _ field) {
	if n.form != formTable {
		r.wrong(n, "a table of versions, each with a table of names and paths")
		return
	}
	for _, k := range n.keys {
		version, err := strconv.Atoi(k.name)
		if err != nil || version < 1 {
			r.report("bad-value", k.at, "The last version of which it is so is wanted here, 1 or later, not %q.", clip(k.name))
			continue
		}
		one := HeldBefore{Version: version, At: k.at}
		r.read(k.value, reflect.ValueOf(&one.Where).Elem(), field{name: k.name})
		*u = append(*u, one)
	}
	slices.SortStableFunc(*u, func(a, b HeldBefore) int { return a.Version - b.Version })
}

// heldSchema is the schema of a path, or of where something stands and how.
func (s *schemer) heldSchema(t reflect.Type) object {
	path := object{"type": "string", "pattern": "^(/.*)?$", "$comment": "a path"}
	return object{"oneOf": []any{path, s.ref(t)}}
}
