package store

import (
	"context"
	"strconv"

	"github.com/jackc/pgx/v5"
)

// Listen tells, until the context ends or the line breaks, on which farm something was done, by
// this process or another. It has a connection of its own. ready is called once it listens.
func (db *DB) Listen(ctx context.Context, ready func(), tell func(farmID int64)) error {
	config := db.door.Config().ConnConfig.Copy()
	config.Tracer = nil
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(context.WithoutCancel(ctx)) }()
	if _, err := conn.Exec(ctx, `listen metrogon_done`); err != nil {
		return err
	}
	ready()
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		if farmID, err := strconv.ParseInt(n.Payload, 10, 64); err == nil {
			tell(farmID)
		}
	}
}
