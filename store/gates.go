package store

import (
	"context"
	"errors"
	"net"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// ErrBusy says that too much is going on at once: try again in a moment.
var ErrBusy = errors.New("too much is going on at once")

// Class is what kind of work a transaction is, by who waits for it.
type Class int

const (
	Pages  Class = iota // somebody looks at the screen
	Files               // somebody waits for a file: an archive, a sheet, a report
	Behind              // nobody waits: the jobs of the queue
	classes
)

// rules are how many connections the work of a class may use, how many of these one farm, and how long
// somebody waits for a turn.
var rules = [classes]struct {
	conns, share int
	patience     time.Duration
}{
	Pages:  {10, 3, 5 * time.Second},
	Files:  {3, 1, 20 * time.Second},
	Behind: {3, 2, time.Minute},
}

// farmConns is how many connections farms' work uses at most.
func farmConns() (n int32) {
	for _, r := range rules {
		n += int32(r.conns)
	}
	return n
}

type classKey struct{}

// As marks what is done in a context as work of a class.
func As(ctx context.Context, c Class) context.Context { return context.WithValue(ctx, classKey{}, c) }

func classOf(ctx context.Context) Class {
	c, _ := ctx.Value(classKey{}).(Class)
	return c
}

// gates keep farms from standing in one another's way: who waits for a turn holds no connection meanwhile.
type gates struct {
	turns   [classes]turns
	mu      sync.Mutex
	writers map[int64]*writer
}

// writer is the one who writes to a farm, and those who wait for it.
type writer struct {
	free   chan struct{}
	inside int // the one, and who waits; an empty one is taken down
}

// Enter waits for a turn and returns what ends it, or ErrBusy.
func (g *gates) Enter(ctx context.Context, farmID int64, write bool) (leave func(), err error) {
	class := classOf(ctx)
	waiting, enough := context.WithTimeoutCause(ctx, rules[class].patience, ErrBusy)
	defer enough()
	written := func() {}
	if write {
		if written, err = g.write(waiting, farmID); err != nil {
			return nil, err
		}
	}
	t := &g.turns[class]
	if err := t.take(waiting, farmID, rules[class].conns, rules[class].share); err != nil {
		written()
		return nil, err
	}
	return func() {
		t.leave(farmID, rules[class].conns, rules[class].share)
		written()
	}, nil
}

// write waits until nobody else of this process writes to a farm.
func (g *gates) write(ctx context.Context, farmID int64) (end func(), err error) {
	g.mu.Lock()
	w := g.writers[farmID]
	if w == nil {
		if g.writers == nil {
			g.writers = map[int64]*writer{}
		}
		w = &writer{free: make(chan struct{}, 1)}
		g.writers[farmID] = w
	}
	w.inside++
	g.mu.Unlock()
	gone := func() {
		g.mu.Lock()
		defer g.mu.Unlock()
		if w.inside--; w.inside == 0 {
			delete(g.writers, farmID)
		}
	}
	select {
	case w.free <- struct{}{}:
		return func() { <-w.free; gone() }, nil
	case <-ctx.Done():
		gone()
		return nil, context.Cause(ctx)
	}
}

// turns hand out the connections of a class: each farm has its share at most, and of the farms that wait the
// one that was served longest ago is next, however many wait of another.
type turns struct {
	mu    sync.Mutex
	used  int
	farms map[int64]*lane
	order []*lane // those in which somebody waits
}

// lane is who of a farm uses a connection or waits for one.
type lane struct {
	used    int
	waiting []chan struct{}
}

// take waits for a connection.
func (t *turns) take(ctx context.Context, farmID int64, conns, share int) error {
	t.mu.Lock()
	if t.farms == nil {
		t.farms = map[int64]*lane{}
	}
	l := t.farms[farmID]
	if l == nil {
		l = &lane{}
		t.farms[farmID] = l
	}
	mine := make(chan struct{})
	if l.waiting = append(l.waiting, mine); len(l.waiting) == 1 {
		t.order = append(t.order, l)
	}
	t.serve(conns, share)
	t.mu.Unlock()
	select {
	case <-mine:
		return nil
	case <-ctx.Done():
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	for i, w := range l.waiting {
		if w == mine {
			if l.waiting = slices.Delete(l.waiting, i, i+1); len(l.waiting) == 0 {
				t.order = slices.DeleteFunc(t.order, func(o *lane) bool { return o == l })
			}
			t.tidy(farmID, l)
			return context.Cause(ctx)
		}
	}
	return nil // the turn came in the same moment
}

// leave gives a connection back.
func (t *turns) leave(farmID int64, conns, share int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	l := t.farms[farmID]
	l.used--
	t.used--
	t.tidy(farmID, l)
	t.serve(conns, share)
}

// serve gives what is free to those who wait, farm by farm in turn.
func (t *turns) serve(conns, share int) {
	for i := 0; i < len(t.order) && t.used < conns; {
		l := t.order[i]
		if l.used >= share {
			i++
			continue
		}
		t.order = slices.Delete(t.order, i, i+1)
		close(l.waiting[0])
		l.waiting = l.waiting[1:]
		l.used++
		t.used++
		if len(l.waiting) > 0 {
			t.order = append(t.order, l)
		}
	}
}

// tidy takes a lane down in which nobody is any more.
func (t *turns) tidy(farmID int64, l *lane) {
	if l.used == 0 && len(l.waiting) == 0 {
		delete(t.farms, farmID)
	}
}

// Unavailable tells an error of a database that is away, too busy or too slow just
// now from one that would come again.
func Unavailable(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		switch pg.Code {
		case "55P03", // lock_not_available
			"57014", // query_canceled: statement_timeout
			"57P01", // admin_shutdown
			"57P02", // crash_shutdown
			"57P03", // cannot_connect_now
			"53100", // disk_full
			"53200", // out_of_memory
			"53300", // too_many_connections
			"25P03", // idle_in_transaction_session_timeout
			"40001", // serialization_failure
			"40P01": // deadlock_detected
			return true
		}
		return len(pg.Code) == 5 && pg.Code[:2] == "08" // connection exceptions
	}
	var connect *pgconn.ConnectError
	var network net.Error
	return errors.Is(err, ErrBusy) || errors.Is(err, context.DeadlineExceeded) ||
		errors.As(err, &connect) || errors.As(err, &network) || pgconn.SafeToRetry(err) ||
		errors.Is(err, net.ErrClosed) || unexpectedEOF(err)
}
