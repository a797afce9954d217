package laying

import "math"

// Pace is how a pen lays: eggs per hen and day over the last week, beside the three weeks before it.
type Pace struct {
	Week   int     // eggs in the last week
	Now    float64 // per hen and day; NaN where the hens are not counted
	Before float64
	Fell   bool // it lays less than before, by more than days differ
}

// The days that are compared [common practice: a week smooths days that were not collected].
const (
	Lately = 7
	Usual  = 21
)

// least is how many eggs a week have to be expected before a drop is spoken of.
const least = 10

// PaceOf works it out from the eggs of the last four weeks, the oldest day first, and how many hens laid them.
// It tells nothing of a pen of which nothing was written down in the last week: nobody saw that it stopped.
// A drop is told where a week has at most two thirds of what was usual, and so few come fewer than two times in
// a hundred where nothing changed: days scatter at least as counts do, and more where the days before did
// (normal, with what the three weeks before leave unsure).
func PaceOf(r Record, hens int) (p Pace, ok bool) {
	if len(r) != Lately+Usual {
		return p, false
	}
	before := 0
	for i, eggs := range r {
		if i < Usual {
			before += eggs
		} else {
			p.Week += eggs
		}
	}
	if p.Week == 0 {
		return p, false
	}
	per := math.NaN()
	if hens > 0 {
		per = 1 / float64(hens)
	}
	p.Now, p.Before = float64(p.Week)/Lately*per, float64(before)/Usual*per
	mean := float64(before) / Usual
	scatter := 0.0
	for _, eggs := range r[:Usual] {
		scatter += math.Pow(float64(eggs)-mean, 2) / (Usual - 1)
	}
	expected := mean * Lately
	if expected < least {
		return p, true
	}
	spread := max(1, scatter/mean) * expected * (1 + float64(Lately)/Usual)
	p.Fell = float64(p.Week) <= expected*2/3 && (expected-float64(p.Week))/math.Sqrt(spread) > 2.054
	return p, true
}
