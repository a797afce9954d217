package today

import (
	"cmp"
	"context"
	"slices"
	"time"

	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/snapshot"
)

// Page is what a morning needs.
type Page struct {
	Now      time.Time
	Date     time.Time
	Due      []chores.Chore       // late, and today
	Soon     []chores.Chore       // the next three days
	Hatching []snapshot.BatchView // in lockdown, or pipping
	Next     []snapshot.BatchView // to hatch, in the next ten days
	Room     snapshot.EggRoom
	Running  []snapshot.Running
	Clashes  []snapshot.Clash
	Stranded []snapshot.Stranded
	OnTheWay []snapshot.ParcelView
	Begun    Begun
	Open     []snapshot.BatchView
}

// Begun is how far a new farm has come on its way to the first batch.
type Begun struct {
	Pens     []snapshot.Pen
	Machines []snapshot.Machine
	Eggs     int  // in store
	Set      bool // something was set, ever
}

// Step is one on that way.
type Step struct {
	Name       string
	Done, Next bool
}

// Steps are all of them, with the one that comes next.
func (x Begun) Steps() []Step {
	steps := []Step{
		{Name: "Pens", Done: len(x.Pens) > 0}, {Name: "Machines", Done: len(x.Machines) > 0},
		{Name: "Eggs in store", Done: x.Eggs > 0}, {Name: "Set", Done: x.Set},
	}
	for i := range steps {
		if !steps[i].Done {
			steps[i].Next = true
			break
		}
	}
	return steps
}

// Begun tells how far the member's farm has come.
func (b *Service) Begun(ctx context.Context, m *farm.Member) (x Begun, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		room, err := w.EggRoom(ctx, tx)
		if err != nil {
			return err
		}
		x, err = begun(ctx, tx, w, room.Eggs)
		return err
	})
	return x, err
}

func begun(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, eggs int) (x Begun, err error) {
	x = Begun{Pens: w.Pens, Machines: w.Machines, Eggs: eggs}
	x.Set, err = tx.HasBatches(ctx)
	return x, err
}

// Page shows what is due now, today and in the next days.
func (b *Service) Page(ctx context.Context, m *farm.Member) (page Page, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		page = Page{Now: w.Now, Date: m.Date(w.Now), Open: open}
		if page.Due, page.Soon, err = chores.Due(ctx, tx, w, b.Chores); err != nil {
			return err
		}
		if page.Room, err = w.EggRoom(ctx, tx); err != nil {
			return err
		}
		if page.Begun = (Begun{Set: true}); len(open) == 0 {
			if page.Begun, err = begun(ctx, tx, w, page.Room.Eggs); err != nil {
				return err
			}
		}
		page.Hatching, page.Next = hatches(open, w.Now)
		stays := w.AllStays(open)
		page.Clashes, page.Stranded = w.Clashes(stays), w.Stranded(open)
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
func hatches(open []snapshot.BatchView, now time.Time) (hatching, next []snapshot.BatchView) {
	for _, v := range open {
		switch {
		case v.Alive == 0 || v.LongPast():
		case v.Hatching():
			hatching = append(hatching, v)
		case v.Hatch().From.Before(now.AddDate(0, 0, 10)):
			next = append(next, v)
		}
	}
	// Clutches take days, and stand behind what hatches by the hour.
	byHour := func(x, y snapshot.BatchView) int {
		return cmp.Or(farm.OneIf(x.Kind.IsReptile())-farm.OneIf(y.Kind.IsReptile()), x.Hatch().At.Compare(y.Hatch().At))
	}
	slices.SortFunc(hatching, byHour)
	slices.SortFunc(next, byHour)
	return hatching, next
}
