package species

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Change is a farm's own value of one figure, named as in the data files. Days
// is used by candle_days alone.
type Change struct {
	Figure       string
	At, From, To float64
	Days         []int
	Source       string // where the farm has it from
}

// Own is a figure that a farm may change, with the range outside of which a
// value is refused.
type Own struct {
	Name, Title, Unit string
	Least, Most       float64
}

// OnDay tells that the figure is a day of incubation, which people number in their own way.
func (o Own) OnDay() bool {
	return o.Name == "hatch_days" || o.Name == "lockdown_day" || o.Name == candleDays
}

const candleDays = "candle_days"

// Changeable lists the figures of a profile that a farm may change. The ranges
// are ours: wide enough for every method in use, and no wider than nature.
func (p *Profile) Changeable() []Own {
	least, most := 8.0, 45.0
	if p.IsReptile() {
		return []Own{
			{"temperature_c", "Temperature of the box", "°C", 18, 38},
			{candleDays, "Candle on days", "days", 1, 200},
			{"pip_to_out_h", "From pip to out", "h", 1, 120},
			{"clutch", "Eggs to a clutch", "eggs", 1, 100},
		}
	}
	return []Own{
		{
			"hatch_days", "Hatch", "days", max(least, math.Floor(.8*p.HatchDays.From)),
			min(most, math.Ceil(1.2*p.HatchDays.To)),
		},
		{"lockdown_day", "Stop turning, lockdown", "days", max(5, p.LockdownDay.At-6), p.HatchDays.To},
		{candleDays, "Candle on days", "days", 1, math.Floor(p.HatchDays.To)},
		{"temperature_c", "Temperature, forced air", "°C", 35, 39.5},
		{"lockdown_temperature_c", "Temperature in lockdown", "°C", 35, 39.5},
		{"humidity_set_pct", "Humidity while turning", "%", 10, 85},
		{"humidity_lockdown_pct", "Humidity in lockdown", "%", 30, 95},
		{"loss_pct", "Water lost by lockdown", "%", 5, 25},
		{"egg_g", "Weight of a fresh egg", "g", p.EggG.At / 3, p.EggG.At * 3},
		{"storage_best_days", "Keeps best up to", "days", 1, 30},
		{"storage_limit_days", "Most stop setting at", "days", 1, 45},
		{"pip_to_out_h", "From pip to out", "h", 1, 120},
		{"pull_after_h", "Young pulled, after the first is out", "h", 12, 48},
		{"females_per_male", "Females to a male", "", 1, 40},
		{"stays_fertile_days", "Fertile after the male is out", "days", 1, 120},
		{"first_fertile_days", "First fertile eggs of a male", "days", 1, 30},
		{"brood_places", "Brooder places that one young takes", "", 0.05, 10},
		{"brood_days", "Days in the brooder", "days", 1, 120},
	}
}

func (p *Profile) own(name string) (Own, bool) {
	all := p.Changeable()
	i := slices.IndexFunc(all, func(o Own) bool { return o.Name == name })
	if i < 0 {
		return Own{}, false
	}
	return all[i], true
}

// Figure finds a figure of the profile by its name in the data files.
func (p *Profile) Figure(name string) (Figure, bool) {
	f, ok := p.figures()[name]
	if !ok {
		return Figure{}, false
	}
	return *f, true
}

