package model

import (
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
)

// unread is what of a plan could not be read. What follows from that is not told again.
type unread struct {
	gaps  plan.Gaps
	at    map[string]bool // the JSON Pointers of what could not be read
	above map[string]bool // those of everything that holds one of them
}

// buildRest builds what of a plan with errors of form could be read, for what is wrong with that: names,
// expressions, limits. One run tells all that can be known.
func buildRest(p *plan.Plan, commons Commons) (found finding.List) {
	defer func() {
		if stumbled := recover(); stumbled != nil { // over what is not there; the errors of form are told alone
			onStumble(stumbled)
			found = nil
		}
	}()
	b := newBuilder(p, commons)
	b.rest = &unread{gaps: p.Gaps, at: p.Unread, above: map[string]bool{}}
	for pointer := range p.Unread {
		for pointer != "" {
			pointer = pointer[:strings.LastIndexByte(pointer, '/')]
			b.rest.above[pointer] = true
		}
	}
	if finding.UpToMost(b.all) {
		b.found = append(b.found, finding.TooMany())
	}
	return b.found
}

// onStumble hears of a plan with errors over which the builder stumbles; tests make it fail.
var onStumble = func(any) {}

// has says whether something is, or is a part of, what could not be read.
func (u *unread) has(pointer string) bool {
	if u == nil {
		return false
	}
	for ; pointer != ""; pointer = pointer[:strings.LastIndexByte(pointer, '/')] {
		if u.at[pointer] {
			return true
		}
	}
	return false
}

// inside says whether a part of something could not be read, or all of it.
func (u *unread) inside(pointer string) bool {
	return u != nil && (u.above[pointer] || u.has(pointer))
}

// blurs says whether so much of a variable's declaration could not be read that nothing is known of its values.
func (u *unread) blurs(pointer string) bool {
	if u == nil || !u.inside(pointer) {
		return false
	}
	if u.at[pointer] {
		return true
	}
	for _, key := range []string{"type", "of", "in", "is", "optional", "roster", "choices", "items", "fields", "min",
		"max", "step"} {
		if u.inside(pointer + "/" + key) {
			return true
		}
	}
	return false
}

// follows says whether a finding follows from something that could not be read: it is about a part of that, or misses
// what could not be read.
func (u *unread) follows(f finding.Finding) bool {
	return u != nil && (u.gaps.Shadow(f) || u.has(f.Pointer) || f.ID == "missing" && u.above[f.Pointer])
}
