// Package clutch is the pages of reptiles' eggs: the boxes by shelf, a clutch that is found, and one clutch with its
// box, its temperatures and what follows of them.
package clutch

import (
	"embed"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/farm/clutch"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	list  page.Template[listing]
	fresh page.Template[choices]
	one   page.Template[data]
	rates page.Template[clutch.Rates]
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{
		s, page.Parse[listing](s, files, "list.html"), page.Parse[choices](s, files, "new.html", "parts.html"),
		page.Parse[data](s, files, "clutch.html", "box.html", "warmth.html", "young.html", "parts.html"),
		page.Parse[clutch.Rates](s, files, "rates.html"),
	}
	e.GET("/clutches", s.Signed(page.Fresh(h.showList)))
	e.GET("/clutches/rates", s.Signed(page.Fresh(h.showRates)))
	e.GET("/clutches/water", s.Signed(page.Fresh(h.showNew))) // how much water, while it is typed
	e.GET("/clutches/new", s.Signed(page.Fresh(h.showNew)))
	e.GET("/clutches/:id", s.Signed(page.Fresh(h.show)))
	s.Post(e, "/clutches/new", farm.Keeping, h.found)
	for name, act := range map[string]action{
		"look": h.look, "pip": h.pip, "out": h.out, "opened": h.opened, "mass": h.mass, "young": h.young, "left": h.left,
		"done": h.done, "close": h.close,
	} {
		s.Post(e, "/clutches/:id/"+name, farm.Helping, h.acting(act))
	}
	s.Post(e, "/clutches/:id/temp", farm.Keeping, h.acting(h.temp))
	s.Post(e, "/clutches/:id/plan", farm.Keeping, h.acting(h.plan))
	e.GET("/boxes/:id", s.Signed(h.box))
	s.Post(e, "/boxes/:id/weighed", farm.Helping, h.boxed(h.weighed))
	s.Post(e, "/boxes/:id/aired", farm.Helping, h.boxed(h.aired))
	s.Post(e, "/boxes/:id/moved", farm.Keeping, h.boxed(h.moved))
}

func (h handler) showList(c *echo.Context, m *farm.Member, meta page.Meta) error {
	n, _ := strconv.Atoi(c.QueryParam("page"))
	n = min(max(n, 1), 100_000)
	l, err := h.Clutches.List(c.Request().Context(), m, (n-1)*40)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/clutches", "Clutches"
	next := 0
	if l.More {
		next = n + 1
	}
	return h.list.Render(c, meta, m, listing{l, n - 1, next})
}

// listing is the list with its pages; 0: none.
type listing struct {
	clutch.List
	Prev, Next int
}

func (h handler) showRates(c *echo.Context, m *farm.Member, meta page.Meta) error {
	r, err := h.Clutches.Rates(c.Request().Context(), m)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/clutches", "What clutches gave"
	return h.rates.Render(c, meta, m, r)
}

// choices are what the form of a new clutch offers.
type choices struct {
	clutch.New
	Sired      string // as picked so far
	BoxKinds   []reptile.BoxType
	Substrates []reptile.Substrate
	WaterSays  string
}

func (h handler) showNew(c *echo.Context, m *farm.Member, meta page.Meta) error {
	asked := c.QueryParams()
	if meta.Typed != nil {
		asked = meta.Typed
	}
	laid := m.Date(h.Now())
	if at, err := time.ParseInLocation("2006-01-02T15:04", asked.Get("laid_to"), m.Place); err == nil {
		laid = m.Date(at)
	}
	n, err := h.Clutches.New(c.Request().Context(), m, asked.Get("dam"), laid)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/clutches", "Found a clutch"
	says := "As much water by weight as dry vermiculite or perlite, or four fifths of it. It clumps in the fist and " +
		"gives no drop."
	if v := c.QueryParams(); v.Get("dry") != "" {
		_, says = waterIn(&page.Form{Values: v}, m)
	}
	return h.fresh.Render(c, meta, m, choices{n, asked.Get("sired"), reptile.BoxKinds, reptile.Substrates, says})
}

