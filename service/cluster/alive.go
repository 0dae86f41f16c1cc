package cluster

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	json "github.com/go-json-experiment/json/v1"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"

	"alluvion.dev/service/store"
)

// Peer is one of those that are there.
type Peer struct {
	Node string `json:"node"`
	Run  string `json:"run"`
	// API is where it answers.
	API string `json:"api"`
	// Place is how far its file has come in the order.
	Place uint64 `json:"place"`
	// Version is that of its program.
	Version string `json:"version"`
	// Gone says that it is about to stop.
	Gone bool `json:"gone,omitempty"`

	heard time.Time
}

// alive says which nodes are there. Each says so to all others several times within the lease; when one was last heard
// is told by one's own clock. By what it writes, and most of the nodes keep, a node knows that it is with most of them.
type alive struct {
	n      *Node
	bucket jetstream.KeyValue
	looked atomic.Uint64 // how far the stream was read
	waited atomic.Int64  // of what was read last: how long it had been in the stream, in nanoseconds

	mu    sync.Mutex
	nodes map[string]Peer
	wrote time.Time // when this node last began to write that it is there, of those times that succeeded
	gone  bool
}

const (
	aliveSubject = "alluvion.alive"
	// beats is how often a node says within the lease that it is there.
	beats = 8
)

func (n *Node) watchOver(ctx context.Context) (*alive, error) {
	a := &alive{n: n, nodes: map[string]Peer{}}
	err := again(ctx, func(ctx context.Context) (err error) {
		a.bucket, err = n.js.CreateOrUpdateKeyValue(ctx, jetstream.KeyValueConfig{Bucket: "alluvion-alive", Replicas: n.replicas,
			Storage: jetstream.FileStorage}) // kept in memory it has no leader any more once most nodes were killed at once
		return err
	})
	if err != nil {
		return nil, err
	}
	if err := again(ctx, a.write); err != nil {
		return nil, err
	}
	if _, err := n.nc.Subscribe(aliveSubject, a.hear); err != nil {
		return nil, err
	}
	n.ended.Add(1)
	go a.every(func() {
		ctx, cancel := context.WithTimeout(n.ctx, n.c.Lease/3)
		defer cancel()
		_ = a.write(ctx)
	})
	// Whoever has just come has heard nobody yet, and would take over what others run.
	select {
	case <-time.After(n.c.Lease / beats * 3):
	case <-ctx.Done():
	}
	return a, ctx.Err()
}

// present says from now on that this node is there: it can answer. apart is called while it does not reach most of the
// others.
func (a *alive) present(apart func()) {
	a.n.ended.Add(1)
	go a.every(func() {
		if a.n.Together() != nil {
			apart()
		}
		a.say()
		a.miss()
	})
}

