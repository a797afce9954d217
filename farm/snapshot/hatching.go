package snapshot

import (
	"context"
	"maps"
	"slices"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/hatching"
	"metrogon/core/outcome"
	"metrogon/farm"
	hatchrows "metrogon/store/hatch"
)

// hatchRead is what was written down of some batches while they hatch.
type hatchRead struct {
	of   map[int64]string // their kinds, by batch
	rows hatchrows.Hatch
}

// Hatching reads what was written down of those of these batches that are in lockdown, once, so that what they may
// bring is the watch's own forecast.
func (w *Snapshot) Hatching(ctx context.Context, tx *farm.Tx, batches ...BatchView) (err error) {
	of := maps.Clone(w.hatch.of)
	for _, v := range batches {
		if v.watched() {
			if of == nil {
				of = map[int64]string{}
			}
			of[v.ID] = v.Species
		}
	}
	if len(of) == len(w.hatch.of) {
		return nil
	}
	w.hatch.of = of
	w.hatch.rows, err = hatchrows.On(tx).HatchEvents(ctx, slices.Collect(maps.Keys(of)), slices.Collect(maps.Values(of)))
	return err
}

// forecast tells that a batch is one of those of which that was read.
func (w *Snapshot) forecast(v BatchView) bool {
	_, read := w.hatch.of[v.ID]
	return read
}

// watched tells a batch that the watch forecasts.
func (v BatchView) watched() bool {
	return v.LockedAt != nil && v.ClosedAt == nil && !v.Kind.IsReptile()
}

// seenLate tells that eggs were looked at in the second half of their time.
func (v BatchView) seenLate() bool {
	return v.CandledAt != nil && calendar.Elapsed(v.SetAt, *v.CandledAt) >= v.HatchDay/2
}

// Looked marks that somebody looked at what hatches and saw nothing new.
const Looked = "look"

// Load is what the forecast of a batch in lockdown is made from. Eggs that were taken out dead are none of it; those
// that nobody called are expected to do as Set says it, those that were seen alive as such eggs do.
func (w *Snapshot) Load(
	records AgeRecords, x Beliefs, v BatchView, pens []PenEggs, rows hatchrows.Hatch,
) *hatching.Load {
	on, late := w.Member.Date(v.SetAt), v.seenLate()
	l := &hatching.Load{Species: v.Kind, SetAt: v.SetAt, Now: w.Now, Looked: *v.LockedAt}
	l.Take(v.Milestones)
	for _, p := range pens {
		n := p.Alive + p.Hatched
		l.Eggs += n
		live, sum, eggs := w.Live(records, p.ID, v.Kind, late).Mean(), 0.0, 0.0
		for _, e := range p.Eggs {
			if fate := FateOf(e); fate == outcome.Removed || fate == outcome.Broken {
				continue
			}
			eggs++
			switch candling.LastOf(e.Calls) {
			case candling.Live:
				sum += live
			case "":
				lot := x.Egg(v.Kind, e, on)
				sum += lot.Young.Mean() * lot.Keeps
			}
		}
		l.Rate += float64(n) * sum / max(eggs, 1)
	}
	l.Eggs = max(l.Eggs, 1)
	l.Rate = min(max(l.Rate/float64(l.Eggs), .01), 1)
	l.Events = append(ofEggs(v.ID, pens, rows.Signs), counts(v.ID, rows.Counts)...)
	for _, s := range rows.Signs {
		if s.BatchID == v.ID && s.Kind == Looked {
			l.Looked = farm.Latest(l.Looked, s.At)
		}
	}
	for _, t := range rows.Taken { // whoever takes young out has looked
		if t.BatchID == v.ID {
			l.Looked = farm.Latest(l.Looked, t.At)
		}
	}
	for i := range l.Events {
		e := &l.Events[i]
		e.At = farm.Earliest(e.At, l.Now) // the clock may have been set back
		l.Looked = farm.Latest(l.Looked, e.At)
	}
	l.Looked = farm.Earliest(l.Looked, l.Now)
	for _, x := range rows.Lessons {
		if x.Species == v.Species && x.MachineID == v.HatcherID && x.BatchID != v.ID && len(l.Shifts) < mostShifts {
			l.Shifts = append(l.Shifts, x.ShiftH)
		}
	}
	if l.Check() != nil { // pips that were counted twice: the young alone count
		l.Events = slices.DeleteFunc(l.Events, func(e hatching.Event) bool { return e.Egg == 0 && e.Kind != hatching.Out })
	}
	return l
}

// mostShifts is how many past loads are looked back at.
const mostShifts = 20

// ofEggs are the pips, zips and outs of eggs that are in, and pips and zips that were counted.
func ofEggs(batchID int64, pens []PenEggs, signs []hatchrows.HatchSign) (events []hatching.Event) {
	in := map[int64]bool{}
	for _, p := range pens {
		for _, e := range p.Eggs {
			switch FateOf(e) {
			case "":
				in[e.ID] = true
			case outcome.Hatched:
				in[e.ID] = true
				events = append(events, hatching.Event{Egg: e.ID, Kind: hatching.Out, At: *e.FateAt})
			}
		}
	}
	for _, s := range signs {
		switch {
		case s.BatchID != batchID || s.Kind == Looked:
		case s.EggID == nil:
			events = append(events, hatching.Event{Kind: s.Kind, At: s.At, N: s.N})
		case in[*s.EggID]:
			events = append(events, hatching.Event{Egg: *s.EggID, Kind: s.Kind, At: s.At})
		}
	}
	return events
}

// counts are the young that were counted, without those that were found out egg by egg since.
func counts(batchID int64, all []hatchrows.YoungCount) (events []hatching.Event) {
	found := map[[2]int64]int{}
	key := func(c hatchrows.YoungCount) [2]int64 { return [2]int64{c.PenID, int64(farm.OneIf(c.Trial))} }
	for _, c := range all {
		if c.BatchID == batchID && c.Young < 0 {
			found[key(c)] -= c.Young
		}
	}
	for _, c := range all {
		if c.BatchID != batchID || c.Young < 0 {
			continue
		}
		gone := min(found[key(c)], c.Young)
		found[key(c)] -= gone
		if n := c.Young - gone; n > 0 {
			events = append(events, hatching.Event{Kind: hatching.Out, At: c.At, N: n})
		}
	}
	return events
}
