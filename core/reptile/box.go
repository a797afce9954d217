package reptile

import (
	"fmt"
	"math"
	"time"

	"metrogon/core/species"
	"metrogon/core/units"
)

// BoxKind is how a box holds its eggs damp.
type BoxKind string

// The kinds of box.
const (
	Closed    BoxKind = "closed"     // in damp substrate, a lid with few holes or none
	OverWater BoxKind = "over-water" // on a grid over water, not touching it
	HatchRack BoxKind = "hatch-rack" // in dimples of a rack over damp substrate
)

// BoxType is one kind with its name.
type BoxType struct {
	ID   BoxKind
	Name string
}

// BoxKinds lists them.
var BoxKinds = []BoxType{
	{Closed, "closed box, eggs in the substrate"}, {OverWater, "eggs on a grid over water"},
	{HatchRack, "hatch rack over damp substrate"},
}

// Substrate is what eggs lie in.
type Substrate struct {
	ID, Name string
	// Water to one part of dry weight, by weight [common practice].
	Least, At, Most float64
}

// Substrates lists the common ones.
var Substrates = []Substrate{
	{"vermiculite", "coarse vermiculite", 0.8, 1, 1.2},
	{"perlite", "perlite", 0.8, 1, 1.2},
	{"mix", "vermiculite and perlite", 0.8, 1, 1.2},
	{"moss", "sphagnum moss, wrung out", 1.5, 2, 3},
	{"sand", "damp sand and soil", 0.08, 0.12, 0.18},
	{"none", "none", 0, 0, 0},
}

// SubstrateOf finds one by its id.
func SubstrateOf(id string) (Substrate, bool) {
	for _, s := range Substrates {
		if s.ID == id {
			return s, true
		}
	}
	return Substrate{}, false
}

// Water to one part of dry vermiculite, by weight, at a water potential in kPa [from memory: papers of Packard and
// co-workers on turtles' eggs; grades of vermiculite differ].
var potential = [][2]float64{{-1000, 0.15}, {-500, 0.4}, {-300, 0.7}, {-150, 1.1}, {-100, 1.5}}

// RatioAt is how much water by weight gives coarse vermiculite a water potential between −1000 and −100 kPa.
func RatioAt(kPa float64) (float64, error) {
	first, last := potential[0], potential[len(potential)-1]
	if !(kPa >= first[0] && kPa <= last[0]) {
		return 0, fmt.Errorf("kpa: %g; it may be %g to %g", kPa, first[0], last[0])
	}
	for i := 1; i < len(potential); i++ {
		if a, b := potential[i-1], potential[i]; kPa <= b[0] {
			w := math.Log(kPa/a[0]) / math.Log(b[0]/a[0])
			return math.Exp(math.Log(a[1])*(1-w) + math.Log(b[1])*w), nil
		}
	}
	return last[1], nil
}

// WaterFor is the water in g for so much dry substrate in g.
func WaterFor(dryG, ratio float64) float64 { return dryG * ratio }

// Weighed is a box on the scale.
type Weighed struct {
	At    time.Time
	MassG float64 // with lid, substrate and eggs
	GaveG float64 // water that was given back after it
	Anew  bool    // what lies in it had changed: from here on it is measured anew
}

// Water is what a box has lost, and what to give back.
type Water struct {
	HoldG    float64 // the weight to come back to
	LostG    float64 // since it weighed that
	GiveG    float64 // 0: leave it
	PerDayG  float64 // lost a day, over all weighings that can be compared; NaN: not known yet
	Says     string
	WeighOn  time.Time // when it will have lost a tenth of its water
	Weighing int       // how many could be compared
}

// leaveShare of a box's water, or leaveG, may go before anything is given back; of halfShare or more only one half at a
// time [common practice: little, seldom].
const (
	leaveG, leaveShare = 5, 0.03
	halfShare          = 0.3
	usualWeighDays     = 7
	mostWeighDays      = 21
)

