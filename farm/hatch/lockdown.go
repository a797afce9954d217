package hatch

import (
	"context"
	"time"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
)

// Lockdown stops the turning and moves the batch to where it hatches.
// told is when, zero for now.
func (b *Service) Lockdown(
	ctx context.Context, m *farm.Member, key string, batchID, hatcherID int64, told time.Time,
) (farm.Done, error) {
	return b.OnBatch(ctx, m, key, batchID, func(tx *farm.Tx, batch store.Batch, eggs farm.Eggs) (farm.Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return farm.Done{}, err
		}
		if hatcherID == 0 {
			hatcherID = batch.HatcherID
		}
		switch v, err := w.View(batch); {
		case err != nil:
			return farm.Done{}, err
		case v.Kind.IsReptile():
			return farm.Done{}, farm.Problemf("batch", "Reptile eggs are left as they lie: there is no lockdown.")
		case batch.LockedAt != nil:
			return farm.Done{}, farm.Problemf("batch", "%s is in lockdown already.", batch.Code)
		case w.Rooms[hatcherID][batch.Species].Hatching == 0:
			return farm.Done{}, farm.Problemf("hatcher", "Pick a machine in which these eggs can hatch.")
		}
		at, err := tx.When(batch, told)
		if err != nil {
			return farm.Done{}, err
		}
		before := batch
		batch.HatcherID, batch.LockedAt = hatcherID, &at
		if err := tx.MoveBatch(ctx, batch); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{batchBefore.Of(before)}, "%s in lockdown in %s.",
			batch.Code, w.MachineByID[hatcherID].Name,
		)
	})
}
