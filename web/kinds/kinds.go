// Package kinds shows what is known of one kind of egg, and lets a farm put its
// own figures and method in place.
package kinds

import (
	"embed"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/method"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/kinds"
	"metrogon/web/page"
	"metrogon/web/say"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	page page.Template[data]
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	k := handler{s, page.Parse[data](s, files, "kinds.html")}
	e.GET("/kinds/:id", s.Signed(page.Fresh(k.show)))
	s.Post(e, "/kinds/:id", farm.Owning, k.save)
	s.Post(e, "/kinds", farm.Owning, k.add)
}

type data struct {
	kinds.KindPage
	Schools  []method.School
	Washings []method.Washing
}

func (k handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	kind, err := k.Kinds.Kind(c.Request().Context(), m, c.Param("id"))
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/settings", kind.Shipped.Name
	return k.page.Render(c, meta, m, data{kind, method.Schools, method.Washings})
}

// add makes a kind of the farm's own and goes on to its figures.
func (k handler) add(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	done, err := k.Kinds.AddKind(c.Request().Context(), f.Request(m), f.Get("like"), f.Get("name"))
	next := "/settings#figures"
	if id, bad := species.OwnID(f.Get("like"), f.Get("name")); bad == nil && err == nil {
		next = "/kinds/" + url.PathEscape(id)
	}
	return k.Finish(c, done, err, next)
}

// Written is a figure as it is typed, in the person's unit: one number, or a
// span.
func (data) Written(v page.Meta, o species.Own, at, from, to float64) string {
	return written(v.Reader, o, at, from, to)
}

func written(to say.Reader, o species.Own, at, low, high float64) string {
	one := func(f float64) string {
		switch {
		case o.Unit == "°C":
			return to.Degrees(f)
		case o.OnDay():
			f += float64(to.Member.CountFrom)
		}
		return page.Number(f)
	}
	switch {
	case low == 0 && high == 0, low == high:
		return one(at)
	case at == 0, at == (low+high)/2:
		return one(low) + "–" + one(high)
	}
	return one(at) + " (" + one(low) + "–" + one(high) + ")"
}

// Days writes a list of days, as the person counts.
func (data) Days(v page.Meta, days []int) string {
	s := make([]string, len(days))
	for i, d := range days {
		s[i] = strconv.Itoa(d + v.Member.CountFrom)
	}
	return strings.Join(s, ", ")
}

// WetBulb writes a span of °F as the person reads it.
func (data) WetBulb(v page.Meta, f species.Figure) string {
	return v.Degrees((f.From-32)/1.8) + "–" + v.Temp((f.To-32)/1.8)
}

// Lower is by how much some lower the temperature in lockdown [common practice].
func (data) Lower(v page.Meta) string {
	if v.Member.Temperature == "F" {
		return "0.5–0.9 °F"
	}
	return "0.3–0.5 °C"
}

// Evening is an example of a lockdown half a day later.
func (d data) Evening(v page.Meta) float64 {
	return d.Own.LockdownDay.At + .5 + float64(v.Member.CountFrom)
}

// Unit is a figure's unit as the person reads it.
func (data) Unit(v page.Meta, o species.Own) string { return unit(v.Member, o) }

func unit(m *farm.Member, o species.Own) string {
	if o.Unit == "°C" {
		return "°" + m.Temperature
	}
	return o.Unit
}

// Range is where a value may lie.
func (data) Range(v page.Meta, o species.Own) string { return written(v.Reader, o, 0, o.Least, o.Most) }

func (k handler) save(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	shipped, err := species.Find(c.Param("id"))
	if err != nil {
		return farm.ErrNone
	}
	var changes []species.Change
	for _, o := range shipped.Changeable() {
		if change, typed := read(f, m, o); typed {
			change.Source = page.Short200(f.Get(o.Name + "-source"))
			changes = append(changes, change)
		}
	}
	way := method.Default()
	if !shipped.IsReptile() {
		way = f.Way()
		way.Washing = method.Washing(f.Get("washing"))
	}
	return k.Save(c, f, "/kinds/"+shipped.ID, func() (farm.Done, error) {
		return k.Kinds.SaveKind(c.Request().Context(), f.Request(m), shipped.ID, kinds.Kept{
			Figures: changes, Way: way, Running: f.Get("running") != "",
		})
	}, func(meta page.Meta) error { return k.show(c, m, meta) })
}

// read reads "18", "45-55" or "21 (20-22)", or days like "7, 14, 18"; nothing
// typed keeps the shipped value.
func read(f *page.Form, m *farm.Member, o species.Own) (c species.Change, typed bool) {
	c.Figure = o.Name
	text := strings.NewReplacer("–", " ", "(", " ", ")", " ", ";", " ", ", ", " ").Replace(f.Get(o.Name))
	if o.Name != "candle_days" {
		text = strings.ReplaceAll(text, "-", " ")
	}
	words := strings.Fields(strings.ReplaceAll(
		text, ",", map[bool]string{true: " ", false: "."}[o.Name == "candle_days"],
	))
	if len(words) == 0 {
		return c, false
	}
	var v []float64
	for _, w := range words {
		n, err := strconv.ParseFloat(w, 64)
		if err != nil || strings.HasPrefix(strings.TrimSpace(f.Get(o.Name)), "-") || len(words) > 10 {
			f.Problems = append(f.Problems, farm.Problem{
				Field: o.Name,
				Says: o.Title + " is " + strconv.Quote(page.Short(f.Get(o.Name))) +
					"; it may be a number, or a span like 45–55.",
			})
			return c, false
		}
		switch {
		case o.Unit == "°C":
			n = page.Celsius(m, n)
		case o.OnDay():
			n -= float64(m.CountFrom)
		}
		v = append(v, n)
		c.Days = append(c.Days, int(max(min(n, 1e6), -1e6)))
	}
	for _, n := range v {
		if !(n >= o.Least && n <= o.Most) {
			f.Problems = append(f.Problems, farm.Problem{Field: o.Name, Says: o.Title + " is " + strconv.Quote(
				page.Short(f.Get(o.Name))) + "; it may be " +
				strings.TrimSpace(written(say.Reader{Member: m}, o, 0, o.Least, o.Most)+" "+unit(m, o)) + "."})
			return c, false
		}
	}
	switch {
	case o.Name == "candle_days":
		return c, true
	case len(v) == 1:
		c.At = v[0]
	case len(v) == 2:
		c.From, c.To = v[0], v[1]
	case len(v) == 3:
		c.At, c.From, c.To = v[0], v[1], v[2]
	default:
		f.Problems = append(f.Problems, farm.Problem{
			Field: o.Name, Says: o.Title + " has too many numbers; it may be one, or a span like 45–55.",
		})
	}
	c.Days = nil
	return c, true
}
