package api

import (
	"fmt"
	"net/http"
	"time"

	json "github.com/go-json-experiment/json/v1"
)

// again tells how something stands, again and again (Server-Sent Events), until that was the last of it, it is no more
// (which the event closed says), nobody listens, or the service stops.
func (s *Server) again(w http.ResponseWriter, r *http.Request, event string, every time.Duration,
	look func() (data any, last bool, err error)) {
	out := http.NewResponseController(w)
	for begun := false; ; begun = true {
		data, last, err := look()
		if err != nil && !begun {
			s.writeError(w, err)
			return
		}
		if !begun {
			w.Header().Set("Content-Type", "text/event-stream")
			w.Header().Set("Cache-Control", "no-store")
		}
		_ = out.SetWriteDeadline(time.Now().Add(10 * time.Second))
		if err != nil {
			_, _ = fmt.Fprint(w, "event: closed\ndata: {}\n\n")
			return
		}
		raw, err := json.Marshal(data)
		if err != nil {
			s.log.Error("what is told again and again cannot be written", "event", event, "error", err)
			return
		}
		if _, err := fmt.Fprintf(w, "event: %s\ndata: %s\n\n", event, raw); err != nil || last {
			return
		}
		_ = out.Flush()
		select {
		case <-r.Context().Done():
			return
		case <-s.closing:
			return
		case <-time.After(every):
		}
	}
}
