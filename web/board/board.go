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

const (
	width   = 1016.0
	left    = 150.0
	top     = 34.0
	barHigh = 22.0
	barStep = 27.0
)

type drawing struct {
	Width, Height, Left, Top float64
	Weeks                    []week
	Days                     []float64
	Lanes                    []lane
	Now                      float64 // 0: outside
}

type week struct {
	X, W  float64 // of its weekend too: the two last days
	Label string
}

type lane struct {
	Name, Full string
	Y, Line    float64
	Bars       []bar
}

type bar struct {
	ID                    int64
	X, Y, W, TextX, TextY float64
	LabelW                float64
	Class, Fill           string
	Label, Says           string
}

// draw lays the bars of each machine in as few rows as they need.
func draw(b machines.Board, m *farm.Member) drawing {
	start := time.Date(b.From.Year(), b.From.Month(), b.From.Day(), 0, 0, 0, 0, m.Place)
	days := b.To.Sub(b.From).Hours() / 24
	scale := (width - left - 8) / days
	x := func(t time.Time) float64 { return left + min(max(t.Sub(start).Hours()/24, 0), days)*scale }
	d := drawing{Width: width, Left: left, Top: top}
	for n := 0.0; n < days; n++ {
		day := start.AddDate(0, 0, int(n))
		d.Days = append(d.Days, x(day))
		if day.Weekday() == time.Monday {
			d.Weeks = append(d.Weeks, week{x(day), 0, day.Format("2 Jan")})
		}
		if day.Weekday() == time.Saturday {
			d.Weeks = append(d.Weeks, week{x(day), x(day.AddDate(0, 0, 2)) - x(day), ""})
		}
	}
	y := top + 12
	for _, l := range b.Lanes {
		out := lane{Name: l.Name, Y: y}
		if len(l.Batches) > 0 {
			out.Full = fmt.Sprintf("%.0f %% full", 100*l.Full)
		}
		rows := out.fill(l, x, m)
		y += max(2, float64(rows))*barStep + 10
		out.Line = y - 6
		d.Lanes = append(d.Lanes, out)
	}
	d.Height = y + 4
	if now := b.Now.In(m.Place); now.After(start) && now.Before(start.AddDate(0, 0, int(days))) {
		d.Now = x(now)
	}
	return d
}

// fill puts the bars of a machine into as many rows as they need.
func (out *lane) fill(l machines.Lane, x func(time.Time) float64, m *farm.Member) (rows int) {
	var ends []float64 // of each row
	bars := slices.Clone(l.Bars)
	slices.SortStableFunc(bars, func(p, q machines.Bar) int {
		return cmp.Compare(p.Stay.From.Unix(), q.Stay.From.Unix())
	})
	for _, s := range bars {
		r := slices.IndexFunc(ends, func(end float64) bool { return end <= x(s.From)+0.5 })
		if r < 0 {
			r, ends = len(ends), append(ends, 0)
		}
		ends[r] = max(x(s.To), x(s.From)+4)
		out.Bars = append(out.Bars, shape(s, x(s.From), ends[r]-x(s.From), out.Y+float64(r)*barStep, m))
	}
	return len(ends)
}

func shape(s machines.Bar, x, w, y float64, m *farm.Member) bar {
	out := bar{
		ID: s.BatchView.ID, X: x, Y: y, W: w, TextX: x + 6, TextY: y + 15.5, Class: string(s.Phase),
		Label: fmt.Sprintf("%s · %.0f", s.Stay.Code, s.Stay.Eggs),
	}
	switch s.Phase {
	case season.Turning:
		out.Fill = "turning"
	case season.Resting:
		out.Fill = "resting"
	}
	if s.BatchView.ClosedAt != nil {
		out.Class += " past"
	}
	out.Says = fmt.Sprintf(
		"%s · %.0f eggs, %s from %s to %s.", s.Stay.Code, s.Stay.Eggs, s.Phase, m.ShortDay(s.Stay.From),
		m.ShortDay(s.Stay.To),
	)
	if s.Clash != "" {
		out.Class += " clashing"
		out.Says += " " + s.Clash
	}
	const letter = 6.6
	if fits := int((w - 10) / letter); fits < len([]rune(out.Label)) {
		out.Label = s.Stay.Code
		if fits < len([]rune(out.Label)) {
			out.Label = out.Label[len(out.Label)-2:]
			if fits < 2 {
				out.Label = ""
			}
		}
	}
	if out.Label != "" {
		out.LabelW = float64(len([]rune(out.Label)))*letter + 6
	}
	return out
}
