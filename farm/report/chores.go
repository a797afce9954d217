package report

import (
	"context"
	"slices"

	"metrogon/core/calendar"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chores are what is to be done otherwise, once for each batch that was set since.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil || len(up.NextTimes) == 0 {
		return nil, err
	}
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, n := range up.NextTimes {
		for _, v := range open {
			if v.Species != n.Species || v.ID == n.BatchID || v.SetAt.Before(n.At) || v.LockedAt != nil || v.PartOf != nil ||
				v.Now.After(v.At(calendar.Lockdown)) {
				continue
			}
			if slices.ContainsFunc(up.Done, func(d store.ChoreDone) bool {
				return d.BatchID == v.ID && d.Kind == chores.NextTime && int64(d.Day) == n.ID
			}) {
				continue
			}
			all = append(all, chores.Chore{
				About: store.Subject{Kind: "batch", ID: v.ID}, Code: v.Code, Kind: chores.NextTime, Day: int(n.ID),
				Title: "This time otherwise", Reason: n.Says, Why: "Learnt of " + n.Code + ".",
				Species: v.Species, In: v.Stands().ID,
			})
		}
	}
	return all, nil
}
