package cluster

import (
	"context"
	"errors"
	"fmt"

	json "github.com/go-json-experiment/json/v1"
	"github.com/nats-io/nats.go"
)

// asked is what one node asks of another: to let a player leave.
type asked struct {
	Game   string `json:"game"`
	Player string `json:"player"`
}

type answered struct {
	Place uint64 `json:"place"` // how far its file has come then
	Error string `json:"error,omitempty"`
}

func nodeSubject(node string) string { return "alluvion.node." + node }

// Answer says to the others that this node is there, and lets them ask it to let a player leave: release saves them, and
// returns when that is applied here. apart is called again and again while this node does not reach most of the others,
// so that another one may run its sessions.
func (n *Node) Answer(release func(ctx context.Context, game, player string) error, apart func()) error {
	_, err := n.nc.Subscribe(nodeSubject(n.me.Node), func(m *nats.Msg) {
		go func() {
			var a asked
			var out answered
			err := json.Unmarshal(m.Data, &a)
			if err == nil {
				ctx, cancel := context.WithTimeout(n.ctx, n.c.Lease)
				defer cancel()
				err = release(ctx, a.Game, a.Player)
			}
			if out.Place = n.store.Place(); err != nil {
				out.Error = err.Error()
			}
			raw, _ := json.Marshal(out)
			_ = m.Respond(raw)
		}()
	})
	n.alive.present(apart)
	return err
}

// Release asks another node to save a player and let them leave, and returns when this node's file has what they
// had then.
func (n *Node) Release(ctx context.Context, node, game, player string) error {
	raw, err := json.Marshal(asked{game, player})
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, n.c.Lease)
	defer cancel()
	m, err := n.nc.RequestWithContext(ctx, nodeSubject(node), raw)
	if err != nil {
		return fmt.Errorf("the node %s does not answer: %w", node, err)
	}
	var a answered
	if err := json.Unmarshal(m.Data, &a); err != nil {
		return err
	}
	if a.Error != "" {
		return errors.New(a.Error)
	}
	return n.store.Reached(ctx, a.Place)
}
