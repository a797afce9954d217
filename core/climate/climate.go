// Package climate is about the one air that all eggs in a machine share: what each batch would want of it,
// the compromise between them, and what does not go together. Humidity is relative, in percent,
// temperatures °C, days elapsed since set, loss of water in percent of the fresh mass.
package climate

import (
	"math"

	"metrogon/core/air"
	"metrogon/core/moisture"
)

// Want is what one batch would have of the air.
type Want struct {
	Name     string
	Eggs     int     // alive
	From, To float64 // humidity that its kind, method and phase ask for
	TempC    float64
	Locked   bool    // in lockdown
	Care     bool    // it is misted, or cooled with the lid off
	Resting  bool    // reptiles' eggs: neither turned nor locked down
	Needs    float64 // humidity that lands its loss on the target, by its weighings; 0: they do not tell
	// Points of loss by lockdown that each point of humidity more, held from now on, takes away: how far it
	// can still be moved.
	PerPoint float64
	// Loss by lockdown that is wanted, and what good hatches come with; 0 for kinds without a goal.
	Target, Least, Most float64
}

// aim is the humidity that would be right, though no machine may hold it.
func (w Want) aim() float64 {
	if w.Needs != 0 && !w.Locked {
		return w.Needs
	}
	return (w.From + w.To) / 2
}

// Wish is the humidity that it would have alone: of those that a machine can hold the nearest to what is right.
func (w Want) Wish() float64 { return held(w.aim()) }

func held(rh float64) float64 { return min(max(rh, moisture.Driest), moisture.Wettest) }

// PerPoint is how much of its fresh mass, in percent, an egg of this fresh mass (g) loses less by the end of
// so many days for each point of humidity more, at a temperature (°C) and altitude (m), with the conductance
// g (mg per day and kPa at this altitude; 0: the usual for its mass). It follows from the loss a day
// = G · (Psat(egg) − RH/100 · Psat(air)) [Rahn & Ar 1974; Ar & Rahn 1980].
func PerPoint(massG, g, tempC, days, altitudeM float64) float64 {
	if g == 0 {
		g = moisture.UsualG(massG) * air.StandardPressure / air.PressureAt(altitudeM)
	}
	return g * air.Saturation(tempC) * max(0, days) / (1000 * massG)
}

// Effect is what the air of a machine does to one batch.
type Effect struct {
	Want
	Off     float64 // points of humidity above its wish
	LossOff float64 // points of loss by lockdown above the target; below where the air is too moist
	Outside bool    // its loss leaves what good hatches come with
}

// Compromise is the air that suits all batches of a machine best, and what it does to each.
type Compromise struct {
	RH, TempC float64
	Effects   []Effect
}

// Compromised finds the humidity at which the batches' losses stray least from their targets: the least sum
// of squares over all eggs. So a batch counts by its eggs and by how far it can still be moved: one that is
// soon in lockdown hardly pulls, and a point of humidity is worth more in small eggs. Eggs in lockdown go
// first: dry air harms them within hours, others over days [common practice]. With nothing to weigh by,
// the eggs alone count.
func Compromised(wants []Want) Compromise {
	pull := func(w Want) float64 { return float64(w.Eggs) * w.PerPoint * w.PerPoint }
	some := wants
	if locked := where(wants, func(w Want) bool { return w.Locked }); len(locked) > 0 {
		some = locked
		pull = func(w Want) float64 { return float64(w.Eggs) }
	}
	rh, sum := 0.0, 0.0
	for range 2 {
		for _, w := range some {
			rh, sum = rh+pull(w)*w.aim(), sum+pull(w)
		}
		if sum > 0 {
			break
		}
		pull = func(w Want) float64 { return float64(max(1, w.Eggs)) }
	}
	if sum == 0 {
		return Compromise{}
	}
	c := At(wants, held(rh/sum))
	warm, eggs := 0.0, 0.0
	for _, w := range some {
		n := float64(max(1, w.Eggs))
		warm, eggs = warm+n*w.TempC, eggs+n
	}
	c.TempC = warm / eggs
	return c
}

// At tells what an air of some humidity does to each batch.
func At(wants []Want, rh float64) Compromise {
	c := Compromise{RH: rh}
	for _, w := range wants {
		e := Effect{Want: w, Off: rh - w.Wish()}
		if !w.Locked && w.Target > 0 {
			e.LossOff = -(rh - w.aim()) * w.PerPoint
			comes := w.Target + e.LossOff
			e.Outside = comes < w.Least || comes > w.Most
		}
		c.Effects = append(c.Effects, e)
	}
	return c
}

func where(all []Want, is func(Want) bool) (some []Want) {
	for _, w := range all {
		if is(w) {
			some = append(some, w)
		}
	}
	return some
}

// Reason is why two batches do not go together in one air.
type Reason string

// The reasons, the gravest first.
const (
	Phase    Reason = "phase"    // one is in lockdown, the other turns
	Warmth   Reason = "warmth"   // half a degree or more apart
	Humidity Reason = "humidity" // no humidity is right for both
	Care     Reason = "care"     // one is misted or cooled, the other is not
)

// tooFar is how far the right temperatures of two batches may lie apart in one machine: a machine holds
// within half a degree [common practice].
const tooFar = 0.5

// Clutches of kinds whose temperatures lie within two degrees share a shelf [common practice].
const shelfApart = 2

// Apart tells why two batches do not go together; none where they do. Lockdown is lower by a few tenths of a
// degree and that is no reason.
func Apart(a, b Want) (why []Reason) {
	if a.Resting != b.Resting || a.Locked != b.Locked {
		why = append(why, Phase)
	}
	far := tooFar
	if a.Resting && b.Resting {
		far = shelfApart
	}
	if math.Abs(a.TempC-b.TempC) >= far-1e-9 {
		why = append(why, Warmth)
	}
	if a.Locked == b.Locked && (a.To < b.From || b.To < a.From) {
		why = append(why, Humidity)
	}
	if a.Care != b.Care && !a.Locked && !b.Locked {
		why = append(why, Care)
	}
	return why
}
