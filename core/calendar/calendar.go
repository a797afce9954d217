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

// Day names the day on which so many whole days have passed.
func (c Counting) Day(days float64) string { return fmt.Sprintf("day %d", c.Count(days)) }

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
	StorageDays float64 // mean age of the eggs when set, days
	Bantam      bool    // hatches early, in the species that have bantams
	TempC       float64 // reptiles: the constant temperature of the box, °C
	// Reptiles: the days to the hatch as the temperatures make them so far, in place of TempC; nil: not worked out.
	Due      *species.Figure
	ChoreAt  *WallTime // hour of chores; nil: the hour of setting
	FirstOut time.Time // when the first young was out; zero: none yet
	LastPip  time.Time // of an egg that is not out; zero: none
	// Birds: by how much the machine was too warm (above 0) or too cool over so many days.
	OffsetC, OffsetDays float64
	Overrides           Overrides
	LateH               float64 // birds: by which a cold spell, as a power cut, set them back, 0 to 240 h
	// By how many days either way SetAt may lie off, 0 to 15: of eggs that somebody else began.
	UnsureDays float64
}

// Warnings tells what of the temperatures is beyond what can be reckoned with.
func (b Batch) Warnings() (all []string) {
	if !b.Species.IsReptile() && math.Abs(b.OffsetC) > 1 {
		all = append(all, fmt.Sprintf("%+g °C over days is beyond what eggs are known to bear: "+
			"the date is a guess, and fewer hatch", b.OffsetC))
	}
	if b.Extrapolated() {
		all = append(all, fmt.Sprintf("%g °C lies outside the temperatures of which days are known", b.TempC))
	}
	return all
}

// Extrapolated tells that a reptile's box is at a temperature outside its profile's table.
func (b Batch) Extrapolated() bool {
	if !b.Species.IsReptile() {
		return false
	}
	points := b.Species.Duration.Points
	return b.TempC < points[0].TempC || b.TempC > points[len(points)-1].TempC
}

