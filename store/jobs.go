package store

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"github.com/riverqueue/river/rivertype"
)

// Job is work that waits in the database: it is done by whichever process comes to it, and again where it
// failed or its process was killed, so at least once.
type Job struct {
	What  river.JobArgs // its Kind says who works on it
	Queue string
	At    time.Time     // not before; zero: at once
	Once  time.Duration // only one with the same content in each such span; 0: every one
}

// waits and works are the states in which the same job is not put in again.
var unfinished = []rivertype.JobState{
	rivertype.JobStateAvailable, rivertype.JobStatePending, rivertype.JobStateRunning,
	rivertype.JobStateScheduled, rivertype.JobStateCompleted, rivertype.JobStateRetryable,
}

func (j Job) options() *river.InsertOpts {
	o := &river.InsertOpts{Queue: j.Queue, ScheduledAt: j.At}
	if j.Once > 0 {
		o.UniqueOpts = river.UniqueOpts{ByArgs: true, ByPeriod: j.Once, ByState: unfinished}
	}
	return o
}

// Later puts jobs in with the transaction: they are there if it is committed, and not if it is not.
func (tx *Tx) Later(jobs ...Job) { tx.jobs = append(tx.jobs, jobs...) }

// enqueue ends a farm's part of a transaction with its jobs, which only the role that serves may put in.
func (db *DB) enqueue(ctx context.Context, tx *Tx) error {
	if len(tx.jobs) == 0 {
		return nil
	}
	if _, err := tx.Exec(ctx, `select set_config('role', 'metrogon_serve', true)`); err != nil {
		return err
	}
	_, err := db.queue.InsertManyFastTx(ctx, tx.Tx, params(tx.jobs))
	return err
}

// Enqueue puts jobs in that belong to no farm's transaction.
func (db *DB) Enqueue(ctx context.Context, jobs ...Job) error {
	if len(jobs) == 0 {
		return nil
	}
	_, err := db.queue.InsertManyFast(ctx, params(jobs))
	return err
}

func params(jobs []Job) []river.InsertManyParams {
	all := make([]river.InsertManyParams, len(jobs))
	for i, j := range jobs {
		all[i] = river.InsertManyParams{Args: j.What, InsertOpts: j.options()}
	}
	return all
}

// queue is all that a store needs of the client; the client itself, a generic one, would be compiled into every
// package that knows a store.
type queue interface {
	InsertManyFast(context.Context, []river.InsertManyParams) (int, error)
	InsertManyFastTx(context.Context, pgx.Tx, []river.InsertManyParams) (int, error)
}

// newQueue gives what puts jobs in and works on none.
func newQueue(p *pgxpool.Pool) (queue, error) {
	return river.NewClient(riverpgxv5.New(p), &river.Config{Logger: slog.New(slog.DiscardHandler)})
}

// Worked gives the jobs to a process that works on them once it is started.
func Worked(db *DB, c *river.Config) (*river.Client[pgx.Tx], error) {
	return river.NewClient(riverpgxv5.New(db.Door), c)
}

// CameRound keeps that work that comes round by itself did, at a moment.
func (db *DB) CameRound(ctx context.Context, name string, at time.Time) error {
	_, err := db.Door.Exec(ctx, `
		insert into rounds (name, at) values ($1, $2)
		on conflict (name) do update set at = greatest(rounds.at, excluded.at)`, name, at)
	return err
}

// Round is when work that comes round by itself did last.
type Round struct {
	Name string
	At   time.Time
}

// Rounds lists them.
func (db *DB) Rounds(ctx context.Context) ([]Round, error) {
	return List[Round](ctx, db.Door, `select name, at from rounds order by name`)
}

// migrateJobs brings the tables of jobs up to date, for one program after the other, and lets the role
// that serves work with them.
func migrateJobs(ctx context.Context, p *pgxpool.Pool) error {
	conn, err := p.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `select pg_advisory_lock(731)`); err != nil {
		return err
	}
	defer conn.Exec(context.WithoutCancel(ctx), `select pg_advisory_unlock(731)`)
	migrator, err := rivermigrate.New(riverpgxv5.New(p), &rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err != nil {
		return err
	}
	done, err := migrator.Migrate(ctx, rivermigrate.DirectionUp, nil)
	if err != nil || len(done.Versions) == 0 {
		return err
	}
	tables, err := List[struct{ Name string }](ctx, p, `
		select quote_ident(relname) as name from pg_class
		where relname like 'river\_%' and relkind in ('r', 'S') and relnamespace = 'public'::regnamespace`)
	if err != nil {
		return err
	}
	for _, t := range tables {
		if _, err := p.Exec(ctx, fmt.Sprintf(`grant all on %s to metrogon_serve`, t.Name)); err != nil {
			return err
		}
	}
	return nil
}
