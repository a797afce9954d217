package demo

import (
	"context"
	"time"

	"metrogon/core/incubator"
	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/hatch"
	probesrows "metrogon/store/probes"
)

// probed is an instrument of the demo farm that sends.
type probed struct {
	name, machine, spot string
	add                 float64 // beside what its machine has, °C
	id                  int64
}

// hang makes the instruments that send.
func (l *loader) hang(ctx context.Context) error {
	l.probes = []probed{
		{name: "Upper probe", machine: "Cabinet", spot: "top shelf", add: 0.3},
		{name: "Lower probe", machine: "Cabinet", spot: "bottom shelf", add: -0.2},
		{name: "Foam probe", machine: "Still box", spot: "top of the eggs"},
	}
	for i, p := range l.probes {
		box := l.box[p.machine]
		id, err := probesrows.On(l.tx).SaveInstrument(ctx, probesrows.Instrument{
			Name: p.name, Thermo: true, Hygro: true, MachineID: &box, Spot: p.spot,
		})
		if err != nil {
			return err
		}
		l.probes[i].id = id
		if err := probesrows.On(l.tx).AddInstrumentStay(ctx, probesrows.InstrumentStay{
			InstrumentID: id, MachineID: &box, FromAt: l.now.AddDate(-1, 0, 0),
		}); err != nil {
			return err
		}
		if _, err := probesrows.On(l.tx).AddCheck(ctx, probesrows.InstrumentCheck{
			InstrumentID: id, Of: "temperature", How: "clinical", At: l.now.AddDate(0, -3, 0), Shown: 37, Truth: 37, Sure: 0.1,
		}, l.m.PersonID); err != nil {
			return err
		}
		_, digest := farm.NewLink()
		if err := probesrows.On(l.tx).SetProbeKey(ctx, id, digest, l.now.AddDate(0, -3, 0)); err != nil {
			return err
		}
	}
	return nil
}

// alarms are what the farm wants to be woken for, and what happened: a lid that was ajar some nights ago, which
// somebody saw, and a dip that was none.
func (l *loader) alarms(ctx context.Context) error {
	cabinet, upper := l.box["Cabinet"], l.probes[0].id
	from := l.now.Add(-54 * time.Hour)
	to, rang, seen := from.Add(time.Hour), from.Add(30*time.Minute), from.Add(50*time.Minute)
	for _, a := range []probesrows.Alarm{
		{What: "cool", Bound: 36.7, DelayMin: 30, Phase: "any", Wakes: true},
		{What: "warm", Bound: 38.8, DelayMin: 15, Phase: "any", Wakes: true},
	} {
		id, err := probesrows.On(l.tx).SaveAlarm(ctx, a)
		if err != nil {
			return err
		}
		if a.What != "cool" {
			continue
		}
		if _, err := probesrows.On(l.tx).AddRing(ctx, probesrows.AlarmRing{
			AlarmID: id, MachineID: cabinet, InstrumentID: upper, BeganAt: from, RangAt: rang, EndedAt: &to, Worst: 31.9,
		}); err != nil {
			return err
		}
		rung, err := probesrows.On(l.tx).Alarmed(ctx, 1)
		if err != nil {
			return err
		}
		if err := probesrows.On(l.tx).SeeRing(ctx, rung.Rings[0].ID, seen, l.m.PersonID); err != nil {
			return err
		}
	}
	for i, said := range []string{"not", "so"} {
		from := []time.Time{l.now.Add(-9 * 24 * time.Hour), from}[i]
		to := from.Add(time.Hour)
		if err := probesrows.On(l.tx).PutIncident(ctx, probesrows.Incident{
			MachineID: cabinet, InstrumentID: upper, Kind: "lid", FromAt: from, ToAt: &to, LowC: 31.9, Said: &said,
		}); err != nil {
			return err
		}
	}
	_, err := hatch.On(l.tx).AddOpening(ctx, store.LidOpening{
		MachineID: cabinet, At: from, Minutes: 60, Why: "left ajar, by the readings",
	}, l.m.PersonID)
	return err
}

// The demo farm’s readings: far back each quarter of an hour, of the last days each two minutes.
const (
	daysTold  = 60
	daysClose = 4
	longAgo   = 150 // days, of a week of last season
)

// told are what the probes told: quiet weeks, a lid that was not quite shut some nights ago, the power cut of last
// night.
func (l *loader) told(ctx context.Context, db *store.DB) error {
	for i, p := range l.probes {
		began := l.now.AddDate(0, 0, -daysTold)
		run := incubator.Run{
			Box: incubator.Cabinet, SetC: 37.55, Seed: 11, Fill: 24 * time.Hour,
			Room: incubator.Weather{TempC: 17, RHPct: 55}, Load: incubator.Load{Eggs: 90, EggG: 58, Day: 6, HatchDay: 200},
		}
		at := l.now.Sub(began)
		run.Causes, _ = incubator.Scenario("quiet", at, 5)
		run.Causes = append(run.Causes, incubator.Cause{Kind: incubator.Ajar, From: at - 54*time.Hour, To: at - 53*time.Hour})
		if p.machine == "Still box" {
			run.Box, run.SetC, run.Load.Eggs = incubator.Tabletop, 38.4, 18
			run.Causes = []incubator.Cause{{
				Kind: incubator.PowerCut, From: at - 16*time.Hour, To: at - 16*time.Hour + 150*time.Minute,
			}}
		}
		var all []probesrows.Sample
		put := func(at time.Time, x incubator.Reading) {
			temp, rh := x.TempC+p.add, x.RHPct
			all = append(all, probesrows.Sample{InstrumentID: p.id, At: at, TempC: &temp, RHPct: &rh})
		}
		run.Readings(at, 2*time.Minute, func(x incubator.Reading) bool {
			if close := at-x.After < daysClose*24*time.Hour; close || x.After%(16*time.Minute) == 0 {
				put(began.Add(x.After), x)
			}
			return true
		})
		if i == 0 {
			run.Causes = nil
			run.Readings(7*24*time.Hour, 30*time.Minute, func(x incubator.Reading) bool {
				put(l.now.AddDate(0, 0, -longAgo).Add(x.After), x)
				return true
			})
		}
		if _, err := probesrows.Of(db).KeepSamples(ctx, l.m.FarmID, all, l.now); err != nil {
			return err
		}
	}
	return nil
}