// Overrides are the farm's own days, elapsed days since set; nil keeps the
// profile's.
type Overrides struct {
	Candle      []int    `json:"candle,omitempty"`
	Lockdown    *float64 `json:"lockdown,omitempty"` // 25.5: twelve hours after the chores of day 25
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

// A degree too warm over the whole time brings the hatch of a 21-day egg 1.6 days forward
// [common practice: half a day to a day for half a degree].
const daysPerDegree = 1.6

// When the young are out: the pull comes no sooner than half a day after the expected
// hatch, and a day after the first; a bird's rest is cleared out a day after the usual
// span, a reptile's looked through two weeks after it [common practice].
const (
	dryDays       = 0.5
	pullDays      = 1.0
	clearDays     = 1
	reptilesClear = 14
	// leaveAfterPull is how long the rest is left at least once the young are pulled.
	leaveAfterPull = Day
)

// MaxDays bounds every day of a schedule: no egg takes longer, a chameleon's with its cool rest included.
const MaxDays = 400

// Schedule gives the milestones of a batch in order of time. A reptile clutch
// has no lockdown and no internal pip, and is forecast from its temperature.
// An error names the field at fault.
func Schedule(b Batch) ([]Milestone, error) {
	hatch, err := hatchWindow(b)
	if err != nil {
		return nil, err
	}
	p, o := b.Species, b.Overrides
	chore := b.hour()
	var all []Milestone
	event := func(kind string, f species.Figure) {
		all = append(all, Milestone{kind, f.At, b.moment(f.At), b.moment(f.From), b.moment(f.To), b.label(kind, f.At)})
	}
	do := func(kind string, day float64) { all = append(all, b.chore(kind, day)) }
	first := b.firstChore

	out := hours(p.PipToOutH)
	external := species.Figure{At: hatch.At - out.At, From: hatch.From - out.At, To: hatch.To - out.From}
	if o.ExternalPip != nil {
		external = moved(external, *o.ExternalPip)
	}
	if !p.IsReptile() {
		lock := b.lockdown()
		// Not later than the earliest usual pip, unless the farm says so of this batch.
		for o.Lockdown == nil && lock > 1 && chore.On(b.SetAt, int(lock), b.Zone).After(b.moment(external.From)) {
			lock = math.Ceil(lock) - 1
		}
		for _, day := range b.candlings(int(lock)) {
			do(Candle, float64(day))
		}
		do(Lockdown, lock)
		in := hours(p.InternalToExternalH)
		internal := species.Figure{At: external.At - in.At, From: external.From - in.At, To: external.To - in.From}
		if o.InternalPip != nil {
			internal = moved(internal, *o.InternalPip)
		}
		event(InternalPip, internal)
	} else {
		for _, day := range b.candlings(MaxDays) {
			do(Candle, float64(day))
		}
	}
	event(ExternalPip, external)
	event(Hatch, hatch)
	dry := b.moment(hatch.At + dryDays)
	pull := max(first(dry), math.Round(hatch.At+pullDays))
	if o.Pull != nil {
		pull = max(first(dry), float64(*o.Pull))
	}
	if !b.FirstOut.IsZero() {
		wait := pullDays
		if p.PullAfterH.Known() {
			wait = p.PullAfterH.At / 24
		}
		// The chores nearest to it: nobody pulls at four in the morning.
		pull = max(first(dry), first(After(b.FirstOut, wait-0.5)))
	}
	do(Pull, pull)
	do(ClearOut, b.clearOut(hatch, first))
	slices.SortStableFunc(all, func(x, y Milestone) int { return x.At.Compare(y.At) })
	return all, nil
}

// hour is when chores are done: the farm's, or else that of setting.
func (b Batch) hour() WallTime {
	if b.ChoreAt != nil {
		return *b.ChoreAt
	}
	set := b.SetAt.In(b.Zone)
	return WallTime{set.Hour(), set.Minute()}
}

// chore is what is done on a day.
func (b Batch) chore(kind string, day float64) Milestone {
	at := b.hour().On(b.SetAt, int(day), b.Zone).Add(time.Duration((day - math.Floor(day)) * float64(Day)))
	return Milestone{kind, day, at, at, at, b.label(kind, day)}
}

// firstChore is the day of the first chore of which the moment is not before this.
func (b Batch) firstChore(moment time.Time) float64 {
	day := math.Floor(Elapsed(b.SetAt, moment))
	for b.hour().On(b.SetAt, int(day), b.Zone).Before(moment) {
		day++
	}
	return day
}

// Leave moves the clearing out of a bird's batch to when its rest has had its time: the day after the usual span that
// the schedule says, not before a day after the pull, and, while an egg that has pipped is not out, as long again as
// half of what that usually takes at the most [common practice: the rest is left 24 to 48 h, and help is far off].
// Nestlings are not left to dry for a day: they are taken out and fed from the first on, in the hour in which it is
// out, before that from when they usually come.
func (b Batch) Leave(all []Milestone) {
	if b.Species.IsReptile() {
		return
	}
	var wait time.Time
	clear, hatch := -1, Milestone{}
	for _, m := range all {
		if m.Kind == Hatch {
			hatch = m
		}
	}
	for i, m := range all {
		switch m.Kind {
		case Pull:
			wait = m.At.Add(leaveAfterPull)
			if b.Species.IsAltricial() {
				at := hatch.From
				if !b.FirstOut.IsZero() {
					at = b.FirstOut
				}
				day := Elapsed(b.SetAt, at)
				all[i] = Milestone{Pull, day, at, at, at, b.label(Pull, day)}
			}
		case ClearOut:
			clear = i
		}
	}
	if pip := b.LastPip; !pip.IsZero() {
		if until := pip.Add(time.Duration(1.5 * b.Species.PipToOutH.To * float64(time.Hour))); until.After(wait) {
			wait = until
		}
	}
	if clear >= 0 && wait.After(all[clear].At) {
		all[clear] = b.chore(ClearOut, b.firstChore(wait))
	}
	slices.SortStableFunc(all, func(x, y Milestone) int { return x.At.Compare(y.At) })
}

// lockdown is the day on which turning stops; bantams are as much earlier as they may hatch.
func (b Batch) lockdown() float64 {
	late := math.Round(b.LateH / 24)
	if b.Overrides.Lockdown != nil {
		return *b.Overrides.Lockdown
	}
	if b.Bantam {
		return b.Species.LockdownDay.At - b.Species.BantamEarlyDays.At + late
	}
	return b.Species.LockdownDay.At + late
}

// candlings are the days on which eggs are looked at by the lamp, none after the last on which that can be: eggs in
// lockdown are left alone, so what would come later is done as the lid is shut.
func (b Batch) candlings(last int) []int {
	days := slices.Clone(pick(b.Overrides.Candle != nil, b.Overrides.Candle, b.Species.CandleDays.Days))
	for i, day := range days {
		days[i] = min(day, last)
	}
	slices.Sort(days)
	return slices.Compact(days)
}

// clearOut is the day after the last day on which young usually come, or, of reptiles,
// when the rest is looked through; never before.
func (b Batch) clearOut(hatch species.Figure, first func(time.Time) float64) float64 {
	end := b.moment(hatch.To)
	if set := b.Overrides.ClearOut; set != nil {
		return max(float64(*set), first(end))
	}
	y, m, d := b.SetAt.In(b.Zone).Date()
	ey, em, ed := end.Date()
	days := math.Round(float64(time.Date(ey, em, ed, 0, 0, 0, 0, time.UTC).Sub(
		time.Date(y, m, d, 0, 0, 0, 0, time.UTC),
	)) / float64(Day))
	if b.Species.IsReptile() {
		return days + reptilesClear
	}
	return max(days+clearDays, first(end))
}

func hatchWindow(b Batch) (species.Figure, error) {
	p, o := b.Species, b.Overrides
	hatch, err := b.incubation()
	switch {
	case err != nil:
		return hatch, err
	case !(b.StorageDays >= 0 && b.StorageDays <= 60):
		return hatch, fmt.Errorf("storage_days: %g is not possible; it may be 0 to 60", b.StorageDays)
	case !(math.Abs(b.OffsetC) <= 5):
		return hatch, fmt.Errorf("temp_offset_c: %g is not possible; it may be -5 to 5", b.OffsetC)
	case !(b.OffsetDays >= 0 && b.OffsetDays <= MaxDays):
		return hatch, fmt.Errorf("offset_days: %g is not possible; it may be 0 to %d", b.OffsetDays, MaxDays)
	case !(b.LateH >= 0 && b.LateH <= 240):
		return hatch, fmt.Errorf("late_h: %g is not possible; it may be 0 to 240", b.LateH)
	case !(b.UnsureDays >= 0 && b.UnsureDays <= 15):
		return hatch, fmt.Errorf("unsure_days: %g is not possible; it may be 0 to 15", b.UnsureDays)
	case p.IsReptile() && b.OffsetC != 0:
		return hatch, fmt.Errorf("temp_offset_c: %g for %s; a reptile's box has temp_c", b.OffsetC, p.ID)
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
		hatch = moved(hatch, hatch.At+max(0, b.StorageDays-freeStorageDays)*lateHoursPerDay/24-
			EarlierDays(b.OffsetC, min(b.OffsetDays, hatch.At))+b.LateH/24)
	}
	if o.Hatch != nil {
		hatch = moved(hatch, *o.Hatch)
	}
	hatch.From, hatch.To = hatch.From-b.UnsureDays, hatch.To+b.UnsureDays
	return hatch, nil
}

func (b Batch) incubation() (species.Figure, error) {
	if b.Species.IsReptile() && b.Due != nil {
		return *b.Due, nil
	}
	return b.Species.Incubation(b.TempC)
}

// EarlierDays is by how many days birds hatch earlier that were offsetC °C too warm over so many days; below 0 later
// [common practice: half a day to a day for half a degree held throughout, in a 21-day egg].
func EarlierDays(offsetC, days float64) float64 { return daysPerDegree * offsetC * days / 21 }

func (o Overrides) check() error {
	days := []struct {
		name string
		day  *float64
	}{{InternalPip, o.InternalPip}, {ExternalPip, o.ExternalPip}, {Hatch, o.Hatch},
		{Lockdown, o.Lockdown}, {Pull, float(o.Pull)}, {ClearOut, float(o.ClearOut)}}
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
	if kind == Lockdown && day != math.Floor(day) {
		return fmt.Sprintf("%s, day %s", titles[kind], units.Number(day+float64(b.Counting)))
	}
	return fmt.Sprintf("%s, day %d", titles[kind], b.Counting.Count(day))
}

func hours(f species.Figure) species.Figure {
	return species.Figure{At: f.At / 24, From: f.From / 24, To: f.To / 24}
}

func moved(f species.Figure, to float64) species.Figure {
	by := to - f.At
	return species.Figure{At: to, From: f.From + by, To: f.To + by, Origin: f.Origin}
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
