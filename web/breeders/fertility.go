package breeders

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/rates"
	"metrogon/farm"
	"metrogon/farm/breeders"
	"metrogon/web/page"
)

type testHandler struct {
	*page.Site
	tests     page.Template[testsView]
	statement page.Template[breeders.Statement]
	follows   page.Template[breeders.Decisions]
	cull      page.Template[[]breeders.Cull]
	money     page.Template[moneyView]
}

// testRoutes hangs the pages in.
func testRoutes(e *echo.Echo, s *page.Site) {
	h := testHandler{
		s, page.Parse[testsView](s, files, "tests.html"), page.Parse[breeders.Statement](s, files, "statement.html"),
		page.Parse[breeders.Decisions](s, files, "follows.html"),
		page.Parse[[]breeders.Cull](s, files, "cull.html"),
		page.Parse[moneyView](s, files, "money.html"),
	}
	e.GET("/tests", s.Signed(page.Fresh(h.show)))
	s.Post(e, "/tests", farm.Keeping, h.ask)
	s.Post(e, "/tests/thresholds", farm.Owning, h.thresholds)
	s.Post(e, "/tests/:id/batch", farm.Keeping, h.mark)
	s.Post(e, "/tests/:id/end", farm.Keeping, h.end)
	e.GET("/pens/:id/statement", s.Signed(h.showStatement))
	e.GET("/pens/:id/follows", s.Signed(h.showFollows))
	e.GET("/birds/cull", s.Signed(h.showCull))
	e.GET("/rates/money", s.Signed(h.showMoney))
}

// testsView is the tests as their page shows them: those that are open, and those that are ended.
type testsView struct {
	breeders.Tests
	Open, Ended []breeders.Test
	Pen         int64 // that a new one is for
	RetestOf    int64
}

func (h testHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	all, err := h.Breeders.Tests(c.Request().Context(), m)
	if err != nil {
		return err
	}
	v := testsView{Tests: all}
	v.Pen, _ = strconv.ParseInt(c.QueryParam("pen"), 10, 64)
	v.RetestOf, _ = strconv.ParseInt(c.QueryParam("again"), 10, 64)
	for _, t := range all.Tests {
		if t.EndedOn == nil {
			v.Open = append(v.Open, t)
			continue
		}
		v.Ended = append(v.Ended, t)
	}
	meta.Nav, meta.Title = "/pens", "Fertility tests"
	return h.tests.Render(c, meta, m, v)
}

func (h testHandler) ask(c *echo.Context, m *farm.Member) error {
	_, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	t := breeders.Asked{PenID: f.ID("pen"), Eggs: f.Int("eggs", "The number of eggs"), Why: f.Get("why")}
	if id := f.ID("again"); id > 0 {
		t.RetestOf = &id
	}
	return h.Save(c, f, "/tests", func() (farm.Done, error) {
		return h.Breeders.AskTest(c.Request().Context(), f.Request(m), t)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h testHandler) mark(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := h.Breeders.MarkTest(c.Request().Context(), f.Request(m), id, f.ID("batch"))
	return h.Finish(c, done, err, "/tests")
}

func (h testHandler) end(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := h.Breeders.EndTest(c.Request().Context(), f.Request(m), id, f.Get("decision"))
	return h.Finish(c, done, err, "/tests")
}

func (h testHandler) thresholds(c *echo.Context, m *farm.Member) error {
	_, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	limits := breeders.Thresholds{
		SellPct: f.Int("sell_pct", "The share from which eggs are sold"),
		SwapPct: f.Int("swap_pct", "The share below which a male goes"),
	}
	if f.Problems != nil {
		return h.Finish(c, farm.Done{}, f.Problems, "/tests")
	}
	done, err := h.Breeders.SetThresholds(c.Request().Context(), f.Request(m), limits)
	return h.Finish(c, done, err, "/tests")
}

func (h testHandler) showStatement(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	s, err := h.Breeders.Statement(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	return h.statement.Render(c, page.Meta{Nav: "/pens", Title: "Fertility of " + s.Pen.Name}, m, s)
}

// orderOf reads what somebody wants of a pen from the address; 0 wanted: nothing.
func orderOf(c *echo.Context) breeders.Order {
	return breeders.Order{
		Want: number(c, "want", 0), SurePct: number(c, "sure", 80), Pullets: c.QueryParam("what") == "pullets",
	}
}

func number(c *echo.Context, name string, usual int) int {
	n, err := strconv.Atoi(c.QueryParam(name))
	if err != nil {
		return usual
	}
	return n
}

func (h testHandler) showFollows(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	d, err := h.Breeders.Decide(c.Request().Context(), m, id, orderOf(c), number(c, "even", 0))
	if err != nil {
		return err
	}
	return h.follows.Render(c, page.Meta{Nav: "/pens", Title: "What follows: " + d.Pen.Name}, m, d)
}

func (h testHandler) showCull(c *echo.Context, m *farm.Member) error {
	all, err := h.Breeders.Cull(c.Request().Context(), m)
	if err != nil {
		return err
	}
	return h.cull.Render(c, page.Meta{Nav: "/pens", Title: "Who might go"}, m, all)
}

// moneyView is what a young costs.
type moneyView struct {
	breeders.Costs
	Typed map[string]string
}

// ask is an amount that is asked for.
type ask struct{ ID, Name string }

// Asks are what the costs are worked out from.
func (moneyView) Asks() []ask {
	return []ask{
		{"eggs", "Eggs of a batch"}, {"egg", "Worth of an egg"}, {"batch", "Power of a batch"}, {"feed", "Feed of a young"},
		{"price", "Price of a young"},
	}
}

// MachineAsks are what a better machine is worth by.
func (moneyView) MachineAsks() []ask {
	return []ask{{"machine", "Price of a machine"}, {"better", "Points of hatch it adds"}, {"year", "Eggs in it a year"}}
}

func (h testHandler) showMoney(c *echo.Context, m *farm.Member) error {
	typed := map[string]string{}
	amount := func(name string, usual float64) float64 {
		text := strings.TrimSpace(c.QueryParam(name))
		v, err := strconv.ParseFloat(strings.Replace(text, ",", ".", 1), 64)
		if err != nil || v < 0 || v > 1e6 {
			v = usual
		}
		typed[name] = strconv.FormatFloat(v, 'f', -1, 64)
		return v
	}
	q := breeders.CostQuery{
		Eggs: int(amount("eggs", 24)), Egg: amount("egg", 0), Batch: amount("batch", 0), Feed: amount("feed", 0),
		Price: amount("price", 0), Machine: amount("machine", 0), Better: amount("better", 5),
		PerYear: int(amount("year", 300)),
	}
	q.Pen, _ = strconv.ParseInt(c.QueryParam("pen"), 10, 64)
	all, err := h.Breeders.Costs(c.Request().Context(), m, q)
	if err != nil {
		return err
	}
	return h.money.Render(c, page.Meta{Nav: "/pens", Title: "What a young costs"}, m, moneyView{all, typed})
}

// Money writes an amount without a currency.
func (moneyView) Money(x float64) string { return fmt.Sprintf("%.2f", x) }

// advices name what a test says to do.
var advices = map[rates.Advice]string{
	rates.SellEggs: "sell", rates.SetEggs: "set", rates.SwapMale: "swap the male", rates.TestAgain: "set ten more",
}

// Advice names what a reading says to do.
func (testsView) Advice(a rates.Advice) string { return advices[a] }