// every does something with each beat, until the node stops.
func (a *alive) every(do func()) {
	defer a.n.ended.Done()
	tick := time.NewTicker(a.n.c.Lease / beats)
	defer tick.Stop()
	for {
		do()
		select {
		case <-a.n.ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// say tells all others that this node is there.
func (a *alive) say() {
	n := a.n
	a.mu.Lock()
	me := Peer{Node: n.me.Node, Run: n.me.Run, API: n.c.API, Version: n.c.Version, Place: a.looked.Load(), Gone: a.gone}
	a.mu.Unlock()
	if raw, err := json.Marshal(me); err == nil {
		_ = n.nc.Publish(aliveSubject, raw)
	}
}

// write says it where most of the others keep it.
func (a *alive) write(ctx context.Context) error {
	began := time.Now()
	if _, err := a.bucket.Put(ctx, a.n.me.Node, []byte(strconv.Itoa(store.Format))); err != nil {
		return err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	a.wrote = began
	return nil
}

func (a *alive) hear(m *nats.Msg) {
	var p Peer
	if json.Unmarshal(m.Data, &p) != nil {
		return
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if p.Gone {
		if _, there := a.nodes[p.Node]; there {
			a.n.c.Log.Info("a node has stopped", "name", p.Node)
		}
		delete(a.nodes, p.Node)
		return
	}
	p.heard = time.Now()
	known, there := a.nodes[p.Node]
	if (!there || known.Run != p.Run) && p.Node != a.n.me.Node {
		a.n.c.Log.Info("a node is there", "name", p.Node, "address", p.API)
	}
	a.nodes[p.Node] = p
}

// miss forgets those that were not heard for the length of the lease.
func (a *alive) miss() {
	a.mu.Lock()
	defer a.mu.Unlock()
	for name, p := range a.nodes {
		if time.Since(p.heard) >= a.n.c.Lease {
			a.n.c.Log.Warn("a node is not heard any more: others run its sessions when they are asked for", "name", name)
			delete(a.nodes, name)
		}
	}
}

// leave says that this node is not there any more.
func (a *alive) leave() {
	a.mu.Lock()
	a.gone = true
	a.mu.Unlock()
	a.say()
	_ = a.n.nc.FlushTimeout(2 * time.Second)
}

// Peer finds one that is there; false where it was not heard for the length of the lease.
func (n *Node) Peer(node string) (Peer, bool) {
	a := n.alive
	a.mu.Lock()
	defer a.mu.Unlock()
	p, ok := a.nodes[node]
	return p, ok && time.Since(p.heard) < n.c.Lease
}

// Peers are those that are there, by name.
func (n *Node) Peers() []Peer {
	a := n.alive
	a.mu.Lock()
	defer a.mu.Unlock()
	var out []Peer
	for _, p := range a.nodes {
		if time.Since(p.heard) < n.c.Lease {
			out = append(out, p)
		}
	}
	slices.SortFunc(out, func(x, y Peer) int { return strings.Compare(x.Node, y.Node) })
	return out
}

// countsFor is for how long a node that is away counts among those that have to read what is written.
const countsFor = 24 * time.Hour

// Reads is the newest format of messages that all nodes read that were there within a day, and why none newer is
// written: a node that is away for a moment has to read later what is written now.
func (p *putting) Reads() (format int, why string) {
	a := p.n.alive
	if time.Since(p.asked) < time.Second {
		return p.format, p.why
	}
	ctx, cancel := context.WithTimeout(p.n.ctx, 2*time.Second)
	defer cancel()
	format = store.Format
	keys, err := a.bucket.Keys(ctx)
	for _, key := range keys {
		entry, failed := a.bucket.Get(ctx, key)
		if failed != nil {
			err = failed
			continue
		}
		reads, failed := strconv.Atoi(string(entry.Value()))
		if failed != nil {
			reads = 1 // before it said so
		}
		if time.Since(entry.Created()) < countsFor && reads < format {
			format, why = reads, fmt.Sprintf("the program of %s is older, start the newer one there first", key)
		}
	}
	if err != nil {
		return 1, "the nodes cannot be asked now"
	}
	p.asked, p.format, p.why = time.Now(), format, why
	return format, why
}

// Lag says how far this node has come, how many messages it is behind the one that has come furthest, as that said last,
// and how long what it read last had been written by then.
func (n *Node) Lag() (place, behind uint64, waited time.Duration) {
	place = n.alive.looked.Load()
	for _, p := range n.Peers() {
		if p.Place > place+behind {
			behind = p.Place - place
		}
	}
	return place, behind, time.Duration(n.alive.waited.Load())
}

// Alive says whether a node is there.
func (n *Node) Alive(node string) bool {
	_, ok := n.Peer(node)
	return ok
}

// ErrApart says that this node does not reach most of the others.
var ErrApart = errors.New("this node does not reach most of the others now")

// Together says whether this node has been with most of the others lately: otherwise another may have its sessions.
func (n *Node) Together() error {
	if n.broken.Load() {
		return ErrApart
	}
	a := n.alive
	a.mu.Lock()
	defer a.mu.Unlock()
	// The clock that stands still while a computer sleeps and the one that does not: whichever says that it was longer.
	if time.Since(a.wrote) >= n.c.Lease || time.Now().Round(0).Sub(a.wrote.Round(0)) >= n.c.Lease {
		return ErrApart
	}
	return nil
}
