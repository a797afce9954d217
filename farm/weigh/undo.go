package weigh

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/journal"
)

var (
	dropWeighing = journal.NewKind("weighing", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return tx.DropWeighing(ctx, id)
	})
	dropResponse = journal.NewKind("response", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return tx.DropResponse(ctx, id)
	})
	unread = journal.NewKind("response read", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return tx.ReadResponse(ctx, id, nil, nil)
	})
)
