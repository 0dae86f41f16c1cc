package api

import (
	"context"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"alluvion.dev/contract"
	"alluvion.dev/service/auth"
)

// cookie holds a token for the console: a browser sends it along by itself, and shows it to no page.
const cookie = "alluvion"

type whoKey struct{}

// whoOf is who sends a request.
func whoOf(ctx context.Context) auth.Who {
	who, _ := ctx.Value(whoKey{}).(auth.Who)
	return who
}

// Allow says who a token is for. A service without keys is reached from its own machine only, and asks for none.
func (s *Server) Allow(token string) (auth.Who, error) {
	if s.tokenKeys == nil {
		return auth.Who{Role: auth.Designer}, nil
	}
	return s.tokenKeys.Verify(token)
}

// identified finds out who sends a request. It fails closed: without keys only this machine is answered; with them,
// whoever has no good token is nobody, and permitted lets nobody through but to what is for all.
func (s *Server) identified(next http.Handler) http.Handler {
	if s.tokenKeys == nil {
		next := s.loopbackOnly(next)
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), whoKey{}, auth.Who{Role: auth.Designer})))
		})
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.foreign(r) {
			writeProblem(w, problem(http.StatusForbidden, "forbidden", "Not from another site",
				"A page of another site may not ask here."))
			return
		}
		who, err := s.tokenKeys.Verify(tokenOf(r))
		if err == nil {
			ctx, cancel := context.WithDeadline(context.WithValue(r.Context(), whoKey{}, who), who.Until) // what is told again and again ends with the token
			defer cancel()
			r = r.WithContext(ctx)
		}
		next.ServeHTTP(w, r)
	})
}

// tokenOf is the token that comes with a request: in its Authorization header (RFC 6750), or in the console's cookie.
// Never in its address, which ends up in logs.
func tokenOf(r *http.Request) string {
	if kind, token, ok := strings.Cut(r.Header.Get("Authorization"), " "); ok && strings.EqualFold(kind, "Bearer") {
		return strings.TrimSpace(token)
	}
	if c, err := r.Cookie(cookie); err == nil {
		return c.Value
	}
	return ""
}

// permitted lets a request through if whoever sends it may ask for that: by the route that it takes, and by its
// parameters as the route's handler sees them. What no route takes, or no grant names, is for designers.
func permitted(routes chi.Routes) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			who := whoOf(r.Context())
			switch {
			case who.Role == auth.Designer || granted(routes, who, r):
				next.ServeHTTP(w, r)
			case who.Role == "":
				w.Header().Set("WWW-Authenticate", `Bearer realm="alluvion"`)
				writeProblem(w, problem(http.StatusUnauthorized, "token", "A token is needed",
					"Send a token that is good, in the header Authorization: Bearer …. alluvion token makes them."))
			default:
				writeProblem(w, problem(http.StatusForbidden, "forbidden", "The token is not for this",
					"A token of the role %s may not ask for %s %s.", who.Role, r.Method, r.URL.Path))
			}
		})
	}
}

func granted(routes chi.Routes, who auth.Who, r *http.Request) bool {
	route, taken := routeOf(routes, r)
	if !taken { // the console's pages and files are for all; no call begins like them
		return !isCall(r.URL.Path) && !isCall(r.URL.EscapedPath())
	}
	grant := grants[route.method+" "+route.pattern]
	return grant != nil && grant(who, route.param)
}

// isCall says whether a path is one of a call, or would be if there were such a call.
func isCall(path string) bool {
	return path == "/v1" || strings.HasPrefix(path, "/v1/") || path == "/metrics" || path == "/healthz"
}

// route is the route that a request takes.
type route struct {
	method, pattern string
	param           func(name string) string
}

// routeOf finds the route as the router does: on the path as it was sent, where that is not as it is written.
func routeOf(routes chi.Routes, r *http.Request) (route, bool) {
	ctx, path, method := chi.NewRouteContext(), r.URL.RawPath, r.Method
	if path == "" {
		path = r.URL.Path
	}
	if method == http.MethodHead {
		method = http.MethodGet
	}
	if !routes.Match(ctx, method, path) {
		return route{}, false
	}
	return route{method, ctx.RoutePattern(), func(name string) string { return unescaped(r, ctx.URLParam(name)) }}, true
}

// param is a parameter of the route that a request took.
func param(r *http.Request, name string) string { return unescaped(r, chi.URLParam(r, name)) }

func unescaped(r *http.Request, value string) string {
	if r.URL.RawPath == "" {
		return value
	}
	if plain, err := url.PathUnescape(value); err == nil {
		return plain
	}
	return value
}

// A grant says whether somebody may take a route with its parameters.
type grant func(who auth.Who, param func(string) string) bool

func forAll(auth.Who, func(string) string) bool { return true }

