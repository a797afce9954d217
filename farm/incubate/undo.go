package incubate

import (
	"context"
	"time"

	"metrogon/farm"
	"metrogon/farm/journal"
)

var (
	dropBatch = journal.NewKind("drop_batch", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return tx.DropBatch(ctx, id)
	})
	counterBefore = journal.NewKind("counter", func(ctx context.Context, tx *farm.Tx, c counter) error {
		return tx.StartCounter(ctx, c.Machine, c.Started)
	})
)

// counter is how a machine's day counter stood.
type counter struct {
	Machine int64
	Started *time.Time
}
