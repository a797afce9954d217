package demo

import (
	"context"
	"time"

	"metrogon/core/outcome"
	"metrogon/store"
	"metrogon/store/brood"
	"metrogon/store/hatch"
	"metrogon/store/outage"
	"metrogon/store/probes"
	seasonrows "metrogon/store/season"
	"metrogon/store/stock"
	"metrogon/store/weigh"
)

// after is what comes after a hatch: eggs that were opened, a power cut, young in the brooder, what is to
// be otherwise next time.
func (l *loader) after(ctx context.Context) error {
	for _, step := range []func(context.Context) error{l.opened, l.cut, l.raised, l.gauges, l.hang, l.alarms} {
		if err := step(ctx); err != nil {
			return err
		}
	}
	_, err := stock.On(l.tx).AddSupplies(ctx, []stock.Supply{{
		Says: "Turkey starter, rich in protein", Before: "hatch", Species: "turkey",
	}})
	return err
}

// enough eggs must have died for their causes to be told apart (core/diagnosis).
const enough = 12

// opened are the leftovers of a batch of chickens of which many died late: run too humid, as they and the
// scale show.
func (l *loader) opened(ctx context.Context) error {
	closed, err := l.tx.ClosedBatches(ctx, 60, 0)
	if err != nil {
		return err
	}
	var worst store.Batch
	var all []store.Egg
	most := 0
	for _, b := range closed {
		if b.Species != "chicken" || b.SetterID != l.box["Cabinet"] {
			continue
		}
		eggs, err := l.tx.BatchEggs(ctx, b.ID)
		if err != nil {
			return err
		}
		lost := 0
		for _, e := range eggs {
			if showed(e) != "" && showed(e) != "infertile" {
				lost++
			}
		}
		if lost > most {
			worst, all, most = b, eggs, lost
		}
		if most >= enough {
			break
		}
	}
	if most == 0 {
		return nil
	}
	if err := l.open(ctx, worst, all); err != nil {
		return err
	}
	_, err = hatch.On(l.tx).AddNextTimes(ctx, "chicken", []string{
		"Weigh a tray on set day and every few days, and run drier by what it says.",
	}, worst.ID, l.now.AddDate(0, 0, -1), l.m.PersonID)
	return err
}

// showed is what an egg that did not hatch shows on opening; "" for one that did.
func showed(e store.Egg) string {
	if e.Fate == nil || e.Stage == nil {
		return ""
	}
	return map[string]string{"clear": "infertile", "ring": "early", "quit": "middle", "late": "late"}[*e.Stage]
}

func (l *loader) open(ctx context.Context, b store.Batch, eggs []store.Egg) error {
	for _, e := range eggs {
		stage := showed(e)
		if stage == "" {
			continue
		}
		out := hatch.BreakOut{EggID: e.ID, At: b.ClosedAt.Add(2 * time.Hour), Findings: []string{}, PersonID: l.m.PersonID}
		switch stage {
		case "infertile":
			out.Findings = []string{"white-spot"}
		case "late":
			out.Findings = []string{"wet"}
		}
		if outcome.Fate(*e.Fate) == outcome.Removed {
			if _, err := l.tx.SetOpened(ctx, []int64{e.ID}, stage); err != nil {
				return err
			}
		}
		if err := hatch.On(l.tx).AddBreakOut(ctx, out); err != nil {
			return err
		}
	}
	for _, w := range []struct {
		day int
		g   float64
	}{{0, 58.2}, {6, 56.9}, {14, 55.1}} {
		if _, err := weigh.On(l.tx).AddWeighing(ctx, weigh.Weighing{
			BatchID: b.ID, At: b.SetAt.AddDate(0, 0, w.day), MassG: w.g * float64(len(eggs)), Eggs: len(eggs), RHPct: 58,
			TempC: 37.5,
		}); err != nil {
			return err
		}
	}
	return nil
}

