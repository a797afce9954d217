package gauges

import (
	"cmp"
	"context"

	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chores are instruments that were checked long ago.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, x := range up.Instruments {
		g := gaugeOf(w, x, up.Checks)
		if x.UntilOn != nil || !g.Late {
			continue
		}
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Gauge, ID: x.ID}, Kind: chores.CheckGauge, Title: "Check " + x.Name + " again",
			Reason: cmp.Or(g.Lies, "wherever it is"), Of: x.Name,
			Why: "Instruments drift. Melting ice, a clinical thermometer, wet salt: a few minutes, and its readings count " +
				"again.",
		})
	}
	return all, nil
}
