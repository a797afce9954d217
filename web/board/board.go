// Package board draws the machines over the days.
package board

import (
	"cmp"
	"embed"
	"fmt"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/season"
	"metrogon/farm"
	"metrogon/farm/machines"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the page in.
func Routes(e *echo.Echo, s *page.Site) {
	t := page.Parse(s, files, "board.html")
	e.GET("/board", s.Signed(func(c *echo.Context, m *farm.Member) error {
		around, _ := time.Parse("2006-01-02", c.QueryParam("on"))
		if around.Year() < 1990 || around.Year() > 2200 {
			around = time.Time{}
		}
		b, err := s.Machines.Board(c.Request().Context(), m, around)
		if err != nil {
			return err
		}
		middle := b.From.AddDate(0, 0, 14)
		return s.Render(c, t, page.Meta{Nav: "/board", Title: "Board"}, m,
			data{
				b, draw(b, m), middle.AddDate(0, 0, -28).Format("2006-01-02"),
				middle.AddDate(0, 0, 28).Format("2006-01-02"),
			})
	}))
}

type data struct {
	machines.Board
	Drawing    drawing
	Prev, Next string // dates
}

// What lies down is in pixels; what lies across is in percent of the days shown.
const (
	top     = 36
	barHigh = 28
	barStep = 32
	empty   = 36 // of a lane without bars
	band    = 18 // of the room used
	gap     = 10 // between lanes

	// A label is written whole: a bar that is too short for it gets the room behind it. How
	// much that is in percent is reckoned for the narrowest drawing.
	narrowest = 780.0
	letter    = 7.0 // of a label, px
)

type drawing struct {
	Height, Top int
	Weeks       []week
	Days        []page.Tick
	Lanes       []lane
	Now         string // where, "": outside
}

// week begins on a Monday, or is the weekend, which has a width.
type week struct {
	X, W, Label string
}

type lane struct {
	ID         int64
	Name, Full string
	Y, Line    int
	Band       int // where the band of the room used lies, 0: there is none
	Bars       []bar
	Fill       []fill
}

// fill is how much of a machine's room is used for some days.
type fill struct {
	X, W  string
	Y, H  float64
	Over  bool
	Share string
}

type bar struct {
	ID     int64
	X, W   string
	Y      int
	LabelW float64
	Beside bool // the label stands behind a bar that is too short for it
	LabelX string
	Parts  []page.Part // within it
	Class  string
	Label  string
	Says   string
}

// axis places moments on the days shown.
type axis struct {
	start time.Time
	days  float64
}

func (a axis) at(t time.Time) float64 {
	return min(max(t.Sub(a.start).Hours()/24/a.days, 0), 1)
}

// draw lays the bars of each machine in as few rows as they need.
func draw(b machines.Board, m *farm.Member) drawing {
	x := axis{
		time.Date(b.From.Year(), b.From.Month(), b.From.Day(), 0, 0, 0, 0, m.Place), b.To.Sub(b.From).Hours() / 24,
	}
	d := drawing{Top: top}
	for n := range int(x.days) {
		day := x.start.AddDate(0, 0, n)
		d.Days = append(d.Days, page.Tick{X: page.Percent(x.at(day))})
		switch day.Weekday() {
		case time.Monday:
			w := week{X: page.Percent(x.at(day))}
			if x.at(day) < 0.95 { // else it would be cut off
				w.Label = day.Format("2 Jan")
			}
			d.Weeks = append(d.Weeks, w)
		case time.Saturday:
			wide := x.at(day.AddDate(0, 0, 2)) - x.at(day)
			d.Weeks = append(d.Weeks, week{X: page.Percent(x.at(day)), W: page.Percent(wide)})
		}
	}
	y := top + gap
	for _, l := range b.Lanes {
		out := lane{ID: l.ID, Name: l.Name, Y: y}
		if len(l.Batches) > 0 {
			out.Full = fmt.Sprintf("%.0f %% full", 100*l.Full)
		}
		rows := out.bars(l, x, m)
		y += max(empty, rows*barStep)
		if rows > 0 {
			out.Band = y
			out.used(l, x)
			y += band
		}
		y += gap
		out.Line = y - gap/2
		d.Lanes = append(d.Lanes, out)
	}
	d.Height = y
	if now := b.Now.In(m.Place); now.After(x.start) && now.Before(x.start.AddDate(0, 0, int(x.days))) {
		d.Now = page.Percent(x.at(now))
	}
	return d
}

// bars puts the bars of a machine into as many rows as they and their labels need.
func (out *lane) bars(l machines.Lane, x axis, m *farm.Member) (rows int) {
	var ends []float64 // of each row
	bars := slices.Clone(l.Bars)
	slices.SortStableFunc(bars, func(p, q machines.Bar) int {
		return cmp.Compare(p.Stay.From.Unix(), q.Stay.From.Unix())
	})
	for _, s := range bars {
		r := slices.IndexFunc(ends, func(end float64) bool { return end <= x.at(s.From)+1e-4 })
		if r < 0 {
			r, ends = len(ends), append(ends, 0)
		}
		one := shape(s, x, m)
		one.Y = out.Y + r*barStep
		ends[r] = x.at(s.To)
		if one.Beside {
			ends[r] += (one.LabelW + 4) / narrowest
		}
		out.Bars = append(out.Bars, one)
	}
	return len(ends)
}

// used draws the room that is used, step by step.
func (out *lane) used(l machines.Lane, x axis) {
	for i, load := range l.Loads {
		to := x.start.Add(time.Duration(x.days*24) * time.Hour)
		if i+1 < len(l.Loads) {
			to = l.Loads[i+1].At
		}
		from, wide := x.at(load.At), x.at(to)-x.at(load.At)
		if load.Share < 0.005 || wide <= 0 {
			continue
		}
		high := min(load.Share, 1) * (band - 2)
		out.Fill = append(out.Fill, fill{
			page.Percent(from), page.Percent(wide), float64(out.Band+band) - high, high, load.Share > 1+1e-6,
			fmt.Sprintf("%.0f %%", 100*load.Share),
		})
	}
}

// shape draws a bar with the parts of time that the ribbon has.
func shape(s machines.Bar, x axis, m *farm.Member) bar {
	from, to := x.at(s.From), x.at(s.To)
	out := bar{ID: s.BatchView.ID, X: page.Percent(from), W: page.Percent(max(to-from, 0.004)), Label: s.Stay.Code}
	out.LabelW, out.LabelX = float64(len([]rune(out.Label)))*letter+8, out.X
	if (to-from)*narrowest < out.LabelW+8 {
		out.Beside, out.LabelX = true, page.Percent(to)
	}
	part := func(class, pattern string, begin, end time.Time) {
		a, b := max(x.at(begin), from), min(x.at(end), to)
		if b > a {
			out.Parts = append(out.Parts, page.Part{
				Class: class, Fill: pattern, X: page.Percent(a), W: page.Percent(b - a),
			})
		}
	}
	hatch := s.Hatch()
	switch s.Phase {
	case season.Turning:
		part("turning", "turning", s.From, s.To)
	case season.Resting:
		part("resting", "resting", s.From, hatch.From)
		part("window", "", hatch.From, s.To)
	default:
		part("locked", "", s.From, hatch.From)
		part("window", "", hatch.From, hatch.To)
		part("drying", "drying", hatch.To, s.To)
	}
	if s.BatchView.ClosedAt != nil {
		out.Class = "past"
	}
	out.Says = fmt.Sprintf(
		"%s · %.0f eggs, %s from %s to %s.", s.Stay.Code, s.Stay.Eggs, s.Phase, m.ShortDay(s.Stay.From),
		m.ShortDay(s.Stay.To),
	)
	if s.Clash != "" {
		out.Class += " clashing"
		out.Says += " " + s.Clash
	}
	return out
}
