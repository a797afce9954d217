package farm

import (
	"context"
	"sync"
	"time"
)

// Live tells whoever watches that something was done on a farm, in this process or another. A
// thousand watchers need one connection to the database.
type Live struct {
	mu       sync.Mutex
	watchers map[int64]map[chan struct{}]bool // by farm; of readings under its number turned negative
}

// relisten is how long after the line broke it is tried again.
const relisten = time.Second

// Tell listens until the context ends. After a broken line all are told, since something may have
// been missed.
func (b *Service) Tell(ctx context.Context) {
	for ctx.Err() == nil {
		_ = b.DB.Listen(ctx, b.Live.all, b.Live.tell, b.Live.read) // whatever broke, it is tried again
		select {
		case <-ctx.Done():
		case <-time.After(relisten):
		}
	}
}

// Watch gives a channel that has something to take whenever something was done on a farm since the
// last look, until end is called.
func (l *Live) Watch(farmID int64) (done <-chan struct{}, end func()) {
	c := make(chan struct{}, 1)
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.watchers == nil {
		l.watchers = map[int64]map[chan struct{}]bool{}
	}
	if l.watchers[farmID] == nil {
		l.watchers[farmID] = map[chan struct{}]bool{}
	}
	l.watchers[farmID][c] = true
	return c, func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		if delete(l.watchers[farmID], c); len(l.watchers[farmID]) == 0 {
			delete(l.watchers, farmID)
		}
	}
}

// WatchReadings is Watch for readings that come in from probes.
func (l *Live) WatchReadings(farmID int64) (come <-chan struct{}, end func()) {
	return l.Watch(-farmID)
}

func (l *Live) read(farmID int64) { l.tell(-farmID) }

func (l *Live) tell(farmID int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.wake(farmID)
}

func (l *Live) all() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for farmID := range l.watchers {
		l.wake(farmID)
	}
}

func (l *Live) wake(farmID int64) {
	for c := range l.watchers[farmID] {
		select {
		case c <- struct{}{}:
		default: // it has not looked yet since it was told last
		}
	}
}
