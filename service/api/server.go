// Package api is the service's network interface: HTTP with JSON, described by api/openapi.yaml, which
// is written from the types here.
package api

import (
	"fmt"
	"io/fs"
	"log/slog"
	"mime"
	"net"
	"net/http"
	"net/netip"
	"path/filepath"
	"reflect"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	json "github.com/go-json-experiment/json/v1"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"alluvion.dev/contract"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"alluvion.dev/service/auth"
	"alluvion.dev/service/cluster"
	"alluvion.dev/service/live"
	"alluvion.dev/service/meter"
	"alluvion.dev/service/scouting"
	"alluvion.dev/service/socket"
	"alluvion.dev/service/store"
	"alluvion.dev/service/trial"
)

// Limits on what a client may send and take.
const (
	maxPlan    = plan.MaxBytes + 1 // one more, so that the reader can say that it is too large
	maxRequest = 64 << 10
	timeLimit  = 20 * time.Second
)

// Server answers HTTP requests.
type Server struct {
	store     *store.Store
	live      *live.Manager
	node      *cluster.Node // nil where the service is alone
	trials    *trial.Runner
	scouts    *scouting.Runner
	log       *slog.Logger
	saveKey   []byte
	tokenKeys *auth.Keys // nil where no tokens are asked for
	meter     *meter.Meter
	socket    *socket.Server
	origins   []string        // of pages of other sites that may ask
	closing   <-chan struct{} // closed when the service stops: what goes on and on ends then
	version   string
	tls       bool // whoever asks comes over TLS
	started   time.Time
	played    map[string]fs.FS // that are played in a browser, by name
	// judgements keeps each game's plan as it was last judged: by game, a judged.
	judgements sync.Map
	stands     *stands
}

// Parts are what the network interface puts together.
type Parts struct {
	Store   *store.Store
	Live    *live.Manager
	Node    *cluster.Node // nil where the service is alone
	Trials  *trial.Runner
	Scouts  *scouting.Runner
	Meter   *meter.Meter
	Keys    *auth.Keys // nil: no tokens are asked for, and only this machine is answered
	SaveKey []byte     // what games sign saves in their own format with; nil for none
	Closing <-chan struct{}
	Origins []string         // of pages of other sites that may ask: https://game.example
	Console fs.FS            // the built web console
	Games   map[string]fs.FS // by name; played at /play/
	Log     *slog.Logger
	Version string
	TLS     bool // whoever asks comes over TLS
}

// New makes the handler of everything that the service serves.
func New(p Parts) http.Handler {
	server := &Server{store: p.Store, node: p.Node, live: p.Live, trials: p.Trials, scouts: p.Scouts, meter: p.Meter, tokenKeys: p.Keys, saveKey: p.SaveKey,
		closing: p.Closing, origins: p.Origins, log: p.Log, version: p.Version, tls: p.TLS, played: p.Games, started: time.Now(), stands: newStands()}
	server.socket = &socket.Server{Live: p.Live, Meter: p.Meter, Log: p.Log, Allow: server.Allow, Origins: p.Origins}
	r := chi.NewRouter()
	r.Use(server.recovered, server.logged, packed, server.shared, server.identified, permitted(r), secured,
		server.passedOn, middleware.GetHead, unchanged(r))
	server.routes(r)
	r.Get("/v1/games/{game}/sessions/{session}/live", server.connect)
	r.Get("/v1/games/{game}/sessions/{session}/watch", server.watch)
	r.Post("/v1/login", server.login)
	r.Delete("/v1/login", server.login)
	r.Get("/metrics", p.Meter.Handler().ServeHTTP)
	for name, files := range p.Games {
		r.Get("/play/"+name, http.RedirectHandler("/play/"+name+"/", http.StatusMovedPermanently).ServeHTTP)
		r.Get("/play/"+name+"/*", playable("/play/"+name+"/", files))
	}
	r.NotFound(consoleOr404(p.Console))
	r.MethodNotAllowed(notAllowed(r))
	return r
}

// settle sets what the library has once for a whole process, in which several services may begin at a time.
var settle = sync.OnceFunc(func() { huma.NewError, huma.DefaultArrayNullable = newError, false })

