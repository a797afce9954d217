package flock

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
	"metrogon/store/breeders"
)

// counts are how many birds a pen had.
type counts struct{ Pen, Males, Females int64 }

// Steps of what is done with pens and birds.
var (
	dropPen = journal.NewKind("drop_pen", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return farm.Leant(tx.DropPen(ctx, id), "pen", "There are eggs, birds or promises of this pen; take those back first.")
	})
	penBefore = journal.NewKind("pen", func(ctx context.Context, tx *farm.Tx, before store.Pen) error {
		_, err := tx.SavePen(ctx, before)
		return farm.Taken(err, "name", "Another pen has that name now.")
	})
	dropBird = journal.NewKind("drop_bird", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return breeders.On(tx).DropBird(ctx, id)
	})
	birdBefore = journal.NewKind("bird", func(ctx context.Context, tx *farm.Tx, before breeders.Bird) error {
		_, err := breeders.On(tx).SaveBird(ctx, before)
		return err
	})
	dropStay = journal.NewKind("drop_stay", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return breeders.On(tx).DropStay(ctx, id)
	})
	stayBefore = journal.NewKind("stay", func(ctx context.Context, tx *farm.Tx, before breeders.BirdStay) error {
		_, err := breeders.On(tx).SaveStay(ctx, before)
		return err
	})
	countsBefore = journal.NewKind("pen_counts", func(ctx context.Context, tx *farm.Tx, c counts) error {
		return breeders.On(tx).SetPenCounts(ctx, c.Pen, int(c.Males), int(c.Females))
	})
)
