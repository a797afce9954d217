// Package storetest gives every test a database of its own, from a migrated
// template in a PostgreSQL server started for the run.
package storetest

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"metrogon/store"
	"metrogon/store/cluster"
)

var (
	server *cluster.Cluster
	serial atomic.Int64
)

// Main starts the server, makes the template, runs the package's tests and
// stops the server.
func Main(m *testing.M) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

func run(m *testing.M) (int, error) {
	clearAway()
	dir, err := os.MkdirTemp("", fmt.Sprintf("%s%d-", folder, os.Getpid()))
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	server, err = cluster.Start(
		dir, "fsync=off", "synchronous_commit=off", "full_page_writes=off", "max_connections=300",
	)
	if err != nil {
		return 1, err
	}
	defer server.Stop()
	if err := makeTemplate(context.Background()); err != nil {
		return 1, err
	}
	return m.Run(), nil
}

// folder begins the name of a run's own folder; the number of its process follows.
const folder = "metrogon-test-"

// clearAway ends the servers of runs that were killed, and removes what they left.
func clearAway() {
	left, err := filepath.Glob(filepath.Join(os.TempDir(), folder+"*"))
	if err != nil {
		return
	}
	for _, dir := range left {
		of, _, _ := strings.Cut(strings.TrimPrefix(filepath.Base(dir), folder), "-")
		if n, err := strconv.Atoi(of); err != nil || alive(n) {
			continue
		}
		if text, err := os.ReadFile(filepath.Join(dir, "postgres", "postmaster.pid")); err == nil {
			first, _, _ := strings.Cut(string(text), "\n")
			if server, err := strconv.Atoi(first); err == nil && server > 1 {
				_ = syscall.Kill(server, syscall.SIGQUIT)
			}
		}
		_ = os.RemoveAll(dir)
	}
}

func alive(process int) bool { return !errors.Is(syscall.Kill(process, 0), syscall.ESRCH) }

func makeTemplate(ctx context.Context) error {
	if err := sql(ctx, "create database template_metrogon"); err != nil {
		return err
	}
	_, err := store.Migrate(ctx, owned("template_metrogon"))
	return err
}

// Server is the run's own server, for tests that stop and start it.
func Server() *cluster.Cluster { return server }

// URL makes a fresh migrated database and gives its address.
func URL(t testing.TB) string { return fresh(t, "template_metrogon") }

// EmptyURL makes a database with no tables at all.
func EmptyURL(t testing.TB) string { return fresh(t, "template1") }

// Owned is the address of the same database as the owner of its tables.
func Owned(url string) string {
	return owned(url[strings.LastIndex(url, "/")+1 : strings.IndexByte(url, '?')])
}

// Open makes a fresh migrated database and connects to it as the program serves. The
// tracer may be nil.
func Open(t testing.TB, tracer pgx.QueryTracer) *store.DB {
	t.Helper()
	db, err := store.Open(t.Context(), URL(t), tracer)
	require.NoError(t, err)
	t.Cleanup(db.Close)
	return db
}

// filled are templates that tests filled, by name.
var filled sync.Map

// OpenFilled is Open of a database that holds what fill puts in, which is done once a run for each name.
func OpenFilled(t testing.TB, tracer pgx.QueryTracer, name string, fill func(owner *store.DB) error) *store.DB {
	t.Helper()
	template := "template_" + name
	once, _ := filled.LoadOrStore(template, sync.OnceValue(func() error {
		// A test may be over while others still wait for this.
		ctx := context.WithoutCancel(t.Context())
		if err := sql(ctx, fmt.Sprintf("create database %s template template_metrogon", template)); err != nil {
			return err
		}
		owner, err := store.OpenOwner(ctx, owned(template))
		if err != nil {
			return err
		}
		defer owner.Close()
		return fill(owner)
	}))
	require.NoError(t, once.(func() error)())
	db, err := store.Open(t.Context(), fresh(t, template), tracer)
	require.NoError(t, err)
	t.Cleanup(db.Close)
	return db
}

// Owner connects to the same database as the owner of its tables, to whom no wall
// is up.
func Owner(t testing.TB, db *store.DB) *store.DB {
	t.Helper()
	owner, err := store.OpenOwner(t.Context(), Owned(db.Pool.Config().ConnString()))
	require.NoError(t, err)
	t.Cleanup(owner.Close)
	return owner
}

func fresh(t testing.TB, template string) string {
	t.Helper()
	name := fmt.Sprintf("test_%d", serial.Add(1))
	require.NoError(t, sql(t.Context(), fmt.Sprintf("create database %s template %s", name, template)))
	return address(name)
}

func address(database string) string { return in(server.URL, database) }

func owned(database string) string { return in(server.Owner, database) }

func in(address, database string) string {
	u, err := url.Parse(address)
	if err != nil {
		panic(err) // the cluster made it
	}
	u.Path = "/" + database
	return u.String()
}

func sql(ctx context.Context, statement string) error {
	conn, err := pgx.Connect(ctx, server.Owner)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, statement)
	return err
}
