package hatch

import (
	"context"
	"time"

	"metrogon/core/calendar"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// earlyDays is how many days before it is due a lockdown or a hatch is asked about.
const earlyDays = 2

// Lockdown stops the turning and moves the batch to where it hatches.
// told is when, zero for now.
func (b *Service) Lockdown(
	ctx context.Context, req farm.Request, batchID, hatcherID int64, told time.Time,
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, eggs snapshot.Eggs) (farm.Done, error) {
			_, step, where, err := lock(ctx, tx, batch, hatcherID, told)
			if err != nil {
				return farm.Done{}, err
			}
			return journal.Record(
				ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{step}, "%s in lockdown in %s.", batch.Code, where,
			)
		})
}

// lock moves a batch to where it hatches, and names the machine.
func lock(
	ctx context.Context, tx *farm.Tx, batch store.Batch, hatcherID int64, told time.Time,
) (at time.Time, back journal.Step, where string, err error) {
	w, v, err := snapshot.Viewed(ctx, tx, batch)
	if err != nil {
		return at, back, "", err
	}
	if hatcherID == 0 {
		hatcherID = batch.HatcherID
	}
	switch {
	case v.Kind.IsReptile():
		return at, back, "", farm.Problemf("batch", "Reptile eggs are left as they lie: there is no lockdown.")
	case batch.LockedAt != nil:
		return at, back, "", farm.Problemf("batch", "%s is in lockdown already.", batch.Code)
	case w.Rooms[hatcherID][batch.Species].Hatching == 0:
		return at, back, "", farm.Problemf("hatcher", "Pick a machine in which these eggs can hatch.")
	}
	if at, err = snapshot.When(tx, batch, told); err != nil {
		return at, back, "", err
	}
	var p farm.Problems
	if due := v.At(calendar.Lockdown); at.Before(due.AddDate(0, 0, -earlyDays)) {
		p.Doubtf(tx.Request, "when", "Lockdown on %s? It is due %s.",
			tx.Member.Counting().Day(calendar.Elapsed(batch.SetAt, at)), tx.Member.ShortDay(due))
	}
	hatcher := w.MachineByID[hatcherID]
	why, err := w.NotReady(ctx, tx, hatcher)
	if err != nil {
		return at, back, "", err
	}
	if why != "" {
		p.Doubtf(tx.Request, "hatcher", "%s is not ready: %s. Lock them down in it all the same?", hatcher.Name, why)
	}
	if p != nil {
		return at, back, "", p
	}
	back = batchBefore.Of(batch)
	batch.HatcherID, batch.LockedAt = hatcherID, &at
	return at, back, hatcher.Name, tx.MoveBatch(ctx, batch)
}
