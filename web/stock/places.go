package stock

import (
	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type placeHandler struct {
	*page.Site
	page page.Template[place]
}

// placeRoutes hangs the pages in.
func placeRoutes(e *echo.Echo, s *page.Site) {
	p := placeHandler{s, page.Parse[place](s, files, "place.html")}
	for _, path := range []string{"/places/new", "/places/:id"} {
		e.GET(path, s.Signed(page.Fresh(p.show)))
		s.Post(e, path, farm.Keeping, p.save)
	}
	s.Post(e, "/places/:id/tilted", farm.Helping, p.tilted)
}

func (p placeHandler) tilted(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := p.Stock.Tilted(c.Request().Context(), f.Request(m), id)
	return p.Finish(c, done, err, page.Back(c, "/eggs"))
}

// place is one storage place, or a new one.
type place struct {
	snapshot.PlaceView
	Log []snapshot.LogEntry
}

func (p placeHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	one := place{}
	meta.Nav, meta.Title = "/eggs", "New place"
	if c.Param("id") != "" {
		id, err := page.ID(c)
		if err != nil {
			return err
		}
		if one.PlaceView, one.Log, err = p.Stock.StoragePlace(c.Request().Context(), m, id); err != nil {
			return err
		}
		meta.Title = one.Name
	}
	return p.page.Render(c, meta, m, one)
}

func (p placeHandler) save(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	in := snapshot.StoragePlace{
		ID: id, Name: f.Get("name"), RHPct: f.MaybeFloat("rh", "The humidity"),
		UntilOn: f.MaybeDate("until_on", "The last day of use"),
	}
	if t := f.MaybeFloat("temp", "The temperature"); t != nil {
		celsius := page.Celsius(m, *t)
		in.TempC = &celsius
	}
	return p.Save(c, f, "/eggs", func() (farm.Done, error) {
		return p.Stock.SaveStoragePlace(c.Request().Context(), f.Request(m), in)
	}, func(meta page.Meta) error { return p.show(c, m, meta) })
}
