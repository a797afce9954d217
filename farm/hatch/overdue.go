package hatch

import (
	"context"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/hatching"
	"metrogon/farm"
)

// Late is a batch that hatches, with until when it is worth waiting for the rest.
type Late struct {
	farm.BatchView
	Until time.Time
}

// Late tells how long it is worth waiting for a batch's eggs; farm.ErrNone where it is none that hatches.
func (b *Service) Late(ctx context.Context, m *farm.Member, batchID int64) (late Late, err error) {
	err = b.ReadOpen(ctx, m, func(tx *farm.Tx, w *farm.Snapshot, open []farm.BatchView) error {
		i := slices.IndexFunc(open, func(v farm.BatchView) bool { return v.ID == batchID })
		if i < 0 || open[i].Kind.IsReptile() {
			return farm.ErrNone
		}
		v := open[i]
		late = Late{v, v.At(calendar.ClearOut)}
		if v.LockedAt == nil {
			return nil
		}
		rows, err := tx.Hatch(ctx, v.HatcherID, []int64{v.ID}, []string{v.Species}, *v.LockedAt)
		if err != nil {
			return err
		}
		records, err := farm.ReadAgesOf(ctx, tx, []string{v.Species})
		if err != nil {
			return err
		}
		load := loadView(w, records[v.Species], v, rows)
		last := time.Time{}
		for _, e := range load.Watch.Eggs {
			if e.State != hatching.Out {
				last = farm.Latest(last, w.Now.Add(-time.Duration(e.Since*float64(time.Hour))))
			}
		}
		late.Until = hatching.WorthWaiting(v.Kind, load.LeaveUntil, last)
		return nil
	})
	return late, err
}
