package demo

import (
	"context"
	"time"

	"metrogon/store"
	"metrogon/store/season"
)

// ahead is what is promised and planned: three promises of young and one of eggs, days away, a
// brooder, a machine that is lent, and a batch that is to be set today.
func (l *loader) ahead(ctx context.Context) error {
	today := l.m.Date(l.now)
	in := func(days int) time.Time { return today.AddDate(0, 0, days) }
	price := func(p float64) *float64 { return &p }
	for _, o := range []season.Order{
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
		if _, err := season.On(l.tx).SaveOrder(ctx, o); err != nil {
			return err
		}
	}
	if _, err := season.On(l.tx).SaveAway(ctx, season.Away{
		FromOn: in(27), ToOn: in(29), Actions: []string{"set", "lockdown", "pull"}, Why: "sister’s wedding",
	}); err != nil {
		return err
	}
	if _, err := season.On(l.tx).SaveBrooder(ctx, season.Brooder{Name: "Lamp pen", Places: 140}); err != nil {
		return err
	}
	end := in(27)
	if _, err := season.On(l.tx).SaveClosure(ctx, store.Closure{
		MachineID: l.box["Tabletop"], FromOn: in(20), ToOn: &end, Why: "lent to Tobin",
	}); err != nil {
		return err
	}
	return l.planned(ctx, in)
}

// planned are two batches that are to be set: one today under a broody hen, and quail next week.
func (l *loader) planned(ctx context.Context, in func(days int) time.Time) error {
	pen := func(no int) int64 { return l.pens[no].id }
	for _, p := range []struct {
		season.Planned
		eggs []season.PlannedEggs
	}{
		{season.Planned{
			Species: "chicken", SetterID: l.box["Broody Wren"], HatcherID: l.box["Broody Wren"], SetOn: in(0),
			Says: "Wren has sat tight for three days.",
		}, []season.PlannedEggs{{PenID: pen(0), LaidOn: in(-2), Eggs: 4}, {PenID: pen(1), LaidOn: in(-2), Eggs: 4}}},
		{season.Planned{
			Species: "coturnix-quail", SetterID: l.box["Cabinet"], HatcherID: l.box["Small hatcher"], SetOn: in(6),
			Says: "Quail for the spring line.",
		}, []season.PlannedEggs{{PenID: pen(3), LaidOn: in(3), Eggs: 6}, {PenID: pen(3), LaidOn: in(4), Eggs: 6}}},
	} {
		p.Pinned = true
		id, err := season.On(l.tx).SavePlanned(ctx, p.Planned)
		if err != nil {
			return err
		}
		if err := season.On(l.tx).SetPlannedEggs(ctx, id, p.eggs); err != nil {
			return err
		}
	}
	return nil
}
