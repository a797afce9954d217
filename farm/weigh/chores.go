package weigh

import (
	"context"
	"fmt"
	"slices"

	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/weigh"
)

// Chores are machines whose humidity is to be looked at again after a change.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	for id, x := range w.MachineByID {
		var mine []rows.Response
		for _, r := range up.Changes {
			if r.MachineID == id {
				mine = append(mine, r)
			}
		}
		c := changesOf(mine, w.Now)
		if c.Open == nil {
			continue
		}
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Machine, ID: id}, Kind: chores.Humidity, At: c.Look, Of: x.Name,
			Title:  "Look at the humidity of " + x.Name,
			Reason: fmt.Sprintf("%s at %s, from %.0f %%", c.Open.What, w.Member.Hours(c.Open.At), c.Open.FromPct),
			Why:    "A change takes half an hour or more; who adds before it settled overshoots. What it shows then is kept.",
		})
	}
	slices.SortFunc(all, func(a, b chores.Chore) int { return int(a.About.ID - b.About.ID) })
	return all, nil
}
