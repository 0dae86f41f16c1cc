package cluster

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"alluvion.dev/service/store"
)

// The stream does not grow for ever: now and then one node copies its file to where all of them find it, and what came
// before the copy before that one is taken out of the stream. A node that comes new, or was away for longer than the
// stream goes back, begins with the newest copy.

const (
	filesBucket = "alluvion-files"
	seedBucket  = "alluvion-seed"
	filePrefix  = "file-"
	// copiesKept is how many copies are there at least.
	copiesKept = 2
	// copyEvery is how often it is asked whether a copy is due; copyAfter and copyBytes are how much has to be in the
	// stream, in messages and in bytes.
	copyEvery  = time.Minute
	copyWithin = 10 * time.Minute
	copyAfter  = 20_000
	copyBytes  = 256 << 20
	// copyPart is how large the parts of a copy are at most, in bytes.
	copyPart = 128 << 10
)

// What can keep a file from being written in the order of these nodes, for errors.Is.
var (
	ErrOwnGames = errors.New("the file has games of its own, and the nodes have begun with another: start the node whose file they are to have first, alone with a new stream")
	errBehind   = errors.New("the stream does not go back as far as the file")
)

// Begin opens the file of this node: as it is where it goes on from there, with the newest copy of the others' where it
// is new or was away for too long. The first node of all brings what it has along.
func (n *Node) Begin(ctx context.Context, path string, open func() (*store.Store, error)) (*store.Store, error) {
	s, err := open()
	if err != nil {
		return nil, err
	}
	takes, err := n.takesCopy(ctx, s)
	if err != nil || !takes {
		if err != nil {
			s.Close()
		}
		return s, err
	}
	s.Close()
	if err := n.fetch(ctx, path); err != nil {
		return nil, fmt.Errorf("the others' file could not be copied: %w", err)
	}
	return open()
}

// takesCopy says whether a node begins with a copy of the others' file.
func (n *Node) takesCopy(ctx context.Context, s *store.Store) (bool, error) {
	if name, resume, in := s.InAnOrder(); in {
		if name != n.name {
			return false, store.ErrOther
		}
		info, err := n.state(ctx)
		return err == nil && resume+1 < info.State.FirstSeq, err
	}
	first, err := n.first(ctx)
	if err != nil {
		return false, err
	}
	if first {
		if _, err := s.InOrder(n.name, &putting{n: n}, n.me, nil); err != nil {
			return false, err
		}
		return false, n.copyFile(ctx, s)
	}
	games, err := s.Games(ctx)
	if err == nil && len(games) > 0 {
		err = ErrOwnGames
	}
	return true, err
}

// first says whether this node is the one whose file all begin with.
func (n *Node) first(ctx context.Context) (yes bool, err error) {
	return yes, again(ctx, func(ctx context.Context) error {
		seed, err := n.js.CreateOrUpdateKeyValue(ctx, jetstream.KeyValueConfig{Bucket: seedBucket, Replicas: n.replicas, Storage: jetstream.FileStorage})
		if err != nil {
			return err
		}
		if _, err = seed.Create(ctx, "by", []byte(n.me.Node)); err != nil && !errors.Is(err, jetstream.ErrKeyExists) {
			return err
		}
		by, err := seed.Get(ctx, "by")
		yes = err == nil && string(by.Value()) == n.me.Node
		return err
	})
}

func (n *Node) files(ctx context.Context) (files jetstream.ObjectStore, err error) {
	return files, again(ctx, func(ctx context.Context) (err error) {
		files, err = n.js.CreateOrUpdateObjectStore(ctx, jetstream.ObjectStoreConfig{Bucket: filesBucket, Replicas: n.replicas, Storage: jetstream.FileStorage})
		return err
	})
}

// copies lists the copies that are there, the oldest first, by the place from which each goes on.
func copies(ctx context.Context, files jetstream.ObjectStore) ([]uint64, error) {
	list, err := files.List(ctx)
	if errors.Is(err, jetstream.ErrNoObjectsFound) {
		return nil, nil
	}
	var out []uint64
	for _, o := range list {
		if place, err := strconv.ParseUint(strings.TrimPrefix(o.Name, filePrefix), 10, 64); err == nil && !o.Deleted {
			out = append(out, place)
		}
	}
	slices.Sort(out)
	return out, err
}

func nameOf(place uint64) string { return fmt.Sprintf("%s%d", filePrefix, place) }

// copyFile puts a copy of this node's file where all find it.
func (n *Node) copyFile(ctx context.Context, s *store.Store) error {
	dir, err := os.MkdirTemp("", "alluvion-copy-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	resume, err := s.Copy(ctx, dir+"/copy.db")
	if err != nil {
		return err
	}
	files, err := n.files(ctx)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, copyWithin)
	defer cancel()
	return againFor(ctx, copyWithin, func(ctx context.Context) error {
		f, err := os.Open(dir + "/copy.db")
		if err != nil {
			return err
		}
		defer func() { _ = f.Close() }()
		part := min(copyPart, uint32(n.nc.MaxPayload())/2)
		_, err = files.Put(ctx, jetstream.ObjectMeta{Name: nameOf(resume), Opts: &jetstream.ObjectMetaOptions{ChunkSize: part}}, f)
		if err != nil {
			n.c.Log.Warn("the copy of this node's file could not be put where all find it: it is tried again", "error", err)
		}
		return err
	})
}

