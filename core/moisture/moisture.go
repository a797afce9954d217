// Package moisture is about the water that an egg loses: from weighings and the
// air between them the conductance of its shell, from that the loss to come, and
// the humidity that lands on the target. Masses g, days completed since set, °C,
// relative humidity and loss in percent, pressures kPa, conductance mg per day
// and kPa.
package moisture

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"metrogon/core/air"
	"metrogon/core/units"
)

// What a machine can hold, percent relative humidity.
const (
	Driest  = 15.0
	Wettest = 85.0
)

// FreshMass estimates the mass in g of an egg when it was laid from its length
// and greatest breadth in mm: 0.548 · L · B² with L and B in cm. Source: Hoyt
// 1979, Practical methods of estimating volume and fresh weight of bird eggs,
// The Auk 96. Good to a few percent for eggs of usual shape.
func FreshMass(lengthMM, breadthMM float64) float64 { return 0.548 * lbb(lengthMM, breadthMM) }

// Volume estimates the volume in cm³: 0.51 · L · B², as FreshMass.
func Volume(lengthMM, breadthMM float64) float64 { return 0.51 * lbb(lengthMM, breadthMM) }

func lbb(lengthMM, breadthMM float64) float64 {
	return (lengthMM / 10) * (breadthMM / 10) * (breadthMM / 10)
}

// freshCell is the air cell of a fresh egg as a share of its volume: 0.5 to 1 %
// [common practice].
const freshCell = 0.0075

// Weighing is the mean mass per egg of the same eggs on a day.
type Weighing struct {
	Day, MassG float64
	Eggs       int       // that lay on the scale; 0: not told
	RemovedG   []float64 // weights, at the weighing before, of those taken out since; nil: not known
}

// Period is humidity held over some days.
type Period struct{ FromDay, ToDay, RHPct float64 }

// Lot is eggs weighed together.
type Lot struct {
	FreshMassG float64 // when laid; 0: as the weighings lead back to on the set day
	VolumeCM3  float64 // 0: by the mass
	Weighings  []Weighing
	AirTempC   float64
	EggTempC   float64
	RH         []Period // held so far; days not covered take the nearest period
	TargetPct  float64  // loss wanted on the target day
	TargetDay  float64
	AltitudeM  float64
	KnownG     float64 // conductance at sea level from earlier lots; 0: none
	// The scale's step in g, for all eggs that lay on it at once; 0: 1 g, or 0.1 g where
	// their number is not told.
	ScaleStepG  float64
	EggsWeighed int
}

// Outlook is what follows from the weighings.
type Outlook struct {
	G, GLow, GHigh float64 // as the eggs lose here, at this altitude
	NoLoss         bool    // the weighings show no loss yet: G is 0, and nothing follows
	GSeaLevel      float64
	LossPct        float64 // at the last weighing
	ProjectedPct   float64 // on the target day, if nothing changes
	RequiredRHPct  float64 // from now on, to land on the target; may be impossible
	Attainable     bool    // a machine can hold it: 15 to 85 %
	BestRHPct      float64 // the nearest that a machine can hold
	BestLossPct    float64 // that it leads to
	AirCellCM3     float64 // at the last weighing
	Certainty
	fresh, day, inside, outside float64
	drive                       func(rh float64) float64
}

