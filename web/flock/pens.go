package flock

import (
	"fmt"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/grading"
	"metrogon/farm"
	"metrogon/farm/flock"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type penHandler struct {
	*page.Site
	list  page.Template[flock.Overview]
	pen   page.Template[pen]
	fresh page.Template[fresh]
}

// penRoutes hangs the pages in.
func penRoutes(e *echo.Echo, s *page.Site) {
	y := penHandler{
		s,
		page.Parse[flock.Overview](s, files, "pen_list.html"),
		page.Parse[pen](s, files, "pen.html", "pen_fields.html", "birds.html"),
		page.Parse[fresh](s, files, "pen_new.html", "pen_fields.html"),
	}
	e.GET("/pens", s.Signed(y.showList))
	s.Get(e, "/pens/new", farm.Keeping, page.Fresh(y.form))
	e.GET("/pens/:id", s.Signed(func(c *echo.Context, m *farm.Member) error {
		return y.show(c, m, page.Meta{}, page.Meta{})
	}))
	s.Post(e, "/pens/new", farm.Keeping, y.save)
	s.Post(e, "/pens/:id", farm.Keeping, y.save)
	s.Post(e, "/pens/:id/birds", farm.Keeping, y.putIn)
}

// fresh is what the form of a new pen begins with.
type fresh struct {
	Supplier bool
	Today    string
}

// pen is one pen with what its eggs did.
type pen struct {
	flock.PenPage
	Bird  page.Meta // what was typed of a bird that is put in, and what is wrong with it
	today time.Time
}

// Reason names why eggs were rejected.
func (pen) Reason(id string) string {
	if r, ok := grading.Known(id); ok {
		return r.Name
	}
	return "no reason told"
}

func (y penHandler) showList(c *echo.Context, m *farm.Member) error {
	pens, err := y.Flock.Overview(c.Request().Context(), m)
	if err != nil {
		return err
	}
	return y.list.Render(c, page.Meta{Nav: "/pens", Title: "Pens"}, m, pens)
}

func (y penHandler) form(c *echo.Context, m *farm.Member, meta page.Meta) error {
	supplier := c.QueryParam("supplier") != "" || meta.Typed.Get("supplier") != ""
	meta.Nav, meta.Title = "/pens", "New pen"
	if supplier {
		meta.Title = "New supplier"
	}
	return y.fresh.Render(c, meta, m, fresh{supplier, meta.ISO(m.Date(y.Now()))})
}

func (y penHandler) show(c *echo.Context, m *farm.Member, meta, bird page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	one, err := y.Flock.Pen(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/pens", one.Name
	if bird.Typed != nil {
		meta.Problems = bird.Problems
	}
	return y.pen.Render(c, meta, m, pen{one, bird, m.Date(y.Now())})
}

func (y penHandler) save(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	in := snapshot.Pen{ID: id, Name: f.Get("name"), Species: f.Get("species"), Breed: f.Get("breed"),
		Bantam:  f.Get("bantam") != "",
		Females: f.Int("females", "The number of females"), Males: f.Int("males", "The number of males"),
		FromOn: f.Date("from_on", "The pen's first day"), UntilOn: f.MaybeDate("until_on", "The pen's last day"),
		Supplier: f.Get("supplier") != "", HensHatchedOn: f.MaybeDate("hens_hatched_on", "The day the hens hatched"),
	}
	again, next := func(meta page.Meta) error { return y.form(c, m, meta) }, "/pens"
	if in.Supplier {
		next = "/parcels"
	}
	if id != 0 {
		next = fmt.Sprintf("/pens/%d", in.ID)
		again = func(meta page.Meta) error { return y.show(c, m, meta, page.Meta{}) }
	}
	return y.Save(c, f, next, func() (farm.Done, error) {
		return y.Flock.SavePen(c.Request().Context(), f.Request(m), in)
	}, again)
}

// putIn puts a bird into a pen.
func (y penHandler) putIn(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	in := flock.PutIn{
		PenID: id, On: f.Date("on", "The day"), How: f.Get("how"),
		Bird: snapshot.Bird{ID: f.ID("bird"), Name: f.Get("bird_name"), Sex: f.Get("bird_sex")},
	}
	return y.Save(c, f, fmt.Sprintf("/pens/%d", id), func() (farm.Done, error) {
		return y.Flock.PutIn(c.Request().Context(), f.Request(m), in)
	}, func(bird page.Meta) error { return y.show(c, m, page.Meta{}, bird) })
}
