package stock

import (
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/web/page"
)

type parcelHandler struct {
	*page.Site
	page page.Template[parcelData]
}

// parcelRoutes hangs the pages in.
func parcelRoutes(e *echo.Echo, s *page.Site) {
	p := parcelHandler{s, page.Parse[parcelData](s, files, "parcels.html")}
	e.GET("/parcels", s.Signed(func(c *echo.Context, m *farm.Member) error { return p.show(c, m, page.Meta{}, 0) }))
	s.Post(e, "/parcels", farm.Keeping, p.order)
	s.Post(e, "/parcels/:id", farm.Helping, p.arrived)
}

type parcelData struct {
	Coming, Here []snapshot.ParcelView
	Suppliers    []snapshot.Pen
	Setters      []snapshot.Machine
	Places       []snapshot.PlaceView
	Now          time.Time
	Laid         time.Time // usual guess at when shipped eggs were laid
	Bad          int64     // the parcel whose form came back
}

func (p parcelHandler) show(c *echo.Context, m *farm.Member, meta page.Meta, bad int64) error {
	all, err := p.Stock.Parcels(c.Request().Context(), m)
	if err != nil {
		return err
	}
	now := p.Now()
	d := parcelData{
		Setters: all.Setters, Suppliers: all.Suppliers, Places: all.Places, Now: now, Laid: m.Date(now).AddDate(0, 0, -3),
		Bad: bad,
	}
	for _, x := range all.Parcels {
		if x.OnTheWay() {
			d.Coming = append(d.Coming, x)
		} else {
			d.Here = append(d.Here, x)
		}
	}
	meta.Nav, meta.Title = "/eggs", "Parcels"
	return p.page.Render(c, meta, m, d)
}

func (p parcelHandler) order(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	in := snapshot.Parcel{
		PenID: f.ID("supplier"), Ordered: f.Int("ordered", "The number of eggs ordered"),
		OrderedOn: f.Date("ordered_on", "The day of the order"), Note: f.Get("note"),
		ExpectedOn: f.MaybeDate("expected_on", "The day on which it is expected"),
	}
	if setter := f.ID("setter"); setter != 0 {
		in.SetterID = &setter
	}
	return p.Save(c, f, "/parcels", func() (farm.Done, error) {
		return p.Stock.Order(c.Request().Context(), f.Request(m), in)
	}, func(meta page.Meta) error { return p.show(c, m, meta, 0) })
}

func (p parcelHandler) arrived(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	in := stock.Arrival{Sent: f.Int("sent", "The number of eggs sent"), Broken: f.Int(
		"broken", "The number of broken eggs",
	),
		Loose: f.Int("loose", "The number of loose air cells"), Displaced: f.Int(
			"displaced", "The number of displaced air cells",
		),
		At: f.Moment("at", "The moment of arrival", m.Place), LaidOn: f.Date("laid_on", "The day of laying"),
		RestHours: f.Int("rest", "The rest in hours"), PlaceID: f.ID("place"), Note: f.Get("note")}
	return p.Save(c, f, "/parcels", func() (farm.Done, error) {
		return p.Stock.Arrived(c.Request().Context(), f.Request(m), id, in)
	}, func(meta page.Meta) error { return p.show(c, m, meta, id) })
}
