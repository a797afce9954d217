package season

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/season"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

func (x boardHandler) one(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	p, err := x.Season.Planned(c.Request().Context(), m, id, nil)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/board", p.Label()
	return x.planned.Render(c, meta, m, p)
}

// move keeps where a planned batch goes: dragged, moved by keys, typed, or cured by one tap.
func (x boardHandler) move(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	to := season.Move{SetterID: f.ID("setter"), HatcherID: f.ID("hatcher"), Eggs: f.Int("eggs", "The number of eggs")}
	if f.Get("set_on") != "" {
		to.SetOn = f.Date("set_on", "The set day")
	}
	for name := range f.Values {
		if pen, ok := strings.CutPrefix(name, "pen-"); ok {
			if to.Pens == nil {
				to.Pens = map[int64]int{}
			}
			var pid int64
			if _, err := fmt.Sscan(pen, &pid); err == nil {
				to.Pens[pid] = f.Int(name, "The number of eggs")
			}
		}
	}
	next := page.Back(c, fmt.Sprintf("/planned/%d", id))
	return x.Save(c, f, next, func() (farm.Done, error) {
		return x.Season.Move(c.Request().Context(), f.Request(m), id, to)
	}, func(meta page.Meta) error {
		if next != fmt.Sprintf("/planned/%d", id) {
			return x.Finish(c, farm.Done{}, meta.Problems, next)
		}
		return x.one(c, m, meta)
	})
}

func (x boardHandler) pin(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Season.Pin(c.Request().Context(), f.Request(m), id, f.Get("stays") == "yes")
	return x.Finish(c, done, err, page.Back(c, fmt.Sprintf("/planned/%d", id)))
}

func (x boardHandler) drop(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Season.Drop(c.Request().Context(), f.Request(m), id)
	return x.Finish(c, done, err, page.Back(c, "/board"))
}

// set sets a planned batch now, with the eggs that are there. Sent twice, the second time finds
// it set, and is answered as the first was.
func (x boardHandler) set(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	s := incubate.Setting{PlannedID: id}
	due, err := x.Season.Due(ctx, m, id)
	if err != nil && !errors.Is(err, farm.ErrNone) {
		return err
	}
	if err == nil {
		s.Species, s.SetterID, s.HatcherID, s.SetAt = due.Species, due.SetterID, due.HatcherID, x.Now()
		for _, e := range due.Picks {
			s.Picks = append(s.Picks, incubate.Pick{PenID: e.PenID, LaidOn: e.LaidOn, Eggs: e.Eggs})
		}
	}
	gone := errors.Is(err, farm.ErrNone)
	done, err := x.Incubate.Set(ctx, f.Request(m), s)
	if gone && page.ProblemsOf(err) != nil {
		err = farm.Problemf("planned", "It is set already, or not planned any more.")
	}
	next := page.Back(c, "/")
	if id := done.Of(journal.Batch); id != 0 && f.Get("back") == "" {
		next = fmt.Sprintf("/batches/%d", id)
	}
	return x.Finish(c, done, err, next)
}

// binds shows what else binds the planning: days away, closed machines, brooders, bans.
func (x boardHandler) binds(c *echo.Context, m *farm.Member, meta page.Meta) error {
	d, err := x.Days.Binds(c.Request().Context(), m)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/board", "Days and room"
	return x.days.Render(c, meta, m, d)
}

const daysPage = "/board/days"

func (x boardHandler) addAway(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	a := snapshot.Away{
		FromOn: f.Date("from_on", "The first day"), ToOn: f.Date("to_on", "The last day"), Actions: f.Values["actions"],
		Why: f.Get("why"),
	}
	return x.Save(c, f, daysPage, func() (farm.Done, error) {
		return x.Days.AddAway(c.Request().Context(), f.Request(m), a)
	}, func(meta page.Meta) error { return x.binds(c, m, meta) })
}

func (x boardHandler) addClosed(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	k := snapshot.Closure{MachineID: f.ID("machine"), ToOn: f.MaybeDate("to_on", "The last day"), Why: f.Get("why")}
	if k.FromOn = m.Date(x.Now()); f.Get("from_on") != "" {
		k.FromOn = f.Date("from_on", "The first day")
	}
	return x.Save(c, f, page.Back(c, daysPage), func() (farm.Done, error) {
		return x.Days.Close(c.Request().Context(), f.Request(m), k)
	}, func(meta page.Meta) error { return x.binds(c, m, meta) })
}

func (x boardHandler) saveBrooder(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	b := snapshot.Brooder{ID: f.ID("id"), Name: f.Get("name"), Places: f.Int("places", "Its places")}
	return x.Save(c, f, daysPage, func() (farm.Done, error) {
		return x.Days.SaveBrooder(c.Request().Context(), f.Request(m), b)
	}, func(meta page.Meta) error { return x.binds(c, m, meta) })
}

func (x boardHandler) dropDays(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	ctx, req := c.Request().Context(), f.Request(m)
	var done farm.Done
	switch c.Param("list") {
	case "away":
		done, err = x.Days.DropAway(ctx, req, id)
	case "closed":
		done, err = x.Days.DropClosure(ctx, req, id)
	case "brooders":
		done, err = x.Days.DropBrooder(ctx, req, id)
	case "bans":
		done, err = x.Days.DropBan(ctx, req, id)
	default:
		return echo.NewHTTPError(http.StatusNotFound, "There is no such list.")
	}
	return x.Finish(c, done, err, page.Back(c, daysPage))
}
