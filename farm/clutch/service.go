// Package clutch is the work with reptiles' eggs: clutches of one female, in boxes of damp substrate on the shelf of a
// machine, left as they were laid. A clutch is a batch with more to it; days and dates follow from its temperatures.
package clutch

import (
	"context"
	"slices"
	"time"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	clutchrows "metrogon/store/clutch"
	"metrogon/store/hatch"
	"metrogon/store/stock"
)

// Service does it.
type Service struct{ *farm.Service }

// found is what a new clutch made.
type found struct {
	Batch, Box  int64 // Box 0: it was there before
	Collections []int64
	Ended       int64 // a box that was empty and ended
}

// temps are temperatures that were added, and those that they took the place of.
type temps struct {
	Added []int64
	Taken []clutchrows.ClutchTemp
}

// moved is a box that was moved.
type moved struct {
	Box, From int64
	Moves     []int64
}

var (
	dropFound = journal.NewKind("clutch", func(ctx context.Context, tx *farm.Tx, f found) error {
		if err := tx.DropBatch(ctx, f.Batch); err != nil {
			return err
		}
		if _, err := stock.On(tx).DropCollections(ctx, f.Collections); err != nil {
			return err
		}
		if f.Box != 0 {
			if err := clutchrows.On(tx).DropClutchRows(ctx, "boxes", []int64{f.Box}); err != nil {
				return err
			}
		}
		if f.Ended != 0 {
			return endBox(ctx, tx, f.Ended, nil)
		}
		return nil
	})
	tempsBefore = journal.NewKind("clutch-temps", func(ctx context.Context, tx *farm.Tx, t temps) error {
		gone, err := clutchrows.On(tx).TakeTemps(ctx, t.Added)
		if err != nil {
			return err
		}
		batches := map[int64]bool{}
		for _, x := range append(gone, t.Taken...) {
			batches[x.BatchID] = true
		}
		for _, x := range t.Taken {
			if _, err := clutchrows.On(tx).AddClutchTemp(ctx, x, 0); err != nil {
				return err
			}
		}
		return refresh(ctx, tx, batches)
	})
	boxBack = journal.NewKind("box-moved", func(ctx context.Context, tx *farm.Tx, m moved) error {
		for _, id := range m.Moves {
			if err := tx.DropMove(ctx, id); err != nil {
				return err
			}
		}
		if err := clutchrows.On(tx).MoveBox(ctx, m.Box, m.From); err != nil {
			return err
		}
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		return w.RefreshClutches(ctx, tx, m.From)
	})
	dropLogs = journal.NewKind("box-log", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return clutchrows.On(tx).DropClutchRows(ctx, "box_logs", ids)
	})
	dropSigns = journal.NewKind("egg-signs", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return clutchrows.On(tx).DropClutchRows(ctx, "egg_signs", ids)
	})
	dropMasses = journal.NewKind("clutch-mass", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return clutchrows.On(tx).DropClutchRows(ctx, "clutch_masses", ids)
	})
	dropLookCalls = journal.NewKind("clutch-calls", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return tx.DropCalls(ctx, ids)
	})
	dropPips = journal.NewKind("clutch-pips", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return hatch.On(tx).DropHatch(ctx, "hatch_signs", ids)
	})
	dropHatchlings = journal.NewKind("hatchlings", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return hatch.On(tx).DropHatch(ctx, "young", ids)
	})
	hatchlingBefore = journal.NewKind("hatchling", func(ctx context.Context, tx *farm.Tx, h clutchrows.Hatchling) error {
		return clutchrows.On(tx).SaveHatchling(ctx, h)
	})
	dropCauses = journal.NewKind("leftover-cause", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
		return clutchrows.On(tx).SetCause(ctx, eggs, "")
	})
)

// refresh works the days of clutches out anew.
func refresh(ctx context.Context, tx *farm.Tx, batches map[int64]bool) error {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return err
	}
	for id := range batches {
		b, err := tx.Batch(ctx, id)
		if err != nil {
			return err
		}
		if err := w.RefreshClutch(ctx, tx, b); err != nil {
			return err
		}
	}
	return nil
}

// endBox ends a box, or, with nil, takes it into use again.
func endBox(ctx context.Context, tx *farm.Tx, id int64, at *time.Time) error {
	boxes, _, err := clutchrows.On(tx).BoxesByID(ctx, []int64{id})
	if err != nil || len(boxes) == 0 {
		return err
	}
	boxes[0].EndedAt = at
	_, err = clutchrows.On(tx).SaveBox(ctx, boxes[0])
	return err
}

// on runs an action on an open clutch, with its eggs and what is kept of it.
func (s *Service) on(
	ctx context.Context, req farm.Request, id int64, work func(x *at) (farm.Done, error),
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, s.Service, req, id,
		func(tx *farm.Tx, batch store.Batch, eggs snapshot.Eggs) (farm.Done, error) {
			w, v, err := snapshot.Viewed(ctx, tx, batch)
			if err != nil {
				return farm.Done{}, err
			}
			rows, err := clutchrows.On(tx).ClutchRows(ctx, []int64{id})
			if err != nil {
				return farm.Done{}, err
			}
			if len(rows.Clutches) == 0 {
				return farm.Done{}, farm.ErrNone
			}
			return work(&at{ctx, tx, w, v, eggs, rows, rows.Clutches[0]})
		})
}

// at is the clutch at hand.
type at struct {
	ctx  context.Context
	tx   *farm.Tx
	w    *snapshot.Snapshot
	v    snapshot.BatchView
	eggs snapshot.Eggs
	rows clutchrows.ClutchRows
	c    clutchrows.Clutch
}

func (x *at) record(u journal.Undo, format string, args ...any) (farm.Done, error) {
	about := journal.On(journal.Batch, x.v.ID)
	return journal.Record(x.ctx, x.tx, about, u, x.v.Code+": "+format, args...)
}

// living sorts the eggs that are meant; it checks that they are of the clutch and still in.
func (x *at) living(ids []int64) ([]int64, error) {
	ids = slices.Compact(slices.Sorted(slices.Values(ids)))
	return ids, snapshot.Living(ids, x.eggs)
}
