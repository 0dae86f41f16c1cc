package contract

import (
	"time"
)

// CommonsInfo is a document of player variables that several games hold in common.
type CommonsInfo struct {
	ID        string    `json:"id"`
	Title     string    `json:"title"`
	Version   int       `json:"version"`
	Variables []string  `json:"variables"`
	UpdatedAt time.Time `json:"updated_at"`
}