func forServers(who auth.Who, _ func(string) string) bool { return who.Role == auth.Server }

func forTheGame(who auth.Who, param func(string) string) bool { return who.MayGame(param("game")) }

func forItsPlayers(who auth.Who, param func(string) string) bool {
	return who.Role == auth.Player && who.Game == param("game") || who.MayGame(param("game"))
}

func forThePlayer(who auth.Who, param func(string) string) bool {
	return who.MayPlayer(param("game"), param("player"))
}

// grants are what others than designers may ask for. A route that does not stand here is for designers.
var grants = func() map[string]grant {
	const game, session = "/v1/games/{game}", "/v1/games/{game}/sessions/{session}"
	const player, slot = game + "/players/{player}", game + "/players/{player}/slots/{slot}"
	out := map[string]grant{
		"GET /healthz":               forAll,
		"POST /v1/login":             forAll,
		"DELETE /v1/login":           forAll,
		"GET " + session + "/live":   forAll, // the hello has the token
		"GET /metrics":               forServers,
		"GET " + session + "/layout": forItsPlayers,
	}
	for _, path := range []string{player, player + "/export", slot + "/revisions", slot + "/revisions/{revision}",
		slot + "/save"} {
		out["GET "+path] = forThePlayer
	}
	out["POST "+player+"/offline"] = forThePlayer
	for _, route := range []string{
		"GET " + game + "/plan", "GET " + game + "/findings", "GET " + game + "/matrix", "GET " + game +
			"/names", "GET " + game + "/budgets", "GET " + game + "/compare",
		"GET " + game + "/milestones", "GET " + game + "/population", "GET " + game + "/population/events", "GET " + game + "/standings", "GET " + game + "/standings/{standing}", "GET " +
			game + "/versions", "GET " + game + "/versions/{version}",
		"GET " + game + "/scout", "GET " + game + "/rehearsals", "GET " + game + "/rehearsals/{name}", "GET " + game + "/trials", "GET " + game +
			"/trials/{trial}", "GET " + game + "/trials/{trial}/events",
		"GET " + game + "/sessions", "PUT " + session, "GET " + session, "DELETE " + session, "DELETE " + session +
			"/world", "PUT " + session + "/node", "POST " + session + "/requests",
		"GET " + session + "/changes", "GET " + session + "/map", "GET " + session + "/overview", "GET " + session +
			"/watch",
		"GET " + game + "/players", "DELETE " + player, "POST " + player + "/save", "DELETE " + slot, "POST " + slot +
			"/copy", "POST " + slot + "/correct", "POST " + slot + "/reset",
		"POST " + slot + "/revisions/{revision}/take-up", "PUT " + slot + "/save", "POST " + game + "/tokens",
	} {
		out[route] = forTheGame
	}
	return out
}()

type tokenInput struct {
	GamePath
	Body contract.TokenWish
}

func (s *Server) tokens(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "make-token", Method: http.MethodPost,
		Path: "/v1/games/{game}/tokens", Summary: "A token for one player", Tags: []string{"tokens"}, Errors: []int{403,
			404, 409, 422},
		Description: "The game's own server asks for it when it has found out who its player is."}, s.makeToken)
}

func (s *Server) makeToken(ctx context.Context, in *tokenInput) (*body[contract.Token], error) {
	if s.tokenKeys == nil {
		return nil, problem(http.StatusConflict, "no-tokens", "This service asks for no tokens",
			"It answers to this machine only. Start it with -tokens.")
	}
	if _, err := s.store.Game(ctx, in.Game); err != nil {
		return nil, s.asProblem(err)
	}
	good := auth.PlayerFor
	if in.Body.For > 0 {
		good = time.Duration(in.Body.For) * time.Second
	}
	now := time.Now()
	token, err := s.tokenKeys.Issue(auth.Who{Role: auth.Player, Game: in.Game, Player: in.Body.Player}, now, good)
	if err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "There is no such token", "%v.", err)
	}
	return &body[contract.Token]{contract.Token{Token: token, Until: now.Add(good).UTC()}}, nil
}

// login keeps a token in a cookie for the console, or (without one) forgets it.
func (s *Server) login(w http.ResponseWriter, r *http.Request) {
	token := ""
	if r.Method == http.MethodPost {
		token = tokenOf(r)
		if _, err := s.Allow(token); err != nil {
			writeProblem(w, problem(http.StatusUnauthorized, "token", "The token is not good", "%v.", err))
			return
		}
	}
	c := &http.Cookie{Name: cookie, Value: token, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode,
		Secure: s.tls || r.TLS != nil}
	if token == "" {
		c.MaxAge = -1
	}
	http.SetCookie(w, c)
	w.WriteHeader(http.StatusNoContent)
}
