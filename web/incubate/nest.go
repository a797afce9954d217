package incubate

import (
	"fmt"
	"math"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/web/page"
)

type nestHandler struct {
	*page.Site
	nest  page.Template[incubate.NestPage]
	clock page.Template[clock]
}

// nestRoutes hangs the pages in.
func nestRoutes(e *echo.Echo, s *page.Site) {
	h := nestHandler{
		s,
		page.Parse[incubate.NestPage](s, files, "nest.html", "span.html"),
		page.Parse[clock](s, files, "clock.html", "span.html"),
	}
	s.Get(e, "/nest", farm.Keeping, page.Fresh(h.show))
	s.Post(e, "/nest", farm.Keeping, h.takeOver)
	s.Get(e, "/batches/:id/clock", farm.Keeping, page.Fresh(h.look))
	s.Post(e, "/batches/:id/clock", farm.Keeping, h.narrow)
}

func (h nestHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	d, err := h.Incubate.Nest(c.Request().Context(), m)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/set", "Part-incubated eggs"
	return h.nest.Render(c, meta, m, d)
}

func (h nestHandler) takeOver(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	n := incubate.Nest{
		PenID: f.ID("pen"), Eggs: f.Int("eggs", "The number of eggs"), SetterID: f.ID("setter"), HatcherID: f.ID("hatcher"),
	}
	n.FromDays, n.ToDays = span(f)
	next := "/batches"
	return h.Save(c, f, next, func() (farm.Done, error) {
		return h.Incubate.TakeOver(c.Request().Context(), f.Request(m), n)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func span(f *page.Form) (from, to float64) {
	return f.Float("from_days", "The least number of days"), f.Float("to_days", "The greatest number of days")
}

// clock is a batch whose days are not sure, with drawings to compare its eggs with.
type clock struct {
	incubate.Page
	Days []day
}

// day is what a live egg shows on a day of incubation.
type day struct {
	N float64 // completed
	page.Candled
}

// Along tells how far it is.
func (c clock) Along(m *farm.Member) string { return incubate.Along(c.BatchView, m) }

func (h nestHandler) look(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	b, err := h.Incubate.Batch(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	if !b.Open() || b.UnsureDays == 0 {
		return farm.ErrNone
	}
	d := clock{Page: b}
	step := math.Max(2, math.Round(b.HatchDay/10))
	for n := 3.0; n < b.HatchDay-1; n += step {
		d.Days = append(d.Days, day{n, page.DrawCandled(b.Kind, candling.Live, n, b.HatchDay, uint64(id))})
	}
	meta.Nav, meta.Title = "/batches", "How far is "+b.Code+"?"
	return h.clock.Render(c, meta, m, d)
}

func (h nestHandler) narrow(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	from, to := span(f)
	return h.Save(c, f, fmt.Sprintf("/batches/%d", id), func() (farm.Done, error) {
		return h.Incubate.Narrow(c.Request().Context(), f.Request(m), id, from, to)
	}, func(meta page.Meta) error { return h.look(c, m, meta) })
}