// cut is a power cut of the still box in the night: its eggs are an hour later by it.
func (l *loader) cut(ctx context.Context) error {
	from := l.now.Add(-16 * time.Hour)
	back := from.Add(150 * time.Minute)
	box := l.box["Still box"]
	id, err := outage.On(l.tx).AddOutage(ctx, outage.Outage{FromAt: from, RoomC: 15},
		[]outage.OutageMachine{{MachineID: box, Box: "foam"}}, l.m.PersonID)
	if err != nil {
		return err
	}
	for i, c := range []float64{34.1, 31.5} {
		if _, err := outage.On(l.tx).AddOutageReading(ctx, id, outage.OutageReading{
			MachineID: box, At: from.Add(time.Duration(i+1) * time.Hour), EggC: c,
		}); err != nil {
			return err
		}
	}
	if err := outage.On(l.tx).EndOutage(ctx, id, &back); err != nil {
		return err
	}
	one, err := outage.On(l.tx).Outage(ctx, id)
	if err != nil {
		return err
	}
	for _, s := range one.Stood {
		eggs, err := l.tx.BatchEggs(ctx, s.BatchID)
		if err != nil {
			return err
		}
		if err := outage.On(l.tx).Chill(ctx, outage.OutageBatch{
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
	season, err := seasonrows.On(l.tx).Season(ctx, l.m.Date(l.now))
	if err != nil {
		return err
	}
	lamp, today := season.Brooders[0].ID, l.m.Date(l.now)
	id, err := brood.On(l.tx).AddBrood(ctx, brood.Brood{
		Species: "coturnix-quail", HatchedOn: today.AddDate(0, 0, -10), BeganOn: today.AddDate(0, 0, -9), Heads: 24,
		BrooderID: &lamp,
	})
	if err != nil {
		return err
	}
	if _, err := brood.On(l.tx).AddBroodOut(ctx, brood.BroodOut{
		BroodID: id, At: l.now.AddDate(0, 0, -6), Heads: 2, Why: "died", Cause: "chilled",
	}, l.m.PersonID); err != nil {
		return err
	}
	_, err = brood.On(l.tx).AddHeat(
		ctx, brood.Heat{BrooderID: lamp, At: l.now.Add(-20 * time.Hour), TempC: 33}, l.m.PersonID,
	)
	return err
}

// gauges are a thermometer with a hygrometer in the cabinet, checked, and what it showed beside the display.
func (l *loader) gauges(ctx context.Context) error {
	cabinet := l.box["Cabinet"]
	id, err := probes.On(l.tx).SaveInstrument(ctx, probes.Instrument{
		Name: "Red stick", Thermo: true, Hygro: true, MachineID: &cabinet, Spot: "middle shelf",
	})
	if err != nil {
		return err
	}
	if err := probes.On(l.tx).AddInstrumentStay(ctx, probes.InstrumentStay{
		InstrumentID: id, MachineID: &cabinet, FromAt: l.now.AddDate(-1, 0, 0),
	}); err != nil {
		return err
	}
	at := l.now.AddDate(0, -2, 0)
	for _, c := range []probes.InstrumentCheck{
		{Of: "temperature", How: "ice", Shown: 0.3, Truth: 0, Sure: 0.2},
		{Of: "temperature", How: "clinical", Shown: 37.2, Truth: 36.9, Sure: 0.1},
		{Of: "humidity", How: "salt", Shown: 70, Truth: 75.5, Sure: 2},
	} {
		c.InstrumentID, c.At = id, at
		if _, err := probes.On(l.tx).AddCheck(ctx, c, l.m.PersonID); err != nil {
			return err
		}
	}
	moist, display, displayed := 46.0, 37.8, 55.0
	at = l.now.Add(-9 * time.Hour)
	all := []probes.MachineReading{{MachineID: cabinet, At: at, TempC: &display, RHPct: &displayed}}
	for i, c := range []float64{37.7, 37.9, 37.6, 37.8, 38.1, 37.9, 37.7} {
		all = append(all, probes.MachineReading{
			MachineID: cabinet, InstrumentID: &id, At: at.AddDate(0, 0, -i), TempC: &c, RHPct: &moist,
		})
	}
	_, err = probes.On(l.tx).AddMachineReadings(ctx, all, l.m.PersonID)
	return err
}
