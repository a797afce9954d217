// Package store keeps a farm's records in PostgreSQL. It knows SQL and no
// rules. A farm's work runs in one transaction, under a role that sees that
// farm's rows alone.
//
// Here stand the connection, the transaction, and the rows that most rooms share:
// pens, machines, batches and their eggs, the journal. What is one room's own
// stands in the package of its name (store/hatch, store/stock, …), as methods of
// a transaction of that package: stock.On(tx).Collect(…).
package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"

	"metrogon/store/migrations"
)

// ErrNone says that there is no such row, or not on this farm.
var ErrNone = errors.New("no such record")

// DB is the database of all farms.
type DB struct {
	Pool   *pgxpool.Pool // for the work of farms
	Door   *pgxpool.Pool // for sessions and accounts, so that no farm's load shuts it
	Gates  gates
	Months months // of samples
	queue  queue  // puts jobs in
}

const doorConns = 9 // one of them hears of jobs, one keeps brokers to one process

// Limits of one statement, on the server, as the program serves; so that no
// statement holds a connection for good.
var serving = map[string]string{
	"role":                                "metrogon_serve",
	"statement_timeout":                   "15s",
	"lock_timeout":                        "4s",
	"idle_in_transaction_session_timeout": "30s",
}

// Whole farms have a hundred thousand rows, and each is checked against the rows that it
// names: those checks keep their plan.
var loading = map[string]string{"plan_cache_mode": "auto"}

// Open connects as the program serves: as the role metrogon_serve, or one that
// may become it. An optional tracer sees every query. Migrate goes before it.
func Open(ctx context.Context, url string, tracer pgx.QueryTracer) (*DB, error) {
	return open(ctx, url, tracer, serving)
}

// OpenOwner connects as the owner of the tables, without limits: to load whole
// farms, and to drop them.
func OpenOwner(ctx context.Context, url string) (*DB, error) { return open(ctx, url, nil, loading) }

func open(ctx context.Context, url string, tracer pgx.QueryTracer, params map[string]string) (*DB, error) {
	farms, err := pool(ctx, url, tracer, params, farmConns())
	if err != nil {
		return nil, err
	}
	door, err := pool(ctx, url, tracer, params, doorConns)
	if err != nil {
		farms.Close()
		return nil, err
	}
	jobs, err := newQueue(door)
	if err != nil {
		farms.Close()
		door.Close()
		return nil, err
	}
	return &DB{Pool: farms, Door: door, queue: jobs}, nil
}

func pool(
	ctx context.Context, url string, tracer pgx.QueryTracer, params map[string]string, conns int32,
) (*pgxpool.Pool, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, errors.New("METROGON_DATABASE_URL is no address of a PostgreSQL database")
	}
	config.MaxConns = conns
	config.ConnConfig.Tracer = tracer
	config.ConnConfig.ConnectTimeout = 5 * time.Second
	run := config.ConnConfig.RuntimeParams
	run["application_name"] = "metrogon"
	run["timezone"] = "UTC"
	// Plans are kept; tables grow under them, so that connections are renewed.
	config.MaxConnLifetime = 30 * time.Minute
	for name, value := range params {
		run[name] = value
	}
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database does not answer: %w", err)
	}
	return pool, nil
}

// Close ends the pools once their queries are done.
func (db *DB) Close() {
	db.Pool.Close()
	db.Door.Close()
}

// Ping tells whether the database answers, and is still one that this program understands.
func (db *DB) Ping(ctx context.Context) error {
	has, err := Value[int64](ctx, db.Door, `select coalesce(max(version_id), 0) from goose_db_version where is_applied`)
	if err == nil && has > migrations.Newest() {
		err = NewerError{has, migrations.Newest()}
	}
	return err
}

// Migrate brings the tables of a database to the newest step, as their owner, and
// returns how many steps it took. Of several programs that begin at once one does
// it and the others wait.
func Migrate(ctx context.Context, ownerURL string) (int, error) { return migrateTo(ctx, ownerURL, -1) }

func migrateTo(ctx context.Context, ownerURL string, version int64) (int, error) {
	p, err := pool(ctx, ownerURL, nil, nil, 3)
	if err != nil {
		return 0, err
	}
	defer p.Close()
	conn := stdlib.OpenDBFromPool(p)
	defer conn.Close()
	// One program after the other: a new one looks again each half second.
	locker, err := lock.NewPostgresSessionLocker(
		lock.WithLockTimeout(1, 120), lock.WithUnlockTimeout(1, 10),
	)
	if err != nil {
		return 0, err
	}
	provider, err := goose.NewProvider(
		goose.DialectPostgres, conn, migrations.Files, goose.WithSessionLocker(locker),
	)
	if err != nil {
		return 0, err
	}
	if now, known, err := provider.GetVersions(ctx); err == nil && now > known {
		return 0, NewerError{now, known}
	}
	var steps []*goose.MigrationResult
	if version < 0 {
		steps, err = provider.Up(ctx)
	} else {
		steps, err = provider.UpTo(ctx, version)
	}
	if err == nil && version < 0 {
		err = migrateJobs(ctx, p)
	}
	if err != nil {
		return len(steps), fmt.Errorf("the database could not be brought up to date: %w", err)
	}
	return len(steps), nil
}

