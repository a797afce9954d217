package season

import (
	"cmp"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"
	"time"

	planner "metrogon/core/season"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/season"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

// What lies down is in pixels; what lies across is in percent of the days shown.
const (
	ruler   = 36
	barHigh = 28
	barStep = 32
	empty   = 36 // of a lane without bars
	band    = 18 // of the room used
	gap     = 10 // between lanes
	eggHigh = 64 // of the row of eggs

	letter = 7.0 // of a label, px: a label is written whole, and takes the room that it needs
)

// wide is how many pixels the days take at least, by how many weeks are shown; what is wider
// than the screen is scrolled.
func wide(weeks int) float64 {
	perDay := 18.0
	switch {
	case weeks > 30:
		perDay = 6
	case weeks > 14:
		perDay = 8
	case weeks > 8:
		perDay = 9.6 // three months fill a screen of 1280
	}
	return max(780, perDay*7*float64(weeks))
}

type drawing struct {
	Height, Top, Wide int
	Weeks             []week
	Days              []page.Tick
	Away              []span
	Promises          []promise
	Lanes             []lane
	Eggs              []egg
	EggTop, EggLine   int
	Now               string // where, "": outside
	Start             string // the first date
	Count             int    // days
}

// week begins on a Monday, or is the weekend, which has a width.
type week struct {
	X, W, Label string
}

// span is some days with what is said of them.
type span struct {
	X, W, Says string
	Y, H       int
}

// promise is a window with how well it is covered.
type promise struct {
	span
	ID             int64
	Label          string
	LabelX         string
	Covered, Class string
}

type lane struct {
	ID         int64
	Name, Full string
	Link       string
	Y, Line, H int
	Band       int    // where the band of the room used lies, 0: there is none
	Set, Hatch string // the kinds that it takes
	Bars       []bar
	Room, Over string // paths of the room used, and of what is more than there is
	Shut       []span
	of         []season.Bar // what the bars are drawn of
}

type bar struct {
	Link    string // its page
	Planned int64
	Phase   string
	SetOn   string
	Setter  int64
	Hatcher int64
	Kind    string
	X, W    string
	Y       int
	LabelW  float64
	Beside  bool // the label stands behind a bar that is too short for it
	LabelX  string
	Rects   template.HTML // the parts of time within it
	Class   string
	Label   string
	Says    string
	Real    bool
}

// egg is one day's free eggs: how many there are, and what is not laid yet of them.
type egg struct {
	X, W, Mid, Says string
	Y, H, Low, High float64
	Ahead           bool
	Label           string
}

// axis places moments on the days shown.
type axis struct {
	start time.Time
	days  float64
	wide  float64 // px at least
}

func (a axis) at(t time.Time) float64 {
	return min(max(t.Sub(a.start).Hours()/24/a.days, 0), 1)
}

// between places some dates, ends included.
func (a axis) between(from, to time.Time) (x, w string) {
	l, r := a.at(a.day(from)), a.at(a.day(to.AddDate(0, 0, 1)))
	return page.Percent(l), page.Percent(max(r-l, 0))
}

// day is when a date begins on the farm.
func (a axis) day(on time.Time) time.Time {
	return time.Date(on.Year(), on.Month(), on.Day(), 0, 0, 0, 0, a.start.Location())
}

// draw lays everything out from top to bottom: promises, ruler, lanes, brooders, eggs.
func draw(b season.Board, weeks int, m *farm.Member) drawing {
	x := axis{days: b.To.Sub(b.From).Hours() / 24, wide: wide(weeks)}
	x.start = time.Date(b.From.Year(), b.From.Month(), b.From.Day(), 0, 0, 0, 0, m.Place)
	d := drawing{Wide: int(x.wide), Start: b.From.Format("2006-01-02"), Count: int(x.days)}
	y := d.promises(b, x)
	d.Top = y + ruler
	d.calendar(x, weeks)
	y = d.Top + gap
	for _, l := range b.Lanes {
		y = d.lane(l, x, y, m)
	}
	if b.Brooders != nil {
		y = d.brooders(b.Brooders, x, y)
	}
	if len(b.Eggs) > 0 {
		y = d.eggs(b.Eggs, x, y)
	}
	d.Height = y
	for _, a := range b.Away {
		s := span{Says: awaySays(a), Y: d.Top - 4, H: d.Height - d.Top + 4}
		if s.X, s.W = x.between(a.FromOn, a.ToOn); s.W != "0%" {
			d.Away = append(d.Away, s)
		}
	}
	if now := b.Now.In(m.Place); now.After(x.start) && now.Before(x.start.AddDate(0, 0, int(x.days))) {
		d.Now = page.Percent(x.at(now))
	}
	return d
}

func awaySays(a snapshot.Away) string {
	says := fmt.Sprintf("Away %s to %s", a.FromOn.Format("Mon 2 Jan"), a.ToOn.Format("Mon 2 Jan"))
	if a.Why != "" {
		says += ", " + a.Why
	}
	return says
}

// calendar draws days, Mondays and weekends.
func (d *drawing) calendar(x axis, weeks int) {
	for n := range int(x.days) {
		day := x.start.AddDate(0, 0, n)
		if weeks <= 14 {
			d.Days = append(d.Days, page.Tick{X: page.Percent(x.at(day))})
		}
		switch day.Weekday() {
		case time.Monday:
			w := week{X: page.Percent(x.at(day))}
			_, no := day.ISOWeek()
			if room := x.wide / x.days * 7; x.at(day) < 0.95 && (room >= 44 || no%2 == 0) { // else it would be cut off
				w.Label = day.Format("2 Jan")
			}
			d.Weeks = append(d.Weeks, w)
		case time.Saturday:
			wide := x.at(day.AddDate(0, 0, 2)) - x.at(day)
			d.Weeks = append(d.Weeks, week{X: page.Percent(x.at(day)), W: page.Percent(wide)})
		}
	}
}

const promiseStep = 26

// promises draws the windows above the ruler, in as few rows as their labels need, and gives where
// the ruler begins.
func (d *drawing) promises(b season.Board, x axis) int {
	var ends []float64
	for _, p := range b.Promises {
		if p.ToOn.Before(b.From) || !p.FromOn.Before(b.To) {
			continue
		}
		one := promise{ID: p.ID, Label: p.Thing() + " · " + p.Who}
		from, to := x.at(x.day(p.FromOn)), x.at(x.day(p.ToOn.AddDate(0, 0, 1)))
		one.X, one.W = page.Percent(from), page.Percent(max(to-from, 0.004))
		one.Class, one.Covered = covered(p)
		wide := (float64(len([]rune(one.Label+one.Covered)))*letter + 20) / x.wide
		at := to
		if to+wide > 1 { // it would be cut off: before the window
			at = max(0, from-wide)
		}
		one.LabelX = page.Percent(at)
		begin, end := min(from, at), max(to, at+wide)
		r := slices.IndexFunc(ends, func(e float64) bool { return e <= begin })
		if r < 0 {
			r, ends = len(ends), append(ends, 0)
		}
		ends[r] = end
		one.Y, one.H = 2+r*promiseStep, promiseStep-8
		one.Says = fmt.Sprintf("%s %s, from %s to %s", one.Label, one.Covered, p.FromOn.Format("Mon 2 Jan"),
			p.ToOn.Format("Mon 2 Jan"))
		d.Promises = append(d.Promises, one)
	}
	return len(ends) * promiseStep
}

// covered tells how well a promise is.
func covered(p ahead.Promise) (class, says string) {
	n := int(math.Floor(p.Covered + 1e-6))
	switch {
	case p.Sure():
		return "met", "covered"
	case p.Short() == 0:
		return "part", fmt.Sprintf("%d expected, not sure yet", n)
	case n <= 0:
		return "none", fmt.Sprintf("0 of %d", p.Left())
	}
	return "part", fmt.Sprintf("%d of %d", min(n, p.Left()-1), p.Left())
}

// lane draws one machine and gives where the next begins.
func (d *drawing) lane(l season.Lane, x axis, y int, m *farm.Member) int {
	out := lane{
		ID: l.ID, Name: l.Name, Link: fmt.Sprintf("/machines/%d", l.ID), Y: y, Set: l.Takes(false), Hatch: l.Takes(true),
	}
	if len(l.Batches) > 0 {
		out.Full = fmt.Sprintf("%.0f %% full", 100*l.Full)
	}
	rows := out.bars(l, x, m)
	y += max(empty, rows*barStep)
	if rows > 0 {
		out.Band = y
		out.used(l.Loads, x)
		y += band
	}
	out.H = y - out.Y
	for _, c := range l.Shut {
		to := x.start.AddDate(0, 0, int(x.days))
		if c.ToOn != nil {
			to = *c.ToOn
		}
		s := span{Y: out.Y - 4, H: out.H + 4, Says: l.Name + " takes no eggs from " + c.FromOn.Format("Mon 2 Jan")}
		if c.Why != "" {
			s.Says += ": " + c.Why
		}
		if s.X, s.W = x.between(c.FromOn, to); s.W != "0%" {
			out.Shut = append(out.Shut, s)
		}
	}
	y += gap
	out.Line = y - gap/2
	d.Lanes = append(d.Lanes, out)
	return y
}

// brooders draws the room of the brooders as a lane of its own.
func (d *drawing) brooders(b *season.BroodLane, x axis, y int) int {
	out := lane{Name: strings.Join(b.Names, ", "), Link: "/board/days", Y: y, Band: y + empty - band}
	if len(b.Names) > 1 {
		out.Name = "Brooders"
	}
	out.Full = fmt.Sprintf("%.0f places", b.Places)
	out.used(b.Loads, x)
	out.H = empty
	out.Line = y + empty + gap/2
	d.Lanes = append(d.Lanes, out)
	return y + empty + gap
}

// eggs draws the free eggs of each day to come as columns, with how far laying may be off.
func (d *drawing) eggs(days []season.EggDay, x axis, y int) int {
	most := 1
	for _, e := range days {
		most = max(most, e.High)
	}
	d.EggTop, d.EggLine = y, y+eggHigh
	high := func(n int) float64 { return float64(n) / float64(most) * (eggHigh - 16) }
	step := 1
	if x.days > 7*14 { // a column a week
		step = 7
	}
	for i, e := range days {
		from, to := x.at(x.day(e.On)), x.at(x.day(e.On.AddDate(0, 0, step)))
		if step > 1 && i > 0 && e.On.Weekday() != time.Monday {
			continue
		}
		if to <= from {
			continue
		}
		h := high(e.Free)
		one := egg{
			X: page.Percent(from + (to-from)*.12), W: page.Percent((to - from) * .76),
			Mid: page.Percent((from + to) / 2), H: h, Y: float64(d.EggLine) - h,
			Low: float64(d.EggLine) - high(e.Low), High: float64(d.EggLine) - high(e.High), Ahead: i > 0,
			Says: fmt.Sprintf("%s: %s free to set", e.On.Format("Mon 2 Jan"), wording.Plural(e.Free, "egg")),
		}
		if i > 0 {
			one.Says += fmt.Sprintf(" (%d to %d), about %.0f laid that day", e.Low, e.High, e.Laid)
		}
		if (e.On.Weekday() == time.Monday && to < 0.97) || i == 0 {
			one.Label = fmt.Sprint(e.Free)
		}
		if step > 1 && e.On.Day() > 7 && i > 0 {
			one.Label = ""
		}
		d.Eggs = append(d.Eggs, one)
	}
	return y + eggHigh + 6
}

// bars puts the bars of a machine into as many rows as they and their labels need.
func (out *lane) bars(l season.Lane, x axis, m *farm.Member) (rows int) {
	var ends []float64 // of each row
	bars := slices.Clone(l.Bars)
	slices.SortStableFunc(bars, func(p, q season.Bar) int {
		return cmp.Compare(p.Stay.From.Unix(), q.Stay.From.Unix())
	})
	for _, s := range bars {
		r := slices.IndexFunc(ends, func(end float64) bool { return end <= x.at(s.From)+1e-4 })
		if r < 0 {
			r, ends = len(ends), append(ends, 0)
		}
		one := shape(s, x, out.Y+r*barStep, m)
		ends[r] = x.at(s.To)
		if one.Beside {
			ends[r] += (one.LabelW + 4) / x.wide
		}
		out.Bars, out.of = append(out.Bars, one), append(out.of, s)
	}
	return len(ends)
}

// How wide a band is in its own units; it is stretched over the days.
const bandWide = 10000

// used draws the room that is used, step by step, as one path.
func (out *lane) used(loads []planner.Load, x axis) {
	var room, over strings.Builder
	for i, load := range loads {
		to := 1.0
		if i+1 < len(loads) {
			to = x.at(loads[i+1].At)
		}
		from := x.at(load.At)
		if load.Share < 0.005 || to <= from {
			continue
		}
		path := &room
		if load.Share > 1+1e-6 {
			path = &over
		}
		fmt.Fprintf(path, "M%.0f %dh%.0fv-%.1fH%.0fz", bandWide*from, band, bandWide*(to-from),
			min(load.Share, 1)*(band-2), bandWide*from)
	}
	out.Room, out.Over = room.String(), over.String()
}

// shape draws a bar with the parts of time that the ribbon has.
func shape(s season.Bar, x axis, y int, m *farm.Member) bar {
	from, to := x.at(s.From), x.at(s.To)
	out := bar{
		Link: link(s), X: page.Percent(from), W: page.Percent(max(to-from, 0.004)),
		Label: s.Label, Real: s.Real(), Phase: string(s.Phase), Planned: s.PlannedID, Setter: s.SetterID,
		Hatcher: s.HatcherID, Y: y, SetOn: m.Date(s.SetAt).Format("2006-01-02"), Kind: s.Species,
	}
	out.LabelW, out.LabelX = float64(len([]rune(out.Label)))*letter+8, out.X
	if (to-from)*x.wide < out.LabelW+8 {
		out.Beside, out.LabelX = true, page.Percent(to)
	}
	var rects strings.Builder // of numbers and our own words alone
	part := func(class, pattern string, begin, end time.Time) {
		a, b := max(x.at(begin), from), min(x.at(end), to)
		if b <= a {
			return
		}
		if pattern != "" {
			pattern = ` fill="url(#` + pattern + `)"`
		}
		fmt.Fprintf(&rects, `<rect class="part %s" x="%s" y="%d" width="%s" height="%d"%s/>`, class, page.Percent(a), y,
			page.Percent(b-a), barHigh, pattern)
	}
	hatch := s.Hatch()
	switch s.Phase {
	case planner.Turning:
		part("turning", "turning", s.From, s.To)
	case planner.Resting:
		part("resting", "resting", s.From, hatch.From)
		part("window", "", hatch.From, s.To)
	default:
		part("locked", "", s.From, hatch.From)
		part("window", "", hatch.From, hatch.To)
		part("drying", "drying", hatch.To, s.To)
	}
	out.Rects = template.HTML(rects.String())
	out.Class, out.Says = dress(s, m)
	return out
}

// dress is the class of a bar, and what it says in words.
func dress(s season.Bar, m *farm.Member) (class, says string) {
	what := ""
	switch {
	case s.PlannedID != 0:
		class, what = "planned", "planned, "
	case s.Proposal != 0:
		class, what = "planned proposed", "proposed, "
	case s.ClosedAt != nil:
		class = "past"
	}
	says = fmt.Sprintf("%s · %s%.0f eggs, %s from %s to %s.", s.Label, what, s.Stay.Eggs, s.Phase,
		m.ShortDay(s.Stay.From), m.ShortDay(s.Stay.To))
	if s.Clash != "" {
		class += " clashing"
		says += " " + s.Clash
	}
	return class, says
}
