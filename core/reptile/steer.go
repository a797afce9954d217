package reptile

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/units"
	"metrogon/core/wording"
)

// Then is the course as it was up to a moment, with other plans from there on.
func (c Course) Then(now time.Time, plans ...Plan) Course {
	var kept []Plan
	for i, p := range c.after() {
		if i == 0 || p.From.Before(now) {
			kept = append(kept, p)
		}
	}
	c.Plans = append(kept, plans...)
	return c
}

// Shifted is the course with all that is to come warmer by so many °C (below 0 cooler); a rest in the cool stays.
func (c Course) Shifted(now time.Time, byC float64) Course {
	plans := c.ahead(now)
	plans[0].From = now
	for i, p := range plans {
		if c.Kind.Diapause.Rests() && p.Mean() < c.Kind.Diapause.BelowC {
			continue
		}
		plans[i].DayC, plans[i].NightC = p.DayC+byC, p.NightC+byC
	}
	return c.Then(now, plans...)
}

// Point is what follows if a clutch is kept at a constant temperature from now on.
type Point struct {
	TempC float64
	Forecast
}

// Curves are what follows at each temperature that is usual for the kind, in steps of a quarter of a degree.
func (c Course) Curves(now time.Time, sure Sure) (all []Point) {
	c = c.Until(now)
	for t := c.Kind.TemperatureC.From; t <= c.Kind.TemperatureC.To+1e-9; t += 0.25 {
		f, err := c.Then(now, Plan{now, Constant(t)}).Forecast(now, sure)
		if err == nil {
			all = append(all, Point{t, f})
		}
	}
	return all
}

// Goal is what a keeper would like of a clutch.
type Goal string

// The goals.
const (
	Females Goal = "females" // most of them
	Males   Goal = "males"
	Both    Goal = "both"
	Soonest Goal = "soonest"
)

// Goals lists them.
var Goals = []Goal{Females, Males, Both, Soonest}

// Steps is a way towards a goal: one temperature until the sex is decided, another afterwards.
type Steps struct {
	Goal     Goal
	WindowC  float64   // from now on
	LaterC   float64   // from Until on
	Until    time.Time // zero: the same to the end
	Forecast Forecast
	Reached  bool // also at the unsure end of what is expected
	Says     string
	Caution  string
}

// cautionSteer stands beside every proposal.
const cautionSteer = "Only temperatures that are usual for the kind are proposed: the extremes, which would shift " +
	"more, deform and weaken young. Shares are of many clutches; few eggs may all be of one sex."

// mostPct is from which share on a clutch is mostly of one sex, at the unsure end of what is expected; halfPct how far
// from half both may lie.
const mostPct, halfPct = 70, 12

// Steer proposes how to come nearest to a goal within the usual temperatures, and of what does the soonest; "" and why
// where nothing can be done.
func (c Course) Steer(now time.Time, goal Goal, sure Sure) (best Steps, why string) {
	c = c.Until(now)
	f, err := c.Forecast(now, sure)
	switch {
	case err != nil:
		return best, err.Error()
	case f.Grown >= .97:
		return best, "They are about to hatch; leave the temperature alone."
	case goal != Soonest && f.Sex == nil:
		return best, f.Why
	case goal != Soonest && f.Sex.Decided >= .98:
		return best, fmt.Sprintf("It is decided: about %.0f %% females; the span that decides is over.", f.Sex.FemalePct)
	}
	lo, hi := c.Kind.TemperatureC.From, c.Kind.TemperatureC.To
	table := c.Kind.Duration.Points
	soon := max(lo, min(hi, c.Kind.DangerC.From-1.5, table[len(table)-1].TempC))
	score := math.Inf(1)
	for t := lo; t <= hi+1e-9; t += 0.25 {
		x := Steps{Goal: goal, WindowC: t, LaterC: t, Caution: cautionSteer}
		course := c.Then(now, Plan{now, Constant(t)})
		if x.Forecast, err = course.Forecast(now, sure); err != nil {
			continue
		}
		if s := x.Forecast.Sex; goal != Soonest && t < soon && s != nil && s.To.After(now) {
			x.LaterC, x.Until = soon, s.To
			if x.Forecast, err = course.Then(s.To, Plan{s.To, Constant(soon)}).Forecast(now, sure); err != nil {
				continue
			}
		}
		if goal == Soonest && t > soon+1e-9 {
			continue
		}
		miss := max(0, x.miss()-0.5) // half a point is nothing
		x.Reached = miss < 1e-6
		// Days count only among what meets the goal.
		if s := 1000*miss + x.Forecast.HatchAt.Sub(now).Hours()/24; s < score {
			score, best = s, x
		}
	}
	best.Says = best.says()
	return best, ""
}

// miss is by how many points the goal is missed; 0 where it is met.
func (x Steps) miss() float64 {
	if x.Forecast.Sex == nil {
		return 0
	}
	sex := x.Forecast.Sex
	switch x.Goal {
	case Females:
		return max(0, mostPct-sex.LowPct)
	case Males:
		return max(0, sex.HighPct-(100-mostPct))
	case Both:
		return max(0, math.Abs(sex.FemalePct-50)-halfPct)
	}
	return 0
}

// says tells what may be reached and how surely.
func (x Steps) says() string {
	s := x.Forecast.Sex
	if s == nil || x.Goal == Soonest {
		return "The soonest within what is usual."
	}
	if !x.Reached {
		return fmt.Sprintf("This is as near as the usual temperatures come: about %.0f %% females, %.0f to %.0f.",
			s.FemalePct, s.LowPct, s.HighPct)
	}
	return fmt.Sprintf("About %.0f %% females are to be expected, %.0f to %.0f.", s.FemalePct, s.LowPct, s.HighPct)
}

// Together tells which kinds can stand on one shelf: their usual temperatures meet between from and to.
func Together(kinds []Wanted) (from, to float64, ok bool) {
	from, to = math.Inf(-1), math.Inf(1)
	for _, k := range kinds {
		from, to = max(from, k.FromC), min(to, k.ToC)
	}
	return from, to, len(kinds) > 0 && from <= to
}

// Wanted is between which temperatures a kind is kept.
type Wanted struct {
	Name       string
	FromC, ToC float64
}

// Apart says which of the kinds on one shelf do not go together; "" if all do.
func Apart(kinds []Wanted, u units.Reader) string {
	if _, _, ok := Together(kinds); ok || len(kinds) < 2 {
		return ""
	}
	warm := slices.MaxFunc(kinds, func(a, b Wanted) int { return cmp.Compare(a.FromC, b.FromC) })
	cool := slices.MinFunc(kinds, func(a, b Wanted) int { return cmp.Compare(a.ToC, b.ToC) })
	return fmt.Sprintf("%s eggs want %s at least, %s eggs %s at most: they do not go on one shelf.",
		warm.Name, u.Temp(warm.FromC), wording.Lower(cool.Name), u.Temp(cool.ToC))
}
