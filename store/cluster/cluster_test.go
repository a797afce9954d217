package cluster

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAClusterOfOurOwn(t *testing.T) {
	dir, err := os.MkdirTemp("", "metrogon-cluster-") // the postgres user must be able to reach it
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	first, err := Start(dir, "fsync=off")
	require.NoError(t, err)
	pool, err := pgxpool.New(t.Context(), first.Owner)
	require.NoError(t, err)
	defer pool.Close()
	_, err = pool.Exec(t.Context(), `create table kept (egg int); insert into kept values (7)`)
	require.NoError(t, err)

	again, err := Start(dir)
	require.NoError(t, err)
	assert.True(t, again.Joined(), "a second start joins the server that runs")
	assert.Equal(t, first.URL, again.URL)

	read := func() (egg int, err error) {
		err = pool.QueryRow(t.Context(), `select egg from kept`).Scan(&egg)
		return
	}
	out, err := first.run("pg_ctl", "-D", first.dir, "-m", "fast", "-w", "restart")
	require.NoError(t, err, out)
	require.Eventually(
		t, func() bool { egg, err := read(); return err == nil && egg == 7 }, 10*time.Second, 20*time.Millisecond,
		"the same pool reads on after a restart",
	)

	require.NoError(t, first.Stop())
	running, err := first.find()
	require.NoError(t, err)
	assert.False(t, running)
	third, err := Start(dir)
	require.NoError(t, err)
	assert.False(t, third.Joined())

	require.NoError(t, third.lock.Load().Close()) // as if its program were killed
	found, err := Start(dir)
	require.NoError(t, err)
	assert.Equal(t, third.URL, found.URL)
	assert.False(t, found.Joined(), "a server left behind is owned by who finds it")
	require.NoError(t, found.Stop())
}

func TestAnUnreachableFolderIsOneSentence(t *testing.T) {
	file := t.TempDir() + "/file"
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	_, err := Start(file)
	assert.ErrorContains(t, err, "data folder")
}

func started(t *testing.T, settings ...string) (*Cluster, string) {
	t.Helper()
	dir, err := os.MkdirTemp("", "metrogon-cluster-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	c, err := Start(dir, append(settings, "fsync=off")...)
	require.NoError(t, err)
	return c, dir
}

func (c *Cluster) answers(ctx context.Context) bool {
	conn, err := pgx.Connect(ctx, c.URL)
	if err != nil {
		return false
	}
	defer conn.Close(ctx)
	var one int
	return conn.QueryRow(ctx, "select 1").Scan(&one) == nil && one == 1
}

// Killed again and again, the server is up again by itself.
func TestAKilledServerIsStartedAgain(t *testing.T) {
	c, _ := started(t)
	c.Watch(slog.New(slog.DiscardHandler))
	for round := range 3 {
		l, ok := c.left()
		require.True(t, ok)
		require.NoError(t, syscall.Kill(l.pid, syscall.SIGKILL))
		require.Eventually(t, func() bool {
			now, ok := c.left()
			return ok && now.pid != l.pid && c.answers(t.Context())
		},
			30*time.Second, 50*time.Millisecond, "round %d", round)
	}
	require.NoError(t, c.Stop())
	assert.False(t, c.answers(t.Context()), "stopped, it stays down")
}

// What a killed server wrote down of itself is not believed once its number has gone
// to another process: that one is neither joined nor stopped.
func TestAForeignProcessIsLeftAlone(t *testing.T) {
	c, dir := started(t)
	kept, err := os.ReadFile(c.pidFile())
	require.NoError(t, err)
	require.NoError(t, c.Stop())

	other := exec.Command("sleep", "60")
	require.NoError(t, other.Start())
	defer other.Process.Kill()
	lines := strings.SplitN(string(kept), "\n", 2)
	require.NoError(t, os.WriteFile(c.pidFile(), []byte(fmt.Sprintf("%d\n%s", other.Process.Pid, lines[1])), 0o600))
	require.NoError(t, c.give(c.pidFile()))
	running, err := c.find()
	require.NoError(t, err)
	assert.False(t, running)
	require.NoError(t, c.Stop())
	assert.NoError(t, syscall.Kill(other.Process.Pid, 0), "the other process was stopped")

	again, err := Start(dir, "fsync=off")
	require.NoError(t, err, "a stale file does not keep the server from starting")
	assert.True(t, again.answers(t.Context()))
	require.NoError(t, again.Stop())
	assert.NoError(t, syscall.Kill(other.Process.Pid, 0))
}

func TestWhoServesIsNoSuperuser(t *testing.T) {
	c, _ := started(t)
	defer c.Stop()
	for _, address := range []string{c.URL, c.Owner} {
		conn, err := pgx.Connect(t.Context(), address)
		require.NoError(t, err)
		defer conn.Close(t.Context())
		var super bool
		require.NoError(
			t, conn.QueryRow(t.Context(), `select rolsuper from pg_roles where rolname = current_user`).Scan(&super),
		)
		assert.False(t, super, conn.Config().User)
	}
}

// A server that somebody stops just now is told from one that is ill: the one is tried again, the other is not.
func TestAServerThatLeaves(t *testing.T) {
	for err, leaves := range map[error]bool{
		fmt.Errorf("connect: %w", &pgconn.PgError{Code: "57P03"}): true, &pgconn.PgError{Code: "57P01"}: true,
		syscall.ECONNREFUSED: true, io.ErrUnexpectedEOF: true,
		&pgconn.PgError{Code: "53100"}: false, &pgconn.PgError{Code: "28P01"}: false, errors.New("no such folder"): false,
	} {
		assert.Equal(t, leaves, Leaving(err), err.Error())
	}
}