// NewerError says that a newer program has changed the database since: this one would not understand it.
type NewerError struct{ Has, Knows int64 }

func (e NewerError) Error() string {
	return fmt.Sprintf("the database is of a newer program (step %d; this one knows %d steps): start the newer program, "+
		"or restore a backup of before", e.Has, e.Knows)
}

// Tx is one farm's transaction.
type Tx struct {
	pgx.Tx
	FarmID int64
	jobs   []Job // put in once the farm's part is done
}

// Read runs work in one transaction bound to a farm that changes nothing. All its
// questions see the farm of one moment, whatever others write meanwhile.
func (db *DB) Read(ctx context.Context, farmID int64, work func(*Tx) error) error {
	leave, err := db.Gates.Enter(ctx, farmID, false)
	if err != nil {
		return err
	}
	defer leave()
	o := pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}
	return db.Farm(ctx, farmID, o, work)
}

// Write runs work in one transaction bound to a farm, and commits it if it
// returns nil. A farm's writers wait for one another, before they take a
// connection and, where several programs serve, on a lock in the database.
func (db *DB) Write(ctx context.Context, farmID int64, work func(*Tx) error) error {
	leave, err := db.Gates.Enter(ctx, farmID, true)
	if err != nil {
		return err
	}
	defer leave()
	return db.Farm(ctx, farmID, pgx.TxOptions{}, func(tx *Tx) error {
		if err := LockFarm(ctx, tx, farmID); err != nil {
			return err
		}
		return work(tx)
	})
}

// LockFarm waits until nobody else writes to a farm.
func LockFarm(ctx context.Context, tx Execer, farmID int64) error {
	_, err := tx.Exec(ctx, `select pg_advisory_xact_lock(728, $1::int)`, int32(farmID))
	return err
}

// Farm runs work in one transaction bound to a farm, past the turns that Read and Write take.
func (db *DB) Farm(ctx context.Context, farmID int64, o pgx.TxOptions, work func(*Tx) error) error {
	return pgx.BeginTxFunc(ctx, db.Pool, o, func(tx pgx.Tx) error {
		if err := AsFarm(ctx, tx, farmID); err != nil {
			return err
		}
		in := &Tx{Tx: tx, FarmID: farmID}
		if err := work(in); err != nil {
			return err
		}
		return db.enqueue(ctx, in)
	})
}

// AsFarm binds the rest of a transaction to a farm.
func AsFarm(ctx context.Context, tx pgx.Tx, farmID int64) error {
	_, err := tx.Exec(ctx, `
		select set_config('role', 'metrogon_farm', true), set_config('app.farm_id', $1::text, true)`,
		fmt.Sprint(farmID))
	return err
}

// Execer is whatever runs a statement: a pool, a connection, a transaction.
type Execer interface {
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
}

type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

// List reads all rows of a query, a struct each, by the names of its columns.
func List[T any](ctx context.Context, q querier, sql string, args ...any) ([]T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[T])
}

// One reads the only row of a query. ErrNone: there is none.
func One[T any](ctx context.Context, q querier, sql string, args ...any) (T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return *new(T), err
	}
	return found(pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[T]))
}

// Value reads the only value of a query. ErrNone: there is none.
func Value[T any](ctx context.Context, q querier, sql string, args ...any) (T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return *new(T), err
	}
	return found(pgx.CollectExactlyOneRow(rows, pgx.RowTo[T]))
}

// IDs reads a column of ids; never nil.
func IDs(ctx context.Context, q querier, sql string, args ...any) ([]int64, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.AppendRows([]int64{}, rows, pgx.RowTo[int64])
}

func found[T any](v T, err error) (T, error) {
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNone
	}
	return v, err
}

// Ask queues a query whose rows go into dst, to be sent with others in one
// round trip.
func Ask[T any](b *pgx.Batch, dst *[]T, sql string, args ...any) {
	b.Queue(sql, args...).Query(func(rows pgx.Rows) (err error) {
		*dst, err = pgx.CollectRows(rows, pgx.RowToStructByName[T])
		return
	})
}

// Gone are those of some people who were on no other farm.
const Gone = `
	with gone as (
		select id from people p
		where id = any($1) and not exists (select from memberships m where m.person_id = p.id)
	)
	`

// Hit is ErrNone where a statement changed nothing.
func Hit(tag pgconn.CommandTag, err error) error {
	if err == nil && tag.RowsAffected() == 0 {
		return ErrNone
	}
	return err
}

// IDs reads a column of ids in the transaction; never nil.
func (tx *Tx) IDs(ctx context.Context, sql string, args ...any) ([]int64, error) {
	return IDs(ctx, tx, sql, args...)
}
