package candle

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/journal"
)

var (
	dropCalls = journal.NewKind("calls", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return tx.DropCalls(ctx, ids)
	})
	shut = journal.NewKind("opened", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
		_, err := tx.SetOpened(ctx, eggs, "")
		return err
	})
)
