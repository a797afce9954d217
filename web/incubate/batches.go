package incubate

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type batchHandler struct {
	*page.Site
	list  page.Template[listing]
	batch page.Template[batchData]
}

// batchRoutes hangs the pages and actions in.
func batchRoutes(e *echo.Echo, s *page.Site) {
	d := batchHandler{s, page.Parse[listing](s, files, "list.html"), page.Parse[batchData](s, files, "batch.html")}
	e.GET("/batches", s.Signed(d.showList))
	e.GET(
		"/batches/:id",
		s.Signed(func(c *echo.Context, m *farm.Member) error { return d.show(c, m, page.Meta{}, c.QueryParam("do")) }),
	)
	for name, act := range map[string]action{
		"candle": d.candle, "rest": d.rest, "lockdown": d.lockdown, "hatched": d.hatched, "end": d.end,
		"close": d.close, "done": d.done, "care": d.care, "open": d.opened, "note": d.note, "way": d.way,
	} {
		s.Post(e, "/batches/:id/"+name, farm.Helping, d.acting(act))
	}
}

type listing struct {
	Open, Closed []snapshot.BatchView
	Next, Prev   int // pages; 0: none
}

// batchData is one batch, and what is to be done to its eggs.
type batchData struct {
	Batch *incubate.Page
	Do    string // candle, hatch or remove
	Calls []candling.Sign
}

// step is where the next thing to do is done.
type step struct {
	Label, To string
	Fresh     bool // the page is loaded anew: it dresses for the dark
}

// Due tells whether the next thing to do is due by now, Late whether since another day.
func (d batchData) Due() bool { return d.Batch.Next != nil && !d.Batch.Next.At.After(d.Batch.Now) }

// Late tells whether the next thing to do was due on an earlier day.
func (d batchData) Late() bool {
	return d.Due() && d.Batch.Now.Sub(d.Batch.Next.At) > 24*time.Hour
}

// Step leads to it; nil where the page says all.
func (d batchData) Step() *step {
	page := fmt.Sprintf("/batches/%d", d.Batch.ID)
	switch d.Batch.Next.Kind {
	case calendar.Candle, chores.CandleRest:
		return &step{d.Batch.Next.Title, page + "/candle", true}
	case calendar.Lockdown:
		if d.Batch.Next.Look {
			return &step{"Candle " + wording.Plural(d.Batch.Next.Eggs, "egg"), page + "/candle", true}
		}
		return &step{"Lockdown, step by step", page + "/lockdown", false}
	case calendar.Pull:
		return &step{"Count the young", "?do=hatch#counts", false}
	case calendar.ClearOut:
		if d.Batch.Alive > 0 {
			return &step{"Late eggs: what to do", page + "/overdue", false}
		}
		return &step{"Close the batch", "#steps", false}
	}
	return nil
}

// Stages of the break-out.
func (batchData) Stages() []candling.Stage { return candling.Stages[:len(candling.Stages)-1] }

// Uncalled are eggs that go to their end and of which no call has told anything.
func (d batchData) Uncalled() (all []snapshot.Egg) {
	if !candling.NearTheEnd(d.Batch.Day, d.Batch.HatchDay) {
		return nil
	}
	for _, p := range d.Batch.Pens {
		for _, e := range p.Eggs {
			if e.Fate == nil && candling.LastOf(e.Calls) == "" {
				all = append(all, e)
			}
		}
	}
	return all
}

// Shut are eggs that were taken out and not opened yet.
func (d batchData) Shut() (all []snapshot.Egg) {
	for _, p := range d.Batch.Pens {
		for _, e := range p.Eggs {
			if e.Fate != nil && outcome.Fate(*e.Fate) == outcome.Removed && e.Opened == nil {
				all = append(all, e)
			}
		}
	}
	return
}

// Reasons to take an egg out.
func (batchData) Reasons() []string { return hatch.Reasons }

// Glyph is the sign of what is known of an egg, Word the same in words and
// Class its colour.
func (batchData) Glyph(e snapshot.Egg) page.EggSign { return page.SignOf(e) }

func (d batchHandler) showList(c *echo.Context, m *farm.Member) error {
	n, _ := strconv.Atoi(c.QueryParam("page"))
	n = min(max(n, 1), 100_000)
	open, closed, err := d.Incubate.Batches(c.Request().Context(), m, (n-1)*incubate.PageOfBatches)
	if err != nil {
		return err
	}
	l := listing{Open: open, Closed: closed, Prev: n - 1}
	if len(closed) == incubate.PageOfBatches {
		l.Next = n + 1
	}
	return d.list.Render(c, page.Meta{Nav: "/batches", Title: "Batches"}, m, l)
}

