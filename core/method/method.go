// Package method holds the schools among which a farm chooses for each kind of
// egg, and the daily work that follows from the choice. Temperatures °C,
// humidity relative in percent, days completed since set.
package method

import (
	"fmt"

	"metrogon/core/species"
)

// School is how humidity is run.
type School string

// The schools. By weight takes whatever humidity makes the eggs lose the right
// share of water; it starts like the wet one.
const (
	Wet      School = "wet"
	Dry      School = "dry"
	ByWeight School = "by weight"
)

// Washing is what was done to the shell before storage.
type Washing string

// The three ways; one is picked for each lot and recorded.
const (
	Unwashed Washing = "unwashed"
	Brushed  Washing = "dry-brushed"
	Washed   Washing = "washed warm"
)

// Schools and Washings list the choices.
var (
	Schools  = []School{Wet, Dry, ByWeight}
	Washings = []Washing{Unwashed, Brushed, Washed}
)

// Caution says what to heed before the shell is touched.
func (w Washing) Caution() string {
	switch w { // common practice
	case Washed:
		return "Warmer than the egg, above 38 °C; no rubbing; dry fully before setting. Sanitizer as its label " +
			"says, never mixed with another."
	case Brushed:
		return "Dry and lightly, clean brush: never scrub wet."
	}
	return ""
}

// Method is a farm's choice for one kind.
type Method struct {
	School    School
	HandTurns int     // times a day where eggs are turned by hand, odd, 3 to 7
	Washing   Washing // usual one, offered when eggs are entered
	Mistings  int     // times a day: 0 to 2
	CoolMin   int     // minutes a day out of the warmth, waterfowl only: 0 to 30
	Late      Late    // misting in lockdown
}

// Late is how eggs are misted once they are in lockdown.
type Late string

// The schools of it: the lid stays shut; or what is opened is misted before it is shut again; or they are
// misted each day besides.
const (
	NotLate    Late = ""
	AtOpenings Late = "openings"
	EachDay    Late = "daily"
)

// Lates list them.
var Lates = []Late{NotLate, AtOpenings, EachDay}

// Says tells what is done.
func (l Late) Says() string {
	switch l {
	case AtOpenings:
		return "whenever it is opened"
	case EachDay:
		return "daily, and whenever it is opened"
	}
	return "not"
}

// Default is the usual choice: wet school, five turns where no turner does it,
// unwashed, waterfowl neither cooled nor misted [common practice].
func Default() Method { return Method{School: Wet, HandTurns: 5, Washing: Unwashed} }

// Check tells what of a choice cannot be; the field comes first.
func (m Method) Check(p *species.Profile) (field, says string) {
	switch {
	case m.School != Wet && m.School != Dry && m.School != ByWeight:
		return "school", "Pick wet, dry or by weight."
	case m.HandTurns < 3 || m.HandTurns > 7 || m.HandTurns%2 == 0:
		return "hand_turns", fmt.Sprintf(
			"%d turns a day is not possible; it may be 3, 5 or 7: an odd number, so that the long night lies on "+
				"alternate sides.",
			m.HandTurns,
		)
	case m.Washing != Unwashed && m.Washing != Brushed && m.Washing != Washed:
		return "washing", "Pick what is done to the shells."
	case m.Mistings < 0 || m.Mistings > 2:
		return "mistings", fmt.Sprintf("%d mistings a day is not possible; it may be 0 to 2.", m.Mistings)
	case m.CoolMin < 0 || m.CoolMin > 30:
		return "cool_min", fmt.Sprintf(
			"%d minutes of cooling is not possible; it may be 0 to 30, 10 to 20 is usual.", m.CoolMin,
		)
	case !p.Water && m.CoolMin > 0:
		return "cool_min", "Cooling is for ducks and geese."
	case m.Late != NotLate && m.Late != AtOpenings && m.Late != EachDay:
		return "late_mist", "Pick how they are misted in lockdown."
	}
	return "", ""
}

// Humidity gives the range to hold. The farm's own figure, where it has one,
// wins over the school.
func (m Method) Humidity(p *species.Profile, locked bool) species.Figure {
	f := p.HumiditySetPct
	if locked {
		f = p.HumidityLockdownPct
	}
	if m.School != Dry || f.Mark == species.FarmsOwn || p.IsReptile() || locked && p.Water {
		return f // a dry duck's egg dries to its membrane: in lockdown waterfowl keep their own
	}
	if locked {
		return species.Figure{At: 67.5, From: 65, To: 70, Origin: species.Origin{Mark: species.CommonPractice}}
	}
	return species.Figure{At: 25, From: 15, To: 35, Origin: species.Origin{Mark: species.CommonPractice}}
}

// stillAirC is how much warmer a still-air machine is run, measured at the top
// of the eggs: 38.3 to 38.9 °C where forced air takes 37.5 [common practice].
const stillAirC = 1.1

// Temperature gives the temperature to hold and where it is measured; in lockdown some hold
// it 0.3 to 0.5 °C lower [common practice].
func Temperature(p *species.Profile, stillAir, locked bool) (c float64, where string) {
	c = p.TemperatureC.At
	if locked && p.LockdownC.Known() {
		c = p.LockdownC.At
	}
	switch {
	case p.IsReptile():
		return c, "in the substrate, beside the eggs"
	case stillAir:
		return c + stillAirC, "at the top of the eggs"
	}
	return c, "at egg height"
}

// Task is work of one day on a batch.
type Task struct {
	Kind  string // turn, cool or mist
	Times int    // a day
	Says  string
}

// The kinds of task.
const (
	Turn = "turn"
	Cool = "cool"
	Mist = "mist"
)

// CoolFrom is the day from which eggs are cooled and misted [common practice].
const CoolFrom = 7

// Daily lists the work on the day that a batch is in, elapsed days; nothing before the first day is complete,
// and in lockdown only what its school asks for.
func (m Method) Daily(p *species.Profile, day float64, byHand, locked bool) (tasks []Task) {
	if locked && m.Late == EachDay && !p.IsReptile() {
		return []Task{{Mist, 1, "Lukewarm, through a lid that is open for seconds. " + NeverWetYoung}}
	}
	if p.IsReptile() || locked || day >= p.LockdownDay.At {
		return nil
	}
	if byHand && day >= .5 {
		tasks = append(tasks, Task{
			Turn, m.HandTurns, "An odd number of times, so that the long night lies on alternate sides.",
		})
	}
	if day < CoolFrom {
		return tasks
	}
	if m.CoolMin > 0 && p.Water {
		tasks = append(tasks, Task{Cool, 1, fmt.Sprintf("Lid open for %d minutes, then shut well.", m.CoolMin)})
	}
	if m.Mistings > 0 {
		tasks = append(tasks, Task{Mist, m.Mistings, "A fine mist of lukewarm water."})
	}
	return tasks
}

// NeverWetYoung is what to heed where eggs are misted that hatch.
const NeverWetYoung = "Pipped shells, never young that are out: wet they chill."
