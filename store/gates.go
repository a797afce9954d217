package store

import (
	"context"
	"errors"
	"net"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// ErrBusy says that too much is going on at once: try again in a moment.
var ErrBusy = errors.New("too much is going on at once")

const (
	// lanes is how many connections one farm may use at a time, so that half of
	// them are always left to the others.
	lanes = farmConns / 2
	// patience is how long somebody waits for a farm's turn.
	patience = 5 * time.Second
)

// gate is one farm's way in: one writer at a time, and so many at all.
type gate struct {
	writer, lanes chan struct{}
	inside        int // who is in or waits; an empty gate is taken down
}

// gates keep farms from standing in one another's way: who waits for a farm's
// turn holds no connection meanwhile.
type gates struct {
	mu   sync.Mutex
	open map[int64]*gate
}

// enter waits for a turn and returns what ends it, or ErrBusy.
func (g *gates) enter(ctx context.Context, farmID int64, write bool) (leave func(), err error) {
	at := g.of(farmID)
	var held []chan struct{}
	leave = func() {
		for _, lane := range held {
			<-lane
		}
		g.done(farmID, at)
	}
	wait := time.NewTimer(patience)
	defer wait.Stop()
	wanted := []chan struct{}{at.lanes}
	if write {
		wanted = []chan struct{}{at.writer, at.lanes}
	}
	for _, lane := range wanted {
		select {
		case lane <- struct{}{}:
			held = append(held, lane)
		case <-wait.C:
			leave()
			return nil, ErrBusy
		case <-ctx.Done():
			leave()
			return nil, ctx.Err()
		}
	}
	return leave, nil
}

func (g *gates) of(farmID int64) *gate {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.open == nil {
		g.open = map[int64]*gate{}
	}
	at := g.open[farmID]
	if at == nil {
		at = &gate{writer: make(chan struct{}, 1), lanes: make(chan struct{}, lanes)}
		g.open[farmID] = at
	}
	at.inside++
	return at
}

func (g *gates) done(farmID int64, at *gate) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if at.inside--; at.inside == 0 {
		delete(g.open, farmID)
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