func (s *Server) routes(r chi.Router) huma.API {
	settle()
	config := huma.DefaultConfig("Alluvion", s.version)
	config.Info.Description = "Define which player state survives what, run it, and look at it. Errors are RFC 9457 problems."
	config.DocsPath, config.SchemasPath, config.CreateHooks = "", "", nil
	registry := huma.NewMapRegistry("#/components/schemas/", schemaName)
	config.Components.Schemas = registry
	registry.RegisterTypeAlias(reflect.TypeFor[types.Value](), reflect.TypeFor[anyValue]())
	registry.RegisterTypeAlias(reflect.TypeFor[fixed.Num](), reflect.TypeFor[float64]())
	registry.RegisterTypeAlias(reflect.TypeFor[wire.Values](), reflect.TypeFor[namedValues]())
	registry.RegisterTypeAlias(reflect.TypeFor[wire.Whole](), reflect.TypeFor[wholeNumber]())
	registry.RegisterTypeAlias(reflect.TypeFor[json.RawMessage](), reflect.TypeFor[anyJSON]())
	registry.RegisterTypeAlias(reflect.TypeFor[contract.JSON](), reflect.TypeFor[anyJSON]())
	var api huma.API
	r.Group(func(r chi.Router) {
		r.Use(middleware.Timeout(timeLimit))
		api = humachi.New(r, config)
		s.about(api)
		s.games(api)
		s.drafts(api)
		s.dryRun(api)
		s.rehearsals(api)
		s.scoutCalls(api)
		s.milestones(api)
		s.sessions(api)
		s.players(api)
		s.standings(api)
		s.commons(api)
		s.compare(api)
		s.versions(api)
		s.saves(api)
		s.adopting(api)
		s.populations(api)
		s.watching(api)
		s.budgets(api)
		s.maps(api)
		s.tokens(api)
		s.nodes(api)
	})
	r.Get("/v1/games/{game}/trials/{trial}/events", s.trialEvents)
	r.Get("/v1/games/{game}/population/events", s.populationEvents)
	complete(api.OpenAPI())
	return api
}

// notAllowed answers a method that a path does not take: with those that it takes, which OPTIONS asks for.
func notAllowed(routes chi.Routes) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		path, allowed := r.URL.RawPath, []string{http.MethodOptions}
		if path == "" {
			path = r.URL.Path
		}
		for _, method := range []string{http.MethodGet, http.MethodHead, http.MethodPut, http.MethodPost,
			http.MethodDelete} {
			asked := method
			if method == http.MethodHead {
				asked = http.MethodGet
			}
			if routes.Match(chi.NewRouteContext(), asked, path) {
				allowed = append(allowed, method)
			}
		}
		w.Header().Set("Allow", strings.Join(allowed, ", "))
		if r.Method == http.MethodOptions {
			w.WriteHeader(http.StatusNoContent)
			return
		}
		writeProblem(w, problem(http.StatusMethodNotAllowed, "method", "It does not take this method",
			"%s takes %s, not %s.", r.URL.Path, strings.Join(allowed, ", "), r.Method))
	}
}

// schemaName names a type in the contract: the one of a save's problems is not that of an answer's.
func schemaName(t reflect.Type, hint string) string {
	if t == reflect.TypeFor[save.Problem]() {
		return "SaveProblem"
	}
	return huma.DefaultSchemaNamer(t, hint)
}

// Contract is the OpenAPI document of the service, as YAML.
func Contract() ([]byte, error) { return described().YAML() }

// described is everything that the service answers, as the contract has it.
func described() *huma.OpenAPI {
	return (&Server{log: slog.Default(), version: "1"}).routes(chi.NewRouter()).OpenAPI()
}

// anyValue is how a value of the state is described: null, true, a number or a text.
type anyValue struct{ types.Value }

// Schema describes it.
func (anyValue) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{Description: "A value: a number, a text, true or false; null for none."}
}

// anyJSON is how what is handed on as it is stored is described.
type anyJSON struct{ contract.JSON }

// Schema describes it.
func (anyJSON) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{Description: "JSON as it is stored."}
}

// namedValues are how a table of values is described; an empty list is an empty table.
type namedValues struct{ wire.Values }

// Schema describes it.
func (namedValues) Schema(r huma.Registry) *huma.Schema {
	none := 0
	return &huma.Schema{Description: "Values by their names.", OneOf: []*huma.Schema{
		{Type: huma.TypeObject, AdditionalProperties: r.Schema(reflect.TypeFor[types.Value](), true,
			"Value")}, {Type: huma.TypeArray, Items: &huma.Schema{}, MaxItems: &none}}}
}

// wholeNumber is how a number of a request is described.
type wholeNumber struct{ wire.Whole }

// Schema describes it.
func (wholeNumber) Schema(huma.Registry) *huma.Schema {
	least, most := 0.0, float64(wire.MostNumber)
	return &huma.Schema{Type: huma.TypeInteger, Minimum: &least, Maximum: &most}
}

