package cluster

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"sync/atomic"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"alluvion.dev/service/store"
)

// maxPayload is the largest message that the engine inside of the process takes, in bytes.
const maxPayload = 8 << 20

// A bundle of changes goes through the stream in parts, each small enough for a message. A part begins with who sends it
// and which it is:
//
//	run (10 characters) · bundle, counted by the run (8 bytes) · part (4 bytes) · of how many (4 bytes) · name of the
//	node, behind its length (1 byte) · the bytes themselves
//
// A node has one part on its way at a time, so that the parts of a bundle follow one another, with those of other
// nodes in between. A part may come twice: one whose receipt was lost is sent again.
type part struct {
	from   store.Writer
	bundle uint64
	number uint32
	of     uint32
	bytes  []byte
}

const runLength = 10

var errPart = errors.New("a message of the stream is none of ours")

func (p *part) pack() []byte {
	out := append(make([]byte, 0, len(p.bytes)+64), p.from.Run...)
	out = binary.BigEndian.AppendUint64(out, p.bundle)
	out = binary.BigEndian.AppendUint32(out, p.number)
	out = binary.BigEndian.AppendUint32(out, p.of)
	out = append(out, byte(len(p.from.Node)))
	return append(append(out, p.from.Node...), p.bytes...)
}

func unpackPart(raw []byte) (p part, err error) {
	const head = runLength + 17
	if len(raw) < head || len(raw) < head+int(raw[head-1]) {
		return p, errPart
	}
	named := head + int(raw[head-1])
	return part{from: store.Writer{Run: string(raw[:runLength]), Node: string(raw[head:named])},
		bundle: binary.BigEndian.Uint64(raw[runLength:]), number: binary.BigEndian.Uint32(raw[runLength+8:]),
		of: binary.BigEndian.Uint32(raw[runLength+12:]), bytes: raw[named:]}, nil
}

// putting hands bundles in. It is used by one goroutine, that of the store.
type putting struct {
	n    *Node
	sent uint64

	// What Reads found, and when.
	asked  time.Time
	format int
	why    string
}

// Put keeps a bundle for good: it returns when most nodes have it on disk, and tries until then.
func (p *putting) Put(bundle []byte) error {
	n := p.n
	most := int(n.nc.MaxPayload()) - 1024
	p.sent++
	of := max(1, (len(bundle)+most-1)/most)
	for i := range of {
		one := part{n.me, p.sent, uint32(i), uint32(of), bundle[i*most : min(len(bundle), (i+1)*most)]}
		if err := n.publish(one.pack()); err != nil {
			return err
		}
	}
	return nil
}

