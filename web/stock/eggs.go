package stock

import (
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/grading"
	"metrogon/core/method"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/formats/eggline"
	"metrogon/web/page"
)

type eggHandler struct {
	*page.Site
	room    page.Template[eggData]
	inStore page.Template[inStore]
	curve   page.Template[*waiting]
	right   page.Template[stock.Gathered]
	taking  page.Template[outs]
}

// eggRoutes hangs the pages in.
func eggRoutes(e *echo.Echo, s *page.Site) {
	r := eggHandler{
		s,
		page.Parse[eggData](s, files, "eggs.html"),
		page.Parse[inStore](s, files, "store.html"),
		page.Parse[*waiting](s, files, "waiting.html"),
		page.Parse[stock.Gathered](s, files, "gathered.html"),
		page.Parse[outs](s, files, "out.html"),
	}
	e.GET("/eggs", s.OfBirds(page.Fresh(r.show), "/clutches"))
	s.Post(e, "/eggs", farm.Helping, r.collecting(r.typed))
	s.Post(e, "/eggs/line", farm.Helping, r.collecting(r.line))
	s.Get(e, "/eggs/gathered/:id", farm.Keeping, page.Fresh(r.gathered))
	s.Post(e, "/eggs/gathered/:id", farm.Keeping, r.putRight)
	s.Get(e, "/eggs/out", farm.Keeping, page.Fresh(r.out))
	s.Post(e, "/eggs/out", farm.Keeping, r.takeOut)
	e.GET("/eggs/store", s.OfBirds(func(c *echo.Context, m *farm.Member) error { return r.store(c, m) }, "/clutches"))
	s.Post(e, "/eggs/store", farm.Keeping, r.move)
	s.Post(e, "/eggs/trial", farm.Keeping, r.trial)
	e.GET("/eggs/waiting", s.OfBirds(r.waiting, "/clutches"))
}

type eggData struct {
	snapshot.EggRoom
	Reasons  []grading.Reason
	Washings []method.Washing
}

// Kinds tells whether pens are of several kinds, so that each is named.
func (d eggData) Kinds() bool {
	for _, p := range d.Pens {
		if p.Species != d.Pens[0].Species {
			return true
		}
	}
	return false
}

func (r eggHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	eggs, err := r.Stock.EggRoom(c.Request().Context(), m)
	if err != nil {
		return err
	}
	if id, _ := strconv.ParseInt(c.QueryParam("pen"), 10, 64); id != 0 {
		eggs.Next = id
	}
	meta.Nav, meta.Title = "/eggs", "Eggs"
	return r.room.Render(c, meta, m, eggData{EggRoom: eggs, Reasons: grading.Reasons, Washings: method.Washings})
}

// collecting records what a form says was gathered.
func (r eggHandler) collecting(
	read func(*echo.Context, *farm.Member, *page.Form) ([]stock.Collected, error),
) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		f, err := page.ReadForm(c)
		if err != nil {
			return err
		}
		all, err := read(c, m, f)
		if err == nil && f.Problems != nil {
			err = f.Problems
		}
		if err == nil {
			var done farm.Done
			if done, err = r.Stock.Collect(c.Request().Context(), f.Request(m), all...); err == nil {
				return r.RedirectWith(c, done, "/eggs")
			}
		}
		problems := page.ProblemsOf(err)
		if problems == nil {
			return err
		}
		return r.show(c, m, page.Meta{Typed: f.Values, Problems: problems})
	}
}

func (r eggHandler) typed(_ *echo.Context, m *farm.Member, f *page.Form) ([]stock.Collected, error) {
	in := stock.Collected{PenID: f.ID("pen"), Hen: f.Get("hen"), LaidOn: f.Date("date", "The day of laying"),
		Eggs:    f.Int("eggs", "The number of sound eggs"),
		Reasons: map[string]int{}, Washing: method.Washing(f.Get("washing")), WashWith: f.Get("wash_with"),
		PlaceID: f.ID("place"),
		MassG:   f.MaybeMass("mass", "The weight", m), LengthMM: f.MaybeFloat("length", "The length"),
		Breadth: f.MaybeFloat("breadth", "The breadth"), Note: f.Get("note")}
	for _, reason := range grading.Reasons {
		if n := f.Int("reason-"+reason.ID, "The number of rejects"); n != 0 {
			in.Reasons[reason.ID] = n
		}
	}
	return []stock.Collected{in}, nil
}

func (r eggHandler) line(c *echo.Context, m *farm.Member, f *page.Form) ([]stock.Collected, error) {
	eggs, err := r.Stock.EggRoom(c.Request().Context(), m)
	if err != nil {
		return nil, err
	}
	all, err := eggline.Read(f.Get("line"), eggs.Pens, eggs.Today)
	if err != nil {
		says := err.Error()
		return nil, farm.Problems{{Field: "line", Says: strings.ToUpper(says[:1]) + says[1:] + "."}}
	}
	if len(eggs.Places) > 0 { // where the other form would put them
		for i := range all {
			all[i].PlaceID = eggs.Places[0].ID
		}
	}
	return all, nil
}
