// Package find is the one box for a pencil code, a batch, a pen, a bird, a machine, a promise or a page.
package find

import (
	"embed"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/find"
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
	h := handler{s, page.Parse[data](s, files, "find.html")}
	e.GET("/find", s.Signed(page.Fresh(h.show)))
}

// hit is one thing that was found.
type hit struct{ Kind, Name, Says, Link string }

type data struct {
	Words string
	Hits  []hit
}

// pages that are found by what they are about.
var pages = []struct{ link, name, words string }{
	{"/", "Today", "chores due morning"}, {"/eggs", "Eggs", "collect gather store"},
	{"/eggs/store", "In store", "places cellar tilt move"}, {"/eggs/waiting", "What waiting costs", "storage age days"},
	{"/set", "Set", "new batch incubate"}, {"/batches", "Batches", "in the machines done"},
	{"/board", "Board", "season plan calendar days away"}, {"/promises", "Promises", "orders buyers sell"},
	{"/pens", "Pens", "fertility rates"}, {"/rates", "Rates", "fertility hatch statistics compare"},
	{"/tests", "Fertility tests", "ten eggs"}, {"/birds", "Birds", "males hens pedigree family"},
	{"/machines", "Machines", "incubator setter hatcher water air humidity temperature"},
	{"/journal", "Journal", "undo take back mistakes log"}, {"/handover", "Hand-over lists", "away helper holiday"},
	{"/books", "Books", "export import csv xlsx pdf archive backup"},
	{"/reminders", "Reminders", "calendar mail phone alarm"}, {"/settings", "Settings", "units people password zone"},
	{"/practice", "Practice", "candling learn"},
	{"/brooders", "Brooders", "young chicks heat brooder losses"},
	{"/instruments", "Instruments", "thermometer hygrometer calibrate check"},
	{"/power", "Power cut", "outage electricity cold late"},
	{"/supplies", "To have at hand", "buy feed bedding bulbs list"},
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	f, err := h.Find.Find(c.Request().Context(), m, c.QueryParam("q"))
	meta.Nav, meta.Title = "/find", "Find"
	if p := page.ProblemsOf(err); p != nil {
		meta.Problems = p
	} else if err != nil {
		return err
	}
	d := data{Words: f.Words, Hits: hits(f)}
	if len(d.Hits) == 1 {
		return c.Redirect(http.StatusSeeOther, d.Hits[0].Link)
	}
	return h.page.Render(c, meta, m, d)
}

func hits(f find.Found) (all []hit) {
	if f.Words == "" {
		return nil
	}
	for _, e := range f.Eggs {
		link := fmt.Sprintf("/eggs/store?pen=%d", e.PenID)
		if e.BatchID != nil {
			link = fmt.Sprintf("/batches/%d", *e.BatchID)
		}
		all = append(all, hit{"Egg", e.Mark, find.Where(e), link})
	}
	named := func(kind, link string, found []find.Name) {
		for _, n := range found {
			all = append(all, hit{kind, n.Name, n.Says, fmt.Sprintf(link, n.ID)})
		}
	}
	named("Batch", "/batches/%d", f.Batches)
	named("Pen", "/pens/%d", f.Pens)
	named("Bird", "/birds/%d", f.Birds)
	named("Machine", "/machines/%d", f.Machines)
	named("Promise", "/promises#order-%d", f.Promises)
	words := strings.ToLower(f.Words)
	for _, p := range pages {
		if len(words) > 2 && strings.Contains(strings.ToLower(p.name)+" "+p.words, words) {
			all = append(all, hit{"Page", p.name, "", p.link})
		}
	}
	return all
}
