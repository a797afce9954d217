package main

import (
	"context"
	"fmt"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/hatching"
	"metrogon/core/species"
)

type hatchInput struct {
	Species      string      `json:"species"`
	SetAt        string      `json:"set_at"`
	Zone         string      `json:"zone"`
	Now          string      `json:"now"`
	StorageDays  float64     `json:"storage_days"`
	Bantam       bool        `json:"bantam"`
	TempOffsetC  float64     `json:"temp_offset_c"`
	OffsetDays   float64     `json:"offset_days"`
	Eggs         int         `json:"eggs"`
	HatchRatePct *float64    `json:"hatch_rate_pct"`
	OwnShiftsH   []float64   `json:"own_shifts_h"`
	Events       []eventData `json:"events"`
}

type eventData struct {
	Egg  int64  `json:"egg"`
	Kind string `json:"kind"`
	At   string `json:"at"`
	N    int    `json:"n"`
}

// usualRatePct is how many of those alive in lockdown hatch, where nothing better is known
// [common practice].
const usualRatePct = 88.0

func calcHatch(_ context.Context, text []byte) (any, error) {
	var q hatchInput
	if err := strict(text, &q); err != nil {
		return nil, err
	}
	l, zone, err := q.load()
	if err != nil {
		return nil, err
	}
	if err := l.Check(); err != nil {
		return nil, err
	}
	w := l.Watch()
	write := func(at time.Time) string { return at.In(zone).Format("Mon 2 Jan 15:04") }
	eggs, advice := []map[string]any{}, []hatching.Advice{}
	for _, e := range w.Eggs {
		eggs = append(eggs, map[string]any{
			"egg": e.Egg, "state": e.State, "since_h": e.Since, "usual_h": e.UsualH, "verdict": e.Verdict,
		})
	}
	for _, a := range w.Advice {
		advice = append(advice, hatching.Advice{Do: a.Do, Why: hatching.Stamps(a.Why, write)})
	}
	in := func(m *hatching.Moment) *hatching.Moment {
		if m == nil {
			return nil
		}
		return &hatching.Moment{At: m.At.In(zone), From: m.From.In(zone), To: m.To.In(zone)}
	}
	return map[string]any{
		"first_pip": in(w.FirstPip), "middle_out": in(w.MiddleOut), "last_out": in(w.LastOut),
		"young": map[string]float64{"mean": w.Young, "p10": w.P10, "p90": w.P90},
		"eggs":  eggs, "advice": advice, "pull_at": w.PullAt.In(zone), "leave_until": w.LeaveUntil.In(zone),
		"shift_h": w.Shift, "shift_sd_h": w.ShiftSD,
	}, nil
}

// load is the load that is asked about; an error names the field at fault.
func (q *hatchInput) load() (l *hatching.Load, zone *time.Location, err error) {
	b := calendar.Batch{
		StorageDays: q.StorageDays, Bantam: q.Bantam, OffsetC: q.TempOffsetC, OffsetDays: q.OffsetDays,
	}
	if b.Species, err = species.Find(q.Species); err != nil {
		return nil, nil, err
	}
	if b.Species.IsReptile() {
		return nil, nil, fmt.Errorf("species: %s is not watched by the hour; it may be a bird", q.Species)
	}
	if b.Zone, err = zoneOf(q.Zone); err != nil {
		return nil, nil, err
	}
	if b.SetAt, err = momentOf("set_at", q.SetAt); err != nil {
		return nil, nil, err
	}
	l = &hatching.Load{Species: b.Species, SetAt: b.SetAt, Eggs: q.Eggs, Rate: usualRatePct / 100, Shifts: q.OwnShiftsH}
	if l.Now, err = momentOf("now", q.Now); err != nil {
		return nil, nil, err
	}
	if q.HatchRatePct != nil {
		l.Rate = *q.HatchRatePct / 100
	}
	for i, s := range q.OwnShiftsH {
		if !(s >= -500 && s <= 500) {
			return nil, nil, fmt.Errorf("own_shifts_h[%d]: %g is not possible; it may be -500 to 500", i, s)
		}
	}
	for i, e := range q.Events {
		at, err := momentOf(fmt.Sprintf("events[%d].at", i), e.At)
		if err != nil {
			return nil, nil, err
		}
		l.Events = append(l.Events, hatching.Event{Egg: e.Egg, Kind: e.Kind, At: at, N: e.N})
		if e.Kind == hatching.Out && (b.FirstOut.IsZero() || at.Before(b.FirstOut)) {
			b.FirstOut = at
		}
	}
	all, err := calendar.Schedule(b)
	l.Take(all)
	return l, b.Zone, err
}

func momentOf(field, text string) (time.Time, error) {
	at, err := time.Parse(time.RFC3339, text)
	if err != nil || at.Year() < 1990 || at.Year() > 2200 {
		return at, fmt.Errorf(
			"%s: %q is no moment; it may be RFC 3339 like 2027-03-01T18:30:00+01:00, from 1990 to 2200", field, text,
		)
	}
	return at, nil
}

func zoneOf(name string) (*time.Location, error) {
	zone, err := time.LoadLocation(name)
	if err != nil || name == "" || name == "Local" {
		return nil, fmt.Errorf("zone: %q is not known; it may be an IANA zone like Europe/London", name)
	}
	return zone, nil
}
