package stock

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/stock"
	"metrogon/web/page"
)

// gathered shows a collection that is to be put right, with what depends on it.
func (r eggHandler) gathered(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	g, err := r.Stock.Gathered(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/eggs", "Put a collection right"
	return r.right.Render(c, meta, m, g)
}

func (r eggHandler) putRight(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	in := stock.Correction{
		PenID: f.ID("pen"), LaidOn: f.Date("date", "The day of laying"),
		Eggs: f.Int("eggs", "The number of sound eggs"), Hen: f.Get("hen"), Note: f.Get("note"),
	}
	return r.Save(c, f, fmt.Sprintf("/eggs/gathered/%d", id), func() (farm.Done, error) {
		return r.Stock.PutRight(c.Request().Context(), f.Request(m), id, in)
	}, func(meta page.Meta) error { return r.gathered(c, m, meta) })
}
