// Package pens shows the pens with what their eggs did, and what stands behind
// every figure.
package pens

import (
	"embed"
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/core/grading"
	"metrogon/farm"
	"metrogon/farm/flock"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type yard struct {
	*page.Site
	page page.Template
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	y := yard{s, page.Parse(s, files)}
	e.GET("/pens", s.Signed(y.list))
	e.GET("/pens/new", s.Signed(func(c *echo.Context, m *farm.Member) error { return y.form(c, m, page.Shell{}) }))
	e.GET("/pens/:id", s.Signed(func(c *echo.Context, m *farm.Member) error { return y.show(c, m, page.Shell{}) }))
	e.POST("/pens/new", s.Signed(y.save))
	e.POST("/pens/:id", s.Signed(y.save))
}

type data struct {
	Pens     []flock.PenRates
	Pen      *flock.PenPage // nil on the list and for a new one
	New      bool
	Supplier bool // the new one is
	Today    string
}

// Reason names why eggs were rejected.
func (data) Reason(id string) string {
	if r, ok := grading.Known(id); ok {
		return r.Name
	}
	return "no reason told"
}

func (y yard) list(c *echo.Context, m *farm.Member) error {
	pens, err := y.Flock.Pens(c.Request().Context(), m)
	if err != nil {
		return err
	}
	return y.Show(c, y.page, page.Shell{Nav: "/pens", Title: "Pens"}, m, data{Pens: pens})
}

func (y yard) form(c *echo.Context, m *farm.Member, shell page.Shell) error {
	supplier := c.QueryParam("supplier") != "" || shell.Typed.Get("supplier") != ""
	shell.Nav, shell.Title = "/pens", "New pen"
	if supplier {
		shell.Title = "New supplier"
	}
	return y.Show(c, y.page, shell, m, data{New: true, Supplier: supplier, Today: shell.ISO(m.Date(y.Now()))})
}

func (y yard) show(c *echo.Context, m *farm.Member, shell page.Shell) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	pen, err := y.Flock.Pen(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	shell.Nav, shell.Title = "/pens", pen.Name
	return y.Show(c, y.page, shell, m, data{Pen: &pen})
}

func (y yard) save(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	pen := farm.Pen{ID: id, Name: f.Get("name"), Species: f.Get("species"), Breed: f.Get("breed"),
		Bantam:  f.Get("bantam") != "",
		Females: f.Int("females", "The number of females"), Males: f.Int("males", "The number of males"),
		FromOn: f.Date("from_on", "The pen's first day"), UntilOn: f.MaybeDate("until_on", "The pen's last day"),
		Supplier: f.Get("supplier") != ""}
	again, next := y.form, "/pens"
	if pen.Supplier {
		next = "/parcels"
	}
	if id != 0 {
		again, next = y.show, fmt.Sprintf("/pens/%d", pen.ID)
	}
	return y.Keep(c, f, next, func() (farm.Done, error) {
		return y.Flock.SavePen(c.Request().Context(), m, f.Get("key"), pen)
	}, func(shell page.Shell) error { return again(c, m, shell) })
}
