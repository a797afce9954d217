package flock

import (
	"fmt"
	"html/template"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"metrogon/core/breeding"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/flock"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type birdHandler struct {
	*page.Site
	list      page.Template[listView]
	bird      page.Template[birdView]
	fresh     page.Template[flock.NewBird]
	mating    page.Template[matingView]
	selection page.Template[selectionView]
}

// birdRoutes hangs the pages in.
func birdRoutes(e *echo.Echo, s *page.Site) {
	own := template.FuncMap{
		"times100": func(x float64) float64 { return 100 * x },
		"ref": func(id *int64) int64 { // 0: none
			if id == nil {
				return 0
			}
			return *id
		},
	}
	h := birdHandler{
		s, page.Parse[listView](s, files, "bird_list.html"),
		page.ParseWith[birdView](s, own, files, "bird.html", "bird_fields.html"),
		page.ParseWith[flock.NewBird](s, own, files, "bird_new.html", "bird_fields.html"),
		page.Parse[matingView](s, files, "mating.html"),
		page.ParseWith[selectionView](s, own, files, "selection.html"),
	}
	e.GET("/birds", s.Signed(h.showList))
	s.Get(e, "/birds/new", farm.Keeping, page.Fresh(h.form))
	s.Post(e, "/birds/new", farm.Keeping, h.save)
	e.GET("/birds/mating", s.Signed(h.showMating))
	e.GET("/birds/selection", s.Signed(h.showSelection))
	e.GET("/birds/:id", s.Signed(page.Fresh(h.show)))
	s.Post(e, "/birds/:id", farm.Keeping, h.save)
	s.Post(e, "/birds/:id/leave", farm.Keeping, h.leave)
}

func (h birdHandler) showList(c *echo.Context, m *farm.Member) error {
	all, err := h.Flock.Birds(c.Request().Context(), m)
	if err != nil {
		return err
	}
	return h.list.Render(c, page.Meta{Nav: "/pens", Title: "Birds"}, m, listView{all})
}

type listView struct{ Birds []flock.BirdRow }

func (h birdHandler) form(c *echo.Context, m *farm.Member, meta page.Meta) error {
	v := c.Request().URL.Query()
	if meta.Typed != nil {
		v = meta.Typed
	}
	id := func(name string) int64 { n, _ := strconv.ParseInt(v.Get(name), 10, 64); return n }
	kind := v.Get("species")
	if _, err := species.Find(kind); err != nil {
		kind = ""
	}
	n, err := h.Flock.NewBird(c.Request().Context(), m, kind, id("batch"), id("pen"))
	if err != nil {
		return err
	}
	if sex := v.Get("sex"); sex == lineage.Male || sex == lineage.Female {
		n.Sex = sex
	}
	meta.Nav, meta.Title = "/pens", "New bird"
	return h.fresh.Render(c, meta, m, n)
}

// birdOf reads a bird as it was typed.
func birdOf(f *page.Form, m *farm.Member) snapshot.Bird {
	b := snapshot.Bird{
		Name: f.Get("name"), Mark: f.Get("mark"), Species: f.Get("species"), Breed: f.Get("breed"), Sex: f.Get("sex"),
		HatchedOn: f.MaybeDate("hatched_on", "The day on which it hatched"), Origin: f.Get("origin"),
		WeightG: f.MaybeMass("weight", "The weight", m), Shell: f.Get("shell"), Note: f.Get("note"),
	}
	for _, of := range []struct {
		field string
		into  **int64
	}{{"sire", &b.SireID}, {"dam", &b.DamID}, {"batch", &b.BatchID}} {
		if id := f.ID(of.field); id > 0 {
			*of.into = &id
		}
	}
	return b
}

func (h birdHandler) save(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	b := birdOf(f, m)
	b.ID = id
	again, next := h.form, "/birds"
	if id != 0 {
		again, next = h.show, fmt.Sprintf("/birds/%d", id)
	}
	return h.Save(c, f, next, func() (farm.Done, error) {
		return h.Flock.SaveBird(c.Request().Context(), f.Request(m), b)
	}, func(meta page.Meta) error { return again(c, m, meta) })
}

// birdView is one bird as its page shows it.
type birdView struct {
	flock.Family
	Tree tree
}

func (h birdHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	f, err := h.Flock.Bird(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/pens", f.Name
	return h.bird.Render(c, meta, m, birdView{f, draw(f)})
}

// leave lets a bird go; what is wrong is told on its page.
func (h birdHandler) leave(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	next := fmt.Sprintf("/birds/%d", id)
	in := flock.Leave{BirdID: id, On: f.Date("on", "The day"), Gone: f.Get("gone")}
	if f.Problems != nil {
		return h.Finish(c, farm.Done{}, f.Problems, next)
	}
	done, err := h.Flock.Leave(c.Request().Context(), f.Request(m), in)
	return h.Finish(c, done, err, next)
}

// matingView is a mating as its page shows it.
type matingView struct {
	flock.Mating
	here url.Values
}

// To is the address with one thing changed.
func (v matingView) To(name string, value any) string {
	to := url.Values{}
	for k, x := range v.here {
		to[k] = x
	}
	to.Set(name, fmt.Sprint(value))
	return "/birds/mating?" + to.Encode()
}

// Closeness says how related the two are.
func (v matingView) Closeness() string { return breeding.Closeness(v.F) }

// CopiesName says what is known of a parent.
func (matingView) CopiesName(c breeding.Copies) string {
	return map[breeding.Copies]string{
		breeding.Two: "two copies, bred pure", breeding.One: "one copy", breeding.None: "none, it does not show",
		breeding.Shows: "it shows, one or two", breeding.Unknown: "not known",
	}[c]
}

func (h birdHandler) showMating(c *echo.Context, m *farm.Member) error {
	v := c.Request().URL.Query()
	id := func(name string) int64 { n, _ := strconv.ParseInt(v.Get(name), 10, 64); return n }
	copies := map[string][2]breeding.Copies{}
	for name := range v {
		if len(name) > 3 && (name[:2] == "s:" || name[:2] == "d:") {
			gene := name[2:]
			copies[gene] = [2]breeding.Copies{breeding.Copies(v.Get("s:" + gene)), breeding.Copies(v.Get("d:" + gene))}
		}
	}
	mating, err := h.Flock.Mating(c.Request().Context(), m, v.Get("kind"), id("sire"), id("dam"), copies)
	if err != nil {
		return err
	}
	return h.mating.Render(c, page.Meta{Nav: "/pens", Title: "Matings"}, m, matingView{mating, v})
}

func (h birdHandler) showSelection(c *echo.Context, m *farm.Member) error {
	all, err := h.Flock.Selection(c.Request().Context(), m, c.QueryParam("kind"))
	if err != nil {
		return err
	}
	return h.selection.Render(c, page.Meta{Nav: "/pens", Title: "Selection"}, m, selectionView{all, steps(all)})
}
