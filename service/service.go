// Package service puts store, sessions and network interface together.
package service

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"sync"
	"time"

	"alluvion.dev/service/api"
	"alluvion.dev/service/auth"
	"alluvion.dev/service/cluster"
	"alluvion.dev/service/console"
	"alluvion.dev/service/live"
	"alluvion.dev/service/meter"
	"alluvion.dev/service/scouting"
	"alluvion.dev/service/store"
	"alluvion.dev/service/trial"
)

// Config is how a service is started. The zero value of a field means its default.
type Config struct {
	Addr    string // where to listen; a loopback address, port 0 for any free one. Default 127.0.0.1:8230
	Data    string // the file with games and saves. Default alluvion.db
	Version string // of the program
	Log     *slog.Logger
	// Tokens makes the service ask everybody for a token. Where it is false, only this machine is answered.
	Tokens bool
	// Origins are those of pages of other sites that may ask: https://game.example. None, and no such page may.
	Origins []string
	// Keep is how long the world and the journal of a session are kept that nobody opens; 0 for good.
	Keep time.Duration
	// SaveKey is what games sign saves in their own format with, where a plan says that they are signed; nil for none.
	SaveKey []byte
	// Cert and Key are files for TLS, both or neither.
	Cert, Key string
	// Cluster makes the service one of several nodes; nil where it is alone.
	Cluster *cluster.Config
	// Alone takes a file out of the order of several nodes in which it was written.
	Alone bool
	// Games are played in a browser, at /play/ and their name.
	Games map[string]fs.FS
}

// What can be wrong with a configuration, for errors.Is.
var (
	ErrOrigin      = errors.New("an origin is written https://game.example, without a path")
	ErrNotLoopback = errors.New("the address is not this machine's own")
	ErrTLS         = errors.New("TLS needs a certificate and its key, both")
)

// KeysFile is where the keys for tokens lie: beside the data, and in no backup of it.
func KeysFile(data string) string { return data + ".tokens" }

// Service is a running service.
type Service struct {
	store  *store.Store
	node   *cluster.Node // nil where the service is alone
	live   *live.Manager
	trials *trial.Runner
	scouts *scouting.Runner
	http   *http.Server
	// connections are those that came in.
	connections *watchedListener
	log         *slog.Logger
	addr        net.Addr
	tls         bool
	failed      chan error
	// closing says to whatever goes on and on that it is to end.
	closing func()
}

// Start opens the store and answers requests until Stop.
func Start(c Config) (*Service, error) {
	if c.Addr == "" {
		c.Addr = "127.0.0.1:8230"
	}
	if c.Data == "" {
		c.Data = "alluvion.db"
	}
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
	if !c.Tokens && !api.Loopback(c.Addr) {
		return nil, fmt.Errorf("%w: %s. Whoever reaches it there could do everything: start with -tokens, so that everybody needs one", ErrNotLoopback, c.Addr)
	}
	if (c.Cert == "") != (c.Key == "") {
		return nil, ErrTLS
	}
	for _, origin := range c.Origins {
		if u, err := url.Parse(origin); err != nil || u.Scheme == "" || u.Host == "" ||
			u.Scheme+"://"+u.Host != origin {
			return nil, fmt.Errorf("%w: %q", ErrOrigin, origin)
		}
	}
	var keys *auth.Keys
	if c.Tokens {
		var err error
		if keys, err = auth.Load(KeysFile(c.Data)); err != nil {
			return nil, err
		}
	}
	listener, err := listen(c)
	if err != nil {
		return nil, err
	}
	counts, closing := meter.New(), make(chan struct{})
	st, node, err := openFile(c, listener)
	if err != nil {
		_ = listener.Close()
		return nil, err
	}
	manager := live.NewManager(st, c.Log, counts)
	if err := writeTogether(node, st, manager); err != nil {
		_ = listener.Close()
		node.Stop()
		st.Close()
		return nil, err
	}
	s := &Service{store: st, node: node, live: manager, trials: trial.New(st, c.Log), scouts: scouting.New(c.Log),
		log:  c.Log,
		addr: listener.Addr(), tls: c.Cert != "", failed: make(chan error, 1)}
	handler := api.New(api.Parts{SaveKey: c.SaveKey, Store: st, Live: s.live, Node: node, Trials: s.trials, Scouts: s.scouts, Meter: counts, Keys: keys, Closing: closing,
		Origins: c.Origins, Console: console.Files(), Games: c.Games, Log: c.Log, Version: c.Version, TLS: s.tls})
	s.connections = &watchedListener{Listener: listener, new: map[net.Conn]bool{}}
	s.http = &http.Server{Handler: oneLength(handler, api.TwoLengths), ReadHeaderTimeout: 5 * time.Second,
		ReadTimeout: 30 * time.Second, WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: maxHead,
		ConnContext: withHeads, ConnState: s.connections.changed,
		ErrorLog: slog.NewLogLogger(c.Log.Handler(), slog.LevelWarn)}
	s.closing = sync.OnceFunc(func() { close(closing) })
	go func() {
		if err := s.http.Serve(s.connections); !errors.Is(err, http.ErrServerClosed) {
			s.failed <- err
		}
	}()
	if node != nil {
		counts.Nodes(func() float64 { return float64(len(node.Peers())) },
			func() float64 { place, _, _ := node.Lag(); return float64(place) },
			func() float64 { _, behind, _ := node.Lag(); return float64(behind) },
			func() float64 { _, _, waited := node.Lag(); return waited.Seconds() })
		go func() {
			if err, failed := <-node.Failed(); failed {
				s.live.Apart()
				s.failed <- err
			}
		}()
	}
	if c.Keep > 0 {
		go s.live.Keep(context.Background(), c.Keep, closing)
	}
	c.Log.Info("listening", "address", s.URL(), "data", c.Data, "tokens", c.Tokens)
	if c.Tokens && !s.tls && !api.Loopback(c.Addr) {
		c.Log.Warn("tokens travel in the clear: give -cert and -key, or put a proxy with TLS before it")
	}
	return s, nil
}

