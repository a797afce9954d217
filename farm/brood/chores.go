package brood

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/snapshot"
	broodrows "metrogon/store/brood"
)

// Chores are the brooder that is warmed before young come, the heat that is lowered, and young that
// are old enough to go out.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil || len(up.Brooders) == 0 {
		return nil, err
	}
	s := &scene{
		w: w, today: w.Member.Date(w.Now), brooders: up.Brooders, rows: broodrows.Raising{Broods: up.Broods, Heats: up.Heats},
	}
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, br := range s.brooders {
		if c, due := s.lowering(br); due {
			all = append(all, c)
		}
	}
	for _, v := range open {
		if c, due := s.warming(v); due {
			return append(all, c), nil // one brooder at a time
		}
	}
	return all, nil
}
