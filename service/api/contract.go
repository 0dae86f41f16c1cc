package api

import (
	"cmp"
	"fmt"
	"maps"
	"net/http"
	"reflect"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
)

// tags are the parts of the contract, in its order.
var tags = []*huma.Tag{
	{Name: "about", Description: "The service itself: whether it is well, what it can say, who one is."},
	{Name: "plans", Description: "Games and their plans, and texts that are sent along: judged, shown and changed, without anything being stored."},
	{Name: "service", Description: "Whether the service can read and write."},
	{Name: "versions", Description: "Published versions, comparing them, and trials over saves."},
	{Name: "rehearsals", Description: "Rehearsals that are kept with a game, and trying out without a game."},
	{Name: "scout", Description: "Searching what could happen under a plan."},
	{Name: "sessions", Description: "Live sessions: what is asked of them, and what they hold."},
	{Name: "players", Description: "What players have, now and saved."},
	{Name: "saves", Description: "Saves: read, checked, corrected, copied, and their revisions."},
	{Name: "standings", Description: "Orderings of players."},
	{Name: "commons", Description: "What several games hold in common."},
	{Name: "budgets", Description: "What state costs on the wire."},
	{Name: "tokens", Description: "Tokens, for services that ask for them."},
}

// complete fills in what holds for every call: who may, what every call may answer, and what is served beside the
// calls that the library describes.
func complete(api *huma.OpenAPI) {
	api.Servers = []*huma.Server{{URL: "/", Description: "The service that serves this document."}}
	api.Info.License = &huma.License{Name: "as the service that serves it"}
	api.Info.Contact = &huma.Contact{Name: "whoever runs the service"}
	if api.Components.SecuritySchemes == nil {
		api.Components.SecuritySchemes = map[string]*huma.SecurityScheme{}
	}
	api.Components.SecuritySchemes["token"] = &huma.SecurityScheme{Type: "http", Scheme: "bearer", BearerFormat: "JWT",
		Description: "A token of alluvion token, or of make-token, where the service asks for them (serve -tokens). A service that does not answers only its own machine, and needs none."}
	besides(api)
	api.Tags = tags
	for path, item := range api.Paths {
		for method, op := range operationsOf(item) {
			describe(api, method, path, op)
		}
	}
}

// operationsOf are the calls of a path, by method.
func operationsOf(item *huma.PathItem) map[string]*huma.Operation {
	out := map[string]*huma.Operation{"GET": item.Get, "PUT": item.Put, "POST": item.Post, "DELETE": item.Delete}
	maps.DeleteFunc(out, func(_ string, op *huma.Operation) bool { return op == nil })
	return out
}

func describe(api *huma.OpenAPI, method, path string, op *huma.Operation) {
	op.Security = []map[string][]string{{"token": {}}, {}}
	if reflect.ValueOf(grants[method+" "+path]).Pointer() == reflect.ValueOf(forAll).Pointer() {
		op.Security = []map[string][]string{{}}
	}
	if op.Description == "" {
		op.Description = op.Summary + "."
	}
	statuses := []int{400, 401, 403, 500, 503}
	if strings.Contains(path, "{") {
		statuses = append(statuses, 404)
	}
	if op.RequestBody != nil {
		statuses = append(statuses, 408, 413, 415, 422)
	}
	for _, status := range statuses {
		answers(api, op, status)
	}
	if ok := op.Responses["200"]; method == http.MethodGet && ok != nil && tagged[path] {
		op.Responses["304"] = &huma.Response{Description: "What is there has the entity tag that If-None-Match says."}
	}
}

// answers says that a call may answer a status with a problem, where that is not said yet.
func answers(api *huma.OpenAPI, op *huma.Operation, status int) {
	if op.Responses == nil {
		op.Responses = map[string]*huma.Response{}
	}
	if op.Responses[strconv.Itoa(status)] != nil {
		return
	}
	op.Responses[strconv.Itoa(status)] = &huma.Response{Description: http.StatusText(status),
		Content: map[string]*huma.MediaType{"application/problem+json": {Schema: api.Components.Schemas.Schema(reflect.TypeFor[contract.Problem](), true, "Problem")}}}
}

