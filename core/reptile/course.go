// Package reptile turns temperatures into development, hatch dates and shares of females, and says what boxes,
// shells and eggs of reptiles should be like.
//
// Development: the rate is 1 ÷ the days that a constant temperature takes (species.Profile.DaysAt); what has grown
// is its integral, 1 at the hatch. Sex: the profile's curve at the mean temperature of the middle third of
// development, weighted by development. Source: the thermal-sum model common in keeper and field literature.
package reptile

import (
	"math"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/species"
	"metrogon/core/units"
)

// Reading is a temperature at the eggs, °C.
type Reading struct {
	At    time.Time
	TempC float64
}

// Wave is a temperature by day and, where NightH is above 0, another for so many hours from an hour of the night on,
// by the clock of a zone.
type Wave struct {
	DayC, NightC float64
	NightFrom    calendar.WallTime
	NightH       float64 // 0 to 24
	Zone         *time.Location
}

// Constant is a temperature that stays.
func Constant(c float64) Wave { return Wave{DayC: c} }

// At is the temperature at a moment, and until when it stays so; zero: for good.
func (w Wave) At(at time.Time) (tempC float64, until time.Time) {
	if w.NightH <= 0 {
		return w.DayC, time.Time{}
	}
	long := time.Duration(w.NightH * float64(time.Hour))
	for days := -1; days <= 1; days++ {
		from := w.NightFrom.On(at, days, w.Zone)
		switch to := from.Add(long); {
		case at.Before(from):
			return w.DayC, from
		case at.Before(to):
			return w.NightC, to
		}
	}
	return w.DayC, w.NightFrom.On(at, 2, w.Zone)
}

// Mean is the temperature over a whole day.
func (w Wave) Mean() float64 { return (w.DayC*(24-w.NightH) + w.NightC*w.NightH) / 24 }

// Plan is what is run from a moment on.
type Plan struct {
	From time.Time
	Wave
}

// Course is how warm a clutch was and will be.
type Course struct {
	Kind     *species.Profile
	LaidAt   time.Time
	Readings []Reading // in order of time
	// Plans are what follows the last reading, or, with none, the laying: in order of time, the one that holds then
	// first. With none it is the mean of the last seven days of readings.
	Plans  []Plan
	Reader units.Reader // in whose units it is spoken of
	past   *past
}

// past sums a course up to a moment, so that many ways to go on from there are worked out quickly.
type past struct {
	day, grown, heat float64
	days, heats      []float64 // when shares of interest were reached
	rested, below    float64
	outside          bool
	warnings         []Warning
}

// Until is the same course, summed up to a moment at which its readings end.
func (c Course) Until(now time.Time) Course {
	if c.past != nil {
		return c
	}
	p := &past{day: calendar.Elapsed(c.LaidAt, now), warnings: c.told(now)}
	c.legs(func(l leg) bool {
		if l.from >= p.day {
			return false
		}
		if l.to > p.day {
			l = l.part(0, (p.day-l.from)/(l.to-l.from))
		}
		p.grow(l, c.Kind)
		return l.to < p.day
	})
	end := p.day
	if len(p.days) == len(shares) { // it has hatched; what came after is of no matter
		end = p.days[len(shares)-1]
	}
	p.rested, p.outside = c.rested(end)
	p.below = c.below(end)
	c.Plans, c.Readings, c.past = c.after(), nil, p
	return c
}

// grow adds a leg, noting when shares of interest are reached.
func (p *past) grow(l leg, kind *species.Profile) {
	for _, piece := range l.pieces(kind) {
		for piece.to > piece.from {
			g, h := piece.grows(kind)
			if len(p.days) == len(shares) || p.grown+g < shares[len(p.days)] {
				p.grown, p.heat = p.grown+g, p.heat+h
				break
			}
			at := piece.reaching(kind, shares[len(p.days)]-p.grown)
			done := piece.part(0, at)
			g, h = done.grows(kind)
			p.grown, p.heat = p.grown+g, p.heat+h
			p.days, p.heats = append(p.days, done.to), append(p.heats, p.heat)
			piece = piece.part(at, 1)
		}
	}
}