func (d batchHandler) show(c *echo.Context, m *farm.Member, meta page.Meta, do string) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	b, err := d.Incubate.Batch(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	if b.Kind.IsReptile() {
		return page.ToClutch(c, id)
	}
	switch do {
	case "candle", "hatch", "remove":
	default:
		do = "candle"
		if b.Hatching() {
			do = "hatch"
		}
	}
	meta.Nav, meta.Title = "/batches", b.Code
	return d.batch.Render(c, meta, m, batchData{Batch: &b, Do: do, Calls: candling.Signs})
}

// action does one thing to a batch from a form.
type action func(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error)

// acting runs an action and goes back to where it was tapped; what was typed
// wrong comes back on the batch's page.
func (d batchHandler) acting(act action) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		id, f, err := page.Posted(c)
		if err != nil {
			return err
		}
		done, err := act(c, m, id, f)
		here := fmt.Sprintf("/batches/%d", id)
		if do := f.Get("do"); do != "" {
			here += "?do=" + map[string]string{"candle": "candle", "hatch": "hatch", "remove": "remove"}[do]
		}
		if p := page.ProblemsOf(err); p != nil && f.Get("back") == "" && c.Request().Method == http.MethodPost {
			return d.show(c, m, page.Meta{Typed: f.Values, Problems: p}, f.Get("do"))
		}
		return d.Finish(c, done, err, page.Back(c, here))
	}
}

func marked(f *page.Form) (ids []int64) {
	for _, s := range f.Values["egg"] {
		if id, err := strconv.ParseInt(s, 10, 64); err == nil {
			ids = append(ids, id)
		}
	}
	return
}

// told does an act if the form could be read.
func told(f *page.Form, act func() (farm.Done, error)) (farm.Done, error) {
	if f.Problems != nil {
		return farm.Done{}, f.Problems
	}
	return act()
}

func (d batchHandler) candle(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	calling := candle.Calling{
		Call: candling.Call(f.Get("call")), Eggs: marked(f), TakeOut: f.Get("take_out") != "", At: f.When(m),
	}
	return told(f, func() (farm.Done, error) {
		return d.Candle.Candle(c.Request().Context(), f.Request(m), id, calling)
	})
}

func (d batchHandler) opened(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	return d.Candle.RecordOpened(c.Request().Context(), f.Request(m), id, marked(f), candling.Stage(f.Get("stage")))
}

func (d batchHandler) care(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	return d.Incubate.Care(c.Request().Context(), f.Request(m), id, f.Get("kind"))
}

func (d batchHandler) rest(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	at := f.When(m)
	return told(f, func() (farm.Done, error) {
		return d.Candle.CandleRest(c.Request().Context(), f.Request(m), id, at)
	})
}

func (d batchHandler) lockdown(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	at := f.When(m)
	return told(f, func() (farm.Done, error) {
		return d.Hatch.Lockdown(c.Request().Context(), f.Request(m), id, f.ID("hatcher"), at)
	})
}

func (d batchHandler) hatched(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	young := hatch.Young{ByPen: map[int64]int{}, OnTrial: map[int64]int{}, At: f.When(m)}
	for field := range f.Values {
		name, ok := strings.CutPrefix(field, "hatched-")
		if !ok {
			continue
		}
		counts := young.ByPen
		if pen, trial := strings.CutSuffix(name, "-trial"); trial {
			name, counts = pen, young.OnTrial
		}
		if pen, err := strconv.ParseInt(name, 10, 64); err == nil {
			counts[pen] = f.Int(field, "The number of young")
		}
	}
	return told(f, func() (farm.Done, error) {
		return d.Hatch.Hatched(c.Request().Context(), f.Request(m), id, young)
	})
}

func (d batchHandler) end(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	fate, stage, _ := strings.Cut(f.Get("end"), " ")
	ending := hatch.Ending{
		Eggs: marked(f), Fate: outcome.Fate(fate), Stage: stage, Among: f.Get("among") != "", At: f.When(m),
	}
	return told(f, func() (farm.Done, error) { return d.Hatch.End(c.Request().Context(), f.Request(m), id, ending) })
}

func (d batchHandler) close(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	at := f.When(m)
	return told(f, func() (farm.Done, error) { return d.Hatch.Close(c.Request().Context(), f.Request(m), id, at) })
}

func (d batchHandler) done(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	return d.Incubate.TickOff(c.Request().Context(), f.Request(m), id, f.Get("kind"), f.Int("day", "The day"))
}

func (d batchHandler) way(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	way := f.Way()
	return told(f, func() (farm.Done, error) {
		return d.Incubate.SetWay(c.Request().Context(), f.Request(m), id, way)
	})
}

func (d batchHandler) note(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	n := f.ReadNote(m)
	n.BatchID = &id
	if f.Problems != nil {
		return farm.Done{}, f.Problems
	}
	return d.Notes.Add(c.Request().Context(), f.Request(m), n)
}
