package work

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"
)

// supervisor starts workers, starts those again that end too early, and waits for all of them at the end.
type supervisor struct {
	log   *slog.Logger
	pause time.Duration // before one is started again
	all   sync.WaitGroup
}

// run runs a worker until the context ends.
func (s *supervisor) run(ctx context.Context, name string, work func(context.Context) error) {
	s.all.Go(func() {
		for ctx.Err() == nil {
			err := recovered(ctx, work)
			if ctx.Err() != nil {
				return
			}
			s.log.Error("a worker ended; it is started again", "worker", name, "err", err)
			select {
			case <-ctx.Done():
			case <-time.After(s.pause):
			}
		}
	})
}

// recovered does work, and turns a panic into an error.
func recovered(ctx context.Context, work func(context.Context) error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("panic: %v\n%s", p, debug.Stack())
		}
	}()
	return work(ctx)
}

// errAway says that workers did not come home in time.
var errAway = errors.New("some work did not end in time; what it was at is done by the next process")

// join waits for all workers, for so long at most.
func (s *supervisor) join(most time.Duration) error {
	home := make(chan struct{})
	go func() {
		s.all.Wait()
		close(home)
	}()
	select {
	case <-home:
		return nil
	case <-time.After(most):
		return errAway
	}
}
