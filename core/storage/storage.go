// Package storage tells what waiting costs an egg before it is set.
package storage

import "metrogon/core/species"

// point is the hatch of an egg stored so many days as a share of a fresh egg's, and how low and how high it may be.
type point struct{ day, mid, low, high float64 }

// hens is the curve of hens' eggs, between its days on a straight line. To day 7 some 0.2 to 0.4 points are lost a
// day, then 0.5 to 1.5 [Yassin, Velthuis, Boerjan, van Riel & Huirne 2008, Field study on broiler eggs hatchability,
// Poultry Science 87; Fasenko 2007, Egg storage and the embryo, ibid. 86: both from memory]. Those were kept in
// controlled, cool stores; small flocks keep their eggs less evenly, so the middle lies below. Beyond 14 days it is
// judgement.
var hens = []point{
	{1, 1, 1, 1}, {3, 1, .99, 1}, {7, .985, .95, 1}, {10, .955, .89, .985}, {14, .90, .78, .955}, {18, .81, .62, .91},
	{21, .72, .50, .87}, {25, .58, .34, .80}, {28, .47, .22, .73}, {35, .22, .05, .55}, {60, 0, 0, .10},
}

// wider is how much less is known of other kinds' eggs than of hens' [judgement].
const wider = 1.5

// Relative gives the hatch of an egg stored so many days relative to one of day 1 (1 = fresh, 0 = none). The curve is
// that of hens' eggs; other kinds go along it quicker, by a constant of their kind [judgement], whatever day the farm
// stops at. Reptile eggs are not stored: always 1.
func Relative(p *species.Profile, ageDays float64) float64 { return at(p, ageDays).mid }

// Bounds give how low and how high that may be [judgement].
func Bounds(p *species.Profile, ageDays float64) (low, high float64) {
	x := at(p, ageDays)
	return x.low, x.high
}

func at(p *species.Profile, ageDays float64) point {
	if p.IsReptile() {
		return point{ageDays, 1, 1, 1}
	}
	x := along(p.HenDays(ageDays))
	if !p.StoresAsHens() {
		x.low = max(0, x.mid-wider*(x.mid-x.low))
		x.high = min(1, x.mid+wider*(x.high-x.mid))
	}
	return x
}

func along(day float64) point {
	if day <= hens[0].day {
		return hens[0]
	}
	for i := 1; i < len(hens); i++ {
		if a, b := hens[i-1], hens[i]; day <= b.day {
			f := (day - a.day) / (b.day - a.day)
			on := func(a, b float64) float64 { return a + f*(b-a) }
			return point{day, on(a.mid, b.mid), on(a.low, b.low), on(a.high, b.high)}
		}
	}
	return hens[len(hens)-1]
}

// Keeping says how an egg of this age stands.
type Keeping string

// Fresh up to the best day, ageing up to the day at which most stop, stale
// after it, and late past the last day on which eggs are usually set. What a late
// egg may still give, Relative tells.
const (
	Fresh  Keeping = "fresh"
	Ageing Keeping = "ageing"
	Stale  Keeping = "stale"
	Late   Keeping = "late"
)

// KeepingAt tells how an egg of this many whole days of storage stands.
func KeepingAt(p *species.Profile, ageDays int) Keeping {
	age := float64(ageDays)
	switch {
	case age > p.StorageLimitDays.To:
		return Late
	case age > p.StorageLimitDays.At:
		return Stale
	case age > p.StorageBestDays.At:
		return Ageing
	}
	return Fresh
}
