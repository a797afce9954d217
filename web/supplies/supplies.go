// Package supplies is the farm's list of what to have at hand before lockdown and hatch, and the page
// of help for eggs that are overdue.
package supplies

import (
	"embed"
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/core/hatching"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/hatch"
	"metrogon/farm/supplies"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	list    page.Template[list]
	overdue page.Template[overdue]
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[list](s, files, "supplies.html"), page.Parse[overdue](s, files, "overdue.html")}
	e.GET("/supplies", s.Signed(page.Fresh(h.show)))
	s.Post(e, "/supplies", farm.Keeping, h.add)
	s.Post(e, "/supplies/usual", farm.Keeping, h.usual)
	s.Post(e, "/supplies/:id/drop", farm.Keeping, h.drop)
	s.Post(e, "/batches/:id/at-hand", farm.Helping, h.there)
	e.GET("/batches/:id/overdue", s.Signed(page.Fresh(h.late)))
}

type list struct {
	Lists []part
	Kinds []*species.Profile
}

// part is what is put ready before one thing.
type part struct {
	Before, Title string
	All           []line
}

type line struct {
	supplies.Supply
	Kind string // its name; "": any
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	all, err := h.Supplies.All(c.Request().Context(), m)
	if err != nil {
		return err
	}
	d := list{Lists: []part{{supplies.Lockdown, "Before lockdown", nil}, {supplies.Hatch, "Before the hatch", nil}}}
	for _, s := range all {
		x := line{Supply: s}
		if kind, err := species.Find(s.Species); err == nil && s.Species != "" {
			x.Kind = kind.Name
		}
		for i := range d.Lists {
			if d.Lists[i].Before == s.Before {
				d.Lists[i].All = append(d.Lists[i].All, x)
			}
		}
	}
	for _, p := range species.All() {
		if !p.IsReptile() {
			d.Kinds = append(d.Kinds, p)
		}
	}
	meta.Nav, meta.Title = "/batches", "To have at hand"
	return h.list.Render(c, meta, m, d)
}

func (h handler) add(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	add := []supplies.Supply{{Says: f.Get("says"), Before: f.Get("before"), Species: f.Get("species")}}
	return h.Save(c, f, "/supplies", func() (farm.Done, error) {
		return h.Supplies.Add(c.Request().Context(), f.Request(m), add)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) usual(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	add := append([]supplies.Supply{}, supplies.Usual...)
	return h.Save(c, f, "/supplies", func() (farm.Done, error) {
		return h.Supplies.Add(c.Request().Context(), f.Request(m), add)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) drop(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := h.Supplies.Drop(c.Request().Context(), f.Request(m), id)
	return h.Finish(c, done, err, "/supplies")
}

func (h handler) there(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := h.Supplies.There(c.Request().Context(), f.Request(m), id, f.Get("before"))
	return h.Finish(c, done, err, page.Back(c, fmt.Sprintf("/batches/%d", id)))
}

// overdue is help for eggs past their usual time.
type overdue struct {
	hatch.Late
	Steps   []hatching.Help
	Near    page.Candled
	HoursBy float64 // past the usual span; below 0: still within
}

func (h handler) late(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	b, err := h.Hatch.Late(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/batches", "Overdue eggs of "+b.Code
	return h.overdue.Render(c, meta, m, overdue{
		Late: b, Steps: hatching.OverdueHelp(b.Kind), HoursBy: b.Now.Sub(b.Hatch().To).Hours(),
		Near: page.DrawCandled(b.Kind, candling.Live, b.HatchDay*0.97, b.HatchDay, uint64(id)),
	})
}
