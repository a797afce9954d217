package hatch

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/farm/hatch"
	"metrogon/web/page"
)

type breakoutHandler struct {
	*page.Site
	bench page.Template[bench]
}

// breakoutRoutes hangs the page in.
func breakoutRoutes(e *echo.Echo, s *page.Site) {
	h := breakoutHandler{s, page.Parse[bench](s, files, "breakout.html", "drawings.html")}
	s.Get(e, "/batches/:id/opened", farm.Helping, page.Fresh(h.show))
	s.Post(e, "/batches/:id/opened", farm.Helping, h.open)
}

// bench is the eggs to be opened, and the one that is in the hand.
type bench struct {
	hatch.BreakOutPage
	Now   int64 // the egg in the hand
	Shown []drawing
	Seen  []breakoutRow
	Ticks []candling.FindingSign
}

// drawing is what an egg may be like.
type drawing struct {
	Name   string // of the template that draws it
	Value  string
	Label  string
	Second string
}

// breakoutRow is a pen's opened eggs, in the order of the drawings.
type breakoutRow struct {
	Pen string
	All [7]int
	Sum int
}

// The drawings as they are named, in the order of hatch.Drawings.
var labels = [7]string{"Infertile", "Early", "Half-way", "Late", "Pipped inside", "Pipped", "Rotten"}

func drawings(b hatch.BreakOutPage, m *farm.Member) (all []drawing) {
	for i, d := range hatch.Drawings {
		x := drawing{Name: "opened-" + string(d.Stage), Value: string(d.Stage), Label: labels[i]}
		if d.Inside {
			x.Name, x.Value = x.Name+"-inside", x.Value+" inside"
		}
		count := m.Counting().Count
		switch from, to := d.Stage.DaysOf(b.Kind); {
		case d.Stage == candling.Infertile:
			x.Second = "small dense spot"
		case d.Stage == candling.Contaminated:
			x.Second = "smell, ooze"
		case d.Inside:
			x.Second = "beak in the air cell"
		case d.Stage == candling.PippedDead:
			x.Second = "star in the shell"
		default:
			x.Second = fmt.Sprintf("days %d–%d", count(float64(from)), count(float64(to)))
		}
		all = append(all, x)
	}
	return all
}

// Hand is the egg in the hand; nil where none is left.
func (b bench) Hand() *hatch.WaitingEgg {
	for i := range b.Waiting {
		if b.Waiting[i].ID == b.Now {
			return &b.Waiting[i]
		}
	}
	return nil
}

func (h breakoutHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	b, err := h.Hatch.BreakOutOf(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	if b.Kind.IsReptile() {
		return farm.ErrNone
	}
	d := bench{BreakOutPage: b, Shown: drawings(b, m), Ticks: candling.FindingSigns}
	for _, s := range b.Seen {
		r := breakoutRow{Pen: s.Pen, All: s.All}
		for _, n := range s.All {
			r.Sum += n
		}
		d.Seen = append(d.Seen, r)
	}
	asked, _ := strconv.ParseInt(c.QueryParam("egg"), 10, 64)
	if typed := meta.Typed.Get("egg"); typed != "" {
		asked, _ = strconv.ParseInt(typed, 10, 64)
	}
	if i := slices.IndexFunc(b.Waiting, func(e hatch.WaitingEgg) bool { return e.ID == asked }); i >= 0 {
		d.Now = asked
	} else if len(b.Waiting) > 0 {
		d.Now = b.Waiting[0].ID
	}
	meta.Nav, meta.Title = "/batches", b.Code+" opened"
	return h.bench.Render(c, meta, m, d)
}

func (h breakoutHandler) open(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	stage, inside := strings.CutSuffix(f.Get("stage"), " inside")
	o := hatch.Opened{EggID: f.ID("egg"), Stage: candling.Stage(stage), At: f.When(m)}
	if inside {
		o.Findings = append(o.Findings, candling.Inside)
	}
	for _, x := range f.Values["found"] {
		o.Findings = append(o.Findings, candling.Finding(x))
	}
	return h.Save(c, f, fmt.Sprintf("/batches/%d/opened", id), func() (farm.Done, error) {
		return h.Hatch.BreakOut(c.Request().Context(), f.Request(m), id, o)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}
