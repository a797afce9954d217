package today

import (
	"context"
	"slices"
	"time"

	"metrogon/farm"
	"metrogon/farm/chores"
)

// Page is what a morning needs.
type Page struct {
	Now      time.Time
	Date     time.Time
	Due      []chores.Chore   // late, and today
	Soon     []chores.Chore   // the next three days
	Hatching []farm.BatchView // in lockdown, or pipping
	Next     []farm.BatchView // to hatch, in the next ten days
	Room     farm.EggRoom
	Running  []farm.Running
	Clashes  []farm.Clash
	OnTheWay []farm.ParcelView
	Empty    bool // nothing on the farm yet
	HasPens  bool
	HasBoxes bool
}

// Page shows what is due now, today and in the next days.
func (b *Service) Page(ctx context.Context, m *farm.Member) (page Page, err error) {
	err = b.ReadOpen(ctx, m, func(tx *farm.Tx, w *farm.Snapshot, open []farm.BatchView) error {
		page = Page{Now: w.Now, Date: m.Date(w.Now), HasPens: len(w.Pens) > 0, HasBoxes: len(w.Machines) > 0}
		if page.Due, page.Soon, err = chores.Due(ctx, tx, w, b.Chores); err != nil {
			return err
		}
		if page.Room, err = w.EggRoom(ctx, tx); err != nil {
			return err
		}
		page.Empty = len(open) == 0 && page.Room.Eggs == 0
		page.Hatching, page.Next = hatches(open, w.Now)
		stays := w.AllStays(open)
		page.Clashes = w.Clashes(stays)
		page.Running = w.Running(open, stays)
		parcels, err := w.Parcels(ctx, tx, 20)
		for _, p := range parcels {
			if p.OnTheWay() {
				page.OnTheWay = append(page.OnTheWay, p)
			}
		}
		return err
	})
	return
}

// hatches parts those that hatch now from those that will in the next ten days, by the hour.
func hatches(open []farm.BatchView, now time.Time) (hatching, next []farm.BatchView) {
	for _, v := range open {
		switch {
		case v.Alive == 0 || v.LongPast():
		case v.Hatching():
			hatching = append(hatching, v)
		case v.Hatch().From.Before(now.AddDate(0, 0, 10)):
			next = append(next, v)
		}
	}
	byHour := func(x, y farm.BatchView) int { return x.Hatch().At.Compare(y.Hatch().At) }
	slices.SortFunc(hatching, byHour)
	slices.SortFunc(next, byHour)
	return hatching, next
}