// publish tries until the stream has a message, or the node stops.
func (n *Node) publish(raw []byte) error {
	for told := false; ; {
		ctx, cancel := context.WithTimeout(n.ctx, 5*time.Second)
		stored, err := n.js.Publish(ctx, subject, raw)
		cancel()
		if err == nil {
			n.acknowledged.Store(stored.Sequence)
			return nil
		}
		if !told {
			told = true
			n.c.Log.Warn("the nodes cannot write now: it is tried until they can", "error", err)
		}
		select {
		case <-n.ctx.Done():
			return store.ErrClosed
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// Write lets a store be written in the order of all nodes, and returns when its file has everything that was written
// before. told is called of each change that is applied.
func (n *Node) Write(ctx context.Context, s *store.Store, told func(what any, mine bool)) error {
	resume, err := s.InOrder(n.name, &putting{n: n}, n.me, told)
	if err != nil {
		return err
	}
	n.store = s
	n.alive.looked.Store(resume)
	info, err := n.state(ctx)
	if err != nil {
		return err
	}
	if first := info.State.FirstSeq; resume+1 < first {
		return fmt.Errorf("%w: it has come to %d, and the stream begins after %d", errBehind, resume, first-1)
	}
	if info.State.LastSeq < s.Place() {
		return fmt.Errorf("the file has come to %d, and the others only to %d: they are not those that it was written with", s.Place(), info.State.LastSeq)
	}
	n.acknowledged.Store(info.State.LastSeq)
	messages := n.read(resume + 1)
	n.ended.Add(2)
	go func() {
		defer n.ended.Done()
		n.apply(messages, resume)
	}()
	go n.keepShort()
	if info.State.LastSeq > s.Place() {
		n.c.Log.Info("catching up with what the others have written", "from", s.Place(), "to", info.State.LastSeq)
	}
	return n.caughtUp(ctx, info.State.LastSeq)
}

// caughtUp waits until all up to a place has been looked at: applied, or kept because the rest of a bundle is missing.
func (n *Node) caughtUp(ctx context.Context, place uint64) error {
	for n.alive.looked.Load() < place {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case err := <-n.failed:
			return err
		case <-time.After(10 * time.Millisecond):
		}
	}
	return nil
}

// message is one of the stream.
type message struct {
	place uint64
	at    time.Time // when it was written
	bytes []byte
}

// read reads the stream from a place on, until the node stops.
func (n *Node) read(from uint64) <-chan message {
	out := make(chan message, 1024)
	n.ended.Add(1)
	go func() {
		defer n.ended.Done()
		for n.ctx.Err() == nil {
			if from = n.follow(from, out); n.ctx.Err() == nil {
				from = n.ask(from, out)
			}
		}
	}()
	return out
}

// How long nothing may come though there is something to be read, before the stream's leader is asked; and for how long
// that is done before it is tried again to have it sent.
const (
	stalledAfter = time.Second
	askedFor     = 10 * time.Second
)

// follow has the stream sent from a place on, for as long as anything comes. Whoever sends it may die at any moment, or
// be a node that is behind without knowing it. It gives the place to go on from.
func (n *Node) follow(from uint64, out chan<- message) uint64 {
	ctx, stop := context.WithCancel(n.ctx)
	defer stop()
	var next atomic.Uint64
	next.Store(from)
	var reading jetstream.ConsumeContext
	err := again(ctx, func(within context.Context) error {
		consumer, err := n.stream.OrderedConsumer(within, jetstream.OrderedConsumerConfig{
			DeliverPolicy: jetstream.DeliverByStartSequencePolicy, OptStartSeq: max(1, from)})
		if err != nil {
			return err
		}
		reading, err = consumer.Consume(func(m jetstream.Msg) {
			about, err := m.Metadata()
			if err != nil {
				return
			}
			select {
			case out <- message{about.Sequence.Stream, about.Timestamp, m.Data()}:
				next.Store(about.Sequence.Stream + 1)
			case <-ctx.Done():
			}
		}, jetstream.PullHeartbeat(time.Second), jetstream.PullExpiry(5*time.Second))
		return err
	})
	if err != nil {
		return from // the node stops
	}
	defer reading.Stop()
	came, since := from, time.Now()
	for {
		select {
		case <-ctx.Done():
			return next.Load()
		case <-time.After(100 * time.Millisecond):
		}
		if now := next.Load(); now != came || len(out) > 0 || n.written() < now {
			came, since = now, time.Now()
		} else if time.Since(since) > stalledAfter {
			return now
		}
	}
}

// ask asks the stream's leader for one message after the other, for a while. It gives the place to go on from.
func (n *Node) ask(from uint64, out chan<- message) uint64 {
	for end := time.Now().Add(askedFor); time.Now().Before(end) && n.ctx.Err() == nil; {
		if n.written() >= from {
			ctx, cancel := context.WithTimeout(n.ctx, 2*time.Second)
			m, err := n.stream.GetMsg(ctx, from)
			cancel()
			if err == nil {
				select {
				case out <- message{m.Sequence, m.Time, m.Data}:
					from = m.Sequence + 1
				case <-n.ctx.Done():
				}
				continue
			}
			if info, err := n.state(n.ctx); err == nil && info.State.FirstSeq > from {
				n.fail(fmt.Errorf("%w: %w: it has come to %d, and the stream begins after %d", ErrAnew, errBehind, from-1, info.State.FirstSeq-1))
				<-n.ctx.Done()
			}
		}
		select {
		case <-n.ctx.Done():
		case <-time.After(20 * time.Millisecond):
		}
	}
	return from
}

// written is how far the stream goes, as far as this node knows from what it has written and what the others say.
func (n *Node) written() uint64 {
	most := n.acknowledged.Load()
	for _, p := range n.Peers() {
		most = max(most, p.Place)
	}
	return most
}

// mostAtOnce is how many bundles are applied in one transaction.
const mostAtOnce = 64

// apply applies the stream, until the node stops.
func (n *Node) apply(messages <-chan message, last uint64) {
	open := parts{}
	for {
		var list []store.Placed
		select {
		case <-n.ctx.Done():
			return
		case m := <-messages:
			for more := true; more; {
				place, err := n.take(open, m, last, &list)
				if err != nil {
					n.fail(err)
					return
				}
				last = place
				more = false
				if len(list) < mostAtOnce {
					select {
					case m = <-messages:
						more = true
					default:
					}
				}
			}
		}
		if len(list) > 0 {
			if err := n.store.Apply(n.ctx, list); err != nil {
				if errors.Is(err, store.ErrFile) {
					err = fmt.Errorf("%w: %w", ErrAnew, err)
				}
				n.fail(err)
				return
			}
		}
		n.alive.looked.Store(last)
	}
}

// take adds a message to its bundle, and a bundle that is whole to the list.
func (n *Node) take(open parts, m message, last uint64, list *[]store.Placed) (uint64, error) {
	place := m.place
	n.alive.waited.Store(int64(max(0, time.Since(m.at))))
	if place <= last {
		return last, nil
	}
	if place != last+1 && last > 0 {
		return last, fmt.Errorf("what was written from %d to %d is missing", last+1, place-1)
	}
	p, err := unpackPart(m.bytes)
	if err != nil {
		return last, err
	}
	if raw := open.add(p, place); raw != nil {
		*list = append(*list, store.Placed{Place: place, From: open.resume(place), Bundle: raw})
	}
	return place, nil
}

// fail says that this node cannot go on: it would not have what the others have.
func (n *Node) fail(err error) {
	if n.broken.Swap(true) || n.ctx.Err() != nil {
		return
	}
	n.c.Log.Error("this node cannot go on: its sessions end here", "error", err)
	n.failed <- err
}

// parts are the bundles of which parts are still missing, by node.
type parts map[string]*unfinished

type unfinished struct {
	run    string
	bundle uint64
	next   uint32
	began  uint64 // where its first part stands
	bytes  []byte
}

// add adds a part. It gives the bundle that is whole by it; nil where there is none.
func (o parts) add(p part, place uint64) []byte {
	u := o[p.from.Node]
	if p.number == 0 && (u == nil || u.run != p.from.Run || u.bundle != p.bundle || u.next == 0) {
		u = &unfinished{run: p.from.Run, bundle: p.bundle, began: place}
		o[p.from.Node] = u
	}
	if u == nil || u.run != p.from.Run || u.bundle != p.bundle || p.number != u.next {
		return nil // it came twice, or its beginning was before a stop of its node
	}
	u.bytes = append(u.bytes, p.bytes...)
	if u.next++; u.next < p.of {
		return nil
	}
	delete(o, p.from.Node)
	return u.bytes
}

// resume is the place up to which everything was applied, when all up to place was looked at.
func (o parts) resume(place uint64) uint64 {
	for _, u := range o {
		place = min(place, u.began-1)
	}
	return place
}
