package candling

import (
	"math"
	"slices"

	"metrogon/core/species"
)

// Finding is what else an egg showed on opening, beside its stage.
type Finding string

// The findings.
const (
	Inside    Finding = "inside"    // the beak is in the air cell, the shell is whole
	SmallEnd  Finding = "small-end" // the head lies in the pointed end
	LeftWing  Finding = "left-wing" // the head lies under the left wing
	Away      Finding = "away"      // the head is turned away from the air cell
	YolkOut   Finding = "yolk-out"  // the yolk is not drawn in
	Wet       Finding = "wet"       // wet all over, small air cell
	Dry       Finding = "dry"       // membranes dry and tough, stuck
	Blood     Finding = "blood"     // blood in the membranes, or a ring
	Smells    Finding = "smells"
	WhiteSpot Finding = "white-spot" // small and dense: never fertilized
)

// FindingSign is how a finding is labelled, and at which stages it can be seen.
type FindingSign struct {
	Finding Finding
	Label   string
	Stages  []Stage
}

// FindingSigns lists the findings that somebody ticks; Inside comes with a drawing of its own.
var FindingSigns = []FindingSign{
	{SmallEnd, "head: small end", []Stage{Late, PippedDead}},
	{LeftWing, "head: left wing", []Stage{Late, PippedDead}},
	{Away, "head: away", []Stage{Late, PippedDead}},
	{YolkOut, "yolk out", []Stage{Late, PippedDead}},
	{Wet, "wet", []Stage{Middle, Late, PippedDead}},
	{Dry, "dry", []Stage{Middle, Late, PippedDead}},
	{Blood, "blood", []Stage{Early, Middle, Late, PippedDead}},
	{WhiteSpot, "dense spot", []Stage{Infertile}},
	{Smells, "smells", []Stage{Infertile, Early, Middle, Late, PippedDead, Contaminated}},
}

// Malpositions are the findings of a head that lies where it cannot get out.
var Malpositions = []Finding{SmallEnd, LeftWing, Away}

// Malposed tells whether one of them was found.
func Malposed(found []Finding) bool {
	return slices.ContainsFunc(found, func(f Finding) bool { return slices.Contains(Malpositions, f) })
}

// Fits tells whether an egg of a stage can show a finding.
func (s Stage) Fits(f Finding) bool {
	if f == Inside {
		return s == PippedDead
	}
	i := slices.IndexFunc(FindingSigns, func(x FindingSign) bool { return x.Finding == f })
	return i >= 0 && slices.Contains(FindingSigns[i].Stages, s)
}

// DaysOf is between which completed days an egg of a stage died: thirds of the time to hatch
// [common practice], 0 and 0 where it tells no time.
func (s Stage) DaysOf(p *species.Profile) (from, to int) {
	third := p.HatchDays.At / 3
	switch s {
	case Early:
		return 1, int(math.Floor(third))
	case Middle:
		return int(math.Floor(third)) + 1, int(math.Floor(2 * third))
	case Late:
		return int(math.Floor(2*third)) + 1, int(math.Round(p.HatchDays.At))
	case PippedDead:
		return int(math.Floor(p.HatchDays.From)) - 1, int(math.Ceil(p.HatchDays.To))
	}
	return 0, 0
}
