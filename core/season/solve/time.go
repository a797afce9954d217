package solve

import (
	"context"
	"time"
)

// stint is a context that ends after so much time of work. While it stands still no time passes in it.
type stint struct {
	context.Context
	end   context.CancelFunc
	timer *time.Timer
	ends  time.Time
}

func newStint(ctx context.Context, long time.Duration) *stint {
	in, end := context.WithCancel(ctx)
	return &stint{in, end, time.AfterFunc(long, end), time.Now().Add(long)}
}

// Deadline is when it ends if it does not stand still any more.
func (s *stint) Deadline() (time.Time, bool) { return s.ends, true }

// stood lets them stand still during other work.
func stood(all []*stint, work func()) {
	began := time.Now()
	for _, s := range all {
		s.timer.Stop()
	}
	work()
	paused := time.Since(began)
	for _, s := range all {
		if s.Err() == nil {
			s.ends = s.ends.Add(paused)
			s.timer.Reset(time.Until(s.ends))
		}
	}
}
