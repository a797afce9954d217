package store

import (
	"context"
	"log/slog"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
)

// Spent is the time that the database took for one request, and how often it was asked.
type Spent struct {
	nanos, asked atomic.Int64
}

// Took is the time together.
func (s *Spent) Took() time.Duration { return time.Duration(s.nanos.Load()) }

// Asked is how many statements, or batches of them, it took.
func (s *Spent) Asked() int64 { return s.asked.Load() }

type spentKey struct{}

// Timed keeps in a context what the database takes for the work done in it.
func Timed(ctx context.Context) (context.Context, *Spent) {
	s := &Spent{}
	return context.WithValue(ctx, spentKey{}, s), s
}

// Tracer times statements, and logs those that take long. Values are never logged: they are people's.
type Tracer struct {
	Log  *slog.Logger
	Slow time.Duration // from this on a statement is logged
}

type began struct {
	at  time.Time
	sql string
}

type beganKey struct{}

func (t *Tracer) TraceQueryStart(ctx context.Context, _ *pgx.Conn, q pgx.TraceQueryStartData) context.Context {
	return context.WithValue(ctx, beganKey{}, began{time.Now(), q.SQL})
}

func (t *Tracer) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryEndData) {
	t.ended(ctx)
}

func (t *Tracer) TraceBatchStart(ctx context.Context, _ *pgx.Conn, b pgx.TraceBatchStartData) context.Context {
	sql := ""
	if len(b.Batch.QueuedQueries) > 0 {
		sql = b.Batch.QueuedQueries[0].SQL
	}
	return context.WithValue(ctx, beganKey{}, began{time.Now(), sql})
}

func (t *Tracer) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}

func (t *Tracer) TraceBatchEnd(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchEndData) {
	t.ended(ctx)
}

func (t *Tracer) ended(ctx context.Context) {
	b, ok := ctx.Value(beganKey{}).(began)
	if !ok {
		return
	}
	took := time.Since(b.at)
	if s, ok := ctx.Value(spentKey{}).(*Spent); ok {
		s.nanos.Add(int64(took))
		s.asked.Add(1)
	}
	if took >= t.Slow {
		t.Log.WarnContext(ctx, "slow statement", "ms", took.Milliseconds(), "sql", strings.Join(strings.Fields(b.sql), " "))
	}
}
