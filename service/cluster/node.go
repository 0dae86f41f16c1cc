// Package cluster joins several nodes into one service. What each of them writes goes through one ordered stream,
// which most of them keep (NATS with JetStream: replicated by the Raft protocol, D. Ongaro, J. Ousterhout, 2014), and
// every node applies that stream to a file of its own. It also says which nodes are there.
package cluster

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"

	"alluvion.dev/service/store"
)

// Config says how a node takes part.
type Config struct {
	// Node is the node's name, another one for each.
	Node string
	// Nodes are where all of them listen for each other, this one too: host:port. Or one address of a NATS server,
	// nats://host:port, with commas between several of the same.
	Nodes []string
	// Listen is which of Nodes this one is; "" with NATS servers of one's own.
	Listen string
	// Advertise is where the others are told that this node hears, where that is not Listen; "" for Listen.
	Advertise string
	// Folder is where the stream is kept; not used with NATS servers of one's own.
	Folder string
	// Secret is what all nodes know: whoever knows it can write everything.
	Secret string
	// API is where the node's own network interface answers the others: http://host:port.
	API string
	// Version is that of the program, for people to read.
	Version string
	// Lease is for how long a node is believed to be there after it was last heard; 0 for 15 s. It has to be longer
	// than the stream needs to find a new leader, which is about 5 s.
	Lease time.Duration
	Log   *slog.Logger
}

// Node is a node that takes part. It is safe for use by several goroutines.
type Node struct {
	c      Config
	me     store.Writer
	server *server.Server // nil with NATS servers of one's own
	nc     *nats.Conn
	js     jetstream.JetStream
	stream jetstream.Stream
	name   string // of the order
	alive  *alive
	store  *store.Store
	sweep  chan struct{} // the stream is to be cut
	// acknowledged is where in the stream the last message stands that this node has written.
	acknowledged atomic.Uint64
	// replicas is how many nodes keep what is kept.
	replicas int

	ctx    context.Context // ends when the node stops
	stop   context.CancelFunc
	ended  sync.WaitGroup
	failed chan error
	// broken says that it cannot go on.
	broken atomic.Bool
}

// ErrAnew says that a node cannot go on as it is, but can after it has begun anew, perhaps once somebody has made room.
var ErrAnew = errors.New("this node begins anew")

// What can be wrong with how a node is to take part, for errors.Is.
var (
	ErrNode   = errors.New("a node's name is lower-case letters, digits and -, at most 32 of them")
	ErrSecret = errors.New("nodes need a secret of at least 16 characters, the same for all: whoever reaches them could write everything otherwise")
	ErrListen = errors.New("the address to listen on is one of those of all nodes")
)

