package species

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Duration is the incubation time of a reptile egg at constant temperatures,
// in rising order of temperature; the warmer, the shorter.
type Duration struct {
	Points []DurationPoint `toml:"points"`
	Origin
}

// DurationPoint gives days from laying to hatching at one temperature.
type DurationPoint struct {
	TempC float64 `toml:"temp_c"`
	From  float64 `toml:"from"`
	At    float64 `toml:"at"`
	To    float64 `toml:"to"`
}

// Shell is what an egg's shell is like: soft ones take water up from their substrate, hard ones lose it.
type Shell struct {
	Type ShellType `toml:"type"`
	Origin
}

// ShellType is soft (parchment-like) or hard.
type ShellType string

// The types.
const (
	Soft ShellType = "soft"
	Hard ShellType = "hard"
)

// Sex says in one sentence what decides the sex, and, where it is the temperature, how many are females
// at which: by a mean over the middle third of development.
type Sex struct {
	Rule   string     `toml:"rule"`
	Points []SexPoint `toml:"points"`
	Origin
}

// SexPoint is the share of females at one temperature, 0 to 100.
type SexPoint struct {
	TempC     float64 `toml:"temp_c"`
	FemalePct float64 `toml:"female_pct"`
}

// ByTemperature tells whether the sex follows from the temperature.
func (s Sex) ByTemperature() bool { return len(s.Points) > 0 }

// FemalePct is the share of females that the curve gives at a temperature in °C; beyond its ends that of the end.
func (s Sex) FemalePct(tempC float64) float64 {
	if len(s.Points) == 0 {
		return 50
	}
	first, last := s.Points[0], s.Points[len(s.Points)-1]
	tempC = max(first.TempC, min(last.TempC, tempC))
	for i := 1; i < len(s.Points); i++ {
		if a, b := s.Points[i-1], s.Points[i]; tempC <= b.TempC {
			return a.FemalePct + (b.FemalePct-a.FemalePct)*(tempC-a.TempC)/(b.TempC-a.TempC)
		}
	}
	return last.FemalePct
}

// Diapause is a rest that embryos of some kinds take: cool for some weeks, then warm again. Below BelowC
// nothing grows.
type Diapause struct {
	BelowC float64        `toml:"below_c"`
	Steps  []DiapauseStep `toml:"steps"`
	Says   string         `toml:"says"`
	Origin
}

// DiapauseStep is so many days at a temperature; 0 days: until the hatch.
type DiapauseStep struct {
	TempC float64 `toml:"temp_c"`
	Days  float64 `toml:"days"`
}

// Rests tells whether the kind has one.
func (d Diapause) Rests() bool { return d.BelowC > 0 }

// stretch is by how many °C beyond the table of durations somebody may run a box.
const stretch = 2

// TempSpan is between which temperatures in °C a reptile's box may be run from laying to hatching: those of the
// profile's table, and two degrees beyond.
func (p *Profile) TempSpan() (lo, hi float64) {
	pts := p.Duration.Points
	return pts[0].TempC - stretch, pts[len(pts)-1].TempC + stretch
}

// DaysAt gives the days from laying to hatching at a constant temperature in °C, interpolated between the
// profile's points on the log of the duration. Beyond the table's ends those of the end hold, and
// extrapolated says so.
func (p *Profile) DaysAt(tempC float64) (days Figure, extrapolated bool) {
	pts := p.Duration.Points
	last := pts[len(pts)-1]
	extrapolated = tempC < pts[0].TempC || tempC > last.TempC
	tempC = max(pts[0].TempC, min(last.TempC, tempC))
	for i := 1; i < len(pts); i++ {
		if a, b := pts[i-1], pts[i]; tempC <= b.TempC {
			w := (tempC - a.TempC) / (b.TempC - a.TempC)
			between := func(x, y float64) float64 { return math.Exp(math.Log(x)*(1-w) + math.Log(y)*w) }
			return Figure{
				At: between(a.At, b.At), From: between(a.From, b.From), To: between(a.To, b.To), Origin: p.Duration.Origin,
			}, extrapolated
		}
	}
	return Figure{At: last.At, From: last.From, To: last.To, Origin: p.Duration.Origin}, extrapolated
}

// TempFor is the constant temperature in °C at which it takes so many days; beyond the table the end's.
func (p *Profile) TempFor(days float64) float64 {
	pts := p.Duration.Points
	for i := 1; i < len(pts); i++ {
		if a, b := pts[i-1], pts[i]; days >= b.At {
			w := (math.Log(days) - math.Log(a.At)) / (math.Log(b.At) - math.Log(a.At))
			return max(pts[0].TempC, a.TempC+w*(b.TempC-a.TempC))
		}
	}
	return pts[len(pts)-1].TempC
}

