package probes

import (
	"fmt"
	"strconv"

	"github.com/labstack/echo/v5"

	"metrogon/core/climate"
	"metrogon/farm"
	"metrogon/farm/alarms"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type alarmHandler struct {
	*page.Site
	list page.Template[alarmData]
}

// alarmRoutes hangs the page in.
func alarmRoutes(e *echo.Echo, s *page.Site) {
	x := alarmHandler{s, page.Parse[alarmData](s, files, "alarms.html")}
	e.GET("/alarms", s.Signed(page.Fresh(x.show)))
	s.Post(e, "/alarms", farm.Keeping, x.save)
	s.Post(e, "/alarms/usual", farm.Keeping, x.usual)
	s.Post(e, "/alarms/try", farm.Keeping, x.try)
	s.Post(e, "/alarms/:id", farm.Keeping, x.save)
	s.Post(e, "/alarms/:id/end", farm.Keeping, x.end)
	s.Post(e, "/rings/:id/seen", farm.Helping, x.seen)
	s.Post(e, "/found/:id", farm.Helping, x.found)
}

type alarmData struct {
	alarms.Page
	Member *farm.Member
	Tried  *alarms.Tried
}

// what is picked in the form.
type pick struct{ ID, Name string }

// Whats are what an alarm rings for.
func (d alarmData) Whats() []pick {
	all := []pick{
		{string(climate.Cool), "cooler than"}, {string(climate.Warm), "warmer than"}, {string(climate.Parched), "drier than"},
		{string(climate.Humid), "more humid than"}, {string(climate.Falls), "falls within ten minutes by"},
		{string(climate.Silent), "a probe is silent"},
	}
	if d.Reptiles {
		all = append(all, pick{string(climate.ByKind), "more than reptiles’ eggs in it bear"})
	}
	return all
}

// Phases are when it holds: boxes of reptiles have none.
func (d alarmData) Phases() []pick {
	all := []pick{{alarms.Any, "always"}}
	if d.Birds {
		all = append(all, pick{alarms.Turning, "while eggs turn"}, pick{alarms.Lockdown, "in lockdown"})
	}
	return append(all, pick{alarms.Empty, "while it is empty"})
}

// Says says what an alarm rings for.
func (d alarmData) Says(a alarms.Alarm) string {
	machines := map[int64]snapshot.Machine{}
	for _, x := range d.Machines {
		machines[x.ID] = x
	}
	return alarms.Says(a, d.Member, machines)
}

// Bound is the bound of an alarm as it is typed.
func (d alarmData) Bound(a alarms.Alarm) string {
	switch climate.Alert(a.What) {
	case climate.Warm, climate.Cool:
		return d.Member.Units().Degrees(a.Bound)
	case climate.Falls:
		return d.Member.Units().Width(a.Bound)
	case climate.Silent, climate.ByKind:
		return ""
	}
	return strconv.FormatFloat(a.Bound, 'f', -1, 64)
}

func (x alarmHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	return x.render(c, m, meta, nil)
}

func (x alarmHandler) render(c *echo.Context, m *farm.Member, meta page.Meta, tried *alarms.Tried) error {
	p, err := x.Alarms.Page(c.Request().Context(), m)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/machines", "Alarms"
	return x.list.Render(c, meta, m, alarmData{p, m, tried})
}

// read reads an alarm from the form.
func read(f *page.Form, m *farm.Member) alarms.Alarm {
	a := alarms.Alarm{
		What: f.Get("what"), Phase: f.Get("phase"), DelayMin: f.Int("delay", "The delay in minutes"),
		Wakes: f.Get("wakes") != "",
	}
	if id := f.ID("machine"); id != 0 {
		a.MachineID = &id
	}
	what := climate.Alert(a.What)
	if what == climate.Silent || what == climate.ByKind {
		return a
	}
	a.Bound = f.Float("bound", "The bound")
	switch {
	case what == climate.Warm || what == climate.Cool:
		a.Bound = page.Celsius(m, a.Bound)
	case what == climate.Falls && m.Units().Fahrenheit:
		a.Bound /= 1.8
	}
	return a
}

func (x alarmHandler) save(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	a := read(f, m)
	if c.Param("id") != "" {
		if a.ID, err = page.ID(c); err != nil {
			return err
		}
	}
	return x.Save(c, f, "/alarms", func() (farm.Done, error) {
		return x.Alarms.Save(c.Request().Context(), f.Request(m), a)
	}, func(meta page.Meta) error { return x.show(c, m, meta) })
}

// try shows what an alarm would have done in the last month, with what was typed still in the form.
func (x alarmHandler) try(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	a := read(f, m)
	if f.Problems == nil {
		tried, err := x.Alarms.Try(c.Request().Context(), m, a)
		if p := page.ProblemsOf(err); p != nil {
			f.Problems = p
		} else if err != nil {
			return err
		} else {
			return x.render(c, m, page.Meta{Typed: f.Values}, &tried)
		}
	}
	return x.Save(c, f, "/alarms", func() (farm.Done, error) { return farm.Done{}, f.Problems },
		func(meta page.Meta) error { return x.show(c, m, meta) })
}

func (x alarmHandler) usual(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	done, err := x.Alarms.StartWithUsual(c.Request().Context(), f.Request(m))
	return x.Finish(c, done, err, "/alarms")
}

func (x alarmHandler) end(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Alarms.End(c.Request().Context(), f.Request(m), id)
	return x.Finish(c, done, err, "/alarms")
}

func (x alarmHandler) seen(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Alarms.See(c.Request().Context(), f.Request(m), id)
	return x.Finish(c, done, err, page.Back(c, "/alarms"))
}

// found keeps what somebody says of what was found in the readings.
func (x alarmHandler) found(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Alarms.Say(c.Request().Context(), f.Request(m), id, f.Get("said"))
	return x.Finish(c, done, err, page.Back(c, fmt.Sprintf("/machines/%d/readings", f.ID("machine"))))
}
