package demo

import (
	"context"
	"time"

	"metrogon/core/outcome"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/hatch"
)

// watched is what was noted beside the machine that hatches: its baskets, the lid, young told apart.
func (l *loader) watched(ctx context.Context) error {
	open, err := l.tx.OpenBatches(ctx)
	if err != nil {
		return err
	}
	names := map[string]string{"Barred": "left", "Speckled": "right", "Marsh ducks": "front"}
	for _, b := range open {
		if b.LockedAt == nil || b.HatcherID != l.box["Hatch box"] {
			continue
		}
		eggs, err := l.tx.BatchEggs(ctx, b.ID)
		if err != nil {
			return err
		}
		out := map[int64][]store.Egg{}
		for _, e := range eggs {
			if snapshot.FateOf(e) == outcome.Hatched {
				out[e.PenID] = append(out[e.PenID], e)
			}
			basket := hatch.HatchBasket{BatchID: b.ID, PenID: e.PenID, Name: names[l.byID(e.PenID).name]}
			if err := hatch.On(l.tx).NameBasket(ctx, basket); err != nil {
				return err
			}
		}
		if b.Species != "chicken" {
			continue
		}
		if err := l.toldApart(ctx, b, out[l.pens[0].id]); err != nil {
			return err
		}
	}
	_, err = hatch.On(l.tx).AddOpening(ctx, store.LidOpening{
		MachineID: l.box["Hatch box"], At: l.now.Add(-3 * time.Hour), Minutes: 2, Why: "dry ones out",
	}, l.m.PersonID)
	return err
}

// toldApart takes a few into the warm box and notes what they are like.
func (l *loader) toldApart(ctx context.Context, b store.Batch, out []store.Egg) error {
	if len(out) < 2 {
		return nil
	}
	told := []hatch.OneYoung{{Colour: "black, white spot", Sex: "male"}, {Colour: "black", Signs: []string{"navel"}}}
	for i, y := range told {
		y.BatchID, y.PenID, y.EggID, y.At = b.ID, out[i].PenID, &out[i].ID, *out[i].FateAt
		if _, err := hatch.On(l.tx).AddOneYoung(ctx, y); err != nil {
			return err
		}
	}
	_, err := hatch.On(l.tx).AddTaken(ctx, hatch.Taken{
		BatchID: b.ID, At: l.now.Add(-3 * time.Hour), Young: 2, Place: "warm box",
	}, l.m.PersonID)
	return err
}
