package live

import (
	"context"
	"crypto/sha256"
	"fmt"
	"sync"

	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/core/upgrade"
)

// playable is what all sessions of one plan have in common. Nothing of it is ever changed.
type playable struct {
	m      *model.Model
	chain  *upgrade.Chain
	layout *share.Layout
	uses   map[string]string // the texts of the commons that the plan uses, by id, as they were read
}

// mostPlans is how many plans are kept.
const mostPlans = 64

// plans are those that sessions were opened with, by their texts: reading and checking one again takes as long as it did
// at first. It is safe for use by several goroutines.
type plans struct {
	mu   sync.Mutex // guards what follows; never held while a plan is read
	read map[[sha256.Size]byte]*playable
}

// of reads a plan, or gives it as it was read before, where its text and those of all commons that it uses are the same.
func (p *plans) of(ctx context.Context, game, text string, commons func(ctx context.Context) func(string) ([]byte, error)) (*playable,
	error) {
	key := sha256.Sum256([]byte(text))
	read := commons(ctx)
	p.mu.Lock()
	known := p.read[key]
	p.mu.Unlock()
	if known != nil && known.current(read) {
		return known, nil
	}
	uses := map[string]string{}
	m, _, found := check.Plan([]byte(text), func(id string) ([]byte, error) {
		raw, err := read(id)
		uses[id] = string(raw)
		return raw, err
	})
	if found.Errors() {
		return nil, fmt.Errorf("the plan of %s has errors and cannot run: %s", game, found[0].Message)
	}
	one := &playable{m, upgrade.New(m), share.LayoutOf(m), uses}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.read == nil || len(p.read) >= mostPlans {
		p.read = map[[sha256.Size]byte]*playable{}
	}
	p.read[key] = one
	return one, nil
}

// current says whether the commons that a plan uses are still as they were read.
func (p *playable) current(read func(string) ([]byte, error)) bool {
	for id, text := range p.uses {
		if raw, err := read(id); err != nil || string(raw) != text {
			return false
		}
	}
	return true
}