// Work works a lot out. Loss a day = G · (Psat(egg) − RH/100 · Psat(air)), with
// Hyland & Wexler's saturation. Sources: Rahn & Ar 1974, The avian egg:
// incubation time and water loss; Ar & Rahn 1980. G is the least-squares slope of
// mass over the drive summed up, each period with its own humidity; its bounds
// hold 95 % by the scatter of the weighings, and equal it when there are two. A
// known G makes one weighing, or none, enough. A fresh mass stands in for a
// second weighing on day 0. Errors name the field at fault.
func Work(l Lot) (Outlook, error) {
	first := 0.0
	if len(l.Weighings) > 0 {
		l.Weighings = slices.Clone(l.Weighings)
		slices.SortFunc(l.Weighings, func(a, b Weighing) int { return int(math.Copysign(1, a.Day-b.Day)) })
		first = l.Weighings[0].MassG
		l.Weighings = chained(l.Weighings)
		if since := l.Weighings[l.lastSwap():]; len(since) > 1 && len(since) < len(l.Weighings) && len(l.RH) > 0 {
			l.Weighings, l.FreshMassG, first = since, 0, since[0].MassG // the same eggs since then
		}
		if l.FreshMassG > 0 { // the eggs that are left may have been heavier or lighter
			l.FreshMassG *= l.Weighings[0].MassG / first
		}
	}
	if l.FreshMassG == 0 && len(l.Weighings) > 1 && len(l.RH) > 0 {
		l.FreshMassG = l.backToFresh()
	}
	if err := l.check(); err != nil {
		return Outlook{}, err
	}
	pressure := air.PressureAt(l.AltitudeM)
	thin := air.StandardPressure / pressure
	inside, outside := air.Saturation(l.EggTempC), air.Saturation(l.AirTempC)
	o := Outlook{fresh: l.FreshMassG, inside: inside, outside: outside}
	o.drive = func(rh float64) float64 { return inside - rh/100*outside }
	points := slices.Clone(l.Weighings)
	last := Weighing{MassG: l.FreshMassG}
	if len(points) > 0 {
		last = points[len(points)-1]
	}
	if len(points) == 1 && points[0].Day > 0 && l.KnownG == 0 {
		points = []Weighing{{MassG: l.FreshMassG}, points[0]}
	}
	o.day = last.Day
	switch {
	case len(points) >= 2:
		l.fit(&o, points)
		if last.MassG > points[0].MassG {
			return Outlook{}, fmt.Errorf(
				"weighings: the eggs gained weight, from %g to %g g; it may only fall", points[0].MassG, last.MassG,
			)
		}
		if !(o.G > 0) { // a scale in whole grams may show no loss yet
			o.G, o.GLow, o.NoLoss = 0, 0, true
			o.GHigh = max(o.GHigh, 0)
		}
	default:
		o.G = l.KnownG * thin
		o.GLow, o.GHigh = o.G, o.G
	}
	o.GSeaLevel = o.G / thin
	o.LossPct = 100 * (o.fresh - last.MassG) / o.fresh
	left := l.TargetDay - o.day
	now := l.rh(o.day)
	o.ProjectedPct = o.After(now, l.TargetDay)
	volume := l.VolumeCM3
	if volume == 0 {
		volume = l.FreshMassG * 0.51 / 0.548
	}
	o.AirCellCM3 = freshCell*volume + (o.fresh - last.MassG)
	if o.NoLoss {
		return o, nil
	}
	needed := (l.TargetPct/100*o.fresh - (o.fresh - last.MassG)) * 1000 / (o.G * left) // kPa
	o.RequiredRHPct = 100 * (inside - needed) / outside
	o.Attainable = o.RequiredRHPct >= Driest && o.RequiredRHPct <= Wettest
	o.BestRHPct = min(max(o.RequiredRHPct, Driest), Wettest)
	o.BestLossPct = o.After(o.BestRHPct, l.TargetDay)
	l.certain(&o, points)
	return o, nil
}

// backToFresh is the mass on day 0 to which the weighings lead back.
func (l Lot) backToFresh() float64 {
	inside, outside := air.Saturation(l.EggTempC), air.Saturation(l.AirTempC)
	x, y := make([]float64, len(l.Weighings)), make([]float64, len(l.Weighings))
	for i, p := range l.Weighings {
		x[i], y[i] = l.driven(func(rh float64) float64 { return inside - rh/100*outside }, p.Day), p.MassG
	}
	fresh, _ := stat.LinearRegression(x, y, nil, false)
	return fresh
}

// Odd tells in one question what is odd about a weighing of so many eggs, given
// the mean mass of the one before (0: none), how many days ago it was, and what
// an egg of the kind weighs; nothing if it looks right. Bounds: eggs lose at most
// about 1.1 % a day [common practice: 0.6 to 0.8 %], kinds vary up to twofold.
func oddFirst(massG, mean, kindG float64, r units.Reader) string {
	switch {
	case near(mean, kindG, 2):
		return ""
	case near(mean*units.GramsPerOunce, kindG, 2):
		return fmt.Sprintf("%s an egg is little: was it %.4g ounces?", r.Mass(mean), massG)
	}
	return fmt.Sprintf("%s an egg is far from the usual %s: is the number of eggs right?", r.Mass(mean), r.Mass(kindG))
}

func Odd(massG float64, eggs int, before, days, kindG float64, r units.Reader) string {
	const ounce = units.GramsPerOunce
	mean := massG / float64(eggs)
	if before == 0 {
		return oddFirst(massG, mean, kindG, r)
	}
	// A coarse scale may hide the loss of two or three days, but not of a week.
	least, most := before*(1-.011*max(days, .5)), before*1.002
	if days >= 5 {
		most = before * (1 - .001*days)
	}
	switch {
	case near(mean*ounce, before, 1.15):
		return fmt.Sprintf("%s an egg, after %s: was it %.4g ounces?", r.Mass(mean), r.Mass(before), massG)
	case mean > most || mean < least*.98:
		if n := int(math.Round(massG / (before * (1 - .0075*days)))); n != eggs && n > 0 && massG/float64(n) <= most &&
			massG/float64(n) >= least {
			return fmt.Sprintf("This weighs like %d eggs, not %d: how many lay on the scale?", n, eggs)
		}
		if mean > most && mean <= before*1.002 {
			return fmt.Sprintf("%s an egg, after %s: no loss in %.0f days is unusual, even on a coarse scale. Is "+
				"it right?",
				r.Mass(mean), r.Mass(before), math.Floor(days))
		}
		if mean > most {
			return fmt.Sprintf(
				"%s an egg, after %s: eggs only lose. Was something else on the scale?", r.Mass(mean), r.Mass(before),
			)
		}
		return fmt.Sprintf(
			"%s an egg, after %s, is more than eggs lose in %.0f days: is it right?", r.Mass(mean), r.Mass(before),
			math.Ceil(days),
		)
	}
	return ""
}

