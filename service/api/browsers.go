package api

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
)

// What makes browsers and other clients of HTTP at home here: pages of other origins that may ask, entity tags, and
// answers that are sent packed.

// shared lets pages of the listed origins ask (the CORS protocol of the Fetch standard): with a token in a header, and
// never with a cookie. Pages of other origins are answered as if nothing had been said.
func (s *Server) shared(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		origin := r.Header.Get("Origin")
		if origin == "" || !slices.Contains(s.origins, origin) {
			next.ServeHTTP(w, r)
			return
		}
		h := w.Header()
		h.Add("Vary", "Origin")
		h.Set("Access-Control-Allow-Origin", origin)
		h.Set("Access-Control-Expose-Headers", "ETag")
		if r.Method != http.MethodOptions || r.Header.Get("Access-Control-Request-Method") == "" {
			r.Header.Del("Cookie")
			next.ServeHTTP(w, r)
			return
		}
		h.Set("Access-Control-Allow-Methods", "GET, HEAD, PUT, POST, DELETE")
		h.Set("Access-Control-Allow-Headers", "Authorization, Content-Type, If-Match, If-None-Match")
		h.Set("Access-Control-Max-Age", "600")
		w.WriteHeader(http.StatusNoContent)
	})
}

// foreign says whether a browser sends the request for a page of another site that may not ask.
func (s *Server) foreign(r *http.Request) bool {
	origin := r.Header.Get("Origin")
	if origin != "" && slices.Contains(s.origins, origin) {
		return false
	}
	if site := r.Header.Get("Sec-Fetch-Site"); site != "" && site != "same-origin" && site != "none" {
		return r.Method != http.MethodGet && r.Method != http.MethodHead
	}
	if origin == "" {
		return false
	}
	u, err := url.Parse(origin)
	return err != nil || u.Host != r.Host
}

// tagged are the routes whose entity tag is that of the whole answer. That of a player's values is the one of the save
// that a correction would replace: the live values beside it change without it.
var tagged = map[string]bool{"/v1/games/{game}/plan": true, "/v1/commons/{commons}": true,
	"/v1/games/{game}/sessions/{session}/layout":          true,
	"/v1/games/{game}/players/{player}/slots/{slot}/save": true}

// unchanged answers 304 where the client has what is there already (RFC 9110, section 13.1.2).
func unchanged(routes chi.Routes) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler { return answered304(routes, next) }
}

func answered304(routes chi.Routes, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		known := r.Header.Get("If-None-Match")
		if route, taken := routeOf(routes, r); known == "" || !taken || route.method != http.MethodGet ||
			!tagged[route.pattern] {
			next.ServeHTTP(w, r)
			return
		}
		next.ServeHTTP(&knower{ResponseWriter: w, known: known}, r)
	})
}

// knower answers 304, and no body, where the answer has an entity tag that is known.
type knower struct {
	http.ResponseWriter
	known   string
	decided bool
	same    bool
}

// WriteHeader decides.
func (k *knower) WriteHeader(status int) {
	if k.decided = true; status == http.StatusOK && known(k.known, k.Header().Get("ETag")) {
		k.same, status = true, http.StatusNotModified
		k.Header().Del("Content-Type")
		k.Header().Del("Content-Length")
	}
	k.ResponseWriter.WriteHeader(status)
}

// Write writes where there is something to say.
func (k *knower) Write(raw []byte) (int, error) {
	if !k.decided {
		k.WriteHeader(http.StatusOK)
	}
	if k.same {
		return len(raw), nil
	}
	return k.ResponseWriter.Write(raw)
}

// Unwrap gives what is written to.
func (k *knower) Unwrap() http.ResponseWriter { return k.ResponseWriter }

// packed compresses answers of some length. What holds a secret is never compressed beside what a client chooses (the
// BREACH attack), and what goes on and on is not held back.
func packed(next http.Handler) http.Handler {
	pack := middleware.Compress(5, "application/json", "application/problem+json", "application/yaml", "text/html",
		"text/css", "text/javascript", "image/svg+xml")(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for _, part := range []string{"/tokens", "/keys", "/login", "/live", "/watch", "/events"} {
			if strings.HasSuffix(r.URL.Path, part) {
				next.ServeHTTP(w, r)
				return
			}
		}
		pack.ServeHTTP(w, r)
	})
}