// consoleOr404 serves the web console: its files, and its page for every address of a page of it.
func consoleOr404(console fs.FS) http.HandlerFunc {
	files := http.FileServerFS(console)
	return func(w http.ResponseWriter, r *http.Request) {
		path := strings.TrimPrefix(r.URL.Path, "/")
		switch {
		case strings.HasPrefix(path, "v1/") || r.Method != http.MethodGet && r.Method != http.MethodHead:
			writeProblem(w, problem(http.StatusNotFound, "not-found", "There is no such thing here",
				"There is no %s %s.", r.Method, r.URL.Path))
			return
		case path != "" && isFile(console, path):
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		case strings.HasPrefix(path, "assets/"):
			http.NotFound(w, r)
			return
		default:
			r.URL.Path = "/"
			w.Header().Set("Cache-Control", "no-cache")
		}
		if !isFile(console, "index.html") {
			withoutConsole(w)
			return
		}
		files.ServeHTTP(w, r)
	}
}

// playable serves a game's files. Names of assets have a digest in them, and are kept by browsers.
func playable(path string, files fs.FS) http.HandlerFunc {
	serve := http.StripPrefix(strings.TrimSuffix(path, "/"), http.FileServerFS(files))
	return func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-cache")
		w.Header().Set("Content-Security-Policy", strings.Replace(w.Header().Get("Content-Security-Policy"), "; ",
			"; script-src 'self' 'wasm-unsafe-eval'; ", 1)) // a game may run its plan in the page
		if name := strings.TrimPrefix(r.URL.Path, path); name != "" && isFile(files, name+".gz") {
			w.Header().Set("Content-Encoding", "gzip") // every browser that knows WebAssembly reads it
			w.Header().Set("Content-Type", mime.TypeByExtension(filepath.Ext(name)))
			http.ServeFileFS(w, r, files, name+".gz")
			return
		}
		if strings.HasPrefix(r.URL.Path, path+"assets/") {
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		serve.ServeHTTP(w, r)
	}
}

// withoutConsole answers in the place of the console, where the program was built without it.
func withoutConsole(w http.ResponseWriter) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(http.StatusNotFound)
	_, _ = w.Write([]byte(`<!doctype html><html lang="en"><title>Alluvion without its console</title>
<body style="font: 16px/1.5 system-ui, sans-serif; max-width: 38em; margin: 4em auto; padding: 0 1em">
<h1>This program was built without its console</h1>
<p>The service runs: games, sessions and saves are reached at <a href="/v1/games">/v1/games</a>, and
<a href="/openapi.yaml">openapi.yaml</a> says what else there is. The console is a part of the releases, and of what
<code>make build</code> makes from the source; <code>go install</code> leaves it out.</p>
`))
}

func isFile(files fs.FS, path string) bool {
	info, err := fs.Stat(files, path)
	return err == nil && !info.IsDir()
}

// loopbackOnly keeps everybody else out: there are no tokens yet, so whoever reaches the service may do
// everything. It fails closed: a request whose Host is not this machine is refused, which also keeps
// out pages of other sites whose names were made to point here.
func (s *Server) loopbackOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !Loopback(r.Host) || s.foreign(r) {
			writeProblem(w, problem(http.StatusForbidden, "forbidden", "Only this machine may ask",
				"This service answers only to this machine, by its own name."))
			return
		}
		next.ServeHTTP(w, r)
	})
}

// Loopback says whether an address (with or without a port) is this machine's own.
func Loopback(address string) bool {
	host := address
	if h, _, err := net.SplitHostPort(address); err == nil {
		host = h
	}
	host = strings.Trim(host, "[]")
	if host == "localhost" {
		return true
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && ip.IsLoopback()
}

// secured says what a browser may do with what is served here.
func secured(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy",
			"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		next.ServeHTTP(w, r)
	})
}

func (s *Server) recovered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if v := recover(); v != nil && v != http.ErrAbortHandler {
				s.log.Error("a request made the service panic", "path", r.URL.Path, "panic", fmt.Sprint(v), "stack", string(debug.Stack()))
				writeProblem(w, problem(http.StatusInternalServerError, "failed", "The service failed",
					"This should not have happened. The log says more."))
			}
		}()
		next.ServeHTTP(w, r)
	})
}

func (s *Server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		began, seen := time.Now(), middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(seen, r)
		s.log.Debug("request", "method", r.Method, "path", r.URL.Path, "status", seen.Status(), "bytes",
			seen.BytesWritten(), "took", time.Since(began))
	})
}