// openFile opens the file: of one of several nodes, with the others.
func openFile(c Config, at net.Listener) (*store.Store, *cluster.Node, error) {
	open := func() (*store.Store, error) { return store.Open(c.Data, c.Log) }
	if c.Cluster == nil {
		st, err := open()
		if err != nil {
			return nil, nil, err
		}
		_, _, in := st.InAnOrder()
		if c.Alone {
			err = st.Alone()
		} else if in {
			err = fmt.Errorf("%s: %w. Start with -cluster as before, or with -alone to go on with it by itself: then it never goes back to the others", c.Data, store.ErrOrdered)
		}
		if err != nil {
			st.Close()
		}
		return st, nil, err
	}
	config := *c.Cluster
	config.Log, config.Version = c.Log, c.Version
	if config.API == "" {
		config.API = "http://" + at.Addr().String()
		if c.Cert != "" {
			config.API = "https://" + at.Addr().String()
		}
	}
	if config.Folder == "" {
		config.Folder = c.Data + ".stream"
	}
	node, err := cluster.Start(context.Background(), config)
	if err != nil {
		return nil, nil, err
	}
	st, err := node.Begin(context.Background(), c.Data, open)
	if err != nil {
		node.Stop()
		return nil, nil, fmt.Errorf("this node cannot join the others: %w", err)
	}
	return st, node, nil
}

// writeTogether has the file written in the order of all nodes, and the sessions be run by one of them.
func writeTogether(node *cluster.Node, st *store.Store, m *live.Manager) error {
	if node == nil {
		return nil
	}
	m.With(node)
	err := node.Write(context.Background(), st, func(what any, mine bool) {
		if _, deleted := what.(store.Forgotten); deleted {
			node.Sweep()
		}
		m.Told(what, mine)
	})
	if err == nil {
		err = node.Answer(m.Release, m.Apart)
	}
	if err != nil {
		return fmt.Errorf("this node cannot join the others: %w", err)
	}
	return nil
}

// listen opens the address, with TLS 1.2 or newer where there is a certificate.
func listen(c Config) (net.Listener, error) {
	listener, err := net.Listen("tcp", c.Addr)
	if err != nil {
		return nil, fmt.Errorf("cannot listen on %s: %w", c.Addr, err)
	}
	if c.Cert == "" {
		return listener, nil
	}
	pair, err := tls.LoadX509KeyPair(c.Cert, c.Key)
	if err != nil {
		_ = listener.Close()
		return nil, fmt.Errorf("%w: %w", ErrTLS, err)
	}
	return tls.NewListener(listener, &tls.Config{Certificates: []tls.Certificate{pair}, MinVersion: tls.VersionTLS12}),
		nil
}

// URL is where the service answers.
func (s *Service) URL() string {
	if s.tls {
		return "https://" + s.addr.String()
	}
	return "http://" + s.addr.String()
}

// hangUpWithin is how long requests may still take when everybody is saved; then their connections are cut.
const hangUpWithin = 2 * time.Second

// Stop ends all visits and saves everybody; then it hangs up, on whoever holds on too, and closes the store. It is done
// when everything is on disk.
func (s *Service) Stop(ctx context.Context) error {
	s.closing()
	err := s.live.CloseAll(ctx)
	s.connections.hangUp()
	hangUp, cancel := context.WithTimeout(ctx, hangUpWithin)
	defer cancel()
	if s.http.Shutdown(hangUp) != nil {
		_ = s.http.Close()
	}
	s.trials.Close()
	s.scouts.Close()
	if s.node != nil {
		s.node.Leave()
		s.node.Stop()
	}
	s.store.Close()
	if err != nil {
		s.log.Error("stopped, but not cleanly", "error", err)
		return err
	}
	s.log.Info("stopped")
	return nil
}
