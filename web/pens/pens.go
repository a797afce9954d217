// Package pens shows the pens with what their eggs did, and what stands behind
// every figure.
package pens

import (
	"embed"
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/core/grading"
	"metrogon/farm"
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

// Reason names why eggs were rejected.
func (data) Reason(id string) string {
	if r, ok := grading.Known(id); ok {
		return r.Name
	}
	return "no reason told"
}

type data struct {
	Pens     []farm.PenRates
	Pen      *farm.PenPage // nil on the list and for a new one
	New      bool
	Supplier bool // the new one is
	Today    string
}

func (y yard) list(c *echo.Context, m *farm.Member) error {
	pens, err := y.Books.Pens(c.Request().Context(), m)
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
	return y.Show(c, y.page, shell, m, data{New: true, Supplier: supplier, Today: shell.ISO(m.Date(y.Books.Now()))})
}

func (y yard) show(c *echo.Context, m *farm.Member, shell page.Shell) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	pen, err := y.Books.Pen(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	shell.Nav, shell.Title = "/pens", pen.Name
	return y.Show(c, y.page, shell, m, data{Pen: &pen})
}

func (y yard) save(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	pen := farm.Pen{Name: f.Get("name"), Species: f.Get("species"), Breed: f.Get("breed"), Bantam: f.Get("bantam") != "",
		Females: f.Int("females", "The number of females"), Males: f.Int("males", "The number of males"),
		FromOn: f.Date("from_on", "The pen's first day"), UntilOn: f.MaybeDate("until_on", "The pen's last day"), Supplier: f.Get("supplier") != ""}
	again, next := y.form, "/pens"
	if pen.Supplier {
		next = "/parcels"
	}
	if c.Param("id") != "" {
		if pen.ID, err = page.ID(c); err != nil {
			return err
		}
		again, next = y.show, fmt.Sprintf("/pens/%d", pen.ID)
	}
	problems := f.Problems
	if problems == nil {
		done, err := y.Books.SavePen(c.Request().Context(), m, f.Get("key"), pen)
		if err == nil {
			return y.Say(c, done, next)
		}
		if problems = page.ProblemsOf(err); problems == nil {
			return err
		}
	}
	return again(c, m, page.Shell{Typed: f.Values, Problems: problems})
}
