// Package calendar knows two clocks. The embryo's runs on elapsed time: day n
// is n × 24 h after the eggs were set, whatever the wall clock does. The
// breeder's runs on the wall: a chore of day n falls n calendar days after the
// set date, at the farm's own hour.
package calendar

import (
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/species"
	"metrogon/core/units"
)

// Day is one completed day of the embryo.
const Day = 24 * time.Hour

// Elapsed gives the days, with their fraction, that have passed since set.
func Elapsed(set, now time.Time) float64 { return float64(now.Sub(set)) / float64(Day) }

// After gives the moment at which so many elapsed days are complete.
func After(set time.Time, days float64) time.Time {
	return set.Add(time.Duration(math.Round(days * float64(Day))))
}

// Counting is the number of the set day: completed days count it 0, many people
// and machines count it 1.
type Counting int

// The two ways of counting.
const (
	FromZero Counting = 0
	FromOne  Counting = 1
)

// Number gives what a counter that started at start shows at now; before the
// start it shows the first number.
func (c Counting) Number(start, now time.Time) int {
	return c.Count(max(0, Elapsed(start, now)))
}

// Count gives the number of the day in which so many elapsed days fall.
func (c Counting) Count(days float64) int { return int(math.Floor(days+1e-9)) + int(c) }

// Position says on which day of how many eggs stand: "7 of 21", "8 of 22" counted
// from one.
func (c Counting) Position(days, hatchDay float64) string {
	return fmt.Sprintf("%d of %s", c.Count(days), units.Number(hatchDay+float64(c)))
}

// WallTime is an hour of the day at which a chore is done.
type WallTime struct{ Hour, Minute int }

// ParseWallTime reads "07:30".
func ParseWallTime(s string) (WallTime, error) {
	t, err := time.Parse("15:04", s)
	if err != nil {
		return WallTime{}, fmt.Errorf("%q is no time of day; it may be 00:00 to 23:59", s)
	}
	return WallTime{t.Hour(), t.Minute()}, nil
}

func (w WallTime) String() string { return fmt.Sprintf("%02d:%02d", w.Hour, w.Minute) }

// On gives the moment at which the wall clock of the zone shows w, so many
// calendar days after the date that the zone shows at start. A time that a
// clock change skips moves forward by the change; one that it shows twice is
// the first.
func (w WallTime) On(start time.Time, days int, zone *time.Location) time.Time {
	y, m, d := start.In(zone).Date()
	utc := time.Date(y, m, d+days, w.Hour, w.Minute, 0, 0, time.UTC)
	_, before := utc.Add(-Day).In(zone).Zone()
	_, after := utc.Add(Day).In(zone).Zone()
	first := utc.Add(-time.Duration(max(before, after)) * time.Second).In(zone)
	second := utc.Add(-time.Duration(min(before, after)) * time.Second).In(zone)
	for _, t := range []time.Time{first, second} {
		if t.Hour() == w.Hour && t.Minute() == w.Minute && t.Day() == utc.Day() {
			return t
		}
	}
	return utc.Add(-time.Duration(before) * time.Second).In(zone)
}

// Milestones, in the order of a batch's life.
const (
	Candle      = "candle"
	Lockdown    = "lockdown"
	InternalPip = "internal-pip"
	ExternalPip = "external-pip"
	Hatch       = "hatch"
	Pull        = "pull"
	ClearOut    = "clear-out"
)

// Batch is what a schedule is made from.
type Batch struct {
	Species     *species.Profile
	SetAt       time.Time
	Zone        *time.Location
	Counting    Counting
	StorageDays float64   // mean age of the eggs when set, days
	Bantam      bool      // hatches early, in the species that have bantams
	TempC       float64   // reptiles: the constant temperature of the box, °C
	ChoreAt     *WallTime // hour of chores; nil: the hour of setting
	Overrides   Overrides
}

// Overrides are the farm's own days, elapsed days since set; nil keeps the
// profile's.
type Overrides struct {
	Candle      []int    `json:"candle,omitempty"`
	Lockdown    *int     `json:"lockdown,omitempty"`
	InternalPip *float64 `json:"internal-pip,omitempty"`
	ExternalPip *float64 `json:"external-pip,omitempty"`
	Hatch       *float64 `json:"hatch,omitempty"`
	Pull        *int     `json:"pull,omitempty"`
	ClearOut    *int     `json:"clear-out,omitempty"`
}

// Milestone is one event or chore of a batch. For an event (a pip, the hatch)
// At is the expected moment and From–To the usual span; for a chore all lie at
// the farm's hour.
type Milestone struct {
	Kind  string    `json:"kind"`
	Day   float64   `json:"day"` // elapsed days
	At    time.Time `json:"at"`
	From  time.Time `json:"from"`
	To    time.Time `json:"to"`
	Label string    `json:"label"` // in the farm's counting
}

// Old eggs run late by about an hour for each day of storage beyond the first
// four or five. From memory: hatchery guides.
const (
	freeStorageDays = 4.5
	lateHoursPerDay = 1.0
)

// MaxDays bounds every day of a schedule: no egg takes longer.
const MaxDays = 300

