package moisture

import (
	"math"

	"metrogon/core/air"
)

// What a weighing is worth.
const (
	// massSpread between eggs of one pen, as a share of their mass, where their own weights
	// are not known [common practice].
	massSpread = 0.09
	// sureWithin is how far off a humidity may be, in points to either side, to be advice.
	sureWithin = 5.0
	// A conductance outside 0.6 to 1.6 of what eggs of that mass have is rather a wrong
	// hygrometer than an odd egg [common practice].
	leastShare, mostShare = 0.6, 1.6
)

// UsualG is the conductance that eggs of a fresh mass in g have, mg per day and kPa:
// 0.432 · W^0.78 mg per day and torr. Source, from memory: Ar, Paganelli, Reeves, Greene &
// Rahn 1974, The avian egg: water vapor conductance, shell thickness, and functional pore
// area, The Condor 76.
func UsualG(massG float64) float64 { return 0.432 * math.Pow(massG, 0.78) * 7.5006 }

// Certainty is how far the weighings carry an advice.
type Certainty struct {
	RequiredLow, RequiredHigh float64 // humidity that may be needed, %; equal where G was given
	Sure                      bool    // within five points to either side
	AgainDay                  float64 // else: when to weigh again,
	AgainWithin               float64 // and within how many points it will be known then
	GOff                      float64 // mg per day and kPa by which G may be off, 95 times in 100
	GExpected                 float64 // usual for the mass, at this altitude
	CheckHygrometer           bool    // the eggs' own is far from it
}

// stepOf is the step of the scale, g an egg.
func (l Lot) stepOf() float64 {
	if l.EggsWeighed > 0 {
		step := l.ScaleStepG
		if step == 0 {
			step = 1
		}
		return step / float64(l.EggsWeighed)
	}
	if l.ScaleStepG > 0 {
		return l.ScaleStepG
	}
	return 0.1
}

// certain works out how sure the humidity of an outlook is. A weighing is off by up to a
// step of the scale, 95 times in 100; eggs that were taken out unweighed may have been
// heavier or lighter than the others.
func (l Lot) certain(o *Outlook, points []Weighing) {
	c := &o.Certainty
	c.GExpected = UsualG(o.fresh) * air.StandardPressure / air.PressureAt(l.AltitudeM)
	if o.G > 0 {
		c.CheckHygrometer = o.G < leastShare*c.GExpected || o.G > mostShare*c.GExpected
	}
	if len(points) < 2 {
		c.RequiredLow, c.RequiredHigh, c.Sure = o.RequiredRHPct, o.RequiredRHPct, true
		return
	}
	low, high := l.span(o, points, o.day, 0)
	c.RequiredLow, c.RequiredHigh = low, high
	if c.Sure = high-low <= 2*sureWithin; c.Sure {
		return
	}
	c.AgainDay, c.AgainWithin = 0, math.Inf(1)
	for day := math.Floor(o.day) + 2; day < l.TargetDay; day++ {
		low, high := l.span(o, points, day, 1)
		if within := (high - low) / 2; within < c.AgainWithin {
			c.AgainDay, c.AgainWithin = day, within
		}
		if c.AgainWithin <= sureWithin {
			return
		}
	}
	if c.AgainDay == 0 {
		c.AgainWithin = 0
	}
}

// span is between what humidities the needed one lies when the eggs were last weighed on a
// day, so many more times than now.
func (l Lot) span(o *Outlook, points []Weighing, day float64, more int) (low, high float64) {
	x := make([]float64, 0, len(points)+more)
	for _, p := range points {
		x = append(x, l.driven(o.drive, p.Day))
	}
	if more > 0 {
		x = append(x, l.driven(o.drive, day))
	}
	mean, sxx := 0.0, 0.0
	for _, v := range x {
		mean += v / float64(len(x))
	}
	for _, v := range x {
		sxx += (v - mean) * (v - mean)
	}
	step := l.stepOf()
	off := 1000 * step / math.Sqrt(sxx)
	swapped := l.swapped(points)
	lost := o.After(l.rh(o.day), day) / 100 * o.fresh
	err := math.Hypot(step, 1.96*swapped)
	switch {
	case more == 0: // the scatter of more weighings is not known yet
		off = max(math.Hypot(off, 1000*1.96*swapped/(x[len(x)-1]-x[0])), o.GHigh-o.G)
		o.GOff = off
	case swapped > 0: // then two weighings of the same eggs tell, and lead back to the fresh ones
		between := x[len(x)-1] - x[len(x)-2]
		off = 1000 * step * math.Sqrt2 / between
		err = step + lost*off/o.G
	}
	left := l.TargetDay - day
	needed := func(g, lost float64) float64 {
		g = max(g, o.G/100)
		rh := 100 * (o.inside - (l.TargetPct/100*o.fresh-lost)*1000/(g*left)) / o.outside
		return min(max(rh, -100), 200)
	}
	return needed(o.G-off, lost-err), needed(o.G+off, lost+err)
}

// swapped is the standard deviation in g by which the mean egg changed because unweighed
// ones were taken out.
func (l Lot) swapped(points []Weighing) float64 {
	variance := 0.0
	for i := 1; i < len(points); i++ {
		before, now := points[i-1].Eggs, points[i].Eggs
		if now > 0 && before > now && len(points[i].RemovedG) == 0 {
			sd := massSpread * points[i-1].MassG
			variance += sd * sd * (1/float64(now) - 1/float64(before))
		}
	}
	return math.Sqrt(variance)
}

// lastSwap is the weighing before which unweighed eggs were taken out last, 0 where none
// were.
func (l Lot) lastSwap() int {
	for i := len(l.Weighings) - 1; i > 0; i-- {
		before, now := l.Weighings[i-1].Eggs, l.Weighings[i].Eggs
		if now > 0 && before > now && len(l.Weighings[i].RemovedG) == 0 {
			return i
		}
	}
	return 0
}

// chained brings earlier weighings to the eggs that are left: where those taken out were
// weighed, the mean of the others is known.
func chained(points []Weighing) []Weighing {
	for i := len(points) - 1; i > 0; i-- {
		gone, before, now := points[i].RemovedG, points[i-1].Eggs, points[i].Eggs
		if len(gone) == 0 || before-len(gone) != now || now <= 0 {
			continue
		}
		sum := float64(before) * points[i-1].MassG
		for _, g := range gone {
			sum -= g
		}
		share := sum / float64(now) / points[i-1].MassG
		for j := range i {
			points[j].MassG *= share
		}
	}
	return points
}
