// Package handover shows the lists for whoever looks after the farm, to those who make them and, by
// link, to those for whom they are.
package handover

import (
	"embed"
	"errors"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/handover"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	lists  page.Template[data]
	linked page.Template[linked]
}

// Routes hangs the pages in. What hangs at /list is open to whoever has a link.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{
		s,
		page.Parse[data](s, files, "lists.html", "days.html"),
		page.Parse[linked](s, files, "linked.html", "days.html"),
	}
	s.Get(e, "/handover", farm.Keeping, page.Fresh(h.show))
	s.Post(e, "/handover", farm.Keeping, h.make)
	s.Post(e, "/handover/:id/withdraw", farm.Keeping, h.withdraw)
	e.GET("/list/:link", h.showLinked)
	e.POST("/list/:link/tick", h.tick)
}

type data struct {
	Lists []handover.List
	Link  *page.Handed // of a list that was just made
	Today string
	Week  string
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	ctx := c.Request().Context()
	all, err := h.Handover.Lists(ctx, m)
	if err != nil {
		return err
	}
	today := m.Date(h.Now())
	d := data{
		Lists: all, Today: meta.ISO(today), Week: meta.ISO(today.AddDate(0, 0, 6)), Link: h.JustMade(c),
	}
	meta.Nav, meta.Title = "/", "Hand-over lists"
	return h.lists.Render(c, meta, m, d)
}

func (h handler) make(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	in := farm.Handover{
		Name: f.Get("name"), Call: f.Get("call"), Note: f.Get("note"), FromOn: f.Date("from_on", "The first day"),
		ToOn: f.Date("to_on", "The last day"),
	}
	return h.Save(c, f, "/handover", func() (farm.Done, error) {
		ctx := c.Request().Context()
		link, done, err := h.Handover.Make(ctx, f.Request(m), in)
		if err == nil && link != "" {
			h.Hand(c, fmt.Sprintf("The list for %s: hand its address over now.", in.Name), "/list/"+link)
		}
		return done, err
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) withdraw(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := h.Handover.Withdraw(c.Request().Context(), f.Request(m), id)
	return h.Finish(c, done, err, "/handover")
}

type linked struct {
	handover.List
	Link string
	By   *farm.Member // who made it: the list reads in their units
}

func (h handler) showLinked(c *echo.Context) error {
	m, l, err := h.Handover.Linked(c.Request().Context(), c.Param("link"))
	if errors.Is(err, farm.ErrNone) {
		return echo.NewHTTPError(http.StatusGone, "This list is over, or was withdrawn. Ask for a new one.")
	}
	if err != nil {
		return err
	}
	meta := page.Meta{Title: "List for " + l.Name}
	return h.linked.Render(c, meta, nil, linked{l, c.Param("link"), m})
}

func (h handler) tick(c *echo.Context) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	link := c.Param("link")
	_, err = h.Handover.Tick(c.Request().Context(), link, f.Request(nil), f.Get("item"), f.Get("is") != "")
	if errors.Is(err, farm.ErrNone) {
		return echo.NewHTTPError(http.StatusGone, "This list is over, or was withdrawn. Ask for a new one.")
	}
	if err != nil && page.ProblemsOf(err) == nil { // gone from the list meanwhile: the page shows it
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/list/"+link)
}
