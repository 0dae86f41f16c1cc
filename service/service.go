// Package service puts store, sessions and network interface together.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"time"

	"alluvion/service/api"
	"alluvion/service/console"
	"alluvion/service/live"
	"alluvion/service/store"
	"alluvion/service/trial"
)

// Config is how a service is started. The zero value of a field means its default.
type Config struct {
	Addr    string // where to listen; a loopback address, port 0 for any free one. Default 127.0.0.1:8230
	Data    string // the file with games and saves. Default alluvion.db
	Version string // of the program
	Log     *slog.Logger
}

// ErrNotLoopback says that the service would be reachable from elsewhere.
var ErrNotLoopback = errors.New("the address is not this machine's own")

// Service is a running service.
type Service struct {
	store  *store.Store
	live   *live.Manager
	trials *trial.Runner
	http   *http.Server
	log    *slog.Logger
	addr   net.Addr
	failed chan error
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
	if !api.Loopback(c.Addr) {
		return nil, fmt.Errorf("%w: %s (there are no access tokens yet, so whoever reaches the service may do everything)", ErrNotLoopback, c.Addr)
	}
	listener, err := net.Listen("tcp", c.Addr)
	if err != nil {
		return nil, fmt.Errorf("cannot listen on %s: %w", c.Addr, err)
	}
	st, err := store.Open(c.Data, c.Log)
	if err != nil {
		_ = listener.Close()
		return nil, err
	}
	s := &Service{store: st, live: live.NewManager(st, c.Log), trials: trial.New(st, c.Log), log: c.Log, addr: listener.Addr(), failed: make(chan error, 1)}
	s.http = &http.Server{Handler: api.New(st, s.live, s.trials, console.Files(), c.Log, c.Version), ReadHeaderTimeout: 5 * time.Second,
		ReadTimeout: 30 * time.Second, WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 32 << 10,
		ErrorLog: slog.NewLogLogger(c.Log.Handler(), slog.LevelWarn)}
	go func() {
		if err := s.http.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
			s.failed <- err
		}
	}()
	c.Log.Info("listening", "address", s.URL(), "data", c.Data)
	return s, nil
}

// URL is where the service answers.
func (s *Service) URL() string { return "http://" + s.addr.String() }

// Failed gives the error of a service that stopped by itself.
func (s *Service) Failed() <-chan error { return s.failed }

// Stop ends all visits, saves everybody, and closes the store. It is done when everything is on disk.
func (s *Service) Stop(ctx context.Context) error {
	err := s.http.Shutdown(ctx)
	s.trials.Close()
	err = errors.Join(err, s.live.CloseAll(ctx))
	s.store.Close()
	if err != nil {
		s.log.Error("stopped, but not cleanly", "error", err)
		return err
	}
	s.log.Info("stopped")
	return nil
}
