package snapshot

import (
	"context"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/clutch"
)

// AskTorn asks about reptiles' eggs that are taken out although others stick to them: parted by force, shells tear.
func AskTorn(ctx context.Context, tx *farm.Tx, p *farm.Problems, batch store.Batch, out []int64) error {
	if batch.TempC == nil {
		return nil
	}
	n, err := clutch.On(tx).Torn(ctx, batch.ID, out)
	if n > 0 {
		stick := " stick"
		if n == 1 {
			stick = " sticks"
		}
		p.Doubtf(tx.Request, "eggs", "%s to what you take out: parting them can tear the shells. Take it out all the same?",
			wording.Plural(n, "egg")+stick)
	}
	return err
}