// waterIn is the water that goes into so much dry substrate, in g: as typed, or worked out by its ratio or its water
// potential; nil where nobody can say.
func waterIn(f *page.Form, m *farm.Member) (waterG *float64, says string) {
	typed := f.MaybeMass("water", "The weight of the water", m)
	dry := f.MaybeMass("dry", "The weight of the dry substrate", m)
	ratio, kPa := f.MaybeFloat("ratio", "The parts of water"), f.MaybeFloat("kpa", "The water potential")
	if typed != nil || dry == nil || ratio == nil && kPa == nil {
		return typed, "Type what the dry substrate weighs, and this says how much water it takes."
	}
	parts := 0.0
	if kPa != nil {
		var err error
		if parts, err = reptile.RatioAt(*kPa); err != nil {
			f.Problems = append(f.Problems, farm.Problem{Field: "kpa", Says: "The water potential may be -1000 to -100 kPa."})
			return nil, "The water potential may be −1000 to −100 kPa."
		}
	} else if parts = *ratio; !(parts > 0 && parts <= 5) {
		f.Problems = append(f.Problems, farm.Problem{Field: "ratio", Says: "The parts of water may be up to 5."})
		return nil, "The parts of water may be up to 5."
	}
	water := reptile.WaterFor(*dry, parts)
	says = fmt.Sprintf("%s dry take %s of water, %.2f to 1 by weight.", m.Units().Mass(*dry), m.Units().Mass(water), parts)
	if kPa != nil {
		says += " Of coarse vermiculite; grades differ."
	}
	return &water, says
}

func (h handler) found(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	in := readFound(f, m)
	next := "/clutches"
	return h.Save(c, f, next, func() (farm.Done, error) {
		return h.Clutches.Found(c.Request().Context(), f.Request(m), in)
	}, func(meta page.Meta) error { return h.showNew(c, m, meta) })
}

func readFound(f *page.Form, m *farm.Member) clutch.Found {
	pen, dam, _ := strings.Cut(f.Get("dam"), "-")
	in := clutch.Found{
		Good: f.Int("good", "The number of good eggs"), Slugs: f.Int("slugs", "The number of slugs"),
		Marked: f.Get("marked") != "", MassG: f.MaybeMass("mass", "The weight of the eggs", m), Permit: f.Get("permit"),
		Rest: f.Get("rest") != "", BoxID: f.ID("box"), Temp: readTemp(f, m),
		Box: clutch.NewBox{
			MachineID: f.ID("machine"), Name: f.Get("box_name"), Kind: f.Get("box_kind"), Substrate: f.Get("substrate"),
			DryG: f.MaybeMass("dry", "The weight of the dry substrate", m),
			Cols: f.Int("cols", "The number of places across"), Rows: f.Int("rows", "The number of rows"),
		},
	}
	in.Box.WaterG, _ = waterIn(f, m)
	in.PenID, _ = strconv.ParseInt(pen, 10, 64)
	in.DamID, _ = strconv.ParseInt(dam, 10, 64)
	if id := f.ID("sired"); id != 0 {
		in.Sired, in.SireID = clutch.SiredOne, id
	} else {
		in.Sired = f.Get("sired")
	}
	if f.Get("laid_from") != "" {
		in.LaidFrom = f.Moment("laid_from", "The earliest moment", m.Place)
	}
	in.LaidTo = f.Moment("laid_to", "When they were laid", m.Place)
	for _, part := range strings.FieldsFunc(f.Get("stuck"), func(r rune) bool { return strings.ContainsRune(", +", r) }) {
		n, err := strconv.Atoi(part)
		if err != nil || len(in.Stuck) >= 50 {
			f.Problems = append(f.Problems, farm.Problem{
				Field: "stuck", Says: "What sticks together is written in numbers: 3, 2 for three and two.",
			})
			break
		}
		in.Stuck = append(in.Stuck, n)
	}
	return in
}

