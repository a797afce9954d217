package store

import (
	"context"
	"strconv"

	"github.com/jackc/pgx/v5"
)

// Listen tells, until the context ends or the line breaks, on which farm something was done, by
// this process or another, or that readings came in. It has a connection of its own. ready is called once it
// listens.
func (db *DB) Listen(ctx context.Context, ready func(), done, read func(farmID int64)) error {
	config := db.Door.Config().ConnConfig.Copy()
	config.Tracer = nil
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(context.WithoutCancel(ctx)) }()
	if _, err := conn.Exec(ctx, `listen metrogon_done; listen metrogon_read`); err != nil {
		return err
	}
	ready()
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		farmID, err := strconv.ParseInt(n.Payload, 10, 64)
		switch {
		case err != nil:
		case n.Channel == "metrogon_read":
			read(farmID)
		default:
			done(farmID)
		}
	}
}
