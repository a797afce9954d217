package reptile

import (
	"fmt"
	"math"

	"metrogon/core/climate"
	"metrogon/core/species"
	"metrogon/core/units"
)

// Cut is a reptiles' box that the power is away from: it takes the room's temperature on, and the embryos wait.
type Cut struct {
	Kind     *species.Profile
	PlanC    float64 // that was held before, and is again
	RoomC    float64
	Hours    float64
	ContentG float64              // of eggs and damp substrate
	Box      climate.Box          // what the boxes stand in
	Readings []climate.CurvePoint // of the eggs' own temperature, in order of time: they count where they are
}

// What incubators hold and let go, in J/K and W/K [judgement], and what a gram of eggs and damp substrate holds.
var incubators = map[climate.Box]struct{ holds, loses float64 }{
	climate.Foam: {3000, 1}, climate.CabinetBox: {20000, 4}, climate.Bare: {0, 0.6},
}

const (
	holdsPerGram = 3.2 // J/gK, nearly water
	warmsFaster  = 3.0 // a heater works against the room, times as fast
	sameAgain    = 0.5 // °C from what was held: it is over
	mostAgainH   = 48
)

// tau is the time constant, h: an e-th of the way is left after it.
func (c Cut) tau() float64 {
	in := incubators[c.Box]
	return (in.holds + holdsPerGram*max(c.ContentG, 200)) / in.loses / 3600
}

// At is how warm the eggs are so many hours after the power went: while it is away, and on the way back.
func (c Cut) At(h float64) float64 {
	at, from := c.PlanC, 0.0
	for _, r := range c.Readings {
		if r.H <= min(h, c.Hours) {
			at, from = r.EggC, r.H
		}
	}
	at = c.RoomC + (at-c.RoomC)*math.Exp(-(min(h, c.Hours)-from)/c.tau())
	if h > c.Hours {
		at = c.PlanC + (at-c.PlanC)*math.Exp(-(h-c.Hours)*warmsFaster/c.tau())
	}
	return at
}

// End is when it is as it was, h.
func (c Cut) End() float64 {
	h := c.Hours
	for ; h < c.Hours+mostAgainH && math.Abs(c.At(h)-c.PlanC) > sameAgain; h += 0.25 {
	}
	return h
}

// grows is the rate of growth beside that at the planned temperature, 0 to 1: straight down to nothing nine degrees
// below the kind's table [judgement].
func (c Cut) grows(tempC float64) float64 {
	least := c.Kind.Duration.Points[0].TempC
	r := rate(c.Kind, max(tempC, least)) / rate(c.Kind, c.PlanC)
	if tempC < least {
		r *= max(0, 1-(least-tempC)/9)
	}
	return min(r, 1)
}

// Chill is what comes of it: risk is low unless it was colder or hotter than the kind bears for as long as that is
// borne, high from twice as long on [judgement].
func (c Cut) Chill(u units.Reader) climate.Chill {
	const step = 1. / 30
	bears := c.Kind.Bears()
	x := climate.Chill{LowestC: c.PlanC, Risk: climate.LowRisk}
	cold, hot, highest := 0.0, 0.0, c.PlanC
	end := c.End()
	for h := 0.0; h <= end; h += step {
		at := c.At(h)
		x.Curve = append(x.Curve, climate.CurvePoint{H: h, EggC: at})
		x.LowestC, highest = min(x.LowestC, at), max(highest, at)
		x.DelayH += step * (1 - c.grows(at))
		if at < 20 {
			x.Below20H += step
		}
		if at < bears.ColdC {
			cold += step
		}
		if at > bears.HotC {
			hot += step
		}
	}
	worst := max(cold/bears.ColdH, hot/bears.HotH)
	switch {
	case worst >= 2 || highest >= bears.AtOnceC || x.LowestC < 1:
		x.Risk = climate.HighRisk
	case worst >= 1:
		x.Risk = climate.SomeRisk
	}
	x.Why = fmt.Sprintf("Down to %s. Cold slows them; it harms from %s for %.0f h on.", u.Temp(x.LowestC),
		u.Temp(bears.ColdC), bears.ColdH)
	if highest > c.PlanC+0.5 {
		x.Why = fmt.Sprintf("Up to %s. Heat harms from %s on.", u.Temp(highest), u.Temp(bears.HotC))
	}
	return x
}

// Do lists what is done meanwhile [common practice].
func (c Cut) Do() []string {
	return []string{
		"Leave the boxes shut and where they are: no egg is turned or lifted.",
		"Wrap the incubator in blankets, vents free.",
		"A long cut: bottles of warm water beside the boxes, not touching them, with a thermometer between.",
		"Do not heat them up to make up for it: they only wait.",
	}
}
