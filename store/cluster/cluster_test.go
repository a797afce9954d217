package cluster

import (
	"os"
	"testing"
	"time"

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
	require.Eventually(t, func() bool { egg, err := read(); return err == nil && egg == 7 }, 10*time.Second, 20*time.Millisecond, "the same pool reads on after a restart")

	require.NoError(t, first.Stop())
	running, err := first.find()
	require.NoError(t, err)
	assert.False(t, running)
	third, err := Start(dir)
	require.NoError(t, err)
	assert.False(t, third.Joined())

	require.NoError(t, third.lock.Close()) // as if its program were killed
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
