package contract

import (
	"alluvion.dev/core/finding"
)

// Problem is how every error reaches a client (RFC 9457).
type Problem struct {
	Type     string       `json:"type" doc:"Stable name of the kind of problem, as /problems/refused."`
	Title    string       `json:"title" doc:"What kind of problem it is, for people."`
	Status   int          `json:"status" doc:"The HTTP status."`
	Detail   string       `json:"detail,omitempty" doc:"What is wrong this time."`
	Key      string       `json:"key,omitempty" doc:"What the detail is known by in the plan, for a game that says it in words of its own: events.haul.refused."`
	Rule     int          `json:"rule,omitempty" doc:"The rule of the plan that refused or failed, from 1."`
	Line     int          `json:"line,omitempty" doc:"The line of the plan."`
	Findings finding.List `json:"findings,omitempty" doc:"What is wrong with the plan that was sent."`
	Errors   []string     `json:"errors,omitempty" doc:"What is wrong with the request, one by one."`
	Patch    JSON         `json:"patch,omitempty" doc:"What somebody else changed in the meantime, as a JSON Patch (RFC 6902)."`
}

// Error is the detail.
func (p *Problem) Error() string {
	if p.Detail != "" {
		return p.Detail
	}
	return p.Title
}

// GetStatus is the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is that of RFC 9457.
func (p *Problem) ContentType(string) string { return "application/problem+json" }