// Give works out what a box has lost since it was filled, or since what lies in it changed. waterG is what it was
// filled with; 0 where nobody knows.
func Give(all []Weighed, waterG float64, u units.Reader) (w Water) {
	w.PerDayG = math.NaN()
	if len(all) == 0 {
		w.Says = "Weigh it with its lid on, as it stands: from then on you know what it lost."
		return w
	}
	lost, long := 0.0, 0.0
	ref := all[0]
	w.HoldG = ref.MassG + ref.GaveG
	for i := 1; i < len(all); i++ {
		x, before := all[i], all[i-1]
		if x.Anew {
			w.HoldG = x.MassG + x.GaveG
			continue
		}
		w.Weighing++
		if i == len(all)-1 {
			w.LostG = w.HoldG - x.MassG
		}
		lost += before.MassG + before.GaveG - x.MassG
		long += x.At.Sub(before.At).Hours() / 24
	}
	last := all[len(all)-1]
	if long >= 1 {
		w.PerDayG = max(0, lost/long)
	}
	w.WeighOn = last.At.AddDate(0, 0, w.weighDays(waterG))
	if len(all) == 1 || last.Anew {
		w.Says = "This is the weight to hold."
		return w
	}
	w.advise(waterG, last.GaveG, u)
	return w
}

func (w Water) weighDays(waterG float64) int {
	if math.IsNaN(w.PerDayG) || w.PerDayG <= 0 || waterG <= 0 {
		return usualWeighDays
	}
	return int(max(2, min(mostWeighDays, math.Round(0.1*waterG/w.PerDayG))))
}

func (w *Water) advise(waterG, gaveG float64, u units.Reader) {
	left := w.LostG - gaveG
	switch {
	case w.LostG < -leaveG:
		w.Says = fmt.Sprintf("It weighs %s more than it should. Nothing was lost: check the scale, and that lid and tools "+
			"are as they were.", u.Mass(-w.LostG))
	case left < max(leaveG, leaveShare*waterG):
		w.Says = "Leave it as it is."
		if gaveG > 0 {
			w.Says = fmt.Sprintf("%s were given back.", u.Mass(gaveG))
		}
	case waterG > 0 && left > halfShare*waterG:
		w.GiveG = left / 2
		w.Says = fmt.Sprintf("It lost %s, much of its water. Give back half, %s, lukewarm, along the edge; the "+
			"other half in two days. Look whether the lid closes.", u.Mass(w.LostG), u.Mass(w.GiveG))
	default:
		w.GiveG = left
		w.Says = fmt.Sprintf("It lost %s. Give back %s, only that, lukewarm, along the edge, not on the eggs.",
			u.Mass(w.LostG), u.Mass(w.GiveG))
	}
}

// Corridor is what share of its fresh weight an egg should weigh when so much of development is over, least and most:
// soft shells take water up, hard ones lose it, most of it by three quarters of the time.
func Corridor(p *species.Profile, grown float64) (least, most float64) {
	by := min(1, max(0, grown)/0.75)
	if p.Shell.Type == species.Soft {
		return 1 + by*p.GainPct.From/100, 1 + by*p.GainPct.To/100
	}
	return 1 - by*p.LossPct.To/100, 1 - by*p.LossPct.From/100
}

// slackShare by which a weight may lie off the corridor before anything is said: scales and eggs differ.
const slackShare = 0.04

// Weight says what the share of its fresh weight tells of an egg when so much is over.
func Weight(p *species.Profile, grown, share float64) string {
	least, most := Corridor(p, grown)
	switch {
	case grown > 0.85:
		return "Shortly before the hatch weights say little: many dent and lose some."
	case share < least-slackShare && p.Shell.Type == species.Soft:
		return "Lighter than usual: too dry, or not alive. Look for dents; weigh the box."
	case share < least-slackShare:
		return "It loses more than usual: the air is too dry."
	case share > most+slackShare && p.Shell.Type == species.Soft:
		return "Heavier than usual: the substrate may be too wet. Give nothing back for now."
	case share > most+slackShare:
		return "It loses less than usual: the air is too humid."
	}
	return "As is usual."
}
