package hatch

import (
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/hatching"
	"metrogon/farm"
	"metrogon/farm/hatch"
	"metrogon/web/page"
)

type watchHandler struct {
	*page.Site
	page    page.Template[data]
	locking page.Template[lockData]
}

// watchRoutes hangs the page and its actions in.
func watchRoutes(e *echo.Echo, s *page.Site) {
	add := template.FuncMap{"add": func(a, b int) int { return a + b }}
	x := watchHandler{
		s,
		page.ParseWith[data](s, add, files, "watch.html", "basket.html", "told.html"),
		page.Parse[lockData](s, files, "lockdown.html"),
	}
	x.lockRoutes(e)
	e.GET("/watch/:id", s.Signed(x.show))
	e.GET("/watch/:id/live", s.Signed(x.live))
	s.Post(e, "/watch/:id/taps", farm.Helping, x.taps)
	s.Post(e, "/watch/:id/tap", farm.Helping, x.tap)
}

type data struct {
	hatch.WatchPage
	m     *farm.Member
	Loads []loadData
}

type loadData struct {
	hatch.LoadView
	Strip strip
	m     *farm.Member
}

// shown is how much advice is open at once; the rest is a tap away.
const shown = 2

// First is the advice that matters most, Rest what follows.
func (d loadData) First() []hatching.Advice { return d.Advice[:min(shown, len(d.Advice))] }
func (d loadData) Rest() []hatching.Advice  { return d.Advice[min(shown, len(d.Advice)):] }

// Says writes advice in its reader's hours.
func (d loadData) Says(a hatching.Advice) string { return hatching.Stamps(a.Why, d.m.Moment) }

// Do names advice.
func (d loadData) Do(a hatching.Advice) string { return names[a.Do] }

var names = map[string]string{
	hatching.Wait: "Wait", hatching.Air: "Vents open", hatching.Water: "Water", hatching.DryOnesOut: "Dry ones",
	hatching.LookCloser: "Look once", hatching.AskSomeone: "Ask somebody", hatching.PullNow: "Pull",
	hatching.LeaveRest: "Leave the rest", hatching.GiveUp: "Give up on the rest",
}

// Span writes when something is expected.
func (d loadData) Span(m *hatching.Moment) string {
	if m == nil {
		return ""
	}
	if m.From.Equal(m.To) {
		return d.m.Moment(m.At)
	}
	if d.m.Date(m.From).Equal(d.m.Date(m.To)) {
		return d.m.Moment(m.From) + " to " + d.m.Hours(m.To)
	}
	return d.m.Moment(m.From) + " to " + d.m.Moment(m.To)
}

// Told puts a young that was told apart into words.
func (d data) Told(y hatch.OneYoung) string {
	words := []string{}
	for _, l := range d.Loads {
		for _, b := range l.Baskets {
			if l.ID == y.BatchID && b.ID == y.PenID && b.Trial == y.Trial {
				words = append(words, l.Code, b.Label())
				for _, e := range b.Slots {
					if y.EggID != nil && e.ID == *y.EggID && e.Hen != "" {
						words = append(words, e.Hen)
					}
				}
			}
		}
	}
	for _, s := range append([]string{y.Colour, y.Sex, y.Band}, y.Signs...) {
		if s != "" {
			words = append(words, s)
		}
	}
	if y.WeightG != nil {
		words = append(words, d.m.Units().Mass(*y.WeightG))
	}
	if y.DiedAt != nil {
		words = append(words, "died")
	}
	return strings.Join(words, ", ")
}

// Signs are what may be told of young.
func (data) Signs() []string { return hatch.Signs }

func (x watchHandler) show(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	all, err := x.Hatch.Watch(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	d := data{WatchPage: all, m: m}
	for _, l := range all.Loads {
		d.Loads = append(d.Loads, loadData{l, draw(l, m), m})
	}
	meta := page.Meta{
		Nav: "/batches", Title: "Hatch watch, " + all.Machine.Name, Dark: true, Quiet: c.QueryParam("live") != "",
	}
	return x.page.Render(c, meta, m, d)
}

// What is taken at once: so many taps, of which each has about 300 bytes.
const (
	most      = 500
	mostBytes = 1 << 18
)

// taps does what the page sends and answers tap by tap.
func (x watchHandler) taps(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	// What waits on a shared phone is its own person's.
	var all []hatch.Tap
	body := http.MaxBytesReader(c.Response(), c.Request().Body, mostBytes)
	if err := json.NewDecoder(body).Decode(&all); err != nil || len(all) > most {
		return echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("A list of up to %d taps is expected.", most))
	}
	done, err := x.Hatch.Apply(c.Request().Context(), farm.NewRequest(m), id, all)
	if err != nil && len(done) == 0 {
		return err
	}
	return c.JSON(http.StatusOK, done)
}

// tap does one of the page's forms where scripts fail.
func (x watchHandler) tap(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	t := hatch.Tap{
		Key: f.Get("key"), Kind: f.Get("kind"), Batch: f.ID("batch"), Pen: f.ID("pen"), Trial: f.Get("trial") == "true",
		Why: f.Get("why"), Place: f.Get("place"), At: x.Now(),
		Told: hatch.Told{
			Colour: f.Get("colour"), Sex: f.Get("sex"), Band: f.Get("band"), Signs: f.Values["signs"],
			Died: f.Get("died") != "", Note: f.Get("note"),
		},
	}
	if f.Get("n") != "" {
		t.N = f.Int("n", "How many")
	}
	if f.Get("minutes") != "" {
		t.Minutes = f.Int("minutes", "The minutes")
	}
	if g := f.MaybeMass("weight", "The weight", m); g != nil {
		t.Told.WeightG = *g
	}
	next := fmt.Sprintf("/watch/%d", id)
	if f.Problems != nil {
		return x.Finish(c, farm.Done{}, f.Problems, next)
	}
	done, err := x.Hatch.Apply(c.Request().Context(), f.Request(m), id, []hatch.Tap{t})
	if err == nil && len(done) == 1 && !done[0].Done {
		err = farm.Problemf("tap", "%s", done[0].Says)
	}
	said := ""
	if err == nil {
		said = done[0].Says
	}
	return x.Finish(c, farm.Done{Said: said}, err, next)
}

// live tells the page, as server-sent events, whenever something was done on the farm.
func (x watchHandler) live(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	if err := x.Hatch.Known(c.Request().Context(), m, id); err != nil {
		return err
	}
	told, end := x.Live.Watch(m.FarmID)
	defer end()
	return x.Follow(c, m, told, "done", 0)
}
