// Package brood is the page of the brooders: the young in them, how warm, how much room, and what
// became of each group.
package brood

import (
	"embed"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/brooding"
	"metrogon/farm"
	"metrogon/farm/brood"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	list page.Template[data]
}

// Routes hangs the page in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[data](s, files, "brooders.html", "group.html")}
	e.GET("/brooders", s.Signed(page.Fresh(h.show)))
	s.Post(e, "/brooders/in", farm.Helping, h.in)
	s.Post(e, "/brooders/buy", farm.Keeping, h.buy)
	s.Post(e, "/brooders/:id/heat", farm.Helping, h.heat)
	s.Post(e, "/broods/:id/leave", farm.Helping, h.leave)
	s.Post(e, "/broods/:id/move", farm.Helping, h.move)
}

type data struct {
	brood.Page
	Room room
	Whys []string
}

// Groups are all with young left.
func (d data) Groups() (all []brood.Group) {
	for _, p := range d.Pens {
		all = append(all, p.Groups...)
	}
	return append(all, d.Outside...)
}

// Heads counts them.
func (d data) Heads() (n int) {
	for _, g := range d.Groups() {
		n += g.Alive
	}
	return n
}

// form is what the forms of a group need.
type form struct {
	page.Meta
	Group    brood.Group
	Brooders []brood.Pen
	Pens     []snapshot.Pen
	Whys     []string
}

// Form of a group.
func (d data) Form(v page.Meta, g brood.Group) form {
	return form{v.Of(fmt.Sprintf("brood-%d", g.ID)), g, d.Pens, d.PensOf[g.Species], d.Whys}
}

// room is the use of all brooders in the days to come, on a plot of 100 × 120.
type room struct {
	Sure, Expected string // polygons
	Full           float64
	Levels         []level
	Ticks          []tick
	Over           string // the first day on which it is too little; "" never
}

type level struct {
	Y     float64
	Label string
}

type tick struct {
	X     string
	Label string
}

const high = 120.0

// draw puts the room of the days to come into steps.
func draw(p brood.Page) (r room) {
	most := math.Max(p.Places, 1)
	for _, d := range p.Days {
		most = math.Max(most, d.Sure+d.Expected)
	}
	most *= 1.08
	y := func(places float64) float64 { return high * (1 - places/most) }
	x := func(i int) float64 { return 100 * float64(i) / float64(len(p.Days)) }
	area := func(of func(brooding.Day) (low, top float64)) string {
		var up strings.Builder
		for i, d := range p.Days {
			_, top := of(d)
			fmt.Fprintf(&up, "%.2f,%.1f %.2f,%.1f ", x(i), y(top), x(i+1), y(top))
		}
		for i := len(p.Days) - 1; i >= 0; i-- {
			low, _ := of(p.Days[i])
			fmt.Fprintf(&up, "%.2f,%.1f %.2f,%.1f ", x(i+1), y(low), x(i), y(low))
		}
		return up.String()
	}
	r.Sure = area(func(d brooding.Day) (float64, float64) { return 0, d.Sure })
	r.Expected = area(func(d brooding.Day) (float64, float64) { return d.Sure, d.Sure + d.Expected })
	r.Full = y(p.Places)
	r.Levels = []level{{y(0), "0"}, {y(p.Places), strconv.Itoa(int(p.Places))}}
	for i, d := range p.Days {
		if week := i / 7; d.On.Weekday() == time.Monday && week%2 == 0 && i < len(p.Days)-6 {
			r.Ticks = append(r.Ticks, tick{fmt.Sprintf("%.2f%%", x(i)), d.On.Format("2 Jan")})
		}
		if r.Over == "" && d.Sure+d.Expected > p.Places+0.5 {
			r.Over = d.On.Format("Mon 2 January")
		}
	}
	return r
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	p, err := h.Brood.Broods(c.Request().Context(), m)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/machines", "Brooders"
	return h.list.Render(c, meta, m, data{p, draw(p), brood.Whys})
}

func (h handler) again(c *echo.Context, m *farm.Member) func(page.Meta) error {
	return func(meta page.Meta) error { return h.show(c, m, meta) }
}

func (h handler) in(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	in := brood.Pulled{BatchID: f.ID("batch"), BrooderID: f.ID("brooder"), ByPen: map[int64]int{}}
	if on := f.MaybeDate("on", "The day"); on != nil {
		in.On = *on
	}
	for field, values := range f.Values {
		name, ok := strings.CutPrefix(field, "young-")
		if id, err := strconv.ParseInt(name, 10, 64); ok && err == nil && strings.TrimSpace(values[0]) != "" {
			in.ByPen[id] = f.Int(field, "The number of young")
		}
	}
	return h.Save(c, f, "/brooders", func() (farm.Done, error) {
		return h.Brood.BringIn(c.Request().Context(), f.Request(m), in)
	}, h.again(c, m))
}

func (h handler) buy(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	in := brood.Bought{
		Species: f.Get("species"), Heads: f.Int("heads", "The number of young"), AgeDays: f.Int("age", "Their age in days"),
		BrooderID: f.ID("brooder"),
	}
	return h.Save(c, f, "/brooders", func() (farm.Done, error) {
		return h.Brood.Buy(c.Request().Context(), f.Request(m), in)
	}, h.again(c, m))
}

func (h handler) heat(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	tempC := page.Celsius(m, f.Float("temp", "The warmth under the heat"))
	return h.Save(c, f, page.Back(c, "/brooders"), func() (farm.Done, error) {
		return h.Brood.Warm(c.Request().Context(), f.Request(m), id, tempC)
	}, h.again(c, m))
}

func (h handler) leave(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	l := brood.Leaving{
		Heads: f.Int("heads", "The number of young"), Why: f.Get("why"), Cause: f.Get("cause"), Buyer: f.Get("buyer"),
		Price: f.MaybeFloat("price", "The price"), PenID: f.ID("pen"), At: f.When(m),
	}
	return h.Save(c, f, "/brooders", func() (farm.Done, error) {
		return h.Brood.Leave(c.Request().Context(), f.Request(m), id, l)
	}, h.again(c, m))
}

func (h handler) move(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	heads := f.Int("heads", "The number of young")
	return h.Save(c, f, "/brooders", func() (farm.Done, error) {
		return h.Brood.Move(c.Request().Context(), f.Request(m), id, heads, f.ID("brooder"), f.Get("place"))
	}, h.again(c, m))
}