// With gives a copy of the profile with a farm's own values in place of the
// shipped ones. An absurd value, or one that contradicts another (lockdown
// after the hatch), is an error that says what it may be.
func (p *Profile) With(changes []Change) (*Profile, error) {
	own := *p
	for _, c := range changes {
		limit, ok := p.own(c.Figure)
		if !ok {
			return nil, fmt.Errorf("%s is no figure of %s that can be changed", c.Figure, p.Name)
		}
		if c.Figure == candleDays {
			if err := limit.days(c.Days); err != nil {
				return nil, err
			}
			days := slices.Clone(c.Days)
			slices.Sort(days)
			own.CandleDays = Days{slices.Compact(days), Origin{FarmsOwn, c.Source}}
			continue
		}
		f := Figure{c.At, c.From, c.To, Origin{FarmsOwn, c.Source}}
		if f.From == 0 && f.To == 0 {
			f.From, f.To = f.At, f.At
		}
		if f.At == 0 {
			f.At = (f.From + f.To) / 2
		}
		for _, v := range []float64{f.From, f.At, f.To} {
			if !(v >= limit.Least && v <= limit.Most) {
				return nil, fmt.Errorf(
					"%s is %s; it may be %s to %s %s", limit.Title, short(v), short(limit.Least), short(limit.Most),
					limit.Unit,
				)
			}
		}
		if !(f.From <= f.At && f.At <= f.To) {
			return nil, fmt.Errorf(
				"%s is %s, from %s to %s; it may lie within its own span only", limit.Title, short(f.At), short(f.From),
				short(f.To),
			)
		}
		if c.Figure == "lockdown_day" && 2*f.At != math.Floor(2*f.At) {
			return nil, fmt.Errorf("%s is on day %s; it may be a whole day, or its evening like 25.5",
				limit.Title, short(f.At))
		}
		*own.figures()[c.Figure] = f
	}
	if !own.IsReptile() && own.CandleDays.Mark != FarmsOwn { // the last candling is at lockdown
		days := slices.Clone(own.CandleDays.Days)
		for i, d := range days {
			days[i] = min(d, int(own.LockdownDay.At))
		}
		own.CandleDays.Days = slices.Compact(days)
	}
	return &own, own.agrees()
}

func (o Own) days(days []int) error {
	if len(days) == 0 || len(days) > 10 {
		return fmt.Errorf("%s: %d are given; it may be 1 to 10 days", o.Title, len(days))
	}
	for _, d := range days {
		if float64(d) < o.Least || float64(d) > o.Most {
			return fmt.Errorf("%s: day %d is given; it may be %s to %s", o.Title, d, short(o.Least), short(o.Most))
		}
	}
	return nil
}

// DayError is figures that contradict one another; its days of incubation are numbered in
// completed days, until somebody who counts otherwise reads it.
type DayError struct {
	format string
	days   []float64
}

// Counted says it with the set day as day 0 or 1.
func (e DayError) Counted(setDay int) string {
	days := make([]any, len(e.days))
	for i, d := range e.days {
		days[i] = short(d + float64(setDay))
	}
	return fmt.Sprintf(e.format, days...)
}

func (e DayError) Error() string { return e.Counted(0) }

// agrees checks figures against one another.
func (p *Profile) agrees() error {
	switch last := float64(p.CandleDays.Days[len(p.CandleDays.Days)-1]); {
	case p.IsReptile():
		return nil
	case p.LockdownDay.At > p.HatchDays.At-1:
		return DayError{
			"lockdown on day %s leaves no day before the hatch on day %s; it may be up to day %s",
			[]float64{p.LockdownDay.At, p.HatchDays.At, math.Floor(p.HatchDays.At - 1)},
		}
	case last > p.LockdownDay.At:
		return DayError{
			"candling on day %s lies behind lockdown on day %s; it may be up to that day",
			[]float64{last, p.LockdownDay.At},
		}
	case p.StorageLimitDays.At < p.StorageBestDays.At:
		return fmt.Errorf(
			"eggs keep best up to day %s, yet most stop at day %s; it may be the other way round",
			short(p.StorageBestDays.At), short(p.StorageLimitDays.At),
		)
	}
	return nil
}

// Unusual tells whether a farm's value lies off what is usual, and between what it is then.
func (p *Profile) Unusual(c Change) (usual Figure, odd bool) {
	f, ok := p.Figure(c.Figure)
	if !ok || !f.Known() {
		return usual, false
	}
	slack := .1 * f.At
	switch c.Figure {
	case "temperature_c":
		slack = .5
	case "lockdown_day", "hatch_days":
		slack = 0
	}
	usual = Figure{From: f.From - slack, To: f.To + slack}
	from, to := c.From, c.To
	if from == 0 && to == 0 {
		from, to = c.At, c.At
	}
	return usual, from < usual.From-1e-9 || to > usual.To+1e-9
}

func short(f float64) string {
	return strings.TrimSuffix(strconv.FormatFloat(math.Round(f*10)/10, 'f', 1, 64), ".0")
}
