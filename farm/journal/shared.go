package journal

import (
	"context"
	"time"

	"metrogon/farm"
	"metrogon/store"
)

var (
	DropCare = NewKind("care", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return tx.DropCare(ctx, ids)
	})
	PlacedBefore = NewKind("lies", func(ctx context.Context, tx *farm.Tx, were []store.Placement) error {
		return tx.PlaceEggs(ctx, were)
	})
	Revive = NewKind("revive", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
		_, err := tx.End(ctx, eggs, "", "", time.Time{})
		return err
	})
)

// RecordCare notes care that can be taken back.
func RecordCare(ctx context.Context, tx *farm.Tx, c store.Care, format string, args ...any) (farm.Done, error) {
	c.At = tx.At
	id, err := tx.AddCare(ctx, c, tx.Member.PersonID)
	if err != nil {
		return farm.Done{}, err
	}
	var about Subjects
	if c.BatchID != nil {
		about = On("batch", *c.BatchID)
	}
	if c.PlaceID != nil {
		about = On("place", *c.PlaceID)
	}
	return Record(ctx, tx, about, Undo{DropCare.Of([]int64{id})}, format, args...)
}