// shares are those of interest: where the span that decides the sex begins and ends, and the hatch.
var shares = [...]float64{sexFrom, sexTo, 1}

// so is what a course is summed up to so far.
func (c Course) so() past {
	if c.past == nil {
		return past{}
	}
	return *c.past
}

// leg is a span in which the temperature runs straight, in days since the laying.
type leg struct{ from, to, a, b float64 }

// farthest is how far a course is followed, in days: longer than any egg takes.
const farthest = 2 * calendar.MaxDays

// legs gives the course in order of time, for as long as each wants more.
func (c Course) legs(each func(leg) (more bool)) {
	day := func(at time.Time) float64 { return calendar.Elapsed(c.LaidAt, at) }
	at := c.so().day
	if n := len(c.Readings); n > 0 {
		if first := day(c.Readings[0].At); first > 0 {
			if !each(leg{0, first, c.Readings[0].TempC, c.Readings[0].TempC}) {
				return
			}
			at = first
		}
		for i := 1; i < n; i++ {
			l := leg{day(c.Readings[i-1].At), day(c.Readings[i].At), c.Readings[i-1].TempC, c.Readings[i].TempC}
			if l.to <= at {
				continue
			}
			if l.from < at { // before the laying
				l.a += (l.b - l.a) * (at - l.from) / (l.to - l.from)
				l.from = at
			}
			if !each(l) {
				return
			}
			at = l.to
		}
	}
	for i, p := range c.after() {
		until := float64(farthest)
		if plans := c.after(); i+1 < len(plans) {
			until = day(plans[i+1].From)
		}
		for at < until {
			now := calendar.After(c.LaidAt, at)
			temp, next := p.At(now)
			to := until
			if !next.IsZero() {
				to = min(until, max(day(next), at+1e-6))
			}
			if !each(leg{at, to, temp, temp}) {
				return
			}
			at = to
		}
	}
}

// after are the plans that hold once the readings end.
func (c Course) after() []Plan {
	if len(c.Plans) > 0 {
		return c.Plans
	}
	return []Plan{{Wave: Constant(c.lastWeek())}}
}

// ahead are the plans of which something is still to come.
func (c Course) ahead(now time.Time) (all []Plan) {
	plans := c.after()
	for i, p := range plans {
		if i+1 == len(plans) || plans[i+1].From.After(now) {
			all = append(all, p)
		}
	}
	return all
}

// temps are the temperatures of a day.
func (w Wave) temps() []float64 {
	if w.NightH <= 0 {
		return []float64{w.DayC}
	}
	return []float64{w.DayC, w.NightC}
}

// lastWeek is the mean over the last seven days of readings.
func (c Course) lastWeek() float64 {
	n := len(c.Readings)
	if n == 0 {
		return c.Kind.TemperatureC.At
	}
	end := c.Readings[n-1].At
	begin := end.AddDate(0, 0, -7)
	sum, long := 0.0, 0.0
	for i := n - 1; i > 0; i-- {
		a, b := c.Readings[i-1], c.Readings[i]
		if !b.At.After(begin) {
			break
		}
		span := b.At.Sub(a.At).Hours()
		if span <= 0 {
			continue
		}
		from := a.TempC
		if a.At.Before(begin) {
			from += (b.TempC - a.TempC) * begin.Sub(a.At).Hours() / span
			span = b.At.Sub(begin).Hours()
		}
		sum, long = sum+span*(from+b.TempC)/2, long+span
	}
	if long == 0 {
		return c.Readings[n-1].TempC
	}
	return sum / long
}

// rate is the share of development of one day at a temperature.
func rate(p *species.Profile, tempC float64) float64 {
	if p.Diapause.Rests() && tempC < p.Diapause.BelowC {
		return 0
	}
	days, _ := p.DaysAt(tempC)
	return 1 / days.At
}

