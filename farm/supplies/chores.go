package supplies

import (
	"context"
	"fmt"
	"slices"

	"metrogon/core/calendar"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chores are the lists of batches that go into lockdown or hatch in some days.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil || len(up.Supplies) == 0 {
		return nil, err
	}
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, v := range open {
		if v.Kind.IsReptile() || v.LongPast() || v.Alive == 0 {
			continue
		}
		for _, before := range []string{Lockdown, Hatch} {
			at := v.At(map[string]string{Lockdown: calendar.Lockdown, Hatch: calendar.Hatch}[before])
			if v.LockedAt != nil && before == Lockdown || v.Now.After(at) || v.Hatched > 0 {
				continue
			}
			if before == Hatch && v.Kind.IsAltricial() { // the list is for chicks
				continue
			}
			if slices.ContainsFunc(up.Done, func(d store.ChoreDone) bool {
				return d.BatchID == v.ID && d.Kind == chores.AtHand && d.Day == number(before)
			}) {
				continue
			}
			if says := listOf(up.Supplies, before, v.Species); says != "" {
				all = append(all, chores.Chore{
					About: store.Subject{Kind: journal.Batch, ID: v.ID}, Code: v.Code, Kind: chores.AtHand, Day: number(before),
					At: due(w, at), Title: "Have at hand for the " + before, Reason: says, Species: v.Species,
					Why: fmt.Sprintf("The %s is %s.", before, w.Member.ShortDay(at)),
				})
			}
		}
	}
	return all, nil
}
