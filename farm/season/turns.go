package season

import (
	"context"
	"sync"
	"time"
)

// turns lets a few searches work at a time; the others wait in the order in which they came.
type turns struct {
	mu      sync.Mutex
	working int
	waiting []chan struct{}
}

// whileWaiting is how often one who waits tells that he is still there.
const whileWaiting = 3 * time.Second

// take waits for a turn; alive is called now and then meanwhile.
func (t *turns) take(ctx context.Context, alive func()) error {
	t.mu.Lock()
	if t.working < searches {
		t.working++
		t.mu.Unlock()
		return nil
	}
	mine := make(chan struct{}, 1)
	t.waiting = append(t.waiting, mine)
	t.mu.Unlock()
	tick := time.NewTicker(whileWaiting)
	defer tick.Stop()
	for {
		select {
		case <-mine:
			return nil
		case <-tick.C:
			alive()
		case <-ctx.Done():
			t.away(mine)
			return ctx.Err()
		}
	}
}

// away takes one who waits no longer out of the line; if the turn came meanwhile, the next has it.
func (t *turns) away(mine chan struct{}) {
	t.mu.Lock()
	for i, w := range t.waiting {
		if w == mine {
			t.waiting = append(t.waiting[:i], t.waiting[i+1:]...)
			t.mu.Unlock()
			return
		}
	}
	t.mu.Unlock()
	t.leave()
}

// leave ends a turn; who waits longest has it now.
func (t *turns) leave() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.waiting) == 0 {
		t.working--
		return
	}
	t.waiting[0] <- struct{}{}
	t.waiting = t.waiting[1:]
}

// wanted tells whether somebody waits.
func (t *turns) wanted() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return len(t.waiting) > 0
}
