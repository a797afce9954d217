package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
)

// unexpectedEOF tells a connection that broke in the middle.
func unexpectedEOF(err error) bool {
	return errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF)
}

// SessionHolds is how long a device stays signed in.
const SessionHolds = 30 * 24 * time.Hour

// Sessions keeps signed-in sessions, as scs wants it, under the digest of their tokens. A token that was ended
// stays so: a request that was on its way meanwhile does not bring it back.
type Sessions struct{ pool *pgxpool.Pool }

// Sessions gives the store of sessions.
func (db *DB) Sessions() Sessions { return Sessions{db.Door} }

// digestOf is under what a session is kept: who reads the table has no token.
func digestOf(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// FindCtx gives what a session holds; found is false for one that is unknown,
// ended or over.
func (s Sessions) FindCtx(ctx context.Context, token string) (data []byte, found bool, err error) {
	data, err = Value[[]byte](ctx, s.pool, `
		select data from sessions
		where token = $1 and not ended and expiry > clock_timestamp()`, digestOf(token))
	if errors.Is(err, ErrNone) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// CommitCtx keeps what a session holds until it expires.
func (s Sessions) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	_, err := s.pool.Exec(ctx, `
		insert into sessions (token, data, expiry) values ($1, $2, $3)
		on conflict (token) do update set data = excluded.data, expiry = excluded.expiry
			where not sessions.ended`, digestOf(token), data, expiry)
	return err
}

// DeleteCtx ends a session.
func (s Sessions) DeleteCtx(ctx context.Context, token string) error {
	_, err := s.pool.Exec(ctx, `
		insert into sessions (token, data, expiry, ended)
		values ($1, '', clock_timestamp() + $2::interval, true)
		on conflict (token) do update set ended = true, data = ''`, digestOf(token), SessionHolds)
	return err
}

// Find, Commit and Delete are there for scs's plain interface, which is not used.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}

// Commit is CommitCtx without a context.
func (s Sessions) Commit(token string, data []byte, expiry time.Time) error {
	return s.CommitCtx(context.Background(), token, data, expiry)
}

// Delete is DeleteCtx without a context.
func (s Sessions) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }

// Sweep removes sessions that are over.
func (s Sessions) Sweep(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, `delete from sessions where expiry < clock_timestamp()`)
	return err
}