// readTemp reads a temperature, with another by night where one is typed.
func readTemp(f *page.Form, m *farm.Member) (t clutch.Temp) {
	t.C = page.Celsius(m, f.Float("temp", "The temperature"))
	if night := f.MaybeFloat("night", "The temperature by night"); night != nil {
		c := page.Celsius(m, *night)
		t.NightC = &c
		t.NightH = f.Float("night_h", "The hours of the night")
		from, err := calendar.ParseWallTime(f.Get("night_from"))
		if err != nil {
			f.Problems = append(f.Problems, farm.Problem{Field: "night_from", Says: "Say when the night begins, like 20:00."})
		}
		t.NightFrom = from
	}
	return t
}

// action does one thing to a clutch from a form.
type action func(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error)

// acting runs an action and goes back to where it was tapped; what was typed wrong comes back on the clutch's page.
func (h handler) acting(act action) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		id, f, err := page.Posted(c)
		if err != nil {
			return err
		}
		return h.act(c, m, id, f, act)
	}
}

// boxed is acting on a box; the clutch that was looked at is named in the form.
func (h handler) boxed(act action) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		id, f, err := page.Posted(c)
		if err != nil {
			return err
		}
		onBox := func(c *echo.Context, m *farm.Member, _ int64, f *page.Form) (farm.Done, error) {
			return act(c, m, id, f)
		}
		return h.act(c, m, f.ID("clutch"), f, onBox)
	}
}

func (h handler) act(c *echo.Context, m *farm.Member, id int64, f *page.Form, act action) error {
	done, err := act(c, m, id, f)
	if f.Problems != nil {
		err = f.Problems
	}
	here := fmt.Sprintf("/clutches/%d", id)
	if do := f.Get("do"); do == "look" || do == "hatch" || do == "opened" {
		here += "?do=" + do
	}
	if id == 0 {
		here = "/clutches"
	}
	if p := page.ProblemsOf(err); p != nil && f.Get("back") == "" && id != 0 && c.Request().Method == http.MethodPost {
		return h.showing(c, m, page.Meta{Typed: f.Values, Problems: p}, id, f.Get("do"))
	}
	return h.Finish(c, done, err, page.Back(c, here))
}

func told(f *page.Form, act func() (farm.Done, error)) (farm.Done, error) {
	if f.Problems != nil {
		return farm.Done{}, f.Problems
	}
	return act()
}

func marked(f *page.Form) (ids []int64) {
	for _, s := range f.Values["egg"] {
		if id, err := strconv.ParseInt(s, 10, 64); err == nil {
			ids = append(ids, id)
		}
	}
	return ids
}

func (h handler) look(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	l := clutch.Look{Eggs: marked(f), TakeOut: f.Get("take_out") != "", At: f.When(m)}
	for _, s := range f.Values["sign"] {
		l.Signs = append(l.Signs, reptile.Sign(s))
	}
	return told(f, func() (farm.Done, error) { return h.Clutches.Look(c.Request().Context(), f.Request(m), id, l) })
}

func (h handler) pip(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	at := f.When(m)
	return told(f, func() (farm.Done, error) {
		return h.Clutches.Pip(c.Request().Context(), f.Request(m), id, marked(f), at)
	})
}

func (h handler) out(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	at := f.When(m)
	return told(f, func() (farm.Done, error) {
		return h.Clutches.Out(c.Request().Context(), f.Request(m), id, marked(f), f.Get("helped") != "", at)
	})
}

func (h handler) opened(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	o := clutch.Opened{
		Eggs: marked(f), Stage: candling.Stage(f.Get("stage")), Cause: reptile.Cause(f.Get("cause")), At: f.When(m),
	}
	return told(f, func() (farm.Done, error) { return h.Clutches.Open(c.Request().Context(), f.Request(m), id, o) })
}

func (h handler) mass(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	eggs, at := f.Int("eggs", "The number of eggs"), f.When(m)
	grams := m.Units().Grams(f.Float("mass", "The weight of the eggs"))
	return told(f, func() (farm.Done, error) {
		return h.Clutches.WeighEggs(c.Request().Context(), f.Request(m), id, eggs, grams, at)
	})
}

