package hatch

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
)

var (
	batchBefore = journal.NewKind("stand", func(ctx context.Context, tx *farm.Tx, before store.Batch) error {
		return tx.MoveBatch(ctx, before)
	})
	dropYoung = journal.NewKind("young", func(ctx context.Context, tx *farm.Tx, counts []int64) error {
		return tx.DropYoung(ctx, counts)
	})
	unsettle = journal.NewKind("unsettle", func(ctx context.Context, tx *farm.Tx, batchID int64) error {
		_, err := tx.SettleYoung(ctx, batchID, false)
		return err
	})
)
