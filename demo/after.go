package demo

import (
	"context"
	"time"

	"metrogon/store"
)

// after is what comes after a hatch: eggs that were opened, a power cut, young in the brooder, what is to
// be otherwise next time.
func (l *loader) after(ctx context.Context) error {
	for _, step := range []func(context.Context) error{l.opened, l.cut, l.raised} {
		if err := step(ctx); err != nil {
			return err
		}
	}
	_, err := l.tx.AddSupplies(ctx, []store.Supply{{
		Says: "Turkey starter, rich in protein", Before: "hatch", Species: "turkey",
	}})
	return err
}

// opened are the leftovers of the chickens that hatched last: run too humid, as they show.
func (l *loader) opened(ctx context.Context) error {
	closed, err := l.tx.ClosedBatches(ctx, 40, 0)
	if err != nil {
		return err
	}
	for _, b := range closed {
		if b.Species != "chicken" || b.SetterID != l.box["Cabinet"] {
			continue
		}
		eggs, err := l.tx.BatchEggs(ctx, b.ID)
		if err != nil {
			return err
		}
		at := b.ClosedAt.Add(2 * time.Hour)
		for _, e := range eggs {
			out := store.BreakOut{EggID: e.ID, At: at, Findings: []string{"wet"}, PersonID: l.m.PersonID}
			switch {
			case e.Fate != nil && *e.Fate == "removed" && e.Stage != nil && *e.Stage == "clear":
				out.Findings = []string{"white-spot"}
				if _, err := l.tx.SetOpened(ctx, []int64{e.ID}, "infertile"); err != nil {
					return err
				}
			case e.Fate == nil || *e.Fate != "unhatched":
				continue
			}
			if err := l.tx.AddBreakOut(ctx, out); err != nil {
				return err
			}
		}
		_, err = l.tx.AddNextTimes(ctx, "chicken", []string{
			"Weigh a tray on set day and every few days, and run drier by what it says.",
		}, b.ID, l.now.AddDate(0, 0, -1), l.m.PersonID)
		return err
	}
	return nil
}

// cut is a power cut of the still box in the night: its eggs are an hour later by it.
func (l *loader) cut(ctx context.Context) error {
	from := l.now.Add(-16 * time.Hour)
	back := from.Add(150 * time.Minute)
	box := l.box["Still box"]
	id, err := l.tx.AddOutage(ctx, store.Outage{FromAt: from, RoomC: 15},
		[]store.OutageMachine{{MachineID: box, Box: "foam"}}, l.m.PersonID)
	if err != nil {
		return err
	}
	for h, c := range map[time.Duration]float64{time.Hour: 34.1, 2 * time.Hour: 31.5} {
		if _, err := l.tx.AddOutageReading(ctx, id, store.OutageReading{
			MachineID: box, At: from.Add(h), EggC: c,
		}); err != nil {
			return err
		}
	}
	if err := l.tx.EndOutage(ctx, id, &back); err != nil {
		return err
	}
	one, err := l.tx.Outage(ctx, id)
	if err != nil {
		return err
	}
	for _, s := range one.Stood {
		eggs, err := l.tx.BatchEggs(ctx, s.BatchID)
		if err != nil {
			return err
		}
		if err := l.tx.Chill(ctx, store.OutageBatch{
			OutageID: id, BatchID: s.BatchID, MachineID: box, Eggs: len(eggs), Hours: 2.5, LateH: 1.1, Risk: "low",
			LookOn: l.m.Date(from).AddDate(0, 0, 5),
		}); err != nil {
			return err
		}
	}
	return nil
}

// raised are bought quail in the brooder.
func (l *loader) raised(ctx context.Context) error {
	season, err := l.tx.Season(ctx, l.m.Date(l.now))
	if err != nil {
		return err
	}
	lamp, today := season.Brooders[0].ID, l.m.Date(l.now)
	id, err := l.tx.AddBrood(ctx, store.Brood{
		Species: "coturnix-quail", HatchedOn: today.AddDate(0, 0, -10), BeganOn: today.AddDate(0, 0, -9), Heads: 24,
		BrooderID: &lamp,
	})
	if err != nil {
		return err
	}
	if _, err := l.tx.AddBroodOut(ctx, store.BroodOut{
		BroodID: id, At: l.now.AddDate(0, 0, -6), Heads: 2, Why: "died", Cause: "chilled",
	}, l.m.PersonID); err != nil {
		return err
	}
	_, err = l.tx.AddHeat(ctx, store.Heat{BrooderID: lamp, At: l.now.Add(-20 * time.Hour), TempC: 33}, l.m.PersonID)
	return err
}