// Schedule gives the milestones of a batch in order of time. A reptile clutch
// has no lockdown and no internal pip, and is forecast from its temperature.
// An error names the field at fault.
func Schedule(b Batch) ([]Milestone, error) {
	hatch, err := hatchWindow(b)
	if err != nil {
		return nil, err
	}
	p, o := b.Species, b.Overrides
	chore := WallTime{b.SetAt.In(b.Zone).Hour(), b.SetAt.In(b.Zone).Minute()}
	if b.ChoreAt != nil {
		chore = *b.ChoreAt
	}
	var all []Milestone
	event := func(kind string, f species.Figure) {
		all = append(all, Milestone{kind, f.At, b.moment(f.At), b.moment(f.From), b.moment(f.To), b.label(kind, f.At)})
	}
	do := func(kind string, day int) {
		at := chore.On(b.SetAt, day, b.Zone)
		all = append(all, Milestone{kind, float64(day), at, at, at, b.label(kind, float64(day))})
	}

	for _, day := range pick(o.Candle != nil, o.Candle, p.CandleDays.Days) {
		do(Candle, day)
	}
	out := hours(p.PipToOutH)
	external := species.Figure{At: hatch.At - out.At, From: hatch.From - out.At, To: hatch.To - out.From}
	if o.ExternalPip != nil {
		external = moved(external, *o.ExternalPip)
	}
	if !p.IsReptile() {
		do(Lockdown, or(o.Lockdown, int(p.LockdownDay.At)))
		in := hours(p.InternalToExternalH)
		internal := species.Figure{At: external.At - in.At, From: external.From - in.At, To: external.To - in.From}
		if o.InternalPip != nil {
			internal = moved(internal, *o.InternalPip)
		}
		event(InternalPip, internal)
	}
	event(ExternalPip, external)
	event(Hatch, hatch)
	pull := or(o.Pull, int(math.Round(hatch.At+1)))
	do(Pull, pull)
	do(ClearOut, or(o.ClearOut, pull+2)) // the rest are left 24–48 h more
	slices.SortStableFunc(all, func(x, y Milestone) int { return x.At.Compare(y.At) })
	return all, nil
}

func hatchWindow(b Batch) (species.Figure, error) {
	p, o := b.Species, b.Overrides
	hatch, err := p.Incubation(b.TempC)
	switch {
	case err != nil:
		return hatch, err
	case !(b.StorageDays >= 0 && b.StorageDays <= 60):
		return hatch, fmt.Errorf("storage_days: %g is not possible; it may be 0 to 60", b.StorageDays)
	case b.Bantam && !p.BantamEarlyDays.Known():
		return hatch, fmt.Errorf("bantam: true, but no early hatch is known for bantams of %s; it may be false", p.ID)
	}
	if err := o.check(); err != nil {
		return hatch, err
	}
	if b.Bantam { // up to so much early: the window opens wider at its start
		hatch.From -= p.BantamEarlyDays.At
		hatch.At -= p.BantamEarlyDays.At / 2
	}
	if !p.IsReptile() {
		hatch = moved(hatch, hatch.At+max(0, b.StorageDays-freeStorageDays)*lateHoursPerDay/24)
	}
	if o.Hatch != nil {
		hatch = moved(hatch, *o.Hatch)
	}
	return hatch, nil
}

func (o Overrides) check() error {
	days := []struct {
		name string
		day  *float64
	}{{InternalPip, o.InternalPip}, {ExternalPip, o.ExternalPip}, {Hatch, o.Hatch},
		{Lockdown, float(o.Lockdown)}, {Pull, float(o.Pull)}, {ClearOut, float(o.ClearOut)}}
	for i := range o.Candle {
		days = append(days, struct {
			name string
			day  *float64
		}{Candle, float(&o.Candle[i])})
	}
	for _, d := range days {
		if d.day != nil && !(*d.day >= 0 && *d.day <= MaxDays) {
			return fmt.Errorf("overrides.%s: %g is not possible; it may be 0 to %d", d.name, *d.day, MaxDays)
		}
	}
	return nil
}

func (b Batch) moment(day float64) time.Time { return After(b.SetAt, day).In(b.Zone) }

var titles = map[string]string{
	Candle: "Candle", Lockdown: "Lockdown", InternalPip: "Internal pip", ExternalPip: "External pip",
	Hatch: "Hatch", Pull: "Pull", ClearOut: "Clear out",
}

// Title names a kind of milestone as it is printed.
func Title(kind string) string { return titles[kind] }

func (b Batch) label(kind string, day float64) string {
	return fmt.Sprintf("%s, day %d", titles[kind], b.Counting.Count(day))
}

func hours(f species.Figure) species.Figure {
	return species.Figure{At: f.At / 24, From: f.From / 24, To: f.To / 24}
}

func moved(f species.Figure, to float64) species.Figure {
	by := to - f.At
	return species.Figure{At: to, From: f.From + by, To: f.To + by, Origin: f.Origin}
}

func or(override *int, usual int) int {
	if override != nil {
		return *override
	}
	return usual
}

func pick[T any](first bool, a, b T) T {
	if first {
		return a
	}
	return b
}

func float(n *int) *float64 {
	if n == nil {
		return nil
	}
	f := float64(*n)
	return &f
}