// besides are the routes that the library does not describe by itself.
func besides(api *huma.OpenAPI) {
	session := []*huma.Param{{Name: "game", In: "path", Required: true, Schema: &huma.Schema{Type: "string"}},
		{Name: "session", In: "path", Required: true, Schema: &huma.Schema{Type: "string"}}}
	text := func(kind, what string) map[string]*huma.Response {
		return map[string]*huma.Response{"200": {Description: what,
			Content: map[string]*huma.MediaType{kind: {Schema: &huma.Schema{Type: "string"}}}}}
	}
	live := &huma.Operation{OperationID: "connect", Method: http.MethodGet,
		Path: "/v1/games/{game}/sessions/{session}/live", Summary: "Connect a player's machine, or one of the game's servers", Tags: []string{"sessions"}, Parameters: session,
		Description: "A WebSocket (RFC 6455) with the sub-protocol alluvion.json.1 or alluvion.packed.1, or those that end in 2 where the plan has scenes with near; docs/wire.md says what is said. The token is in the hello.",
		Responses:   map[string]*huma.Response{"101": {Description: "The connection is a WebSocket from here on."}}}
	api.AddOperation(live)
	answers(api, live, http.StatusUpgradeRequired)
	sought := append(session[:2:2], asked[contract.Sought]()...)
	watch := &huma.Operation{OperationID: "watch-session-events", Method: http.MethodGet,
		Path: "/v1/games/{game}/sessions/{session}/watch", Summary: "A session as it goes on", Tags: []string{"sessions"},
		Description: "Server-sent events: overview, as watch-session answers it, several times a second.",
		Parameters:  sought,
		Responses:   text("text/event-stream", "Events, until the session ends.")}
	api.AddOperation(watch)
	api.AddOperation(&huma.Operation{OperationID: "metrics", Method: http.MethodGet, Path: "/metrics",
		Summary: "Figures for a monitoring system", Tags: []string{"about"},
		Description: "In the Prometheus text format.", Responses: text("text/plain", "The figures.")})
	for method, what := range map[string]string{http.MethodPost: "Keep the token of the Authorization header in a cookie, for the console", http.MethodDelete: "Forget the console's cookie"} {
		op := &huma.Operation{OperationID: strings.ToLower(method) + "-login", Method: method, Path: "/v1/login",
			Summary: what, Tags: []string{"tokens"}, Responses: map[string]*huma.Response{"204": {Description: "Done."}}}
		api.AddOperation(op)
	}
	api.AddOperation(&huma.Operation{OperationID: "count-saves-events", Method: http.MethodGet, Path: "/v1/games/{game}/population/events",
		Summary: "What all saves of a game hold, as they are counted", Tags: []string{"saves"},
		Description: "Server-sent events: progress, with how many were looked at (looked) and how many slots there are (all); the last one has what count-saves answers (counted).",
		Parameters:  append(session[:1:1], asked[contract.PopulationPick]()...),
		Responses:   text("text/event-stream", "Events, until all are counted.")})
	for _, path := range []string{"/v1/games/{game}/trials/{trial}/events"} {
		api.AddOperation(&huma.Operation{OperationID: "trial-events", Method: http.MethodGet, Path: path,
			Summary: "A trial as it goes on", Tags: []string{"versions"},
			Description: "Server-sent events: progress, as get-trial answers it, until the trial has ended.",
			Parameters: []*huma.Param{session[0], {Name: "trial", In: "path", Required: true,
				Schema: &huma.Schema{Type: "string"}}}, Responses: text("text/event-stream",
				"Events, until the trial has ended.")})
	}
}

// plainer is what the HTTP library finds wrong with a request, as a sentence that says what and where.
func plainer(errs []error) string {
	var out []string
	for _, e := range errs {
		if e == nil {
			continue
		}
		text := e.Error()
		if d, ok := e.(huma.ErrorDetailer); ok {
			text = plainerDetail(d.ErrorDetail())
		}
		out = append(out, text)
	}
	return strings.Join(out, " ")
}

// wanted are the library's words for what a value is to be, in ours.
var wanted = strings.NewReplacer("expected string", "a text is wanted", "expected integer", "a whole number is wanted",
	"expected number", "a number is wanted", "expected boolean", "true or false is wanted",
	"expected object", "a table (JSON object) is wanted", "expected array", "a list (JSON array) is wanted", "expected value to be one of", "it is one of", "expected length", "its length has to be", "expected number", "a number is wanted",
	"expected array length", "the number of items has to be", "unexpected property", "there is nothing called so here", "required query parameter is missing", "it is needed")

func plainerDetail(d *huma.ErrorDetail) string {
	where := strings.TrimPrefix(strings.TrimPrefix(d.Location, "body."), "body")
	if where == "" {
		where = "The request"
	}
	text := d.Message
	if name, ok := strings.CutPrefix(text, "expected required property "); ok {
		name, _, _ = strings.Cut(name, " ")
		if where == "The request" {
			return fmt.Sprintf("%s is missing.", name)
		}
		return fmt.Sprintf("%s.%s is missing.", where, name)
	}
	text = strings.ReplaceAll(wanted.Replace(text), `"`, "")
	if v := fmt.Sprint(d.Value); d.Value != nil && len(v) < 60 && where != "The request" &&
		!strings.Contains(text, "nothing called") {
		text += ", not " + v
	}
	return fmt.Sprintf("%s: %s.", where, strings.TrimSuffix(text, "."))
}

// asked are the parameters of an address that a type's fields say.
func asked[T any]() []*huma.Param {
	var out []*huma.Param
	for _, field := range reflect.VisibleFields(reflect.TypeFor[T]()) {
		if field.Anonymous {
			continue
		}
		kind := map[reflect.Kind]string{reflect.Int: "integer"}[field.Type.Kind()]
		out = append(out, &huma.Param{Name: field.Tag.Get("query"), In: "query", Description: field.Tag.Get("doc"),
			Schema: &huma.Schema{Type: cmp.Or(kind, "string")}})
	}
	return out
}
