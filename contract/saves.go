package contract

import (
	"time"

	"alluvion.dev/core/save"
	json "github.com/go-json-experiment/json/v1"
)

// Edited is what became of a slot by hand.
type Edited struct {
	Revision int            `json:"revision"`
	Moment   string         `json:"moment"`
	Problems []save.Problem `json:"problems" doc:"What of it the plan does not take as it is, and what it takes instead."`
}

// HandedOver is where a save went that was made without the service.
type HandedOver struct {
	Slot     int            `json:"slot"`
	Revision int            `json:"revision" doc:"What is played on without the service is based on it."`
	Why      string         `json:"why,omitempty" doc:"Why it went to another slot than the one that it began from."`
	Problems []save.Problem `json:"problems" doc:"What of it the plan does not take as it is, and what it takes instead."`
}

// Copying says into which slot a save is copied.
type Copying struct {
	To int `json:"to" minimum:"1" maximum:"100"`
}

// Resetting is a reason to begin a slot anew.
type Resetting struct {
	Why string `json:"why" minLength:"1" maxLength:"500" doc:"The reason; it is kept."`
}

// JSON is JSON that is handed on as it is.
type JSON json.RawMessage

// MarshalJSON hands it on.
func (a JSON) MarshalJSON() ([]byte, error) {
	if len(a) == 0 {
		return []byte("null"), nil
	}
	return a, nil
}

// UnmarshalJSON takes it as it is.
func (a *JSON) UnmarshalJSON(raw []byte) error {
	*a = append((*a)[:0], raw...)
	return nil
}

// KeyInfo is a key that seals what leaves the service.
type KeyInfo struct {
	ID     string    `json:"id"`
	MadeAt time.Time `json:"made_at"`
	Seals  bool      `json:"seals" doc:"Whether it is the one that seals now; the others only verify."`
}