func near(a, b, factor float64) bool { return a <= b*factor && b <= a*factor }

// After gives the loss in percent on a later day if this humidity is held from
// the last weighing on.
func (o Outlook) After(rhPct, day float64) float64 {
	return o.LossPct + 100*o.G*o.drive(rhPct)*(day-o.day)/1000/o.fresh
}

// fit finds the slope with its bounds.
func (l Lot) fit(o *Outlook, points []Weighing) {
	x, y := make([]float64, len(points)), make([]float64, len(points))
	for i, p := range points {
		x[i], y[i] = l.driven(o.drive, p.Day), p.MassG
	}
	alpha, beta := stat.LinearRegression(x, y, nil, false)
	o.G = -1000 * beta
	o.GLow, o.GHigh = o.G, o.G
	n := float64(len(points))
	if n < 3 {
		return
	}
	mean, sxx, sse := stat.Mean(x, nil), 0.0, 0.0
	for i := range x {
		sxx += (x[i] - mean) * (x[i] - mean)
		r := y[i] - alpha - beta*x[i]
		sse += r * r
	}
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n - 2}.Quantile(0.975)
	half := 1000 * t * math.Sqrt(sse/(n-2)/sxx)
	o.GLow, o.GHigh = max(0, o.G-half), o.G+half
}

// driven sums the drive from day 0 up to a day, kPa · days.
func (l Lot) driven(drive func(float64) float64, to float64) (sum float64) {
	edges := []float64{0, to}
	for _, p := range l.RH {
		for _, d := range []float64{p.FromDay, p.ToDay} {
			if d > 0 && d < to {
				edges = append(edges, d)
			}
		}
	}
	slices.Sort(edges)
	for i := 1; i < len(edges); i++ {
		sum += drive(l.rh((edges[i-1]+edges[i])/2)) * (edges[i] - edges[i-1])
	}
	return
}

// rh is the humidity held on a day: of the period that holds it, or the nearest.
func (l Lot) rh(day float64) float64 {
	best, far := 0.0, math.Inf(1)
	for _, p := range l.RH {
		if off := max(p.FromDay-day, day-p.ToDay, 0); off < far {
			best, far = p.RHPct, off
		}
	}
	return best
}

func (l Lot) check() error {
	in := func(field string, v, least, most float64) error {
		if !(v >= least && v <= most) {
			return fmt.Errorf("%s: %g is not possible; it may be %g to %g", field, v, least, most)
		}
		return nil
	}
	errs := []error{in("fresh_mass_g", l.FreshMassG, .3, 2500), in("air_temp_c", l.AirTempC, 10, 45), in(
		"egg_temp_c", l.EggTempC, 10, 45,
	),
		in("target_loss_pct", l.TargetPct, 1, 40), in("target_day", l.TargetDay, 1, 200),
		in("altitude_m", l.AltitudeM, -500, 9000), in("g_mg_day_kpa", l.KnownG, 0, 20000)}
	for i, w := range l.Weighings {
		errs = append(errs, in(fmt.Sprintf("weighings[%d].day", i), w.Day, 0, 200), in(
			fmt.Sprintf("weighings[%d].mass_g", i), w.MassG, .2, 2500,
		))
		if w.MassG > l.FreshMassG*1.02 {
			errs = append(errs, fmt.Errorf(
				"weighings[%d].mass_g: %g is more than the fresh egg's %g; it may only fall", i, w.MassG, l.FreshMassG,
			))
		}
		if w.Day >= l.TargetDay {
			errs = append(errs, fmt.Errorf("target_day: %g is not after the weighing of day %g", l.TargetDay, w.Day))
		}
		for _, o := range l.Weighings[:i] {
			if o.Day == w.Day {
				errs = append(errs, fmt.Errorf("weighings[%d].day: %g is given twice", i, w.Day))
			}
		}
	}
	for i, p := range l.RH {
		errs = append(errs, in(fmt.Sprintf("rh[%d].rh_pct", i), p.RHPct, 0, 100))
		if !(p.FromDay < p.ToDay) {
			errs = append(errs, fmt.Errorf("rh[%d].to_day: %g is not after %g", i, p.ToDay, p.FromDay))
		}
	}
	if len(l.RH) == 0 {
		errs = append(errs, errors.New("rh_pct: missing; it may be 0 to 100"))
	}
	later := slices.ContainsFunc(l.Weighings, func(w Weighing) bool { return w.Day > 0 })
	if l.KnownG == 0 && !later {
		errs = append(errs, errors.New("weighings: one after the set day is needed where g_mg_day_kpa is not known"))
	}
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}
