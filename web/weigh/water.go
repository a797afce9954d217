// Package weigh is the page on which eggs are weighed, and which says what
// humidity brings them to the right loss.
package weigh

import (
	"embed"
	"fmt"
	"math"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/core/moisture"
	"metrogon/core/units"
	"metrogon/farm"
	"metrogon/farm/weigh"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	water page.Template[data]
	scale page.Template[weigh.ScalePage]
}

// Routes hangs the page in.
func Routes(e *echo.Echo, s *page.Site) {
	x := handler{s, page.Parse[data](s, files, "water.html"), page.Parse[weigh.ScalePage](s, files, "scale.html")}
	e.GET(
		"/batches/:id/water",
		s.Signed(page.Fresh(x.show)),
	)
	s.Post(e, "/batches/:id/water", farm.Helping, x.weigh)
	s.Post(e, "/batches/:id/by-weight", farm.Keeping, x.byWeight)
	s.Get(e, "/batches/:id/scale", farm.Helping, x.hands)
	s.Post(e, "/batches/:id/scale", farm.Helping, x.hear)
	e.POST("/scale", x.sent)
}

type data struct {
	weigh.Water
	Now   time.Time
	Draws []draw
	Held  float64 // humidity that is offered
	Cells []cell
}

// cell is a drawn air cell to compare with.
type cell struct {
	LossPct float64
	page.Candled
}

// draw is one series with its corridor.
type draw struct {
	weigh.WaterSeries
	corridor
	Should, Is page.Candled // the air cell as it should be, and as it is
	Cells      bool
}

// corridor is the loss over the days: the usual span, the points, what will be,
// and what the advice leads to.
type corridor struct {
	Band, Fan        string // polygons
	Forecast, Advise string // lines
	AsNow, Advised   page.Level
	Points           []point
	Ticks            []page.Tick
	Losses           []page.Level
	Target           float64 // height of the goal
}

type point struct {
	X    string
	Y    float64
	Says string
}

func (x handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	w, err := x.Weigh.Water(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	if w.Kind.IsReptile() {
		return page.ToClutch(c, id)
	}
	d := data{Water: w, Now: x.Now(), Held: w.HeldPct()}
	for _, s := range w.Series {
		one := draw{WaterSeries: s, corridor: sketch(w, s, m.Units())}
		if s.Known {
			day := s.Weighings[len(s.Weighings)-1].Day
			one.Cells = true
			one.Should = page.DrawCandledCell(
				w.Kind, candling.Live, day, w.HatchDay, uint64(id), moisture.CellAfter(w.Target*day/w.LastDay),
			)
			one.Is = page.DrawCandledCell(
				w.Kind, candling.Live, day, w.HatchDay, uint64(id), moisture.CellAfter(s.LossPct),
			)
			if n := len(s.Weighings); n > 1 {
				one.Is.Earlier(moisture.CellAfter(s.Weighings[n-2].LossPct))
			}
		}
		d.Draws = append(d.Draws, one)
	}
	for _, loss := range weigh.Drawings {
		d.Cells = append(d.Cells, cell{
			loss, page.DrawCandledCell(w.Kind, candling.Unseen, w.Day, w.HatchDay, uint64(id), moisture.CellAfter(loss)),
		})
	}
	meta.Nav, meta.Title = "/batches", w.Code+", water"
	return x.water.Render(c, meta, m, d)
}

func sketch(w weigh.Water, s weigh.WaterSeries, r units.Reader) (k corridor) {
	most := math.Max(w.To*1.25, 4)
	if s.Known {
		most = math.Max(most, math.Min(s.ProjectedPct*1.1, 40))
	}
	x := func(day float64) float64 { return page.Across(day / w.LastDay) }
	y := func(loss float64) float64 { return page.Down(math.Min(math.Max(loss, 0), most) / most) }
	k.Band = fmt.Sprintf("%g,%g %g,%g %g,%g", x(0), y(0), x(w.LastDay), y(w.To), x(w.LastDay), y(w.From))
	for d := 0.0; d <= w.LastDay; d += 3 {
		k.Ticks = append(k.Ticks, page.Tick{X: page.Percent(d / w.LastDay), Label: fmt.Sprint(w.Counting.Count(d))})
	}
	for l := 0.0; l <= most; l += 4 {
		k.Losses = append(k.Losses, page.Level{Y: y(l), Label: fmt.Sprintf("%.0f %%", l)})
	}
	k.Target = y(w.Target)
	for _, p := range s.Weighings {
		k.Points = append(k.Points, point{
			page.Percent(p.Day / w.LastDay), y(p.LossPct),
			fmt.Sprintf("day %.1f: %s each, %.1f %% lost", p.Day+float64(w.Counting), r.Mass(p.MeanG), p.LossPct),
		})
	}
	if !s.Known {
		return
	}
	last := s.Weighings[len(s.Weighings)-1]
	line := func(loss float64) string {
		return fmt.Sprintf("%g,%g %g,%g", x(last.Day), y(s.LossPct), x(w.LastDay), y(loss))
	}
	k.Forecast = line(s.ProjectedPct)
	k.AsNow = page.Level{Y: y(s.ProjectedPct), Label: fmt.Sprintf("%.0f %% as now", s.ProjectedPct)}
	if s.GoTo > 0 {
		k.Advise = line(s.LeadTo)
		k.Advised = page.Level{Y: y(s.LeadTo), Label: fmt.Sprintf("%.0f %% advised", s.LeadTo)}
		k.AsNow.Y = page.Apart(k.Advised.Y, k.AsNow.Y)
	}
	more := s.ProjectedPct - s.LossPct
	k.Fan = fmt.Sprintf(
		"%g,%g %g,%g %g,%g", x(last.Day), y(s.LossPct), x(w.LastDay), y(s.LossPct+more*(1+s.GOff/s.G)), x(w.LastDay),
		y(s.LossPct+more*max(0, 1-s.GOff/s.G)),
	)
	return
}

func (x handler) weigh(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	in := weigh.Weighing{TrayID: f.ID("tray"), Code: f.Get("code"), Eggs: f.Int("eggs", "The number of eggs"),
		RHPct: f.Float("rh", "The humidity"),
		TempC: page.Celsius(m, f.Float("temp", "The temperature")),
		At:    f.Moment("at", "The moment of weighing", m.Place), Sure: f.Get("sure") != ""}
	switch {
	case f.Get("depth") != "":
		in.Cell.DepthMM = f.Float("depth", "The air cell")
	case f.Get("cell") != "":
		in.Cell = weigh.Cell{LossPct: f.Float("cell", "The drawing"), Drawn: true}
	default:
		in.MassG = m.Units().Grams(f.Float("mass", "The weight"))
	}
	return x.Save(c, f, fmt.Sprintf("/batches/%d/water", id), func() (farm.Done, error) {
		return x.Weigh.Record(c.Request().Context(), f.Request(m), id, in)
	}, func(meta page.Meta) error { return x.show(c, m, meta) })
}
