package demo

import (
	"context"
	"time"

	"metrogon/store"
)

// ahead is what is promised and planned: three promises of young and one of eggs, days away, a
// brooder, a machine that is lent, and a batch that is to be set today.
func (l *loader) ahead(ctx context.Context) error {
	today := l.m.Date(l.now)
	in := func(days int) time.Time { return today.AddDate(0, 0, days) }
	price := func(p float64) *float64 { return &p }
	for _, o := range []store.Order{
		{
			Who: "Mosswick market", What: "young", Species: "chicken",
			Count: 20, FromOn: in(32), ToOn: in(36),
			SurePct: 80, Price: price(4),
		},
		{
			Who: "Perrin Oake", What: "young", Species: "duck",
			Count: 9, FromOn: in(38), ToOn: in(45),
			SurePct: 80, Price: price(6),
		},
		{
			Who: "Halla Dorn", What: "pullets", Species: "chicken", Pens: []int64{l.pens[0].id},
			Count: 6, FromOn: in(44), ToOn: in(52),
			SurePct: 70, Price: price(7),
		},
		{
			Who: "Nettlebed school", What: "eggs", Species: "coturnix-quail",
			Count: 12, FromOn: in(9), ToOn: in(10),
			SurePct: 80, Price: price(0.5),
		},
	} {
		if _, err := l.tx.SaveOrder(ctx, o); err != nil {
			return err
		}
	}
	if _, err := l.tx.SaveAway(ctx, store.Away{
		FromOn: in(16), ToOn: in(18), Actions: []string{"set", "lockdown", "pull"}, Why: "sister’s wedding",
	}); err != nil {
		return err
	}
	if _, err := l.tx.SaveBrooder(ctx, store.Brooder{Name: "Lamp pen", Places: 60}); err != nil {
		return err
	}
	end := in(27)
	if _, err := l.tx.SaveClosure(ctx, store.Closure{
		MachineID: l.box["Tabletop"], FromOn: in(20), ToOn: &end, Why: "lent to Tobin",
	}); err != nil {
		return err
	}
	id, err := l.tx.SavePlanned(ctx, store.Planned{
		Species: "coturnix-quail", SetterID: l.box["Cabinet"], HatcherID: l.box["Small hatcher"], SetOn: in(1), Pinned: true,
		Says: "Quail for the spring line.",
	})
	if err != nil {
		return err
	}
	oat := l.pens[3].id
	return l.tx.SetPlannedEggs(ctx, id, []store.PlannedEggs{
		{PenID: oat, LaidOn: in(0), Eggs: 6}, {PenID: oat, LaidOn: in(1), Eggs: 6},
	})
}
