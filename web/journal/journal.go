// Package journal is what was done on the farm, by whom and when; everything is taken back from here,
// in the right order.
package journal

import (
	"embed"
	"fmt"
	"net/url"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	list page.Template[data]
	one  page.Template[journal.One]
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[data](s, files, "journal.html"), page.Parse[journal.One](s, files, "line.html")}
	e.GET("/journal", s.Signed(h.show))
	e.GET("/journal/:id", s.Signed(h.showLine))
	s.Post(e, "/journal/:id/back", farm.Keeping, h.takeBack)
}

// subjects are what a line may be about, as they are picked.
var subjects = []struct{ ID, Name string }{
	{"", "anything"}, {journal.Batch, "batches"}, {journal.Pen, "pens and eggs"}, {journal.Parcel, "parcels"},
	{journal.Machine, "machines"}, {journal.Place, "storage places"}, {journal.Bird, "birds"},
	{journal.Order, "promises"}, {journal.Planned, "planned settings"}, {journal.Season, "days away and brooders"},
	{journal.Brood, "young in the brooder"},
	{journal.Person, "people"},
}

type data struct {
	journal.Page
	Subjects any
	Address  url.Values
	days     []day
}

// line is one of the journal.
type line = farm.JournalLine

type day struct {
	On    time.Time
	Lines []line
}

// Days are the lines by the day on the farm.
func (d data) Days() []day { return d.days }

// OlderThan is the address of the lines before these.
func (d data) OlderThan() string {
	d.Address.Set("before", strconv.FormatInt(d.Older, 10))
	return "/journal?" + d.Address.Encode()
}

func (h handler) show(c *echo.Context, m *farm.Member) error {
	asked := c.QueryParams()
	f := &page.Form{Values: asked}
	q := journal.Query{
		PersonID: f.ID("who"), About: f.Get("what"), Words: f.Get("words"), Before: f.ID("before"),
		Standing: f.Get("standing") != "",
	}
	if on := f.MaybeDate("from", "The first day"); on != nil {
		q.On = *on
	}
	if on := f.MaybeDate("to", "The last day"); on != nil {
		q.To = *on
	}
	meta := page.Meta{Nav: "/journal", Title: "Journal", Typed: asked, Problems: f.Problems}
	d := data{Subjects: subjects, Address: asked}
	var err error
	if d.Page, err = h.Journal(c.Request().Context(), m, q); page.ProblemsOf(err) != nil {
		meta.Problems = page.ProblemsOf(err)
	} else if err != nil {
		return err
	}
	for _, l := range d.Lines {
		on := m.Date(l.At)
		if n := len(d.days); n == 0 || !d.days[n-1].On.Equal(on) {
			d.days = append(d.days, day{On: on})
		}
		last := &d.days[len(d.days)-1]
		last.Lines = append(last.Lines, l)
	}
	return h.list.Render(c, meta, m, d)
}

func (h handler) showLine(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	one, err := h.Line(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	return h.one.Render(c, page.Meta{Nav: "/journal", Title: "What was done"}, m, one)
}

func (h handler) takeBack(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	shown := []int64{id}
	for _, s := range f.Values["shown"] {
		if n, err := strconv.ParseInt(s, 10, 64); err == nil {
			shown = append(shown, n)
		}
	}
	done, err := h.UndoAll(c.Request().Context(), f.Request(m), id, shown)
	return h.Finish(c, done, err, fmt.Sprintf("/journal/%d", id))
}
