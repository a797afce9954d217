package reptile

import (
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/species"
	"metrogon/core/wording"
)

// Forecast is what follows from a course.
type Forecast struct {
	Grown        float64 // share of development now, 0 to 1
	HatchAt      time.Time
	From, To     time.Time // the usual span
	MeanC        float64   // the constant temperature that would take as long
	Sex          *Sex      // nil where it does not follow from the temperature
	Why          string    // there is none
	Extrapolated bool      // it was, or will be, outside the temperatures of which days are known
	Rested       float64   // days in the cool in which nothing grew
	Warnings     []Warning
}

// Sex is the share of females to expect, 0 to 100, with how unsure it is, and the span that decides it.
type Sex struct {
	FemalePct, LowPct, HighPct float64
	MeanC, SureC               float64 // of that span, weighted by development
	From, To                   time.Time
	Decided                    float64 // how much of that span is over, 0 to 1
}

// Warning is something of the temperatures that a keeper should know.
type Warning struct {
	Kind string // TooHot, TooCold or Outside
	Says string
}

// The kinds of warning.
const (
	TooHot  = "too-hot"
	TooCold = "too-cold"
	Outside = "outside"
)

// What is not known of a temperature that was told: of a good thermometer at the eggs, and of one to come
// [common practice]; and by how many points clutches at one temperature differ in their sexes beyond chance
// [from memory: the scatter of constant-temperature studies].
const (
	ToldSureC  = 0.3
	AheadSureC = 0.5
	sexPoints  = 10
)

// The middle third of development.
const sexFrom, sexTo = 1. / 3, 2. / 3

// Sure is how well temperatures are known.
type Sure struct {
	ToldC  float64 // those so far; 0: ToldSureC
	AheadC float64 // those to come; 0: AheadSureC
	Widen  bool    // the span of the hatch by it as well
}

// Forecast works the course out at a moment. An error says that at the temperatures to come nothing hatches.
func (c Course) Forecast(now time.Time, sure Sure) (f Forecast, err error) {
	days, heat, ok := c.reached()
	if !ok {
		return f, fmt.Errorf("temp_c: at this temperature nothing develops; %s eggs want %s to %s",
			wording.Lower(c.Kind.Name), c.Reader.Degrees(c.Kind.TemperatureC.From), c.Reader.Temp(c.Kind.TemperatureC.To))
	}
	if sure.ToldC == 0 {
		sure.ToldC = ToldSureC
	}
	if sure.AheadC == 0 {
		sure.AheadC = AheadSureC
	}
	f.Grown = c.Grown(now)
	f.HatchAt = calendar.After(c.LaidAt, days[2])
	f.Rested, f.Extrapolated = c.rested(days[2])
	// What the rest in the cool adds is the same for all.
	grew := days[2] - f.Rested
	f.MeanC = c.Kind.TempFor(grew)
	span, _ := c.Kind.DaysAt(f.MeanC)
	early, late := grew*(1-span.From/span.At), grew*(span.To/span.At-1)
	if sure.Widen {
		unsure := c.daysUnsure(f, sure)
		early, late = math.Hypot(early, unsure), math.Hypot(late, unsure)+c.below(days[2])
	}
	f.From, f.To = calendar.After(c.LaidAt, days[2]-early), calendar.After(c.LaidAt, days[2]+late)
	if sure.Widen && f.From.Before(now) && f.HatchAt.After(now) {
		f.From = now
	}
	f.Sex, f.Why = c.sex(days, heat, now, sure)
	f.Warnings = c.warnings(now)
	return f, nil
}

// daysUnsure is by how many days the hatch may lie off for what is not known of the temperatures.
func (c Course) daysUnsure(f Forecast, sure Sure) float64 {
	a, _ := c.Kind.DaysAt(f.MeanC - .5)
	b, _ := c.Kind.DaysAt(f.MeanC + .5)
	// One instrument reads all of it; what is to come is unsure besides.
	return (a.At - b.At) * math.Hypot(sure.ToldC, (1-f.Grown)*sure.AheadC)
}

// rested is how many days nothing grew, and whether any temperature lay outside the table.
func (c Course) rested(until float64) (days float64, outside bool) {
	days, outside = c.so().rested, c.so().outside
	pts := c.Kind.Duration.Points
	lo, hi := pts[0].TempC, pts[len(pts)-1].TempC
	c.legs(func(l leg) bool {
		if l.from >= until {
			return false
		}
		if l.to > until {
			l = l.part(0, (until-l.from)/(l.to-l.from))
		}
		for _, x := range l.pieces(c.Kind) {
			switch mid := (x.a + x.b) / 2; {
			case rate(c.Kind, mid) == 0:
				days += x.to - x.from
			case mid < lo-1e-9 || mid > hi+1e-9:
				outside = true
			}
		}
		return l.to < until
	})
	return days, outside
}