var nodeName = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,31}$`)

const (
	engineUser = "alluvion"
	streamName = "ALLUVION"
	subject    = "alluvion.changes"
	// readyWithin is how long a node waits for most of the others when it starts.
	readyWithin = 2 * time.Minute
	// saidAfter is when it is said that a node waits for others.
	saidAfter = 5 * time.Second
	// togetherWhen is what nodes need to come together.
	togetherWhen = "the first time, three have to be started; after that, most of them"
	// room is how much has to be free where the stream is kept, in bytes: less is used up at once.
	room = 16 << 20
	// mostStored is how much the engine may keep, in bytes: what there is, and not a part of what is free when it starts.
	mostStored = 1 << 60
	// engineEndsWithin is how long the engine may take to end.
	engineEndsWithin = 10 * time.Second
	// linkWithin is how long two nodes may take to show each other that they know the secret.
	linkWithin = 5 * time.Second
	// mostReplicas is how many nodes keep the stream at most.
	mostReplicas = 3
	// oneServer is the error that a NATS server gives that is alone, where others are to keep something, too.
	oneServer = 10074
)

// own says whether NATS servers of one's own are used.
func (c *Config) own() bool { return len(c.Nodes) > 0 && strings.Contains(c.Nodes[0], "://") }

func (c *Config) check() error {
	switch {
	case !nodeName.MatchString(c.Node):
		return fmt.Errorf("%w: %q", ErrNode, c.Node)
	case c.own():
		return nil
	case len(c.Secret) < 16:
		return ErrSecret
	}
	for _, m := range c.Nodes {
		if m == c.Listen {
			return nil
		}
	}
	return fmt.Errorf("%w: %q is not among %s", ErrListen, c.Listen, strings.Join(c.Nodes, ", "))
}

// Start joins the others, and waits until most of them are there.
func Start(ctx context.Context, c Config) (_ *Node, err error) {
	if c.Lease == 0 {
		c.Lease = 15 * time.Second
	}
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
	if err := c.check(); err != nil {
		return nil, err
	}
	n := &Node{c: c, me: store.Writer{Node: c.Node, Run: rand.Text()[:10]}, failed: make(chan error, 1), sweep: make(chan struct{}, 1)}
	n.ctx, n.stop = context.WithCancel(context.Background())
	defer func() {
		if err != nil {
			n.Stop()
		}
	}()
	ctx, cancel := context.WithTimeout(ctx, readyWithin)
	defer cancel()
	if c.own() {
		n.nc, err = nats.Connect(strings.Join(c.Nodes, ","), nats.MaxReconnects(-1), nats.Name(c.Node))
	} else {
		n.nc, err = n.embed()
	}
	if err != nil {
		return nil, fmt.Errorf("what all nodes write cannot be kept or heard here: %w", err)
	}
	if n.js, err = jetstream.New(n.nc); err != nil {
		return nil, err
	}
	waits := time.AfterFunc(saidAfter, func() {
		c.Log.Info("waiting for the other nodes: " + togetherWhen)
	})
	defer waits.Stop()
	if err = n.join(ctx); err != nil {
		return nil, fmt.Errorf("the nodes do not come together (%s; with the same secret and the same list of addresses): %w", togetherWhen, err)
	}
	return n, nil
}

// embed starts the engine inside of this process, and connects to it without the network.
func (n *Node) embed() (*nats.Conn, error) {
	host, port, err := net.SplitHostPort(n.c.Listen)
	if err != nil {
		return nil, err
	}
	at, err := strconv.Atoi(port)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(n.c.Folder, 0o700); err != nil {
		return nil, err
	}
	if err := hasRoom(n.c.Folder); err != nil {
		return nil, err
	}
	// The engine begins to hear other nodes only once it takes clients, too: on this computer alone, and with the secret.
	options := &server.Options{ServerName: n.c.Node, Host: "127.0.0.1", Port: server.RANDOM_PORT, Username: engineUser, Password: n.c.Secret, NoSigs: true, NoLog: true, JetStream: true,
		StoreDir: filepath.Clean(n.c.Folder), JetStreamMaxStore: mostStored, SyncAlways: true, MaxPayload: maxPayload}
	if len(n.c.Nodes) > 1 {
		links, err := linksOf(n.c.Secret)
		if err != nil {
			return nil, err
		}
		options.Cluster = server.ClusterOpts{Name: "alluvion", Host: host, Port: at, Advertise: n.c.Advertise, Username: engineUser, Password: n.c.Secret,
			TLSConfig: links, TLSTimeout: linkWithin.Seconds()}
		for _, m := range n.c.Nodes {
			if m != n.c.Listen {
				options.Routes = append(options.Routes, &url.URL{Scheme: "nats-route", Host: m, User: url.UserPassword(engineUser, n.c.Secret)})
			}
		}
	}
	if n.server, err = server.NewServer(options); err != nil {
		return nil, err
	}
	n.server.SetLoggerV2(engineLog{n.c.Log, n.cannotWrite, &atomic.Int64{}}, false, false, false)
	n.server.Start()
	if !n.server.ReadyForConnections(20 * time.Second) {
		return nil, fmt.Errorf("nothing can be heard on %s", n.c.Listen)
	}
	return nats.Connect("", nats.InProcessServer(n.server), nats.UserInfo(engineUser, n.c.Secret), nats.MaxReconnects(-1))
}

// join finds the stream, or makes it, and says that this node is there.
func (n *Node) join(ctx context.Context) error {
	n.replicas = mostReplicas
	if !n.c.own() && len(n.c.Nodes) < mostReplicas { // of two, both would have to be there
		n.replicas = 1
	}
	if err := again(ctx, n.findStream); err != nil {
		return err
	}
	info, err := n.state(ctx)
	if err != nil {
		return err
	}
	n.name = info.Config.Metadata["order"]
	n.alive, err = n.watchOver(ctx)
	return err
}

// findStream finds the stream, or makes it, so that as many keep it as there ought to be.
func (n *Node) findStream(ctx context.Context) (err error) {
	n.stream, err = n.js.Stream(ctx, streamName)
	if errors.Is(err, jetstream.ErrStreamNotFound) {
		n.stream, err = n.js.CreateStream(ctx, jetstream.StreamConfig{Name: streamName, Subjects: []string{subject},
			Storage: jetstream.FileStorage, Replicas: n.replicas, Metadata: map[string]string{"order": rand.Text()}})
	}
	var failed *jetstream.APIError
	if errors.As(err, &failed) && failed.ErrorCode == oneServer {
		n.replicas = 1
	}
	if err != nil {
		return err
	}
	if config := n.stream.CachedInfo().Config; config.Replicas < n.replicas { // there were fewer nodes when it was made
		config.Replicas = n.replicas
		n.stream, err = n.js.UpdateStream(ctx, config)
	}
	return err
}

// state asks how far the stream goes.
func (n *Node) state(ctx context.Context) (info *jetstream.StreamInfo, err error) {
	return info, again(ctx, func(ctx context.Context) (err error) {
		info, err = n.stream.Info(ctx)
		return err
	})
}

// again tries something until it succeeds or the context ends. What is asked before the engine has found the others
// is never answered, so that each try has a short time.
func again(ctx context.Context, do func(ctx context.Context) error) error {
	return againFor(ctx, 3*time.Second, do)
}

// againFor is again for what may take longer.
func againFor(ctx context.Context, long time.Duration, do func(ctx context.Context) error) error {
	for {
		one, cancel := context.WithTimeout(ctx, long)
		err := do(one)
		cancel()
		if err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(300 * time.Millisecond):
		}
	}
}

// Me is this node.
func (n *Node) Me() store.Writer { return n.me }

// Failed gives the error of a node that cannot go on.
func (n *Node) Failed() <-chan error { return n.failed }

// Leave says that this node is not there any more: its sessions are anybody's at once.
func (n *Node) Leave() {
	if n.alive != nil {
		n.alive.leave()
	}
}

// Stop ends taking part. What waits to be written is not known to be.
func (n *Node) Stop() {
	n.stop()
	n.ended.Wait()
	if n.nc != nil {
		n.nc.Close()
	}
	if n.server == nil {
		return
	}
	ended := make(chan struct{})
	go func() {
		n.server.Shutdown()
		n.server.WaitForShutdown()
		close(ended)
	}()
	select {
	case <-ended:
	case <-time.After(engineEndsWithin): // where its files could not be written it may wait for itself for ever
		n.c.Log.Warn("the nodes' engine does not end, and is left behind")
	}
}

// hasRoom tries whether as much can be written in a folder as is used up soon.
func hasRoom(folder string) error {
	f, err := os.CreateTemp(folder, ".room-")
	if err != nil {
		return err
	}
	defer func() { _, _ = f.Close(), os.Remove(f.Name()) }()
	part := make([]byte, 1<<20)
	for range room / len(part) {
		if _, err := f.Write(part); err != nil {
			return fmt.Errorf("at least %d MB have to be free in %s: %w", room>>20, folder, err)
		}
	}
	return f.Sync()
}

// engineLog hands on what the engine has to say that matters. cannotWrite is called when it says that it cannot write
// any more: it does not say so otherwise, and would keep nothing from then on.
type engineLog struct {
	log         *slog.Logger
	cannotWrite func(why string)
	// strange is when it was last said that somebody was not let in, in seconds since 1970.
	strange *atomic.Int64
}

// stranger says, once a minute at most, that somebody who does not know the secret has tried to come in.
func (l engineLog) stranger() {
	now, last := time.Now().Unix(), l.strange.Load()
	if now-last >= 60 && l.strange.CompareAndSwap(last, now) {
		l.log.Warn("one that does not know the secret of these nodes was not let in: do all of them have the same -cluster-secret?")
	}
}

// cannotWrite is called when the engine's files cannot be written.
func (n *Node) cannotWrite(why string) {
	n.fail(fmt.Errorf("%w: what all nodes write cannot be kept here: %s", ErrAnew, why))
}

func (l engineLog) say(level slog.Level, format string, args []any) {
	l.log.Log(context.Background(), level, "the nodes' engine: "+fmt.Sprintf(format, args...))
}

func (l engineLog) Noticef(format string, args ...any) { l.say(slog.LevelDebug, format, args) }
func (l engineLog) Warnf(format string, args ...any)   { l.say(slog.LevelDebug, format, args) }

// Errorf says what is wrong. That a node does not answer is said otherwise, once.
func (l engineLog) Errorf(format string, args ...any) {
	level, text := slog.LevelWarn, fmt.Sprintf(format, args...)
	switch {
	case strings.Contains(text, "connect to route"):
		level = slog.LevelDebug
	case strings.Contains(text, "TLS route handshake error"):
		if level = slog.LevelDebug; strings.Contains(text, "certificate") {
			l.stranger()
		}
	case strings.Contains(text, "Critical write error"):
		l.cannotWrite(text)
	}
	l.say(level, format, args)
}
func (l engineLog) Fatalf(format string, args ...any) { l.say(slog.LevelError, format, args) }
func (l engineLog) Debugf(string, ...any)             {}
func (l engineLog) Tracef(string, ...any)             {}
