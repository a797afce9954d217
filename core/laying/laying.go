// Package laying says how many eggs a pen will lay, and whether it lays fewer than it did, from what it laid in the
// last days.
package laying

import (
	"math"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat"
)

// Days is over how many days before today the mean is taken: long enough to smooth the days that were not collected,
// short enough to follow the season [common practice]. Seen is over how many it is looked at how days differ.
const (
	Days = 14
	Seen = 28
)

// Record is the sound eggs that a pen laid on each of the last days, the oldest first; a day without an entry counts
// as none.
type Record []int

// Forecast is what a pen lays on one of the days to come. Its constants are judgement, simulated.
type Forecast struct {
	PerDay float64 // expected eggs
	hens   int     // 0: nobody counted them
	days   float64 // behind PerDay
	level  float64 // relative variance of the level from one stretch of days to the next
	days28 scatter
}

// Of works it out from at most 28 days of a pen with so many hens (0: nobody counted them). Without an egg in the last
// 14 days it forecasts none: what nobody saw is not invented.
func Of(r Record, hens int) Forecast {
	r = r[max(0, len(r)-Seen):]
	x := floatsOf(r)
	n := min(Days, len(x))
	if n == 0 || floats.Sum(x[len(x)-n:]) == 0 {
		return Forecast{}
	}
	f := Forecast{PerDay: stat.Mean(x[len(x)-n:], nil), hens: hens, days: float64(n), days28: scatterOf(x, hens)}
	f.level = levelOf(x, f.days28)
	return f
}

// levelOf is how much the level of laying moves from week to week, as a relative variance: 0.04² to begin with, worth
// six weeks, then what whole weeks show beyond what days bring.
func levelOf(x []float64, days scatter) float64 {
	const start, worth, least = 0.04 * 0.04, 6., 0.02 * 0.02
	weeks := sums(x, 7)
	mean := stat.Mean(weeks, nil)
	if len(weeks) < 3 || mean < 1 {
		return start
	}
	k := float64(len(weeks))
	seen := (stat.Variance(weeks, nil) - 7*days.perDay(2)) / (mean * mean)
	return max(least, (worth*start+(k-1)*seen)/(worth-1+k))
}

// Over is how many eggs are laid over so many days together: expected, and between which numbers 9 times in 10. No hen
// lays more than one egg a day; where more were gathered, the hens were counted wrong.
func (f Forecast) Over(days int) (expected float64, low, high int) {
	d := float64(days)
	expected = d * f.PerDay
	sd := math.Sqrt(f.variance(d))
	low = int(max(0, math.Ceil(expected-1.645*sd-0.5)))
	high = int(math.Floor(expected + 1.645*sd + 0.5))
	if most := f.hens * days; f.hens > 0 && expected <= float64(most) {
		high = min(high, most)
	}
	return expected, low, high
}

// variance is that of the eggs of so many days: days differ, the mean is known from a few, and the level moves.
func (f Forecast) variance(d float64) float64 {
	if f.PerDay == 0 {
		return 0
	}
	return d*f.days28.perDay(d) + d*d*(f.days28.perDay(f.days)/f.days+f.level*f.PerDay*f.PerDay)
}

// Off is how far a day's eggs may lie from what is expected, relative to that: one standard deviation.
func (f Forecast) Off() float64 { return math.Sqrt(f.variance(1)) / f.PerDay }

// On is the whole eggs of the day so many days ahead, from 1, so that any days together
// come to what is expected of them, rounded down.
func (f Forecast) On(day int) int {
	return int(float64(day)*f.PerDay+1e-9) - int(float64(day-1)*f.PerDay+1e-9)
}

// Around gives the span around so many eggs, 9 times in 10, of which the part that is still to
// be laid is uncertain: spread is the sum of the squares of how far each pen may lie off.
func Around(eggs int, spread float64) (low, high int) {
	off := int(math.Ceil(math.Sqrt(spread)))
	return max(0, eggs-off), eggs + off
}

// scatter is how the days of a pen differ.
type scatter struct{ n, mean, start, variance, next float64 }

// scatterOf begins with what hens bring that lay at most one egg a day, each by her own chance.
func scatterOf(x []float64, hens int) scatter {
	s := scatter{n: float64(len(x)), mean: stat.Mean(x, nil)}
	s.start = 0.6 * s.mean
	if hens > 0 {
		s.start = s.mean * (1 - s.mean/max(float64(hens), s.mean/0.95))
	}
	for i := range x {
		s.variance += (x[i] - s.mean) * (x[i] - s.mean) / max(1, s.n-1)
		if i > 0 {
			s.next += (x[i-1] - s.mean) * (x[i] - s.mean) / max(1, s.n-1)
		}
	}
	return s
}

// perDay is the variance a day of the sums of so many days in a row: what was seen, drawn towards the start, which is
// worth twelve days. Eggs gathered a day late make neighbouring days differ in opposite ways.
func (s scatter) perDay(d float64) float64 {
	if s.n < 7 {
		return s.start
	}
	seen := max(0, s.variance+2*s.next*(d-1)/d)
	return max((12*s.start+(s.n-1)*seen)/(11+s.n), s.start/2, 0.05*s.mean)
}

// sums are those of whole stretches of so many days, counted back from the last, the newest first.
func sums(x []float64, days int) (all []float64) {
	for to := len(x); to >= days; to -= days {
		all = append(all, floats.Sum(x[to-days:to]))
	}
	return all
}

func floatsOf(r Record) []float64 {
	x := make([]float64, len(r))
	for i, eggs := range r {
		x[i] = float64(eggs)
	}
	return x
}
