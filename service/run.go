package service

import (
	"context"
	"errors"
	"fmt"
	"time"

	"alluvion.dev/service/cluster"
)

// StopWithin is how long a stop may take.
const StopWithin = 20 * time.Second

// How long is waited before a node begins anew: twice as long each time that it cannot.
const (
	firstAnew       = 2 * time.Second
	mostBetweenAnew = time.Minute
)

// Run starts a service, and stops it when ctx ends, or when it fails; everybody is saved then. ready is called once it
// answers. One of several nodes that cannot go on as it is, though it could after a new beginning, begins anew by itself.
func Run(ctx context.Context, c Config, ready func(*Service)) error {
	s, err := Start(c)
	if err != nil {
		return err
	}
	c.Addr = s.addr.String() // where it is known to be
	ready(s)
	for {
		err = s.untilItEnds(ctx)
		if !errors.Is(err, cluster.ErrAnew) {
			return err
		}
		for wait := firstAnew; ; wait = min(2*wait, mostBetweenAnew) {
			select {
			case <-ctx.Done():
				return nil
			case <-time.After(wait):
			}
			next, err := Start(c)
			if err == nil {
				s = next
				break
			}
			s.log.Error("this node cannot begin anew yet: it is tried again", "error", err)
		}
	}
}

// untilItEnds waits until ctx ends or the service fails, and stops it.
func (s *Service) untilItEnds(ctx context.Context) error {
	var broken error
	select {
	case <-ctx.Done():
	case broken = <-s.failed:
	}
	within, cancel := context.WithTimeout(context.Background(), StopWithin)
	defer cancel()
	if err := s.Stop(within); err != nil {
		return fmt.Errorf("the service did not stop cleanly: %w", errors.Join(err, broken))
	}
	return broken
}