// Incubation gives the days from set to hatch at a constant temperature: the profile's own for birds (tempC is
// not used), DaysAt for reptiles, of which a temperature outside TempSpan is an error.
func (p *Profile) Incubation(tempC float64) (Figure, error) {
	if !p.IsReptile() {
		return p.HatchDays, nil
	}
	if lo, hi := p.TempSpan(); !(tempC >= lo && tempC <= hi) {
		return Figure{}, fmt.Errorf(
			"temp_c: %g is outside what is known for %s; it may be %g to %g", tempC, strings.ToLower(p.Name), lo, hi,
		)
	}
	days, _ := p.DaysAt(tempC)
	return days, nil
}

// reptileAgrees checks the figures that only reptiles have.
func (p *Profile) reptileAgrees() error {
	if !p.IsReptile() {
		return nil
	}
	pts := p.Duration.Points
	if len(pts) == 0 {
		return fmt.Errorf("duration: no point is given")
	}
	for i, pt := range pts {
		if !(1 <= pt.From && pt.From <= pt.At && pt.At <= pt.To && pt.To <= 1000 && math.Abs(pt.TempC) < 60) {
			return fmt.Errorf("duration: %g to %g around %g days at %g °C is not a span", pt.From, pt.To, pt.At, pt.TempC)
		}
		if i > 0 && !(pt.TempC > pts[i-1].TempC && pt.At < pts[i-1].At) {
			return fmt.Errorf("duration: %g °C: temperatures must rise and days fall", pt.TempC)
		}
	}
	for i, pt := range p.Sex.Points {
		if !(pt.FemalePct >= 0 && pt.FemalePct <= 100 && math.Abs(pt.TempC) < 60) ||
			i > 0 && !(pt.TempC > p.Sex.Points[i-1].TempC) {
			return fmt.Errorf("sex: %g %% at %g °C: temperatures must rise and shares lie in 0 to 100", pt.FemalePct, pt.TempC)
		}
	}
	switch {
	case p.Shell.Type == Soft && p.GainPct.Known(), p.Shell.Type == Hard && p.LossPct.Known():
	case p.Shell.Type == Soft:
		return fmt.Errorf("gain_pct: missing; soft shells take water up")
	case p.Shell.Type == Hard:
		return fmt.Errorf("loss_pct: missing; hard shells lose water")
	default:
		return fmt.Errorf("shell: %q is no type; it may be soft or hard", p.Shell.Type)
	}
	if p.Limits.Known() {
		if err := p.Limits.check(); err != nil {
			return err
		}
	}
	if p.Diapause.Rests() && !(p.Diapause.BelowC <= pts[0].TempC && len(p.Diapause.Steps) > 0) {
		return fmt.Errorf("diapause: below_c is %g; it may be up to the first temperature of the table", p.Diapause.BelowC)
	}
	return nil
}

// Limits are what eggs in a reptiles' box bear, in °C and hours: below slow_c growth is slow and nothing dies, below
// cold_c they suffer; above warm_c and hot_c they do, and above at_once_c at once.
type Limits struct {
	SlowC   float64 `toml:"slow_c"`
	SlowH   float64 `toml:"slow_h"`
	ColdC   float64 `toml:"cold_c"`
	ColdH   float64 `toml:"cold_h"`
	WarmC   float64 `toml:"warm_c"`
	WarmH   float64 `toml:"warm_h"`
	HotC    float64 `toml:"hot_c"`
	HotH    float64 `toml:"hot_h"`
	AtOnceC float64 `toml:"at_once_c"`
	Origin
}

// Known tells whether the kind has them.
func (l Limits) Known() bool { return l.Mark != "" }

// check sees that they lie in order.
func (l Limits) check() error {
	c := []float64{0, l.ColdC, l.SlowC, l.WarmC, l.HotC, l.AtOnceC, 45}
	if !slices.IsSorted(c) || l.SlowC >= l.WarmC || min(l.SlowH, l.ColdH, l.WarmH, l.HotH) <= 0 {
		return fmt.Errorf("limits: %v °C are not in order, or last no time", c[1:6])
	}
	return nil
}

// Bears are a kind's limits; where its profile has none, what is usual beside its temperatures [judgement].
func (p *Profile) Bears() Limits {
	if p.Limits.Known() || !p.IsReptile() {
		return p.Limits
	}
	stops := p.Duration.Points[0].TempC - 9
	return Limits{
		SlowC: p.TemperatureC.From - 2, SlowH: 24, ColdC: min(stops-2, p.TemperatureC.From-3), ColdH: 12,
		WarmC: p.DangerC.From - 1, WarmH: 4, HotC: p.DangerC.From, HotH: 1, AtOnceC: p.DangerC.To + 2,
		Origin: Origin{Mark: Judgement},
	}
}
