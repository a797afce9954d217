// Package outage is the pages of power cuts: one is written down in three taps; its page says how
// cold the eggs are, how late they will be, and what to do.
package outage

import (
	"cmp"
	"embed"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/climate"
	"metrogon/farm"
	"metrogon/farm/alarms"
	"metrogon/farm/outage"
	"metrogon/web/page"
	"metrogon/web/say"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	list page.Template[list]
	one  page.Template[cut]
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[list](s, files, "list.html"), page.Parse[cut](s, files, "cut.html")}
	s.Get(e, "/power", farm.Helping, page.Fresh(h.all))
	s.Post(e, "/power", farm.Helping, h.begin)
	s.Get(e, "/power/:id", farm.Helping, page.Fresh(h.cut))
	s.Post(e, "/power/:id/back", farm.Helping, h.back)
	s.Post(e, "/power/:id/reading", farm.Helping, h.read)
}

// boxes are what eggs lie in, as they are picked.
var boxes = []struct {
	Box  climate.Box
	Name string
}{{climate.Foam, "small or foam box"}, {climate.CabinetBox, "cabinet"}, {climate.Bare, "eggs lie open"}}

type list struct {
	outage.List
	Boxes any
}

func (h handler) all(c *echo.Context, m *farm.Member, meta page.Meta) error {
	l, err := h.Outage.All(c.Request().Context(), m)
	if err != nil {
		return err
	}
	if meta.Typed == nil && c.QueryParam("found") != "" {
		if meta.Typed, err = h.asFound(c, m); err != nil {
			return err
		}
	}
	meta.Nav, meta.Title = "/machines", "Power cut"
	return h.list.Render(c, meta, m, list{l, boxes})
}

// asFound fills the form with what the readings show.
func (h handler) asFound(c *echo.Context, m *farm.Member) (url.Values, error) {
	id, err := strconv.ParseInt(c.QueryParam("found"), 10, 64)
	if err != nil {
		return nil, farm.ErrNone
	}
	found, err := h.Alarms.FoundOne(c.Request().Context(), m, id)
	if err != nil {
		return nil, err
	}
	read := say.Reader{Member: m}
	v := url.Values{
		"found": {fmt.Sprint(id)}, "machine": {fmt.Sprint(found.MachineID)}, "from": {read.LocalISO(found.FromAt)},
	}
	if found.ToAt != nil {
		v.Set("to", read.LocalISO(*found.ToAt))
	}
	return v, nil
}

func (h handler) begin(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	cut := outage.Cut{
		From: f.Moment("from", "When the power went", m.Place), RoomC: page.Celsius(m, f.Float("room", "The room")),
		Boxes: map[int64]climate.Box{},
	}
	if f.Get("to") != "" {
		cut.To = f.Moment("to", "When it came back", m.Place)
	}
	for _, text := range f.Values["machine"] {
		if id, err := strconv.ParseInt(text, 10, 64); err == nil {
			cut.Boxes[id] = climate.Box(f.Get("box-" + text))
		}
	}
	if cut.From.IsZero() && f.Problems == nil {
		cut.From = h.Now()
	}
	return h.Save(c, f, "/power/last", func() (farm.Done, error) {
		done, err := h.Outage.Begin(c.Request().Context(), f.Request(m), cut)
		if found := f.ID("found"); err == nil && found != 0 {
			// That it was so is said already where this is sent twice.
			_, _ = h.Alarms.Say(c.Request().Context(), farm.NewRequest(m), found, alarms.So)
		}
		return done, err
	}, func(meta page.Meta) error { return h.all(c, m, meta) })
}

// cut is one power cut with its drawing.
type cut struct {
	outage.Page
	Draw  curves
	Worst *outage.Chilled // the batch that is set back most
}

// Kinds of risk as they are read.
func (cut) Risk(r climate.Risk) string {
	return map[climate.Risk]string{
		climate.LowRisk: "hardly any harm", climate.SomeRisk: "some harm likely", climate.HighRisk: "many may be lost",
	}[r]
}

// LookOn is when a look by the lamp tells who lives; zero where the hatch tells, or a look from the side.
func (cut) LookOn(c outage.Chilled) time.Time {
	if at, ok := c.Look(); ok {
		return at
	}
	return time.Time{}
}

func (h handler) cut(c *echo.Context, m *farm.Member, meta page.Meta) error {
	ctx := c.Request().Context()
	id, err := h.idOf(c, m)
	if err != nil {
		return err
	}
	p, err := h.Outage.One(ctx, m, id)
	if err != nil {
		return err
	}
	d := cut{Page: p, Draw: draw(p, m)}
	for i := range p.Batches {
		if d.Worst == nil || p.Batches[i].DelayH > d.Worst.DelayH {
			d.Worst = &p.Batches[i]
		}
	}
	meta.Nav, meta.Title = "/machines", "Power cut"
	return h.one.Render(c, meta, m, d)
}

// idOf reads which cut is meant; "last" is the newest.
func (h handler) idOf(c *echo.Context, m *farm.Member) (int64, error) {
	if c.Param("id") != "last" {
		return page.ID(c)
	}
	l, err := h.Outage.All(c.Request().Context(), m)
	if err != nil {
		return 0, err
	}
	if len(l.Cuts) == 0 {
		return 0, farm.ErrNone
	}
	return slices.MaxFunc(l.Cuts, func(a, b outage.Kept) int { return cmp.Compare(a.ID, b.ID) }).ID, nil
}

func (h handler) back(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	at := f.When(m)
	return h.Save(c, f, page.Back(c, fmt.Sprintf("/power/%d", id)), func() (farm.Done, error) {
		return h.Outage.Back(c.Request().Context(), f.Request(m), id, at)
	}, func(meta page.Meta) error { return h.cut(c, m, meta) })
}

func (h handler) read(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	at, eggC := f.When(m), page.Celsius(m, f.Float("egg_c", "The eggs"))
	return h.Save(c, f, fmt.Sprintf("/power/%d", id), func() (farm.Done, error) {
		return h.Outage.Read(c.Request().Context(), f.Request(m), id, f.ID("machine"), at, eggC)
	}, func(meta page.Meta) error { return h.cut(c, m, meta) })
}
