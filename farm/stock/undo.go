package stock

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/journal"
	rows "metrogon/store/stock"
)

var errMeanwhile = farm.Problemf("entry", "Some of these eggs were set or taken out meanwhile.")

// Steps of the stock room.
var (
	dropCollections = journal.NewKind("collections", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		n, err := rows.On(tx).DropCollections(ctx, ids)
		if err == nil && n < len(ids) {
			err = errMeanwhile
		}
		return err
	})
	offTrial = journal.NewKind("off_trial", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
		n, err := rows.On(tx).OffTrial(ctx, eggs)
		if err == nil && n < len(eggs) {
			err = errMeanwhile
		}
		return err
	})
	putBack = journal.NewKind("put_back", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
		return rows.On(tx).PutBack(ctx, eggs)
	})
	parcelBefore = journal.NewKind("parcel", func(ctx context.Context, tx *farm.Tx, before rows.Parcel) error {
		return rows.On(tx).SaveParcel(ctx, before)
	})
	dropParcel = journal.NewKind("drop_parcel", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return rows.On(tx).DropParcel(ctx, id)
	})
)
