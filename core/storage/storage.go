// Package storage tells what waiting costs an egg before it is set.
package storage

import "metrogon/core/species"

// Hatch of fertile by days stored, chicken, percent. Source, from memory:
// tables printed by US extension services.
var table = []struct{ day, pct float64 }{
	{1, 88}, {4, 87}, {7, 79}, {10, 68}, {13, 56}, {16, 44}, {19, 30}, {22, 26}, {25, 0},
}

// Relative gives the hatch of an egg stored so many days relative to one of
// day 1 (1 = fresh, 0 = none), between the table's days on a straight line. The
// table is the chicken's; birds that keep longer or shorter stretch it by a constant of
// their kind [common practice], whatever day the farm stops at. Reptile eggs are not stored: always 1.
func Relative(p *species.Profile, ageDays float64) float64 {
	if p.IsReptile() {
		return 1
	}
	const chicken = 10
	day := ageDays * chicken / p.StorageStretchDays.At
	if day <= table[0].day {
		return 1
	}
	for i := 1; i < len(table); i++ {
		if a, b := table[i-1], table[i]; day <= b.day {
			return (a.pct + (b.pct-a.pct)*(day-a.day)/(b.day-a.day)) / table[0].pct
		}
	}
	return 0
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
