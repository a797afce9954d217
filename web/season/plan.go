package season

import (
	"context"

	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/season"
	"metrogon/web/page"
)

type planHandler struct {
	*page.Site
	plan page.Template[planData]
}

// planRoutes hangs the page in.
func planRoutes(e *echo.Echo, s *page.Site) {
	x := planHandler{s, page.ParseWith[planData](s, nil, files, "plan.html", "proposals.html")}
	e.GET("/plan", s.Signed(page.Fresh(x.show)))
	s.Post(e, "/plan", farm.Keeping, x.ask)
	s.Post(e, "/plan/if", farm.Keeping, x.whatIf)
	e.GET("/plan/:id/problem.json", s.File(x.export(true)))
	e.GET("/plan/:id/plan.json", s.File(x.export(false)))
	e.GET("/plan/:id/changes", s.Signed(page.Fresh(x.changes))) // while settings are ticked
	s.Post(e, "/plan/:id/accept", farm.Keeping, x.accept)
	s.Post(e, "/plan/:id/forbid", farm.Keeping, x.forbid)
	for path, act := range map[string]func(*season.Service) action{
		"cancel": func(s *season.Service) action { return s.Cancel },
		"throw":  func(s *season.Service) action { return s.Throw },
		"keep":   func(s *season.Service) action { return s.Keep },
	} {
		s.Post(e, "/plan/:id/"+path, farm.Keeping, x.tap(act(s.Season)))
	}
}

type planData struct{ season.Plans }

func (x planHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	all, err := x.Season.Plans(c.Request().Context(), m)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/board", "Plan of the season"
	return x.plan.Render(c, meta, m, planData{all})
}

// InTen says chances as people do.
func (planData) InTen(chance float64) string { return season.InTen(chance) }

func (x planHandler) ask(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	return x.asked(c, m, f, nil)
}

func (x planHandler) whatIf(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	w := &season.WhatIf{Kind: f.Get("kind"), PenID: f.ID("pen")}
	if w.Kind == season.IfAway {
		w.From, w.To = f.Date("from_on", "The first day"), f.Date("to_on", "The last day")
	} else {
		w.N = f.Int("n", "How many")
	}
	return x.asked(c, m, f, w)
}

func (x planHandler) asked(c *echo.Context, m *farm.Member, f *page.Form, w *season.WhatIf) error {
	seconds := max(f.Int("seconds", "The seconds"), 0)
	if seconds == 0 {
		seconds = 5
	}
	if f.Problems != nil {
		return x.Finish(c, farm.Done{}, f.Problems, "/plan")
	}
	_, done, err := x.Season.Ask(c.Request().Context(), f.Request(m), seconds, w)
	next := "/plan"
	if err != nil && f.Get("back") != "" {
		next = page.Back(c, next)
	}
	return x.Finish(c, farm.Done{Said: done.Said}, err, next)
}

// changes shows what the ticked settings make of the promises.
func (x planHandler) changes(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	ctx, which := c.Request().Context(), ticked(c.QueryParams())
	all, err := x.Season.Plans(ctx, m)
	if err != nil {
		return err
	}
	if p := all.Plan; p != nil && p.ID == id {
		if p.Changes = nil; len(which) > 0 {
			if p.Changes, err = x.Season.Changes(ctx, m, id, which); err != nil {
				return err
			}
		}
	}
	meta.Nav, meta.Title = "/board", "Plan of the season"
	return x.plan.Render(c, meta, m, planData{all})
}

// ticked are the numbers of settings.
func ticked(v url.Values) (which []int) {
	for _, one := range v["which"] {
		if n, err := strconv.Atoi(one); err == nil {
			which = append(which, n)
		}
	}
	return which
}

func (x planHandler) accept(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	which := ticked(f.Values)
	if f.Get("some") != "" && len(which) == 0 {
		return x.Finish(c, farm.Done{}, farm.Problemf("which", "Tick the settings that you accept."), "/plan")
	}
	done, err := x.Season.Accept(c.Request().Context(), f.Request(m), id, which)
	return x.Finish(c, done, err, "/plan")
}

func (x planHandler) forbid(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Season.Forbid(c.Request().Context(), f.Request(m), id, f.Int("no", "The number"))
	return x.Finish(c, done, err, "/plan")
}

// tap is a one-tap action on a plan.
func (x planHandler) tap(act action) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		id, f, err := page.Posted(c)
		if err != nil {
			return err
		}
		done, err := act(c.Request().Context(), f.Request(m), id)
		return x.Finish(c, done, err, "/plan")
	}
}

type action = func(ctx context.Context, req farm.Request, id int64) (farm.Done, error)

// export gives a plan's problem, or the plan, in the form of docs/planning.md.
func (x planHandler) export(problem bool) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		id, err := page.ID(c)
		if err != nil {
			return err
		}
		asked, plan, err := x.Season.Export(c.Request().Context(), m, id)
		switch {
		case err != nil:
			return err
		case problem:
			return c.JSONBlob(http.StatusOK, asked)
		case plan == nil:
			return farm.ErrNone
		}
		return c.JSONBlob(http.StatusOK, plan)
	}
}
