package outage

import (
	"context"
	"slices"

	"metrogon/core/calendar"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chores are a cut that lasts, and looking by the lamp some days after one that did harm.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, o := range up.Cuts {
		if o.ToAt == nil {
			all = append(all, chores.Chore{
				About: store.Subject{Kind: "outage", ID: o.ID}, Kind: chores.PowerAway, At: w.DayBegan(),
				Title: "Power away since " + tx.Member.Hours(o.FromAt), Reason: "leave it shut, wrap it",
				Why: "What to do meanwhile, and how cold they are by now, stands on its page.",
			})
		}
	}
	if len(up.Chilled) == 0 {
		return all, nil
	}
	views, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, o := range up.Chilled {
		i := slices.IndexFunc(views, func(v snapshot.BatchView) bool { return v.ID == o.BatchID })
		if i < 0 {
			continue
		}
		v := views[i]
		due := w.Member.Hour.On(o.LookOn, 0, w.Member.Place)
		if v.LockedAt != nil || v.Alive == 0 || v.CandledAt != nil && !v.CandledAt.Before(due.AddDate(0, 0, -2)) ||
			!due.Before(v.At(calendar.Lockdown)) {
			continue
		}
		all = append(all, chores.Chore{
			About: store.Subject{Kind: "batch", ID: v.ID}, Code: v.Code, Kind: chores.LookAfterCut, At: due, Eggs: v.Alive,
			Title: "Look who outlived the power cut", Reason: v.Stands().Name, Species: v.Species, In: v.Stands().ID,
			Why: wording.Capital(o.Risk) + " risk: by now the living have grown on, and the dead have not. Take out only " +
				"what is surely dead.",
		})
	}
	return all, nil
}
