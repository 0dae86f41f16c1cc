package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/service/cluster"
	"alluvion.dev/service/live"
	"alluvion.dev/service/store"
)

func problem(status int, kind, title, format string, args ...any) *contract.Problem {
	return &contract.Problem{Type: "/problems/" + kind, Title: title, Status: status,
		Detail: fmt.Sprintf(format, args...)}
}

// unread is what the HTTP library says of a body that breaks off, or is cut into pieces wrongly.
const unread = "cannot read request body"

// TwoLengths answers a request that says in two ways how long it is (RFC 9112, section 6.1).
func TwoLengths(w http.ResponseWriter) {
	writeProblem(w, problem(http.StatusBadRequest, "bad-request", "The request cannot be understood",
		"It has a Content-Length and a Transfer-Encoding: only one of them can say how long it is."))
}

// newError makes problems of what the HTTP library itself finds wrong with a request.
func newError(status int, message string, errs ...error) huma.StatusError {
	if message == unread {
		return problem(http.StatusBadRequest, "bad-request", "The request cannot be understood",
			"Its body could not be read to its end.")
	}
	p := problem(status, "bad-request", "The request cannot be understood", "%s", message)
	switch status {
	case http.StatusNotFound:
		p.Type, p.Title = "/problems/not-found", "There is no such thing here"
	case http.StatusRequestEntityTooLarge:
		p.Type, p.Title = "/problems/too-large", "The request is too large"
	case http.StatusUnsupportedMediaType:
		p.Type, p.Title = "/problems/media-type", "The request is in a form that is not read here"
	case http.StatusInternalServerError:
		p.Type, p.Title = "/problems/failed", "The service failed"
	}
	for _, e := range errs {
		if e != nil {
			p.Errors = append(p.Errors, e.Error())
		}
	}
	if text := plainer(errs); text != "" {
		p.Detail = text
	}
	return p
}

// writeError answers with an error where the HTTP library does not do it.
func (s *Server) writeError(w http.ResponseWriter, err error) {
	var known *contract.Problem
	errors.As(s.asProblem(err), &known)
	writeProblem(w, known)
}

// asProblem turns an error of the core, the sessions or the store into a problem.
func (s *Server) asProblem(err error) error {
	var known *contract.Problem
	var refusal *engine.Refusal
	var playing *live.Playing
	var elsewhere *live.Elsewhere
	switch {
	case err == nil:
		return nil
	case errors.As(err, &known):
		return known
	case errors.As(err, &refusal):
		return refused(refusal)
	case errors.As(err, &playing):
		return problem(http.StatusConflict, engine.Refused, "The player is playing", "%v.", err)
	case errors.Is(err, store.ErrNotFound):
		return problem(http.StatusNotFound, "not-found", "There is no such thing here", "There is no %v.",
			unwrapped(err))
	case errors.Is(err, live.ErrNoSession):
		return problem(http.StatusNotFound, "no-session", "The session is not open", "%v. Open it first.", err)
	case errors.Is(err, live.ErrOpen):
		return problem(http.StatusConflict, "open", "A session is open", "%v.", err)
	case errors.Is(err, live.ErrClosed):
		return problem(http.StatusGone, "closed", "The session is closed", "%v.", err)
	case errors.Is(err, live.ErrName):
		return problem(http.StatusUnprocessableEntity, "invalid", "The request is not what the plan says", "%v.", err)
	case errors.Is(err, store.ErrLease):
		return problem(http.StatusConflict, "conflict", "Somebody else has the save",
			"%v. What was to be saved is kept as a revision of its own, which is not the newest; nobody comes back to it until it is restored.", err)
	case errors.Is(err, store.ErrConflict):
		return problem(http.StatusPreconditionFailed, "conflict", "Somebody else changed it",
			"%v. Read it again, and repeat the change on that.", err)
	case errors.Is(err, save.ErrVersion), errors.Is(err, save.ErrFormat), errors.Is(err, save.ErrGame), errors.Is(err,
		save.ErrSeal):
		return problem(http.StatusConflict, "save", "The save cannot be loaded", "%v.", err)
	case upgrade.IsRefused(err):
		return problem(http.StatusConflict, "save", "The save cannot be loaded", "%v.", err)
	case errors.Is(err, save.ErrUnknown):
		return problem(http.StatusNotFound, engine.Unknown, "There is no such thing here", "%v.", err)
	case errors.Is(err, save.ErrByItself):
		return problem(http.StatusConflict, engine.Refused, "The plan does not allow it now", "%v.", err)
	case errors.Is(err, save.ErrValue):
		return problem(http.StatusUnprocessableEntity, engine.Invalid, "The request is not what the plan says", "%v.",
			err)
	case errors.As(err, &elsewhere), errors.Is(err, store.ErrFenced):
		return problem(http.StatusServiceUnavailable, "elsewhere", "Another node runs this session", "%v. Ask again.", err)
	case errors.Is(err, store.ErrMoved), errors.Is(err, store.ErrMixed), errors.Is(err, live.ErrHeld):
		return problem(http.StatusServiceUnavailable, "elsewhere", "A player is in a session at another node", "%v. Ask again.", err)
	case errors.Is(err, cluster.ErrApart):
		return problem(http.StatusServiceUnavailable, "apart", "This node is cut off", "%v, so that it runs no session. Ask another one, or again later.", err)
	case errors.Is(err, store.ErrOlder):
		return problem(http.StatusConflict, "older", "Not all nodes can read it", "%v.", err)
	case errors.Is(err, store.ErrNext):
		return problem(http.StatusConflict, "next", "It is not the next version", "%v.", err)
	case errors.Is(err, store.ErrDamaged):
		return problem(http.StatusInternalServerError, "damaged", "What is stored is damaged", "%v.", err)
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, context.Canceled):
		return problem(http.StatusServiceUnavailable, "too-slow", "The service did not answer in time",
			"The request was given up. It may still be carried out; a numbered request can be repeated.")
	}
	s.log.Error("a request failed", "error", err)
	return problem(http.StatusInternalServerError, "failed", "The service failed", "%v", err)
}

// unwrapped is what was not found, without the words "not found" behind it.
func unwrapped(err error) string {
	text, suffix := err.Error(), ": "+store.ErrNotFound.Error()
	if len(text) > len(suffix) && text[len(text)-len(suffix):] == suffix {
		return text[:len(text)-len(suffix)]
	}
	return text
}

func refused(r *engine.Refusal) *contract.Problem {
	statuses := map[string]int{engine.Unknown: http.StatusNotFound, engine.Invalid: http.StatusUnprocessableEntity,
		engine.Refused: http.StatusConflict, engine.Failed: http.StatusConflict, engine.Repeated: http.StatusConflict, engine.Stale: http.StatusConflict,
		engine.Forbidden: http.StatusForbidden, engine.TooFast: http.StatusConflict, engine.TooOften: http.StatusTooManyRequests}
	titles := map[string]string{engine.Unknown: "There is no such thing here",
		engine.Invalid: "The request is not what the plan says",
		engine.Refused: "The plan does not allow it now", engine.Failed: "A rule of the plan failed", engine.Repeated: "It was applied before",
		engine.Stale: "The player is elsewhere by now", engine.Forbidden: "Players may not ask for this", engine.TooFast: "Nobody moves that fast", engine.TooOften: "That is too often"}
	p := problem(statuses[r.Kind], r.Kind, titles[r.Kind], "%s", r.Reason)
	p.Key, p.Rule, p.Line = r.Key, r.Rule, r.Line
	return p
}
