package snapshot

import (
	"math"
	"slices"
	"time"

	"metrogon/core/climate"
	"metrogon/core/instrument"
	"metrogon/store/probes"
)

// Corrections are what is added to what an instrument shows.
type Corrections struct{ Temp, RH instrument.Correction }

// CorrectionsOf takes an instrument's own among the checks of a farm.
func CorrectionsOf(id int64, checks []probes.InstrumentCheck) Corrections {
	var own []instrument.Check
	for _, k := range checks {
		if k.InstrumentID == id {
			own = append(own, CheckOf(k))
		}
	}
	return Corrections{
		instrument.CorrectionOf(instrument.Temperature, own), instrument.CorrectionOf(instrument.Humidity, own),
	}
}

// Warmth corrects a temperature, and Moisture a humidity; nil stays nil.
func (k Corrections) Warmth(shown *float64) *float64 { return corrected(k.Temp, shown, -100, 200) }

// Moisture corrects a humidity.
func (k Corrections) Moisture(shown *float64) *float64 { return corrected(k.RH, shown, 0, 100) }

func corrected(k instrument.Correction, shown *float64, least, most float64) *float64 {
	if shown == nil {
		return nil
	}
	v := min(most, max(least, k.True(*shown)))
	return &v
}

// Told is a point as core reads it.
func (k Corrections) Told(p probes.Point) climate.Told {
	t := climate.Told{At: p.At, TempC: math.NaN(), RHPct: math.NaN()}
	if c := k.Warmth(p.TempC); c != nil {
		t.TempC = *c
	}
	if rh := k.Moisture(p.RHPct); rh != nil {
		t.RHPct = *rh
	}
	return t
}

// Lay is a span in which an instrument lay in a machine.
type Lay struct{ From, To time.Time }

// LaysIn gives the spans in which each instrument lay in a machine.
func LaysIn(machineID int64, stays []probes.InstrumentStay) map[int64][]Lay {
	far := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
	all := map[int64][]Lay{}
	for i, s := range stays {
		if s.MachineID == nil || *s.MachineID != machineID {
			continue
		}
		l := Lay{s.FromAt, far}
		if i+1 < len(stays) && stays[i+1].InstrumentID == s.InstrumentID {
			l.To = stays[i+1].FromAt
		}
		all[s.InstrumentID] = append(all[s.InstrumentID], l)
	}
	return all
}

// Lying tells whether a span of so long from a moment on lies in one of them.
func Lying(spans []Lay, at time.Time, long time.Duration) bool {
	return slices.ContainsFunc(spans, func(l Lay) bool { return !at.Add(long).Before(l.From) && at.Before(l.To) })
}
