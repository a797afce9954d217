package clutch

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/farm/clutch"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
	"metrogon/web/say"
)

// data is one clutch with its drawings.
type data struct {
	clutch.Page
	Do     string // look, hatch or opened
	Cells  []cell
	Looks  []look
	Course course
	Warmer curves
	Signs  []reptile.Named
	Stages []candling.Stage
	Causes []reptile.Cause
	Scale  masses
	Opens  bool // some egg may be opened
}

// cell is a place of the box; EggView with no ID is another clutch's, or nothing.
type cell struct {
	clutch.EggView
	Egg   bool
	Art   page.LyingEgg
	State string // out, bad, hatched, pipped
	Says  string
}

// look is how an egg may look now.
type look struct {
	Name string
	Art  page.LyingEgg
	Says string
	Do   string
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	return h.showing(c, m, meta, id, c.QueryParam("do"))
}

func (h handler) showing(c *echo.Context, m *farm.Member, meta page.Meta, id int64, do string) error {
	p, err := h.Clutches.Clutch(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	d := data{Page: p, Signs: reptile.Signs, Stages: candling.Stages[:len(candling.Stages)-1], Causes: reptile.Causes}
	for _, e := range p.Lying {
		d.Opens = d.Opens || e.MayOpen
	}
	switch {
	case do == "look", do == "hatch", do == "opened" && d.Opens:
		d.Do = do
	case p.Hatching():
		d.Do = "hatch"
	default:
		d.Do = "look"
	}
	d.box()
	d.looks()
	d.Course = draw(p, m)
	d.Warmer = drawCurves(p, m)
	d.Scale = drawMasses(p)
	meta.Nav, meta.Title = "/clutches", p.Code
	return h.one.Render(c, meta, m, d)
}

// box puts the eggs into the places of their box.
func (d *data) box() {
	d.Cells = make([]cell, d.Box.Cols*d.Box.Rows)
	for _, e := range d.Lying {
		if e.Spot < 0 || e.Spot >= len(d.Cells) {
			continue
		}
		c := cell{EggView: e, Egg: !e.Beside}
		if !e.Beside {
			c.State, c.Says = stateOf(e)
			c.Art = page.DrawLying(d.Kind, artOf(e), d.GrownNow(), uint64(e.ID))
		}
		d.Cells[e.Spot] = c
	}
	last := 0 // rows that hold nothing are not drawn, but for one
	for i, c := range d.Cells {
		if c.Egg || c.Beside {
			last = i / d.Box.Cols
		}
	}
	d.Cells = d.Cells[:min(len(d.Cells), (last+2)*d.Box.Cols)]
}

// artOf is what an egg was seen to be like; of one that nobody looked at, only that it is an egg.
func artOf(e clutch.EggView) []reptile.Sign {
	if len(e.Signs) == 0 {
		return []reptile.Sign{reptile.Fine}
	}
	return e.Signs
}

// stateOf names the state of an egg, and says it in words.
func stateOf(e clutch.EggView) (state, says string) {
	switch {
	case snapshot.FateOf(e.Egg) == outcome.Hatched:
		return string(outcome.Hatched), string(outcome.Hatched)
	case e.Fate != nil:
		says = *e.Fate
		if e.Stage != nil {
			says += ", " + *e.Stage
		}
		if e.Cause != "" {
			says += ", " + e.Cause
		}
		return "out", says
	case e.PippedAt != nil:
		return "pipped", "pipped"
	case len(e.Signs) == 0:
		return "", "not looked at yet"
	}
	names := make([]string, len(e.Signs))
	for i, s := range e.Signs {
		names[i] = reptile.NameOf(s)
	}
	return "", strings.Join(names, ", ")
}

// looks are how eggs may look now, with what it means.
func (d *data) looks() {
	if !d.Open() || d.Alive == 0 {
		return
	}
	grown := d.GrownNow()
	add := func(signs ...reptile.Sign) {
		l := look{Art: page.DrawLying(d.Kind, signs, grown, uint64(100+len(d.Looks)))}
		names := make([]string, len(signs))
		for i, s := range signs {
			names[i] = reptile.NameOf(s)
		}
		l.Name = strings.Join(names, ", ")
		last := reptile.Means(d.Kind, signs[len(signs)-1], grown)
		l.Says, l.Do = last.Says, last.Do
		if reptile.Judge(d.Kind, signs, grown) == candling.Bad {
			l.Says, l.Do = "Lost.", "Out with it, gloves on, if it sticks to no other. Wash your hands."
		}
		d.Looks = append(d.Looks, l)
	}
	d.Looks = append(d.Looks, look{"a live one now", page.DrawLying(d.Kind, nil, grown, 99), d.Expect, ""})
	for _, s := range []reptile.Sign{reptile.Windowed, reptile.Dented, reptile.Sweating, reptile.Mouldy, reptile.Pale} {
		add(s)
	}
	add(reptile.Pale, reptile.Mouldy, reptile.Caved)
}

// course is the temperatures of a clutch over its days, on a plot of 100 × 140.
type course struct {
	Is          bool
	Told, Ahead string // lines
	Band        rect   // what is usual
	Window      *rect  // that decides the sex
	Hatch       rect   // the span of the hatch
	Now         string // percent
	NowX        float64
	Levels      []level
	Ticks       []tick
	Says        string
}

type rect struct{ X, Y, W, H float64 }

type level struct {
	Y     float64
	Label string
}

type tick struct{ X, Label string }

const (
	high      = 140.0
	mostSteps = 400
)

// draw draws how warm it was and will be.
func draw(p clutch.Page, m *farm.Member) (c course) {
	if !p.Warm {
		return c
	}
	end := calendar.Elapsed(p.SetAt, p.Forecast.To) + 2
	x := func(at time.Time) float64 { return 100 * calendar.Elapsed(p.SetAt, at) / end }
	told, ahead := temperatures(p, end)
	lo, hi := p.Kind.TemperatureC.From-1, p.Kind.TemperatureC.To+1
	for _, r := range slices.Concat(told, ahead) {
		lo, hi = math.Min(lo, r.TempC-0.5), math.Max(hi, r.TempC+0.5)
	}
	y := func(t float64) float64 { return high * (1 - (t-lo)/(hi-lo)) }
	line := func(all []reptile.Reading) string {
		var b strings.Builder
		for i, r := range all {
			fmt.Fprintf(&b, "%s%.2f %.1f", map[bool]string{true: "M", false: "L"}[i == 0], x(r.At), y(r.TempC))
		}
		return b.String()
	}
	c = course{Is: true, Told: line(told), Ahead: line(ahead)}
	usual := p.Kind.TemperatureC
	c.Band = rect{0, y(usual.To), 100, y(usual.From) - y(usual.To)}
	if s := p.Forecast.Sex; s != nil {
		c.Window = &rect{x(s.From), 0, x(s.To) - x(s.From), high}
	}
	c.Hatch = rect{x(p.Forecast.From), 0, x(p.Forecast.To) - x(p.Forecast.From), high}
	if p.Open() {
		c.NowX = math.Min(100, x(p.Now))
		c.Now = fmt.Sprintf("%.2f%%", c.NowX)
	}
	u := m.Units()
	for _, t := range []float64{usual.From, usual.To} {
		c.Levels = append(c.Levels, level{y(t), u.Degrees(t)})
	}
	every := 7
	for end/float64(every) > 8 {
		every += 7
	}
	for day := 0; float64(day) < end-float64(every)/2; day += every {
		at := p.SetAt.AddDate(0, 0, day)
		c.Ticks = append(c.Ticks, tick{fmt.Sprintf("%.2f%%", x(at)), at.In(m.Place).Format("2 Jan")})
	}
	c.Says = fmt.Sprintf("Temperature from %s to the hatch; usual is %s to %s.", m.ShortDay(p.SetAt),
		u.Degrees(usual.From), u.Temp(usual.To))
	return c
}

// temperatures are those so far, and those to come, in so few steps that a line shows them.
func temperatures(p clutch.Page, end float64) (told, ahead []reptile.Reading) {
	now := p.Now
	if p.ClosedAt != nil {
		now = *p.ClosedAt
	}
	course := p.Warmth.Course
	step := max(1, len(course.Readings)/mostSteps)
	for i := 0; i < len(course.Readings); i += step {
		told = append(told, course.Readings[i])
	}
	wave := func(from time.Time, to time.Time) (all []reptile.Reading) {
		plans := course.Plans
		for at := from; at.Before(to); {
			i := 0
			for j, plan := range plans {
				if !plan.From.After(at) {
					i = j
				}
			}
			if len(plans) == 0 {
				return all
			}
			temp, next := plans[i].At(at)
			if i+1 < len(plans) && (next.IsZero() || plans[i+1].From.Before(next)) {
				next = plans[i+1].From
			}
			if next.IsZero() || next.After(to) {
				next = to
			}
			all = append(all, reptile.Reading{At: at, TempC: temp}, reptile.Reading{At: next, TempC: temp})
			at = next.Add(time.Second)
		}
		return all
	}
	if len(course.Readings) == 0 {
		told = wave(p.SetAt, now)
	}
	if p.Open() {
		ahead = wave(farm.Latest(now, p.SetAt), calendar.After(p.SetAt, end))
	}
	return told, ahead
}

// curves are what follows at each temperature from now on, two plots of 100 × 120 side by side.
type curves struct {
	Is            bool
	Date, Dates   string // line and band of the hatch
	Female, Share string // line and band of the share of females
	Now           string // percent: what is set
	NowX          float64
	Ticks         []tick
	DateLevels    []level
	ShareLevels   []level
	Why           string // there is no share
	Rows          []row
}

// row is one temperature, for who reads the table.
type row struct {
	Temp, Hatch, Females string
}

const plotHigh = 120.0

func drawCurves(p clutch.Page, m *farm.Member) (c curves) {
	all := p.Curves
	if len(all) < 2 {
		return c
	}
	c.Is = true
	lo, hi := all[0].TempC, all[len(all)-1].TempC
	x := func(t float64) float64 { return 100 * (t - lo) / (hi - lo) }
	first, last := all[0].From, all[0].To
	for _, pt := range all {
		first, last = farm.Earliest(first, pt.From), farm.Latest(last, pt.To)
	}
	span := last.Sub(first).Hours()
	date := func(at time.Time) float64 { return plotHigh * at.Sub(first).Hours() / span }
	share := func(pct float64) float64 { return plotHigh * (1 - pct/100) }
	line := func(y func(reptile.Point) float64) string {
		var b strings.Builder
		for i, pt := range all {
			fmt.Fprintf(&b, "%s%.2f %.1f", map[bool]string{true: "M", false: "L"}[i == 0], x(pt.TempC), y(pt))
		}
		return b.String()
	}
	band := func(low, high func(reptile.Point) float64) string {
		var b strings.Builder
		for _, pt := range all {
			fmt.Fprintf(&b, "%.2f,%.1f ", x(pt.TempC), high(pt))
		}
		for _, pt := range slices.Backward(all) {
			fmt.Fprintf(&b, "%.2f,%.1f ", x(pt.TempC), low(pt))
		}
		return b.String()
	}
	c.Date = line(func(pt reptile.Point) float64 { return date(pt.HatchAt) })
	c.Dates = band(func(pt reptile.Point) float64 { return date(pt.From) }, func(pt reptile.Point) float64 {
		return date(pt.To)
	})
	if all[0].Sex != nil {
		c.Female = line(func(pt reptile.Point) float64 { return share(pt.Sex.FemalePct) })
		c.Share = band(func(pt reptile.Point) float64 { return share(pt.Sex.LowPct) }, func(pt reptile.Point) float64 {
			return share(pt.Sex.HighPct)
		})
		c.ShareLevels = []level{{0, "100 %"}, {60, "50"}, {plotHigh, "0"}}
	} else {
		c.Why = p.Forecast.Why
	}
	for i := range 3 {
		at := first.Add(time.Duration(float64(i) / 2 * float64(last.Sub(first))))
		c.DateLevels = append(c.DateLevels, level{plotHigh * float64(i) / 2, at.In(m.Place).Format("2 Jan")})
	}
	c.figures(all, m, x)
	if p.TempC != nil && *p.TempC >= lo && *p.TempC <= hi {
		c.NowX = x(*p.TempC)
		c.Now = fmt.Sprintf("%.2f%%", c.NowX)
	}
	return c
}

// figures are the ticks of the temperatures, and the rows of the table.
func (c *curves) figures(all []reptile.Point, m *farm.Member, x func(tempC float64) float64) {
	u := m.Units()
	for i, pt := range all {
		if i%max(1, (len(all)-1)/3) == 0 {
			c.Ticks = append(c.Ticks, tick{fmt.Sprintf("%.2f%%", x(pt.TempC)), u.Degrees(pt.TempC)})
		}
		r := row{Temp: u.Temp(pt.TempC), Hatch: m.ShortDay(pt.HatchAt)}
		if pt.Sex != nil {
			r.Females = fmt.Sprintf("%.0f %% (%.0f–%.0f)", pt.Sex.FemalePct, pt.Sex.LowPct, pt.Sex.HighPct)
		}
		c.Rows = append(c.Rows, r)
	}
}

// masses is what eggs weigh beside their corridor, on a plot of 100 × 120.
type masses struct {
	Is       bool
	Corridor string
	Points   []dot
	Levels   []level
}

type dot struct {
	X string
	Y float64
}

func drawMasses(p clutch.Page) (d masses) {
	all := p.Masses
	if len(all) < 2 {
		return d
	}
	d.Is = true
	lo, hi := 1.0, 1.0
	for i := range 11 {
		least, most := reptile.Corridor(p.Kind, float64(i)/10)
		lo, hi = math.Min(lo, least), math.Max(hi, most)
	}
	for _, x := range all {
		lo, hi = math.Min(lo, x.Share), math.Max(hi, x.Share)
	}
	lo, hi = lo-0.05, hi+0.05
	y := func(share float64) float64 { return plotHigh * (1 - (share-lo)/(hi-lo)) }
	var b strings.Builder
	for i := range 21 {
		_, most := reptile.Corridor(p.Kind, float64(i)/20)
		fmt.Fprintf(&b, "%d,%.1f ", 5*i, y(most))
	}
	for i := 20; i >= 0; i-- {
		least, _ := reptile.Corridor(p.Kind, float64(i)/20)
		fmt.Fprintf(&b, "%d,%.1f ", 5*i, y(least))
	}
	d.Corridor = b.String()
	for _, x := range all {
		d.Points = append(d.Points, dot{fmt.Sprintf("%.1f%%", 100*x.Grown), y(x.Share)})
	}
	d.Levels = []level{{y(1), "100 %"}}
	return d
}

// BoxSays tells what kind of box it is and what is in it.
func (d data) BoxSays() string {
	kind := d.Box.Kind
	for _, k := range reptile.BoxKinds {
		if string(k.ID) == kind {
			kind = k.Name
		}
	}
	says := strings.ToUpper(kind[:1]) + kind[1:]
	if s, ok := reptile.SubstrateOf(d.Box.Substrate); ok && s.At > 0 {
		says += ", " + s.Name
	}
	u := d.Warmth.Course.Reader
	if d.Box.DryG != nil && d.Box.WaterG != nil {
		dry, water := *d.Box.DryG, *d.Box.WaterG
		says += fmt.Sprintf(": %s dry, %s of water (%.2f : 1)", u.Mass(dry), u.Mass(water), water/dry)
	}
	return says + "."
}

// weighedRow is a weighing of the box as it is listed.
type weighedRow struct {
	reptile.Weighed
	Lost float64 // 0: nothing, or nobody can say
}

// Rows are the last weighings of the box, the newest first.
func (d data) Rows() (all []weighedRow) {
	for i := len(d.Box.Weighings) - 1; i >= 0 && len(all) < 8; i-- {
		r := weighedRow{Weighed: d.Box.Weighings[i]}
		if lost := d.Box.Lost(i); !math.IsNaN(lost) {
			r.Lost = math.Max(0, lost)
		}
		all = append(all, r)
	}
	return all
}

// SetTo is the temperature that holds now, in the reader's unit.
func (d data) SetTo() string {
	if d.TempC == nil {
		return ""
	}
	return d.Warmth.Course.Reader.Degrees(*d.TempC)
}

// GoalName says a goal.
func (data) GoalName(g reptile.Goal) string {
	return map[reptile.Goal]string{
		reptile.Females: "Mostly females", reptile.Males: "Mostly males", reptile.Both: "About half of each",
		reptile.Soonest: "The soonest that is usual",
	}[g]
}

// NoOf is the number of an egg in its clutch.
func (d data) NoOf(id *int64) int {
	for _, e := range d.Lying {
		if id != nil && e.ID == *id {
			return e.No
		}
	}
	return 0
}

// LocalMoment writes a moment as its field wants it; "" for none.
func (data) LocalMoment(r say.Reader, at *time.Time) string {
	if at == nil {
		return ""
	}
	return r.LocalISO(*at)
}

// LocalDate writes a date as its field wants it; "" for none.
func (data) LocalDate(on *time.Time) string {
	if on == nil {
		return ""
	}
	return on.Format("2006-01-02")
}

// WeightOf writes a weight in the reader's unit as its field wants it; "" for none.
func (data) WeightOf(r say.Reader, g *float64) string {
	if g == nil {
		return ""
	}
	return r.Weight(*g)
}

// Inside are the young that did not leave the box yet.
func (d data) Inside() (all []clutch.Hatchling) {
	for _, y := range d.Young {
		if y.LeftAt == nil && y.DiedAt == nil {
			all = append(all, y)
		}
	}
	return all
}

// SexSays tells what decides the sex, with the curve in the reader's degrees.
func (d data) SexSays() string {
	if !d.Kind.Sex.ByTemperature() {
		return d.Kind.Sex.Rule
	}
	var at []string
	for _, p := range d.Kind.Sex.Points {
		at = append(at, fmt.Sprintf("%.0f %% at %s", p.FemalePct, d.Warmth.Course.Reader.Temp(p.TempC)))
	}
	return "Females by temperature: " + strings.Join(at, ", ") + "."
}
