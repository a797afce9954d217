package store_test

import (
	"context"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/store"
	"metrogon/store/storetest"
)

// What the database takes for a request is counted, and a slow statement is logged without its values.
func TestStatementsAreTimed(t *testing.T) {
	var log strings.Builder
	db := storetest.Open(t, &store.Tracer{Log: slog.New(slog.NewTextHandler(&log, nil)), Slow: 200 * time.Millisecond})
	log.Reset()
	ctx, spent := store.Timed(t.Context())
	_, err := db.Pool.Exec(ctx, `select $1::text`, "quick")
	require.NoError(t, err)
	assert.Empty(t, log.String())
	_, err = db.Pool.Exec(ctx, `select
		pg_sleep(0.25), $1::text`, "anna@wickfold.example")
	require.NoError(t, err)
	assert.Contains(t, log.String(), `select pg_sleep(0.25), $1::text`)
	assert.NotContains(t, log.String(), "anna@wickfold.example")
	b := &pgx.Batch{}
	b.Queue(`select 1`)
	b.Queue(`select 2`)
	require.NoError(t, db.Pool.SendBatch(ctx, b).Close())
	assert.EqualValues(t, 3, spent.Asked(), "a batch is one journey")
	assert.GreaterOrEqual(t, spent.Took(), 250*time.Millisecond)
	_, err = db.Pool.Exec(context.Background(), `select 1`)
	require.NoError(t, err, "nobody counts")
}
