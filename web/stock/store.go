package stock

import (
	"fmt"
	"math"
	"strconv"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/web/page"
)

// inStore is every collection with eggs in store.
type inStore struct {
	Baskets []stock.BasketView
	Places  []snapshot.PlaceView
	Pens    []snapshot.Pen // that have eggs in store
	Pen     int64          // the only one shown; 0: all
	Rejects []stock.RejectView
	Eggs    int
}

func (r eggHandler) store(c *echo.Context, m *farm.Member) error {
	s := inStore{}
	all, places, rejects, err := r.Stock.Baskets(c.Request().Context(), m, 0)
	if err != nil {
		return err
	}
	s.Rejects = rejects
	s.Pen, _ = strconv.ParseInt(c.QueryParam("pen"), 10, 64)
	seen := map[int64]bool{}
	for _, b := range all {
		if !seen[b.Pen.ID] {
			seen[b.Pen.ID] = true
			s.Pens = append(s.Pens, b.Pen)
		}
		if s.Pen == 0 || b.Pen.ID == s.Pen {
			s.Baskets = append(s.Baskets, b)
			s.Eggs += b.Basket.Eggs
		}
	}
	s.Places = places
	return r.inStore.Render(c, page.Meta{Nav: "/eggs", Title: "All in store"}, m, s)
}

func (r eggHandler) move(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	var ids []int64
	for _, s := range f.Values["basket"] {
		if id, err := strconv.ParseInt(s, 10, 64); err == nil {
			ids = append(ids, id)
		}
	}
	done, err := r.Stock.MoveBaskets(c.Request().Context(), f.Request(m), ids, f.ID("place"))
	return r.Finish(c, done, err, "/eggs/store")
}

// trial puts rejected eggs into store, to be set and told apart.
func (r eggHandler) trial(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	eggs := f.Int("eggs", "The number of eggs")
	if f.Problems != nil {
		return r.Finish(c, farm.Done{}, f.Problems, "/eggs/store")
	}
	done, err := r.Stock.OnTrial(c.Request().Context(), f.Request(m), f.ID("collection"), f.Get("reason"), eggs)
	return r.Finish(c, done, err, "/eggs/store")
}

// waiting is the curve of what waiting costs, drawn.
type waiting struct {
	stock.Waiting
	Published, Blend string // polylines
	Band             string // a polygon: how low and how high it may be
	Dots             []dot
	Ticks            []page.Tick
	BestX, LastX     string
}

// dot is what own eggs of one age did.
type dot struct {
	X    string
	Y, R float64
	Says string
}

func (r eggHandler) waiting(c *echo.Context, m *farm.Member) error {
	w, err := r.Stock.Waiting(c.Request().Context(), m, c.QueryParam("kind"))
	if err != nil {
		return err
	}
	return r.curve.Render(c, page.Meta{Nav: "/eggs", Title: "What waiting costs"}, m, draw(w))
}

func draw(w stock.Waiting) *waiting {
	d := &waiting{Waiting: w}
	if w.Kind == nil { // no birds are kept yet
		return d
	}
	x := func(day float64) float64 { return (day - 1) / float64(len(w.Ages)-1) }
	y := func(rel float64) float64 { return page.Down(min(rel, 1.1)) }
	for _, a := range w.Ages {
		day := float64(a.Days)
		d.Published += fmt.Sprintf("%g,%g ", page.Across(x(day)), y(a.Published))
		d.Blend += fmt.Sprintf("%g,%g ", page.Across(x(day)), y(a.Relative))
		d.Band += fmt.Sprintf("%g,%g ", page.Across(x(day)), y(a.High))
		if a.Days%2 == 1 {
			d.Ticks = append(d.Ticks, page.Tick{X: page.Percent(x(day)), Label: strconv.Itoa(a.Days)})
		}
	}
	for i := range w.Ages { // and back
		a := w.Ages[len(w.Ages)-1-i]
		d.Band += fmt.Sprintf("%g,%g ", page.Across(x(float64(a.Days))), y(a.Low))
	}
	d.BestX, d.LastX = page.Percent(x(w.Kind.StorageBestDays.At)), page.Percent(x(w.Kind.StorageLimitDays.At))
	if fresh := w.Ages[0]; fresh.Set > 0 && fresh.Hatched > 0 { // own eggs against own fresh ones
		base := float64(fresh.Hatched) / float64(fresh.Set)
		for _, a := range w.Ages {
			if a.Set >= 10 {
				rel := float64(a.Hatched) / float64(a.Set) / base
				d.Dots = append(d.Dots, dot{
					page.Percent(x(float64(a.Days))), y(rel), 3 + min(4, math.Sqrt(float64(a.Set))/12),
					fmt.Sprintf("%d days: %d of %d hatched", a.Days, a.Hatched, a.Set),
				})
			}
		}
	}
	return d
}