// pieces cuts a leg where the table's points and the resting cool lie, so that in each the log of the rate is straight.
func (l leg) pieces(p *species.Profile) []leg {
	cuts := []float64{0, 1}
	cut := func(tempC float64) {
		if (l.a-tempC)*(l.b-tempC) < 0 {
			cuts = append(cuts, (tempC-l.a)/(l.b-l.a))
		}
	}
	for _, pt := range p.Duration.Points {
		cut(pt.TempC)
	}
	if p.Diapause.Rests() {
		cut(p.Diapause.BelowC)
	}
	slices.Sort(cuts)
	var all []leg
	for i := 1; i < len(cuts); i++ {
		all = append(all, l.part(cuts[i-1], cuts[i]))
	}
	return all
}

// part is what lies between two shares of it.
func (l leg) part(x, y float64) leg {
	return leg{
		l.from + x*(l.to-l.from), l.from + y*(l.to-l.from), l.a + x*(l.b-l.a), l.a + y*(l.b-l.a),
	}
}

// Nodes and weights of Gauss and Legendre's rule with five points on 0 to 1 [Abramowitz & Stegun, table 25.4]; within
// a piece it is exact to far below what a thermometer knows.
var (
	nodes   = [5]float64{0.046910077030668, 0.230765344947158, 0.5, 0.769234655052842, 0.953089922969332}
	weights = [5]float64{0.118463442528095, 0.239314335249683, 0.284444444444444, 0.239314335249683, 0.118463442528095}
)

// grows is what develops over a piece, and heat the temperature times that.
func (l leg) grows(p *species.Profile) (grown, heat float64) {
	if l.a == l.b {
		grown = (l.to - l.from) * rate(p, l.a)
		return grown, grown * l.a
	}
	for i, x := range nodes {
		temp := l.a + x*(l.b-l.a)
		g := weights[i] * (l.to - l.from) * rate(p, temp)
		grown, heat = grown+g, heat+g*temp
	}
	return grown, heat
}

// reaching is the share of a piece after which so much has grown in it.
func (l leg) reaching(p *species.Profile, want float64) float64 {
	low, high := 0.0, 1.0
	for range 50 {
		mid := (low + high) / 2
		if g, _ := l.part(0, mid).grows(p); g < want {
			low = mid
		} else {
			high = mid
		}
	}
	return (low + high) / 2
}

// Grown is the share of development at a moment, 0 to 1; of a course that was summed up, not before that.
func (c Course) Grown(at time.Time) float64 {
	end, grown := calendar.Elapsed(c.LaidAt, at), c.so().grown
	c.legs(func(l leg) bool {
		if l.from >= end {
			return false
		}
		if l.to > end {
			l = l.part(0, (end-l.from)/(l.to-l.from))
		}
		for _, piece := range l.pieces(c.Kind) {
			g, _ := piece.grows(c.Kind)
			grown += g
		}
		return l.to < end
	})
	return min(1, grown)
}

// reached is the day, since the laying, on which each share has grown, with the temperature summed over growth until
// then; ok is false where they never do.
func (c Course) reached() (days, heats []float64, ok bool) {
	p := c.so()
	p.days, p.heats = slices.Clone(p.days), slices.Clone(p.heats)
	c.legs(func(l leg) bool {
		p.grow(l, c.Kind)
		return len(p.days) < len(shares)
	})
	return p.days, p.heats, len(p.days) == len(shares)
}

// beyond is for how many hours the temperature was out of bounds, and the one farthest from what the kind wants.
func (c Course) beyond(until time.Time, out func(tempC float64) bool) (hours, most float64) {
	end := calendar.Elapsed(c.LaidAt, until)
	most = math.NaN()
	c.legs(func(l leg) bool {
		if l.from >= end {
			return false
		}
		if l.to > end {
			l = l.part(0, (end-l.from)/(l.to-l.from))
		}
		n := max(1, min(200, math.Ceil(24*(l.to-l.from))))
		if l.a == l.b {
			n = 1
		}
		for i := range int(n) {
			x := l.part(float64(i)/n, float64(i+1)/n)
			if mid := (x.a + x.b) / 2; out(mid) {
				hours += 24 * (x.to - x.from)
				if math.IsNaN(most) || math.Abs(mid-c.Kind.TemperatureC.At) > math.Abs(most-c.Kind.TemperatureC.At) {
					most = mid
				}
			}
		}
		return l.to < end
	})
	return hours, most
}
