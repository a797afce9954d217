// Package moving is the page on which eggs go to other machines, whole batches or parts of them.
package moving

import (
	"embed"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/moving"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	page page.Template[data]
}

// Routes hangs the page in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[data](s, files, "move.html")}
	e.GET("/batches/:id/move", s.Signed(page.Fresh(h.show)))
	s.Post(e, "/batches/:id/move", farm.Helping, h.move)
	s.Post(e, "/batches/:id/deal", farm.Helping, h.deal)
}

// data is the page, with what was ticked before it came back.
type data struct {
	moving.Page
	Reasons []string
	ticked  map[string][]string
}

// reasons are offered; any other may be typed.
var reasons = []string{
	"the machine failed", "to make room", "under a hen", "other air", "fair trial", "the hen left them",
}

// Ticked tells whether a box was ticked.
func (d data) Ticked(field string, id int64) bool {
	return slices.Contains(d.ticked[field], strconv.FormatInt(id, 10))
}

// Siblings tells whether eggs of the same setting stand in another machine.
func (d data) Siblings() bool {
	return slices.ContainsFunc(d.Targets, func(t moving.Target) bool { return t.Sibling != "" })
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	d := data{Reasons: reasons, ticked: meta.Typed}
	if d.Page, err = h.Moving.Page(c.Request().Context(), m, id); err != nil {
		return err
	}
	if d.Kind.IsReptile() {
		return page.ToClutch(c, id)
	}
	if to := c.QueryParam("to"); to != "" && meta.Typed == nil { // as a link asks for it
		meta.Typed = url.Values{"to": {to}, "n": {c.QueryParam("n")}, "which": {"n"}, "join": {"yes"}}
	}
	meta.Nav, meta.Title = "/batches", "Move eggs of "+d.Code
	return h.page.Render(c, meta, m, d)
}

// numbers reads the ids of ticked boxes.
func numbers(f *page.Form, field string) (ids []int64) {
	for _, s := range f.Values[field] {
		if id, err := strconv.ParseInt(s, 10, 64); err == nil {
			ids = append(ids, id)
		}
	}
	return ids
}

func (h handler) move(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	mv := moving.Moving{
		From: f.ID("from"), To: f.ID("to"), Hatcher: f.ID("hatcher"), Join: f.Get("join") != "", At: f.When(m),
		Why: f.Get("why"),
	}
	switch f.Get("which") {
	case "all":
		if f.Get("n")+f.Get("codes") != "" || len(f.Values["pen"])+len(f.Values["tray"]) > 0 {
			f.Problems.Addf("which", "All of them, or only some? Pick the line that you filled in.")
		}
		mv.All = true
	case "pens":
		mv.Pens = numbers(f, "pen")
	case "trays":
		mv.Trays = numbers(f, "tray")
	case "codes":
		mv.Marks = strings.FieldsFunc(f.Get("codes"), func(r rune) bool { return strings.ContainsRune(" ,;\n\t", r) })
	case "n":
		mv.N = f.Int("n", "The number of eggs")
	}
	return h.Save(c, f, fmt.Sprintf("/batches/%d", id), func() (farm.Done, error) {
		return h.Moving.Move(c.Request().Context(), f.Request(m), id, mv)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) deal(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	d := moving.Dealing{From: f.ID("from"), Machines: numbers(f, "machine"), At: f.When(m), Why: f.Get("why")}
	return h.Save(c, f, fmt.Sprintf("/batches/%d", id), func() (farm.Done, error) {
		return h.Moving.Deal(c.Request().Context(), f.Request(m), id, d)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}
