package api

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"alluvion/service/auth"
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
		next := loopbackOnly(next)
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), whoKey{}, auth.Who{Role: auth.Designer})))
		})
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if foreign(r) {
			writeProblem(w, problem(http.StatusForbidden, "forbidden", "Not from another site", "A page of another site may not ask here."))
			return
		}
		who, err := s.tokenKeys.Verify(tokenOf(r))
		if err == nil {
			r = r.WithContext(context.WithValue(r.Context(), whoKey{}, who))
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

// permitted lets a request through if whoever sends it may ask for that.
func permitted(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		who := whoOf(r.Context())
		switch {
		case forAll(r) || may(who, r):
			next.ServeHTTP(w, r)
		case who.Role == "":
			w.Header().Set("WWW-Authenticate", `Bearer realm="alluvion"`)
			writeProblem(w, problem(http.StatusUnauthorized, "token", "A token is needed", "Send a token that is good, in the header Authorization: Bearer …. alluvion token makes them."))
		default:
			writeProblem(w, problem(http.StatusForbidden, "forbidden", "The token is not for this", "A token of the role %s may not ask for %s %s.", who.Role, r.Method, r.URL.Path))
		}
	})
}

// forAll says what needs no token: the console's own files, whether the service is healthy, signing in and out, and
// connecting, where the hello has the token.
func forAll(r *http.Request) bool {
	path := r.URL.Path
	switch {
	case path == "/healthz", path == "/v1/login":
		return true
	case strings.HasPrefix(path, "/v1/"), path == "/metrics":
		return strings.HasPrefix(path, "/v1/games/") && strings.HasSuffix(path, "/live") && r.Header.Get("Upgrade") != ""
	}
	return true
}

// may says whether somebody may ask for something. What is not named here is for designers.
func may(who auth.Who, r *http.Request) bool {
	if who.Role == auth.Designer {
		return true
	}
	reads := r.Method == http.MethodGet || r.Method == http.MethodHead
	parts := strings.Split(strings.Trim(r.URL.Path, "/"), "/")
	if len(parts) < 4 || parts[0] != "v1" || parts[1] != "games" {
		return who.Role == auth.Server && reads && (r.URL.Path == "/metrics" || r.URL.Path == "/v1/games/"+who.Game)
	}
	game, what := parts[2], parts[3]
	switch what {
	case "players":
		if who.Role == auth.Player {
			return reads && len(parts) > 4 && who.MayPlayer(game, parts[4])
		}
		return who.MayGame(game)
	case "sessions":
		layout := reads && len(parts) == 6 && parts[5] == "layout"
		return who.MayGame(game) || layout && who.Game == game
	case "tokens":
		return who.MayGame(game)
	}
	return reads && who.MayGame(game)
}

// TokenWish is a token that is wanted.
type TokenWish struct {
	Player string `json:"player" minLength:"1" maxLength:"64" doc:"Whom it is for."`
	For    int    `json:"for,omitempty" minimum:"1" maximum:"86400" doc:"For how many seconds it is good; 900 if unsaid."`
}

// Token is a token that was made.
type Token struct {
	Token string    `json:"token" doc:"Secret. Send it in the header Authorization: Bearer, or in a hello."`
	Until time.Time `json:"until" doc:"From then on it is not good any more."`
}

type tokenInput struct {
	GamePath
	Body TokenWish
}

func (s *Server) tokens(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "make-token", Method: http.MethodPost, Path: "/v1/games/{game}/tokens", Summary: "A token for one player", Tags: []string{"tokens"}, Errors: []int{403, 404, 409, 422},
		Description: "The game's own server asks for it when it has found out who its player is."}, s.makeToken)
}

func (s *Server) makeToken(ctx context.Context, in *tokenInput) (*body[Token], error) {
	if s.tokenKeys == nil {
		return nil, problem(http.StatusConflict, "no-tokens", "This service asks for no tokens", "It answers to this machine only. Start it with -tokens.")
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
	return &body[Token]{Token{token, now.Add(good).UTC()}}, nil
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
	c := &http.Cookie{Name: cookie, Value: token, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode, Secure: r.TLS != nil}
	if token == "" {
		c.MaxAge = -1
	}
	http.SetCookie(w, c)
	w.WriteHeader(http.StatusNoContent)
}
