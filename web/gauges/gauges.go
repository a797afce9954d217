// Package gauges is the page of the farm's thermometers and hygrometers: where they lie, how they are
// checked step by step, and what has to be added to what they show.
package gauges

import (
	"embed"
	"fmt"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/instrument"
	"metrogon/farm"
	"metrogon/farm/gauges"
	"metrogon/farm/probes"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	list page.Template[list]
}

// Routes hangs the page in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[list](s, files, "gauges.html", "check.html", "probes.html")}
	e.GET("/instruments", s.Signed(page.Fresh(h.show)))
	s.Post(e, "/instruments", farm.Keeping, h.save)
	s.Post(e, "/instruments/:id", farm.Keeping, h.save)
	s.Post(e, "/instruments/:id/check", farm.Helping, h.check)
	s.Post(e, "/instruments/:id/lies", farm.Keeping, h.lies)
	s.Post(e, "/instruments/:id/key", farm.Keeping, h.newKey)
	s.Post(e, "/instruments/:id/topic", farm.Keeping, h.topic)
	s.Post(e, "/instruments/:id/mute", farm.Keeping, h.mute)
	s.Post(e, "/instruments/:id/logger", farm.Keeping, h.logger)
	s.Post(e, "/instruments/:id/forget", farm.Keeping, h.forget)
	s.Post(e, "/instruments/broker", farm.Owning, h.broker)
}

type list struct {
	gauges.List
	Sends  probes.All
	Key    *page.Handed // of a probe, which is shown this once
	To     string       // where probes send to
	Logger *probes.Looked
}

// form is what the check of one instrument needs.
type form struct {
	page.Meta
	Gauge  gauges.Gauge
	Others []gauges.Gauge // that were checked themselves
}

// Form of an instrument.
func (l list) Form(v page.Meta, g gauges.Gauge) form {
	f := form{Meta: v.Of(fmt.Sprintf("gauge-%d", g.ID)), Gauge: g}
	for _, o := range l.Gauges {
		if o.ID != g.ID && o.UntilOn == nil && (o.Temp.Known() || o.RH.Known()) {
			f.Others = append(f.Others, o)
		}
	}
	return f
}

// Added says what is added to what it shows near a value, in the reader's units; "" where it was never checked.
func (list) Added(k instrument.Correction, near float64, m *farm.Member) string {
	if !k.Known() {
		return ""
	}
	off, sure, unit := k.Off(near), k.Sure(near), "points"
	if k.Of == instrument.Temperature {
		unit = m.Units().TempUnit()
		if m.Units().Fahrenheit {
			off, sure = 1.8*off, 1.8*sure
		}
	}
	return fmt.Sprintf("%+.1f %s, ± %.1f", off, unit, sure)
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	return h.render(c, m, meta, list{})
}

func (h handler) render(c *echo.Context, m *farm.Member, meta page.Meta, l list) (err error) {
	if l.List, err = h.Gauges.All(c.Request().Context(), m); err != nil {
		return err
	}
	if l.Sends, err = h.Probes.All(c.Request().Context(), m); err != nil {
		return err
	}
	l.Key, l.To = h.JustMade(c), h.Address(c, "")
	meta.Nav, meta.Title = "/machines", "Instruments"
	return h.list.Render(c, meta, m, l)
}

func (h handler) save(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	x := gauges.Instrument{
		Name: f.Get("name"), Spot: f.Get("spot"), Thermo: f.Get("thermo") != "", Hygro: f.Get("hygro") != "",
		UntilOn: f.MaybeDate("until_on", "The last day of use"),
	}
	if c.Param("id") != "" {
		if x.ID, err = page.ID(c); err != nil {
			return err
		}
	}
	x = gauges.Lay(x, f.Get("machine"))
	return h.Save(c, f, "/instruments", func() (farm.Done, error) {
		return h.Gauges.Save(c.Request().Context(), f.Request(m), x, time.Time{})
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

// lies keeps where an instrument lies from now on, or has lain for a while.
func (h handler) lies(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	return h.Save(c, f, fmt.Sprintf("/instruments#i%d", id), func() (farm.Done, error) {
		return h.Gauges.Lies(c.Request().Context(), f.Request(m), id, f.Get("machine"), f.Get("spot"), f.When(m))
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) check(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	in := gauges.Checking{ID: id, How: f.Get("how"), Of: instrument.Temperature, Other: f.ID("other")}
	switch in.How {
	case instrument.Salt:
		in.Shown, in.Truth = f.Float("shown", "What it shows"), page.Celsius(m, f.Float("temp", "The temperature of the bag"))
	case instrument.Beside:
		in.Of = instrument.Quantity(f.Get("of"))
		in.Shown, in.By = f.Float("shown", "What it shows"), f.Float("by", "What the other shows")
		if in.Of == instrument.Temperature {
			in.Shown, in.By = page.Celsius(m, in.Shown), page.Celsius(m, in.By)
		}
	case instrument.Clinical:
		in.Shown = page.Celsius(m, f.Float("shown", "What it shows"))
		in.Truth = page.Celsius(m, f.Float("truth", "What the clinical one shows"))
	default:
		in.Shown = page.Celsius(m, f.Float("shown", "What it shows"))
	}
	return h.Save(c, f, "/instruments", func() (farm.Done, error) {
		return h.Gauges.Check(c.Request().Context(), f.Request(m), in)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}
