package store

import (
	"context"
	"fmt"
	"log/slog"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

// Jobs are work that waits in the database: done once, by whichever process comes to it, and again where
// it failed.
type Jobs = river.Client[pgx.Tx]

// Jobs gives the jobs to a process. It works on them once it is started.
func (db *DB) Jobs(workers *river.Workers, periodic []*river.PeriodicJob, log *slog.Logger) (*Jobs, error) {
	return river.NewClient(riverpgxv5.New(db.door), &river.Config{
		Workers: workers, PeriodicJobs: periodic, Logger: log, SkipUnknownJobCheck: true,
		Queues: map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 4}},
	})
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
	tables, err := list[struct{ Name string }](ctx, p, `
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

// Then does a farm's part and afterwards, in the same transaction, what only the role that serves may, as
// putting jobs in.
func (db *DB) Then(ctx context.Context, farmID int64, work func(*Tx) error, after func(pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, db.door, func(tx pgx.Tx) error {
		if err := asFarm(ctx, tx, farmID); err != nil {
			return err
		}
		if err := work(&Tx{tx, farmID}); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `select set_config('role', 'metrogon_serve', true)`); err != nil {
			return err
		}
		return after(tx)
	})
}
