package api

import (
	"cmp"
	"slices"

	"alluvion.dev/service/auth"
)

// Access says of one call who may ask for it.
type Access struct {
	Method, Path, Summary               string
	Everybody, Player, Server, Designer bool // Player is one player, about themselves; Server is a game's, about that game
}

// WhoMay lists every call of the contract with who may ask for it, as the service judges it.
func WhoMay() []Access {
	const game, player = "g", "p"
	param := func(name string) string {
		return map[string]string{"game": game, "player": player}[name]
	}
	may := func(route string, who auth.Who) bool {
		grant := grants[route]
		return grant != nil && grant(who, param)
	}
	var out []Access
	for path, item := range described().Paths {
		for method, op := range operationsOf(item) {
			route := method + " " + path
			a := Access{Method: method, Path: path, Summary: op.Summary, Designer: true}
			a.Everybody = may(route, auth.Who{})
			a.Player = a.Everybody || may(route, auth.Who{Role: auth.Player, Game: game, Player: player})
			a.Server = a.Everybody || may(route, auth.Who{Role: auth.Server, Game: game})
			out = append(out, a)
		}
	}
	slices.SortFunc(out, func(a, b Access) int {
		return cmp.Or(cmp.Compare(a.Path, b.Path), cmp.Compare(a.Method, b.Method))
	})
	return out
}