// below is by how many days the hatch is later if nothing grew below the table, where the rate of its end is reckoned
// with.
func (c Course) below(until float64) (days float64) {
	days = c.so().below
	least := c.Kind.Duration.Points[0].TempC
	c.legs(func(l leg) bool {
		if l.from >= until {
			return false
		}
		if l.to > until {
			l = l.part(0, (until-l.from)/(l.to-l.from))
		}
		for _, x := range l.pieces(c.Kind) {
			if mid := (x.a + x.b) / 2; mid < least-1 && rate(c.Kind, mid) > 0 {
				g, _ := x.grows(c.Kind)
				days += g * c.Kind.Duration.Points[0].At
			}
		}
		return l.to < until
	})
	return days
}

// sex is the share of females by the mean temperature of the middle third.
func (c Course) sex(days, heat []float64, now time.Time, sure Sure) (*Sex, string) {
	if !c.Kind.Sex.ByTemperature() {
		return nil, c.Kind.Sex.Rule + " The temperature is not known to steer it."
	}
	s := &Sex{From: calendar.After(c.LaidAt, days[0]), To: calendar.After(c.LaidAt, days[1])}
	s.MeanC = (heat[1] - heat[0]) / (sexTo - sexFrom)
	s.Decided = min(1, max(0, (c.Grown(now)-sexFrom)/(sexTo-sexFrom)))
	s.SureC = s.Decided*sure.ToldC + (1-s.Decided)*sure.AheadC
	s.FemalePct = c.Kind.Sex.FemalePct(s.MeanC)
	low, high := 100.0, 0.0
	for i := range 21 {
		at := c.Kind.Sex.FemalePct(s.MeanC + s.SureC*(float64(i)/10-1))
		low, high = min(low, at), max(high, at)
	}
	s.LowPct, s.HighPct = max(0, low-sexPoints), min(100, high+sexPoints)
	return s, ""
}

// slackC is by how much a box may be off before somebody is told.
const slackC = 0.25

// warnings tell what was too warm, too cold or outside the table, up to a moment, and what is planned.
func (c Course) warnings(now time.Time) []Warning {
	told := c.so().warnings
	if c.past == nil {
		told = c.told(now)
	}
	return append(slices.Clip(told), c.warningsAhead(now)...)
}

// out tells that a temperature is outside those of which days are known, and known says which these are.
func (c Course) out(tempC float64) bool {
	pts := c.Kind.Duration.Points
	return tempC < pts[0].TempC-1e-9 && rate(c.Kind, tempC) > 0 || tempC > pts[len(pts)-1].TempC+1e-9
}

func (c Course) known() string {
	pts := c.Kind.Duration.Points
	return fmt.Sprintf("outside %s to %s, of which days are known", c.Reader.Degrees(pts[0].TempC),
		c.Reader.Temp(pts[len(pts)-1].TempC))
}

// told are the warnings of what was, up to a moment.
func (c Course) told(now time.Time) (all []Warning) {
	p, u := c.Kind, c.Reader
	add := func(kind, format string, args ...any) { all = append(all, Warning{kind, fmt.Sprintf(format, args...)}) }
	if hours, most := c.beyond(now, func(t float64) bool { return t >= p.DangerC.From }); hours > 0 {
		add(TooHot, "%s at %s or more, up to %s: from there on embryos are deformed or die.",
			spell(hours), u.Temp(p.DangerC.From), u.Temp(most))
	} else if hours, most := c.beyond(now, func(t float64) bool { return t > p.TemperatureC.To+slackC }); hours > 0 {
		add(TooHot, "%s above the usual %s, up to %s.", spell(hours), u.Temp(p.TemperatureC.To), u.Temp(most))
	}
	rests := func(t float64) bool { return rate(p, t) == 0 }
	cold := func(t float64) bool { return t < p.TemperatureC.From-slackC && !rests(t) }
	if hours, most := c.beyond(now, cold); hours > 0 {
		add(TooCold, "%s below the usual %s, down to %s.", spell(hours), u.Temp(p.TemperatureC.From), u.Temp(most))
	}
	if hours, _ := c.beyond(now, c.out); hours > 0 {
		add(Outside, "%s %s: reckoned as at the end of the table, so the date is a guess.", spell(hours), c.known())
	}
	return all
}

// warningsAhead tell of what is planned.
func (c Course) warningsAhead(now time.Time) (all []Warning) {
	u, danger := c.Reader, c.Kind.DangerC.From
	for _, plan := range c.ahead(now) {
		for _, t := range plan.temps() {
			if t >= danger {
				all = append(all, Warning{TooHot, fmt.Sprintf("%s is to come: from %s on embryos are deformed or die.",
					u.Temp(t), u.Temp(danger))})
			} else if c.out(t) {
				all = append(all, Warning{Outside, fmt.Sprintf("%s is to come, %s: the date is a guess.", u.Temp(t), c.known())})
			}
		}
	}
	return all
}

// spell is a length of time in words.
func spell(hours float64) string {
	if hours < 48 {
		return wording.Plural(max(1, int(math.Round(hours))), "hour")
	}
	return wording.Plural(int(math.Round(hours/24)), "day")
}

// Steady is the course of a clutch that is kept at one temperature throughout.
func Steady(kind *species.Profile, laidAt time.Time, tempC float64) Course {
	return Course{Kind: kind, LaidAt: laidAt, Plans: []Plan{{From: laidAt, Wave: Constant(tempC)}}}
}