// fetch writes the newest copy in place of this node's file. The checksum of the whole is verified on the way.
func (n *Node) fetch(ctx context.Context, path string) error {
	files, err := n.files(ctx)
	if err != nil {
		return err
	}
	var newest uint64
	n.c.Log.Info("this node begins with a copy of the others' file")
	err = again(ctx, func(ctx context.Context) error {
		list, err := copies(ctx, files)
		if err == nil && len(list) == 0 {
			err = errors.New("there is no copy yet")
		}
		if err == nil {
			newest = list[len(list)-1]
		}
		return err
	})
	if err != nil {
		return err
	}
	part := path + ".part"
	within, cancel := context.WithTimeout(ctx, copyWithin)
	defer cancel()
	err = againFor(within, copyWithin, func(ctx context.Context) error { return download(ctx, files, nameOf(newest), part) })
	if err != nil {
		_ = os.Remove(part)
		return err
	}
	for _, end := range []string{"-wal", "-shm"} {
		if err := os.Remove(path + end); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	n.c.Log.Info("the copy of the others' file is here", "place", newest)
	return os.Rename(part, path)
}

func download(ctx context.Context, files jetstream.ObjectStore, name, path string) error {
	from, err := files.Get(ctx, name)
	if err != nil {
		return err
	}
	defer func() { _ = from.Close() }()
	f, err := os.OpenFile(path, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(f, from)
	if err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// Sweep has the stream cut soon, behind a new copy, with nothing left of what came before: somebody was deleted.
func (n *Node) Sweep() {
	select {
	case n.sweep <- struct{}{}:
	default: // it is due already
	}
}

// keepShort cuts the stream now and then, until the node stops.
func (n *Node) keepShort() {
	defer n.ended.Done()
	tick := time.NewTicker(copyEvery)
	defer tick.Stop()
	for {
		whole := false
		select {
		case <-n.ctx.Done():
			return
		case <-tick.C:
		case <-n.sweep:
			whole = true
		}
		if peers := n.Peers(); len(peers) == 0 || peers[0].Node != n.me.Node || n.Together() != nil {
			continue // another one does it
		}
		if err := n.cut(n.ctx, whole); err != nil && n.ctx.Err() == nil {
			n.c.Log.Warn("what all nodes have written could not be made shorter: it is tried again", "error", err)
			if whole {
				time.AfterFunc(copyEvery, n.Sweep)
			}
		}
	}
}

// cut makes a copy, and takes out of the stream what no node needs any more. whole takes out all before the copy, and
// the copies before it, too.
func (n *Node) cut(ctx context.Context, whole bool) error {
	info, err := n.state(ctx)
	if err != nil {
		return err
	}
	if !whole && info.State.Msgs < copyAfter && info.State.Bytes < copyBytes {
		return nil
	}
	if err := n.copyFile(ctx, n.store); err != nil {
		return err
	}
	files, err := n.files(ctx)
	if err != nil {
		return err
	}
	list, err := copies(ctx, files)
	if err != nil {
		return err
	}
	kept := copiesKept
	if whole {
		kept = 1
	}
	for len(list) > kept {
		if err := files.Delete(ctx, nameOf(list[0])); err != nil {
			return err
		}
		list = list[1:]
	}
	if len(list) < kept {
		return nil
	}
	if err := n.allReached(ctx, list[0]); err != nil {
		return err
	}
	return n.stream.Purge(ctx, jetstream.WithPurgeSequence(list[0]+1))
}

// allReached waits until all nodes that are there have come to a place: what they have not applied stays.
func (n *Node) allReached(ctx context.Context, place uint64) error {
	if behind := n.behind(ctx, place, copyEvery); len(behind) > 0 {
		return fmt.Errorf("not every node has come to %d yet: %s", place, strings.Join(behind, ", "))
	}
	return ctx.Err()
}

// Behind waits for a while until all nodes that are there have come to a place, and gives those that have not.
func (n *Node) Behind(ctx context.Context, place uint64) []string {
	return n.behind(ctx, place, n.c.Lease)
}

func (n *Node) behind(ctx context.Context, place uint64, within time.Duration) (names []string) {
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	for {
		names = nil
		for _, p := range n.Peers() {
			if p.Place < place {
				names = append(names, p.Node)
			}
		}
		if len(names) == 0 {
			return nil
		}
		select {
		case <-ctx.Done():
			return names
		case <-time.After(100 * time.Millisecond):
		}
	}
}
