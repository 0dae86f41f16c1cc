package cluster

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
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
		_, err := n.js.Publish(ctx, subject, raw)
		cancel()
		if err == nil {
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
	messages, err := n.read(ctx, resume+1)
	if err != nil {
		return err
	}
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

// read begins to read the stream from a place on.
func (n *Node) read(ctx context.Context, from uint64) (<-chan jetstream.Msg, error) {
	var consumer jetstream.Consumer
	err := again(ctx, func(ctx context.Context) (err error) {
		consumer, err = n.stream.OrderedConsumer(ctx, jetstream.OrderedConsumerConfig{
			DeliverPolicy: jetstream.DeliverByStartSequencePolicy, OptStartSeq: max(1, from)})
		return err
	})
	if err != nil {
		return nil, err
	}
	out := make(chan jetstream.Msg, 1024)
	reading, err := consumer.Consume(func(m jetstream.Msg) {
		select {
		case out <- m:
		case <-n.ctx.Done():
		}
	}, jetstream.PullHeartbeat(time.Second), jetstream.PullExpiry(5*time.Second)) // where the node that sends it has died, another one is asked soon
	if err != nil {
		return nil, err
	}
	n.ended.Add(1)
	go func() {
		defer n.ended.Done()
		<-n.ctx.Done()
		reading.Stop()
	}()
	return out, nil
}

// mostAtOnce is how many bundles are applied in one transaction.
const mostAtOnce = 64

// apply applies the stream, until the node stops.
func (n *Node) apply(messages <-chan jetstream.Msg, last uint64) {
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
				if n.ctx.Err() == nil {
					n.fail(err)
				}
				return
			}
		}
		n.alive.looked.Store(last)
	}
}

// take adds a message to its bundle, and a bundle that is whole to the list.
func (n *Node) take(open parts, m jetstream.Msg, last uint64, list *[]store.Placed) (uint64, error) {
	about, err := m.Metadata()
	if err != nil {
		return last, err
	}
	place := about.Sequence.Stream
	n.alive.waited.Store(int64(max(0, time.Since(about.Timestamp))))
	if place <= last {
		return last, nil
	}
	if place != last+1 && last > 0 {
		return last, fmt.Errorf("what was written from %d to %d is missing", last+1, place-1)
	}
	p, err := unpackPart(m.Data())
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
	n.c.Log.Error("this node cannot apply what all of them have written, and stops", "error", err)
	select {
	case n.failed <- err:
	default:
	}
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
