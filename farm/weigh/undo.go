package weigh

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/journal"
	rows "metrogon/store/weigh"
)

var (
	dropWeighing = journal.NewKind("weighing", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return rows.On(tx).DropWeighing(ctx, id)
	})
	dropResponse = journal.NewKind("response", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return rows.On(tx).DropResponse(ctx, id)
	})
	unread = journal.NewKind("response read", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return rows.On(tx).ReadResponse(ctx, id, nil, nil)
	})
)
