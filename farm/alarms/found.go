package alarms

import (
	"context"
	"math"
	"slices"
	"time"

	"metrogon/core/climate"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/hatch"
	probesrows "metrogon/store/probes"
)

// What somebody says of what was found.
const (
	So  = "so"
	Not = "not"
)

// Say keeps what somebody says of something that was found. A lid that was ajar goes into the machine’s log; a power
// cut is written down on its own page.
func (b *Service) Say(ctx context.Context, req farm.Request, id int64, said string) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		i, err := probesrows.On(tx).Incident(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if said != So && said != Not {
			return farm.Done{}, farm.Problemf("said", "Say whether it was so.")
		}
		if i.Said != nil {
			return farm.Done{}, farm.Problemf("said", "Somebody said already what it was.")
		}
		if err := probesrows.On(tx).SayIncident(ctx, id, &said); err != nil {
			return farm.Done{}, err
		}
		u := journal.Undo{unsaid.Of(id)}
		name := w.MachineByID[i.MachineID].Name
		if said == Not {
			return journal.Record(ctx, tx, journal.On(journal.Machine, i.MachineID), u, "%s: nothing happened %s.", name,
				spanOf(i, req.Member))
		}
		what := "the power was away"
		if i.Kind == string(climate.LidAjar) {
			what = "the lid was ajar"
			minutes := int(math.Round(min(1440, endOf(i, tx.At).Sub(i.FromAt).Minutes())))
			opening, err := hatch.On(tx).AddOpening(ctx, store.LidOpening{
				MachineID: i.MachineID, At: i.FromAt, Minutes: minutes, Why: "left ajar, by the readings",
			}, req.PersonID)
			if err != nil {
				return farm.Done{}, err
			}
			u = append(u, dropOpening.Of(opening))
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Machine, i.MachineID), u, "%s: %s %s.", name, what, spanOf(i, req.Member),
		)
	})
}

// Found is something that was found, as the page of power cuts begins with it.
type Found struct {
	probesrows.Incident
	Machine string
}

// FoundOne finds one.
func (b *Service) FoundOne(ctx context.Context, m *farm.Member, id int64) (f Found, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		if f.Incident, err = probesrows.On(tx).Incident(ctx, id); err != nil {
			return err
		}
		f.Machine = w.MachineByID[f.MachineID].Name
		return nil
	})
	return f, err
}

var dropOpening = journal.NewKind("ajar", func(ctx context.Context, tx *farm.Tx, id int64) error {
	return hatch.On(tx).DropHatch(ctx, "lid_openings", []int64{id})
})

// Tried is what an alarm would have done.
type Tried struct {
	Alarm Alarm
	From  time.Time
	Hours float64 // of readings that were looked through
	Rings []Ring  // the newest first
}

// How far back and over how many probes an alarm is tried.
const (
	triedDays   = 30
	triedProbes = 8
)

// Try tells when an alarm would have rung in the last month.
func (b *Service) Try(ctx context.Context, m *farm.Member, a Alarm) (t Tried, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		if err := checked(w, &a); err != nil {
			return err
		}
		t = Tried{Alarm: a, From: w.Now.AddDate(0, 0, -triedDays)}
		watched, err := probesrows.On(tx).Watched(ctx, t.From)
		if err != nil {
			return err
		}
		rows, err := tx.BatchesSince(ctx, t.From)
		if err != nil {
			return err
		}
		s := sight{watched, w, nil, w.Now, change{}}
		for _, row := range rows {
			v, err := w.View(row)
			if err != nil {
				return err
			}
			s.open = append(s.open, v)
		}
		return s.try(ctx, tx, &t)
	})
	return t, err
}

func (s sight) try(ctx context.Context, tx *farm.Tx, t *Tried) error {
	lies := s.lies()
	probes := 0
	for _, p := range s.Probes {
		in, ok := lies[p.InstrumentID]
		if !ok || t.Alarm.MachineID != nil && *t.Alarm.MachineID != in.ID || probes == triedProbes {
			continue
		}
		probes++
		counted := false
		for _, by := range s.rules(t.Alarm, in) {
			step := max(time.Minute, min(5*time.Minute, (by.Delay/6).Truncate(time.Minute)))
			points, err := probesrows.On(tx).Points(ctx, []int64{p.InstrumentID}, t.From, s.now.Add(time.Minute), step)
			if err != nil {
				return err
			}
			told := s.told(p.InstrumentID, points)
			if !counted {
				t.Hours, counted = t.Hours+float64(len(told))*step.Hours(), true
			}
			t.Rings = append(t.Rings, s.tried(t.Alarm, by, in, p.InstrumentID, told)...)
		}
	}
	slices.SortStableFunc(t.Rings, func(a, b Ring) int { return a.RangAt.Compare(b.RangAt) })
	t.Rings = withoutEchoes(t.Rings)
	slices.Reverse(t.Rings)
	return nil
}

// tried is what a rule would have rung for by a probe.
func (s sight) tried(a Alarm, by rule, in snapshot.Machine, id int64, told []climate.Told) (all []Ring) {
	at := slices.IndexFunc(s.Gauges.Instruments, func(x probesrows.Instrument) bool { return x.ID == id })
	for _, r := range by.Rings(told, s.now, func(at time.Time) bool { return s.holds(a.Phase, in.ID, at) }) {
		ring := Ring{probesrows.AlarmRing{
			MachineID: in.ID, InstrumentID: id, Level: by.level, BeganAt: r.Began, RangAt: r.Rang, Worst: r.Worst,
		}, a, in.Name, s.Gauges.Instruments[at].Name}
		if !r.Ended.IsZero() {
			ring.EndedAt = &r.Ended
		}
		all = append(all, ring)
	}
	return all
}

// withoutEchoes leaves out what rang in a machine while it rang there by another probe; the oldest come first.
func withoutEchoes(all []Ring) (rings []Ring) {
	for _, r := range all {
		if !slices.ContainsFunc(rings, func(o Ring) bool {
			return o.MachineID == r.MachineID && (o.EndedAt == nil || o.EndedAt.After(r.RangAt))
		}) {
			rings = append(rings, r)
		}
	}
	return rings
}
