package stock

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/web/page"
)

// outs is the page on which eggs are taken out of the store.
type outs struct {
	Pens  []snapshot.Pen
	Whys  []string
	Asked stock.Out // as a link asks for it
	Log   []snapshot.EggOut
}

// Money writes a price; "" where there is none.
func (outs) Money(price *float64) string {
	if price == nil {
		return ""
	}
	return fmt.Sprintf("%.2f", *price)
}

func (r eggHandler) out(c *echo.Context, m *farm.Member, meta page.Meta) error {
	d := outs{Whys: stock.Whys}
	room, err := r.Stock.EggRoom(c.Request().Context(), m)
	if err != nil {
		return err
	}
	for _, row := range room.Stock {
		d.Pens = append(d.Pens, row.Pen)
	}
	if d.Log, err = r.Stock.Outs(c.Request().Context(), m); err != nil {
		return err
	}
	d.Asked.PenID, _ = strconv.ParseInt(c.QueryParam("pen"), 10, 64)
	d.Asked.Eggs, _ = strconv.Atoi(c.QueryParam("eggs"))
	asked := page.Form{Values: c.QueryParams()}
	if c.QueryParam("date") != "" {
		d.Asked.LaidOn = asked.Date("date", "The day of laying")
	}
	meta.Nav, meta.Title = "/eggs", "Take eggs out"
	return r.taking.Render(c, meta, m, d)
}

func (r eggHandler) takeOut(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	out := stock.Out{
		Marks: strings.FieldsFunc(f.Get("codes"), func(r rune) bool { return strings.ContainsRune(" ,;\n\t", r) }),
		PenID: f.ID("pen"), Why: f.Get("why"), Who: f.Get("who"), Price: f.MaybeFloat("price", "The price"),
	}
	if len(out.Marks) == 0 {
		out.Eggs, out.LaidOn = f.Int("eggs", "The number of eggs"), f.Date("date", "The day of laying")
	}
	return r.Save(c, f, "/eggs/store", func() (farm.Done, error) {
		return r.Stock.TakeOut(c.Request().Context(), f.Request(m), out)
	}, func(meta page.Meta) error { return r.out(c, m, meta) })
}
