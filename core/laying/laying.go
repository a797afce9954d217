// Package laying says how many eggs a pen will lay, from what it laid in the last days.
package laying

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// Days is over how many days before today laying is looked at: long enough to smooth the
// days that were not collected, short enough to follow the season [common practice].
const Days = 14

// Record is the sound eggs that a pen laid on each of the last days, the oldest first; a
// day without an entry counts as none.
type Record []int

// Forecast is what a pen lays on one of the days to come.
type Forecast struct {
	PerDay float64 // expected eggs
	// SD of one day's eggs, which holds how days differ from one another, and how well so
	// few of them tell the mean.
	SD float64
	// MeanSD is how well the mean itself is known: it stays when days are added up.
	MeanSD float64
}

// Of reckons it: the mean of the record, and how much its days scatter. Eggs are counted,
// so that they scatter at least as counts do (Poisson), pens that are collected every other
// day more. A record without an egg forecasts none: what nobody saw is not invented.
func Of(r Record) (f Forecast) {
	n := float64(len(r))
	if n == 0 {
		return f
	}
	for _, eggs := range r {
		f.PerDay += float64(eggs) / n
	}
	if f.PerDay == 0 || n < 2 {
		f.SD = math.Sqrt(f.PerDay)
		f.MeanSD = f.SD
		return f
	}
	scatter := 0.0
	for _, eggs := range r {
		scatter += math.Pow(float64(eggs)-f.PerDay, 2) / (n - 1)
	}
	day := max(f.PerDay, scatter)
	f.MeanSD = math.Sqrt(day / n)
	f.SD = math.Sqrt(day + day/n)
	return f
}

// Over is how many eggs are laid over so many days together: expected, and between which
// numbers 9 times in 10 (normal, at least 0).
func (f Forecast) Over(days int) (expected float64, low, high int) {
	d := float64(days)
	day := f.SD*f.SD - f.MeanSD*f.MeanSD
	sd := math.Sqrt(d*day + d*d*f.MeanSD*f.MeanSD)
	z := distuv.UnitNormal.Quantile(0.95)
	expected = d * f.PerDay
	low = int(math.Max(0, math.Floor(expected-z*sd)))
	return expected, low, int(math.Ceil(expected + z*sd))
}

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