func (h handler) young(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	y := clutch.Hatchling{
		ID: f.ID("young"), Sex: f.Get("sex"), Band: f.Get("band"), Note: f.Get("note"),
		WeightG: f.MaybeMass("weight", "The weight of the young", m), ShedOn: f.MaybeDate("shed_on", "The first shed"),
		FedOn: f.MaybeDate("fed_on", "The first feed"), LeftAt: maybeMoment(f, m, "left", "When it left the box"),
		DiedAt: maybeMoment(f, m, "died", "When it died"),
	}
	return told(f, func() (farm.Done, error) {
		return h.Clutches.Hatchling(c.Request().Context(), f.Request(m), id, y)
	})
}

func (h handler) left(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	at := f.When(m)
	var young []int64
	for _, s := range f.Values["left"] {
		if n, err := strconv.ParseInt(s, 10, 64); err == nil {
			young = append(young, n)
		}
	}
	return told(f, func() (farm.Done, error) {
		return h.Clutches.Left(c.Request().Context(), f.Request(m), id, young, at)
	})
}

func maybeMoment(f *page.Form, m *farm.Member, field, what string) *time.Time {
	if strings.TrimSpace(f.Get(field)) == "" {
		return nil
	}
	at := f.Moment(field, what, m.Place)
	return &at
}

func (h handler) done(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	day := f.Int("day", "The day")
	return told(f, func() (farm.Done, error) {
		return h.Clutches.TickOff(c.Request().Context(), f.Request(m), id, f.Get("kind"), day)
	})
}

func (h handler) close(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	at := f.When(m)
	return told(f, func() (farm.Done, error) { return h.Hatch.Close(c.Request().Context(), f.Request(m), id, at) })
}

func (h handler) temp(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	w := clutch.Warming{Temp: readTemp(f, m), All: f.Get("all") != ""}
	if f.Get("from") != "" {
		w.From = f.Moment("from", "From when", m.Place)
	}
	if f.Get("until") != "" {
		w.Until = f.Moment("until", "Until when", m.Place)
	}
	return told(f, func() (farm.Done, error) { return h.Clutches.SetTemp(c.Request().Context(), f.Request(m), id, w) })
}

// plan takes over a proposal: its figures stand in the form, in °C.
func (h handler) plan(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	now := clutch.Temp{C: f.Float("now_c", "The temperature")}
	later := clutch.Temp{C: f.Float("later_c", "The temperature")}
	if f.Get("plan_until") == "" {
		return told(f, func() (farm.Done, error) {
			return h.Clutches.SetTemp(c.Request().Context(), f.Request(m), id, clutch.Warming{Temp: now})
		})
	}
	until := f.Moment("plan_until", "Until when", m.Place)
	return told(f, func() (farm.Done, error) {
		return h.Clutches.Plan(c.Request().Context(), f.Request(m), id, now, until, later)
	})
}

func (h handler) weighed(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	w := clutch.Weighing{
		MassG: m.Units().Grams(f.Float("mass", "The weight of the box")), Anew: f.Get("anew") != "", At: f.When(m),
	}
	if gave := f.MaybeMass("gave", "The water that was given", m); gave != nil {
		w.GaveG = *gave
	}
	return told(f, func() (farm.Done, error) { return h.Clutches.Weigh(c.Request().Context(), f.Request(m), id, w) })
}

func (h handler) aired(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	mould, at := f.Int("mould", "The number of eggs with mould"), f.When(m)
	return told(f, func() (farm.Done, error) {
		return h.Clutches.Air(c.Request().Context(), f.Request(m), id, mould, at)
	})
}

func (h handler) moved(c *echo.Context, m *farm.Member, id int64, f *page.Form) (farm.Done, error) {
	return h.Clutches.Move(c.Request().Context(), f.Request(m), id, f.ID("machine"))
}

// box goes to the water of a box, on the page of a clutch in it.
func (h handler) box(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	in, err := h.Clutches.InBox(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/clutches/%d#water", in))
}
