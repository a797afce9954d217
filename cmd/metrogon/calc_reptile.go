package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/reptile"
	"metrogon/core/species"
)

const reptileExample = `{"species": "leopard-gecko", "laid_at": "2027-03-01T18:00:00Z", "zone": "Europe/London",
	"temp_c": 28, "now": "2027-03-31T08:00:00Z", "readings": [{"at": "2027-03-01T18:00:00Z", "temp_c": 28.2},
	{"at": "2027-03-12T08:00:00Z", "temp_c": 28.1}, {"at": "2027-03-20T08:00:00Z", "temp_c": 24.6},
	{"at": "2027-03-24T08:00:00Z", "temp_c": 27.9}]}`

type reptileInput struct {
	Species  string   `json:"species"`
	LaidAt   string   `json:"laid_at"`
	Zone     string   `json:"zone"`
	Now      string   `json:"now"`
	TempC    *float64 `json:"temp_c"` // throughout, or, beside readings, from the last of them on
	NightC   *float64 `json:"night_c"`
	NightH   float64  `json:"night_h"`
	NightAt  string   `json:"night_at"` // hour at which the night begins; default 20:00
	Readings []struct {
		At    string   `json:"at"`
		TempC *float64 `json:"temp_c"`
	} `json:"readings"`
}

// course reads the input; now is zero where it does not say.
func (q reptileInput) course() (c reptile.Course, now time.Time, err error) {
	if c.Kind, err = species.Find(q.Species); err != nil {
		return c, now, err
	}
	if !c.Kind.IsReptile() {
		return c, now, fmt.Errorf("species: %q is a bird; it may be a reptile", q.Species)
	}
	if c.LaidAt, err = momentOf("laid_at", q.LaidAt); err != nil {
		return c, now, err
	}
	zone, err := zoneOf(q.Zone)
	if err != nil {
		return c, now, err
	}
	c.LaidAt = c.LaidAt.In(zone)
	for i, r := range q.Readings {
		field := fmt.Sprintf("readings[%d].", i)
		at, err := momentOf(field+"at", r.At)
		switch {
		case err != nil:
			return c, now, err
		case i > 0 && !at.After(c.Readings[i-1].At):
			return c, now, fmt.Errorf("%sat: %s does not come after the reading before it", field, r.At)
		case at.Sub(c.LaidAt) > calendar.MaxDays*calendar.Day:
			return c, now, fmt.Errorf("%sat: %s is more than %d days after laid_at", field, r.At, calendar.MaxDays)
		case r.TempC == nil:
			return c, now, fmt.Errorf("%stemp_c: missing; it may be -10 to 60", field)
		}
		if err := between(field+"temp_c", *r.TempC, -10, 60); err != nil {
			return c, now, err
		}
		c.Readings = append(c.Readings, reptile.Reading{At: at, TempC: *r.TempC})
	}
	if q.TempC != nil {
		wave, err := q.wave(zone)
		if err != nil {
			return c, now, err
		}
		c.Plans = []reptile.Plan{{From: c.LaidAt, Wave: wave}}
	} else if len(q.Readings) == 0 {
		return c, now, errors.New("temp_c: missing; give it, or readings")
	} else if q.NightC != nil {
		return c, now, errors.New("night_c: given without temp_c, the temperature by day")
	}
	if q.Now != "" {
		if now, err = momentOf("now", q.Now); err != nil {
			return c, now, err
		}
		if now.Before(c.LaidAt) || now.Sub(c.LaidAt) > calendar.MaxDays*calendar.Day {
			return c, now, fmt.Errorf("now: %s; it may be up to %d days after laid_at", q.Now, calendar.MaxDays)
		}
	}
	return c, now, nil
}

func (q reptileInput) wave(zone *time.Location) (w reptile.Wave, err error) {
	if err := between("temp_c", *q.TempC, -10, 60); err != nil {
		return w, err
	}
	w = reptile.Constant(*q.TempC)
	if q.NightC == nil {
		return w, nil
	}
	if err := cmp.Or(between("night_c", *q.NightC, -10, 60), between("night_h", q.NightH, 0, 24)); err != nil {
		return w, err
	}
	w.NightC, w.NightH, w.Zone = *q.NightC, q.NightH, zone
	if w.NightFrom, err = calendar.ParseWallTime(cmp.Or(q.NightAt, "20:00")); err != nil {
		return w, fmt.Errorf("night_at: %w", err)
	}
	return w, nil
}

type reptileSex struct {
	FemalePct float64   `json:"female_pct"`
	LowPct    float64   `json:"low_pct"`
	HighPct   float64   `json:"high_pct"`
	From      time.Time `json:"window_from"`
	To        time.Time `json:"window_to"`
	MeanC     float64   `json:"mean_c"`
	Decided   float64   `json:"decided_pct"`
}

type reptileWarning struct {
	Kind string `json:"kind"`
	Says string `json:"says"`
}

// calcReptile works a clutch out: what has developed, the hatch, the share of females.
func calcReptile(ctx context.Context, in []byte) (any, error) {
	var q reptileInput
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	c, now, err := q.course()
	if err != nil {
		return nil, err
	}
	if now.IsZero() {
		now = c.LaidAt
		if n := len(c.Readings); n > 0 && c.Readings[n-1].At.After(now) {
			now = c.Readings[n-1].At
		}
	}
	f, err := c.Forecast(now, reptile.Sure{})
	if err != nil {
		return nil, err
	}
	here := func(at time.Time) time.Time { return at.Round(time.Second).In(c.LaidAt.Location()) }
	out := struct {
		DevelopedPct float64          `json:"developed_pct"`
		HatchAt      time.Time        `json:"hatch_at"`
		From         time.Time        `json:"from"`
		To           time.Time        `json:"to"`
		HatchDay     float64          `json:"hatch_day"`
		FemalePct    *float64         `json:"female_pct"`
		Sex          *reptileSex      `json:"sex"`
		Why          string           `json:"why,omitempty"`
		Warnings     []reptileWarning `json:"warnings"`
		Extrapolated bool             `json:"extrapolated"`
	}{
		DevelopedPct: 100 * f.Grown, HatchAt: here(f.HatchAt), From: here(f.From), To: here(f.To),
		HatchDay: calendar.Elapsed(c.LaidAt, f.HatchAt), Why: f.Why, Warnings: []reptileWarning{},
		Extrapolated: f.Extrapolated,
	}
	if s := f.Sex; s != nil {
		out.FemalePct = &s.FemalePct
		out.Sex = &reptileSex{
			s.FemalePct, s.LowPct, s.HighPct, here(s.From), here(s.To), s.MeanC, 100 * s.Decided,
		}
	}
	for _, w := range f.Warnings {
		out.Warnings = append(out.Warnings, reptileWarning(w))
	}
	return out, nil
}
