// Package bindings writes what a game needs to talk to the service in its own language: a runtime, which is written by
// hand and the same for every plan, and beside it a file with the names and types of one plan. Neither opens a
// connection, starts a thread or reads a clock. The same plan gives the same bytes.
package bindings

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

// Runtime is the number of the runtimes: generated files are made for one, and refuse another.
const Runtime = 1

// File is one file that a game takes over.
type File struct {
	Name string
	Text []byte
}

// Language is one that there are bindings for.
type Language struct {
	Name  string // as it is asked for
	About string
	write func(s *surface) ([]File, error)
}

// Languages lists them.
var Languages = []Language{
	{"typescript", "for browsers and Node: a runtime and a generated file in TypeScript", typescript},
	{"javascript", "the same, compiled: modules of ECMAScript 2022 with their type declarations", javascript},
	{"cpp", "for engines: a header and a source in C++17, and a generated header", cpp},
	{"csharp", "for engines and servers: two files in C# 7, for .NET Standard 2.0 and Mono", csharp},
	{"lua", "for engines: two chunks for Lua 5.1 to 5.4 and LuaJIT", lua},
	{"python", "for tools, bots and servers: two modules for Python 3.9 and later", python},
	{"go", "for games, servers and tools: names and types of a plan, over the package machine of this module", golang},
}

// Names lists the languages' names.
func Names() []string {
	var out []string
	for _, l := range Languages {
		out = append(out, l.Name)
	}
	return out
}

// Files writes the runtime and what is generated for a plan in one language. It is an error where the language is
// none of Languages, or where two names of the plan come to the same in it.
func Files(m *model.Model, language string) ([]File, error) {
	i := slices.IndexFunc(Languages, func(l Language) bool { return l.Name == language })
	if i < 0 {
		return nil, fmt.Errorf("there are no bindings for %s; there are for %s.%s", language,
			strings.Join(Names(), ", "), finding.DidYouMean(finding.Nearest(language, Names())))
	}
	s, err := surfaceOf(m)
	if err != nil {
		return nil, err
	}
	return Languages[i].write(s)
}
