// Package store keeps a farm's records in PostgreSQL. It knows SQL and no
// rules. A farm's work runs in one transaction, under a role that sees that
// farm's rows alone.
package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"metrogon/store/migrations"
)

// ErrNone says that there is no such row, or not on this farm.
var ErrNone = errors.New("no such record")

// DB is the database of all farms.
type DB struct{ Pool *pgxpool.Pool }

// Open connects a pool. An optional tracer sees every query.
func Open(ctx context.Context, url string, tracer pgx.QueryTracer) (*DB, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, errors.New("METROGON_DATABASE_URL is no address of a PostgreSQL database")
	}
	config.ConnConfig.Tracer = tracer
	config.ConnConfig.ConnectTimeout = 5 * time.Second
	config.ConnConfig.RuntimeParams["application_name"] = "metrogon"
	config.ConnConfig.RuntimeParams["timezone"] = "UTC"
	// Farms differ in size and tables grow under a plan made when they were empty:
	// each query is planned for what it asks.
	config.ConnConfig.RuntimeParams["plan_cache_mode"] = "force_custom_plan"
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database does not answer: %w", err)
	}
	return &DB{pool}, nil
}

// Close ends the pool once its queries are done.
func (db *DB) Close() { db.Pool.Close() }

// Migrate brings the tables to the newest step and returns how many it took.
func (db *DB) Migrate(ctx context.Context) (int, error) { return db.migrateTo(ctx, -1) }

func (db *DB) migrateTo(ctx context.Context, version int64) (int, error) {
	conn := stdlib.OpenDBFromPool(db.Pool)
	defer conn.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, conn, migrations.Files)
	if err != nil {
		return 0, err
	}
	var steps []*goose.MigrationResult
	if version < 0 {
		steps, err = provider.Up(ctx)
	} else {
		steps, err = provider.UpTo(ctx, version)
	}
	if err != nil {
		return len(steps), fmt.Errorf("the database could not be brought up to date: %w", err)
	}
	return len(steps), nil
}

// Tx is one farm's transaction.
type Tx struct {
	pgx.Tx
	FarmID int64
}

// Farm runs work in one transaction bound to a farm, and commits it if it
// returns nil.
func (db *DB) Farm(ctx context.Context, farmID int64, work func(*Tx) error) error {
	return pgx.BeginFunc(ctx, db.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `select set_config('role', 'metrogon_farm', true), set_config('app.farm_id', $1::text, true)`, fmt.Sprint(farmID)); err != nil {
			return err
		}
		return work(&Tx{tx, farmID})
	})
}

// Queue makes a farm's writers wait for one another until the transaction ends.
func (tx *Tx) Queue(ctx context.Context) error {
	_, err := tx.Exec(ctx, `select pg_advisory_xact_lock(728, $1::int)`, int32(tx.FarmID))
	return err
}

type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

func list[T any](ctx context.Context, q querier, sql string, args ...any) ([]T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[T])
}

func one[T any](ctx context.Context, q querier, sql string, args ...any) (T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return *new(T), err
	}
	return found(pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[T]))
}

func value[T any](ctx context.Context, q querier, sql string, args ...any) (T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return *new(T), err
	}
	return found(pgx.CollectExactlyOneRow(rows, pgx.RowTo[T]))
}

func found[T any](v T, err error) (T, error) {
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNone
	}
	return v, err
}

// ask queues a query whose rows go into dst, to be sent with others in one
// round trip.
func ask[T any](b *pgx.Batch, dst *[]T, sql string, args ...any) {
	b.Queue(sql, args...).Query(func(rows pgx.Rows) (err error) {
		*dst, err = pgx.CollectRows(rows, pgx.RowToStructByName[T])
		return
	})
}
