// Package machines lists the machines, and what each holds.
package machines

import (
	"embed"
	"fmt"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/machine"
	"metrogon/core/species"
	"metrogon/core/tray"
	"metrogon/farm"
	"metrogon/farm/machines"
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
	e.POST("/machines/:id/ready", s.Signed(x.ready))
	e.POST("/machines/:id/trays", s.Signed(x.saveTray))
	for _, path := range []string{"/machines/new", "/machines/:id"} {
		e.GET(path, s.Signed(func(c *echo.Context, m *farm.Member) error { return x.form(c, m, page.Shell{}) }))
		e.POST(path, s.Signed(x.save))
	}
}

type data struct {
	All    []machines.MachinePage
	One    *machines.MachinePage // on its own page, or empty for a new one
	Kinds  []machine.Kind
	Common []*species.Profile // the kinds that the form offers first
	Others []*species.Profile
	Trays  []farm.Tray
}

// PerPlace is how many eggs lie in one place: the farm's number, or a proposal.
func (d data) PerPlace(k *species.Profile) int {
	if r := d.Room(k.ID); r.PerPlace > 0 {
		return r.PerPlace
	}
	return tray.PerPlace(k)
}

// Spots names the places of a tray.
func (data) Spots(t farm.Tray, places []int) string {
	all := tray.Tray{Rows: t.TrayRows, Columns: t.TrayColumns}
	names := make([]string, len(places))
	for i, p := range places {
		names[i] = all.Name(p)
	}
	return strings.Join(names, " ")
}

// KindName is the trade's name for a kind of machine.
func (data) KindName(id string) string {
	kind, err := machine.Find(id)
	if err != nil {
		return id
	}
	return kind.Name
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
	all, err := x.Machines.List(c.Request().Context(), m)
	if err != nil {
		return err
	}
	shell.Nav, shell.Title = "/machines", "Machines"
	return x.Show(c, x.page, shell, m, data{All: all})
}

func (x shed) form(c *echo.Context, m *farm.Member, shell page.Shell) error {
	d := data{One: &machines.MachinePage{}, Kinds: machine.Kinds()}
	shell.Nav, shell.Title = "/machines", "New machine"
	if c.Param("id") != "" {
		id, err := page.ID(c)
		if err != nil {
			return err
		}
		all, err := x.Machines.List(c.Request().Context(), m)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(p machines.MachinePage) bool { return p.ID == id })
		if i < 0 {
			return farm.ErrNone
		}
		d.One, shell.Title = &all[i], all[i].Name
		if d.Trays, err = x.Machines.MachineTrays(c.Request().Context(), m, id); err != nil {
			return err
		}
	}
	kept, err := x.Flock.KindsKept(c.Request().Context(), m)
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
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	machine := farm.Machine{
		ID: id, Name: f.Get("name"), Kind: f.Get("kind"),
		CounterFrom: f.Int("counter_from", "The counter's first number"),
		UntilOn:     f.MaybeDate("until_on", "The last day of use"), ByHand: f.Get("by_hand") != "",
	}
	if f.Get("counter_started_at") != "" {
		at := f.Moment("counter_started_at", "The counter's start", m.Place)
		machine.CounterStartedAt = &at
	}
	var rooms []farm.Room
	for _, k := range species.All() {
		rooms = append(rooms, farm.Room{Species: k.ID,
			Setting:  f.Int("setting-"+k.ID, "The room for setting "+k.Name),
			Hatching: f.Int("hatching-"+k.ID, "The room for hatching "+k.Name), PerPlace: f.Int(
				"per-"+k.ID, "The eggs in one place, "+k.Name,
			)})
	}
	return x.Keep(c, f, "/machines", func() (farm.Done, error) {
		return x.Machines.SaveMachine(c.Request().Context(), m, f.Get("key"), machine, rooms)
	}, func(shell page.Shell) error { return x.form(c, m, shell) })
}

func (x shed) ready(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Machines.MadeReady(c.Request().Context(), m, f.Get("key"), id, f.Values["step"]...)
	return x.Tell(c, done, err, page.Back(c, fmt.Sprintf("/machines/%d", id)))
}

func (x shed) saveTray(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	t := farm.Tray{
		ID: f.ID("tray"), MachineID: id, Name: f.Get("tray_name"), TrayRows: f.Int("tray_rows", "The number of rows"),
		TrayColumns: f.Int("tray_columns", "The number of places in a row"),
	}
	if f.Get("gone") != "" {
		today := m.Date(x.Now())
		t.UntilOn = &today
	}
	if f.Problems != nil {
		return x.Tell(c, farm.Done{}, f.Problems, fmt.Sprintf("/machines/%d", id))
	}
	done, err := x.Machines.SaveTray(c.Request().Context(), m, f.Get("key"), t, f.Get("warm"), f.Get("cool"))
	return x.Tell(c, done, err, fmt.Sprintf("/machines/%d", id))
}
