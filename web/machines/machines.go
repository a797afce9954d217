// Package machines lists the machines, and what each holds.
package machines

import (
	"embed"
	"slices"

	"github.com/labstack/echo/v5"

	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type shed struct {
	*page.Site
	page page.Template
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	x := shed{s, page.Parse(s, files)}
	e.GET("/machines", s.Signed(func(c *echo.Context, m *farm.Member) error { return x.show(c, m, page.Shell{}) }))
	for _, path := range []string{"/machines/new", "/machines/:id"} {
		e.GET(path, s.Signed(func(c *echo.Context, m *farm.Member) error { return x.form(c, m, page.Shell{}) }))
		e.POST(path, s.Signed(x.save))
	}
}

type data struct {
	All    []farm.MachinePage
	One    *farm.MachinePage // on its own page, or empty for a new one
	Kinds  []struct{ ID, Name string }
	Common []*species.Profile // the kinds that the form offers first
	Others []*species.Profile
}

// KindName is the trade's name for a kind of machine.
func (data) KindName(id string) string {
	for _, k := range farm.MachineKinds {
		if k.ID == id {
			return k.Name
		}
	}
	return id
}

// Room finds what the machine holds of a species.
func (d data) Room(id string) farm.Room {
	if d.One != nil {
		for _, r := range d.One.Rooms {
			if r.Species == id {
				return r
			}
		}
	}
	return farm.Room{}
}

func (x shed) show(c *echo.Context, m *farm.Member, shell page.Shell) error {
	all, err := x.Books.Machines(c.Request().Context(), m)
	if err != nil {
		return err
	}
	shell.Nav, shell.Title = "/machines", "Machines"
	return x.Show(c, x.page, shell, m, data{All: all})
}

func (x shed) form(c *echo.Context, m *farm.Member, shell page.Shell) error {
	d := data{One: &farm.MachinePage{}, Kinds: farm.MachineKinds}
	shell.Nav, shell.Title = "/machines", "New machine"
	if c.Param("id") != "" {
		id, err := page.ID(c)
		if err != nil {
			return err
		}
		all, err := x.Books.Machines(c.Request().Context(), m)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(p farm.MachinePage) bool { return p.ID == id })
		if i < 0 {
			return farm.ErrNone
		}
		d.One, shell.Title = &all[i], all[i].Name
	}
	kept, err := x.Books.KindsKept(c.Request().Context(), m)
	if err != nil {
		return err
	}
	for _, k := range species.All() {
		if slices.Contains(kept, k.ID) || d.Room(k.ID).Species != "" || (len(kept) == 0 && k.ID == "chicken") {
			d.Common = append(d.Common, k)
		} else {
			d.Others = append(d.Others, k)
		}
	}
	return x.Show(c, x.page, shell, m, d)
}

func (x shed) save(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	machine := farm.Machine{Name: f.Get("name"), Kind: f.Get("kind"), CounterFrom: f.Int("counter_from", "The counter's first number"), UntilOn: f.MaybeDate("until_on", "The last day of use")}
	if c.Param("id") != "" {
		if machine.ID, err = page.ID(c); err != nil {
			return err
		}
	}
	if f.Get("counter_started_at") != "" {
		at := f.Moment("counter_started_at", "The counter's start", m.Place)
		machine.CounterStartedAt = &at
	}
	var rooms []farm.Room
	for _, k := range species.All() {
		rooms = append(rooms, farm.Room{Species: k.ID,
			Setting: f.Int("setting-"+k.ID, "The room for setting "+k.Name), Hatching: f.Int("hatching-"+k.ID, "The room for hatching "+k.Name)})
	}
	problems := f.Problems
	if problems == nil {
		done, err := x.Books.SaveMachine(c.Request().Context(), m, f.Get("key"), machine, rooms)
		if err == nil {
			return x.Say(c, done, "/machines")
		}
		if problems = page.ProblemsOf(err); problems == nil {
			return err
		}
	}
	return x.form(c, m, page.Shell{Typed: f.Values, Problems: problems})
}
