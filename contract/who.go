package contract

import (
	"time"
)

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
