package farm

import (
	"context"
	"time"

	"metrogon/store"
)

var errMeanwhile = Problemf("entry", "Some of these eggs were set or taken out meanwhile.")

// Steps of the stock room.
var (
	dropCollections = NewKind("collections", func(ctx context.Context, tx *Tx, ids []int64) error {
		n, err := tx.DropCollections(ctx, ids)
		if err == nil && n < len(ids) {
			err = errMeanwhile
		}
		return err
	})
	offTrial = NewKind("off_trial", func(ctx context.Context, tx *Tx, eggs []int64) error {
		n, err := tx.OffTrial(ctx, eggs)
		if err == nil && n < len(eggs) {
			err = errMeanwhile
		}
		return err
	})
	putBack = NewKind("put_back", func(ctx context.Context, tx *Tx, eggs []int64) error {
		return tx.PutBack(ctx, eggs)
	})
	parcelBefore = NewKind("parcel", func(ctx context.Context, tx *Tx, before store.Parcel) error {
		return tx.SaveParcel(ctx, before)
	})
	dropParcel = NewKind("drop_parcel", func(ctx context.Context, tx *Tx, id int64) error {
		return tx.DropParcel(ctx, id)
	})
)

var (
	DropCare = NewKind("care", func(ctx context.Context, tx *Tx, ids []int64) error {
		return tx.DropCare(ctx, ids)
	})
	Revive = NewKind("revive", func(ctx context.Context, tx *Tx, eggs []int64) error {
		_, err := tx.End(ctx, eggs, "", "", time.Time{})
		return err
	})
)

var (
	dropBatch = NewKind("drop_batch", func(ctx context.Context, tx *Tx, id int64) error {
		return tx.DropBatch(ctx, id)
	})
	counterBefore = NewKind("counter", func(ctx context.Context, tx *Tx, c counter) error {
		return tx.StartCounter(ctx, c.Machine, c.Started)
	})
	placementsBefore = NewKind("lies", func(ctx context.Context, tx *Tx, were []store.Placement) error {
		return tx.PlaceEggs(ctx, were)
	})
	choreUndone = NewKind("chore", func(ctx context.Context, tx *Tx, c store.ChoreDone) error {
		return tx.MarkUndone(ctx, c.BatchID, c.Kind, c.Day)
	})
)

// counter is how a machine's day counter stood.
type counter struct {
	Machine int64
	Started *time.Time
}

var (
	batchBefore = NewKind("stand", func(ctx context.Context, tx *Tx, before store.Batch) error {
		return tx.MoveBatch(ctx, before)
	})
	dropYoung = NewKind("young", func(ctx context.Context, tx *Tx, counts []int64) error {
		return tx.DropYoung(ctx, counts)
	})
	unsettle = NewKind("unsettle", func(ctx context.Context, tx *Tx, batchID int64) error {
		_, err := tx.SettleYoung(ctx, batchID, false)
		return err
	})
)

var (
	dropCalls = NewKind("calls", func(ctx context.Context, tx *Tx, ids []int64) error {
		return tx.DropCalls(ctx, ids)
	})
	shut = NewKind("opened", func(ctx context.Context, tx *Tx, eggs []int64) error {
		_, err := tx.SetOpened(ctx, eggs, "")
		return err
	})
)

var (
	dropWeighing = NewKind("weighing", func(ctx context.Context, tx *Tx, id int64) error {
		return tx.DropWeighing(ctx, id)
	})
	dropResponse = NewKind("response", func(ctx context.Context, tx *Tx, id int64) error {
		return tx.DropResponse(ctx, id)
	})
)
