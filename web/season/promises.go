package season

import (
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/season"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type promiseHandler struct {
	*page.Site
	list page.Template[promiseData]
	form page.Template[promiseData]
}

// promiseRoutes hangs the pages in.
func promiseRoutes(e *echo.Echo, s *page.Site) {
	x := promiseHandler{
		s,
		page.Parse[promiseData](s, files, "list.html", "fields.html"),
		page.Parse[promiseData](s, files, "promise.html", "fields.html"),
	}
	e.GET("/promises", s.Signed(page.Fresh(x.show)))
	s.Post(e, "/promises/new", farm.Keeping, x.save)
	e.GET("/promises/:id", s.Signed(page.Fresh(x.one)))
	s.Post(e, "/promises/:id", farm.Keeping, x.save)
	s.Post(e, "/promises/:id/deliver", farm.Helping, x.deliver)
}

// promiseData is the list, with a form for a new promise or one to be changed.
type promiseData struct {
	season.Promised
	One snapshot.Order
}

// Named tells whether a pen is one of those named in the promise.
func (d promiseData) Named(id int64) bool {
	return slices.Contains(d.One.Pens, id)
}

// Price writes a price for a field.
func (d promiseData) Price(p *float64) string {
	if p == nil {
		return ""
	}
	return strconv.FormatFloat(*p, 'f', -1, 64)
}

func (x promiseHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	p, err := x.Season.Promises(c.Request().Context(), m)
	if err != nil {
		return err
	}
	in := p.Today.AddDate(0, 0, 35)
	meta.Nav, meta.Title = "/board", "Promises"
	return x.list.Render(c, meta, m, promiseData{
		p, snapshot.Order{What: ahead.YoungOrder, FromOn: in, ToOn: in.AddDate(0, 0, 6), SurePct: 80},
	})
}

func (x promiseHandler) one(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	p, err := x.Season.Promises(c.Request().Context(), m)
	if err != nil {
		return err
	}
	for _, o := range p.Open {
		if o.ID == id {
			meta.Nav, meta.Title = "/board", "Promise to "+o.Who
			return x.form.Render(c, meta, m, promiseData{p, o.Order})
		}
	}
	return farm.ErrNone
}

func (x promiseHandler) save(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	o := snapshot.Order{
		ID: id, Who: f.Get("who"), What: f.Get("what"), Species: f.Get("species"), Count: f.Int("count", "How many"),
		FromOn: f.Date("from_on", "The first day"), ToOn: f.Date("to_on", "The last day"),
		SurePct: f.Int("sure_pct", "How sure it is to be"), Price: f.MaybeFloat("price", "The price of one"),
		Note: f.Get("note"),
	}
	for _, v := range f.Values["pens"] {
		if pen, err := strconv.ParseInt(v, 10, 64); err == nil {
			o.Pens = append(o.Pens, pen)
		}
	}
	return x.Save(c, f, "/promises", func() (farm.Done, error) {
		return x.Season.SaveOrder(c.Request().Context(), f.Request(m), o)
	}, func(meta page.Meta) error {
		if id != 0 {
			return x.one(c, m, meta)
		}
		return x.show(c, m, meta)
	})
}

func (x promiseHandler) deliver(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	n := f.Int("delivered", "The number handed over")
	if f.Problems != nil {
		return x.Finish(c, farm.Done{}, f.Problems, "/promises")
	}
	done, err := x.Season.Deliver(c.Request().Context(), f.Request(m), id, n, f.Get("end") != "")
	return x.Finish(c, done, err, page.Back(c, "/promises"))
}
