package hatch

import (
	"context"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/farm"
	"metrogon/farm/snapshot"
)

// Late is a batch that hatches, with until when it is worth waiting for the rest.
type Late struct {
	snapshot.BatchView
	Until time.Time
}

// Late tells how long it is worth waiting for a batch's eggs; farm.ErrNone where it is none that hatches.
func (b *Service) Late(ctx context.Context, m *farm.Member, batchID int64) (late Late, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(_ *farm.Tx, _ *snapshot.Snapshot, open []snapshot.BatchView) error {
		i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == batchID })
		if i < 0 || open[i].Kind.IsReptile() {
			return farm.ErrNone
		}
		late = Late{open[i], open[i].At(calendar.ClearOut)}
		return nil
	})
	return late, err
}
