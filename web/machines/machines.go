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
	"metrogon/farm/gauges"
	"metrogon/farm/machines"
	"metrogon/farm/notes"
	"metrogon/farm/snapshot"
	"metrogon/farm/weigh"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	list    page.Template[list]
	machine page.Template[data]
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	x := handler{s, page.Parse[list](s, files, "list.html"), page.Parse[data](
		s, files, "machine.html", "air.html", "water.html", "turner.html", "hen.html", "reads.html",
	)}
	e.GET("/machines", s.Signed(page.Fresh(x.show)))
	s.Post(e, "/machines/:id/ready", farm.Helping, x.ready)
	s.Post(e, "/machines/:id/water", farm.Helping, x.water)
	s.Post(e, "/machines/:id/note", farm.Helping, x.note)
	s.Post(e, "/machines/:id/read", farm.Helping, x.read)
	s.Post(e, "/machines/:id/air", farm.Keeping, x.setAir)
	s.Post(e, "/machines/:id/changed", farm.Helping, x.changed)
	s.Post(e, "/machines/:id/looked", farm.Helping, x.looked)
	s.Post(e, "/machines/:id/turns", farm.Helping, x.turns)
	s.Post(e, "/machines/:id/dummies", farm.Helping, x.dummies)
	s.Post(e, "/machines/:id/swap", farm.Keeping, x.swap)
	s.Post(e, "/machines/:id/trays", farm.Keeping, x.saveTray)
	for _, path := range []string{"/machines/new", "/machines/:id"} {
		e.GET(path, s.Signed(page.Fresh(x.form)))
		s.Post(e, path, farm.Keeping, x.save)
	}
}

// list is all machines.
type list struct {
	named
	All []machines.MachinePage
}

// data is one machine, or a new one.
type data struct {
	named
	One    machines.MachinePage
	Kinds  []machine.Kind
	Common []*species.Profile // the kinds that the form offers first
	Others []*species.Profile
	Trays  []snapshot.Tray
	Air    *air // nil where no eggs stand
	Notes  []notes.Note
	Reads  gauges.Machine
}

// PerPlace is how many eggs lie in one place: the farm's number, or a proposal.
func (d data) PerPlace(k *species.Profile) int {
	if r := d.Room(k.ID); r.PerPlace > 0 {
		return r.PerPlace
	}
	return tray.PerPlace(k)
}

// Spots names the places of a tray.
func (data) Spots(t snapshot.Tray, places []int) string {
	all := tray.Tray{Rows: t.TrayRows, Columns: t.TrayColumns}
	names := make([]string, len(places))
	for i, p := range places {
		names[i] = all.Name(p)
	}
	return strings.Join(names, " ")
}

// named names kinds.
type named struct{}

// KindName is the trade's name for a kind of machine.
func (named) KindName(id string) string {
	kind, err := machine.Find(id)
	if err != nil {
		return id
	}
	return kind.Name
}

// Room finds what the machine holds of a species.
func (d data) Room(id string) snapshot.Room {
	for _, r := range d.One.Rooms {
		if r.Species == id {
			return r
		}
	}
	return snapshot.Room{}
}

func (x handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	all, err := x.Machines.List(c.Request().Context(), m)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/machines", "Machines"
	return x.list.Render(c, meta, m, list{All: all})
}

func (x handler) form(c *echo.Context, m *farm.Member, meta page.Meta) error {
	d := data{Kinds: machine.Kinds()}
	var kept []string
	meta.Nav, meta.Title = "/machines", "New machine"
	if c.Param("id") != "" {
		id, err := page.ID(c)
		if err != nil {
			return err
		}
		var all []machines.MachinePage
		var shared weigh.MachineAir
		err = snapshot.ReadParts(
			c.Request().Context(), x.Service, m, machines.All(&all), machines.TraysOf(id, &d.Trays), machines.Kept(&kept),
			weigh.AirOf(id, &shared), notes.OfMachine(id, &d.Notes), gauges.MachineOf(id, &d.Reads),
		)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(p machines.MachinePage) bool { return p.ID == id })
		if i < 0 {
			return farm.ErrNone
		}
		d.One, meta.Title = all[i], all[i].Name
		if machine.ID(d.One.Kind) != machine.ReptileBox { // of boxes each has its own
			d.Air = drawAir(shared)
		}
	} else if err := snapshot.ReadParts(c.Request().Context(), x.Service, m, machines.Kept(&kept)); err != nil {
		return err
	}
	for _, k := range m.Offered() {
		if slices.Contains(kept, k.ID) || d.Room(k.ID).Species != "" || (len(kept) == 0 && k.ID == "chicken") {
			d.Common = append(d.Common, k)
		} else {
			d.Others = append(d.Others, k)
		}
	}
	return x.machine.Render(c, meta, m, d)
}

func (x handler) save(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	machine := snapshot.Machine{
		ID: id, Name: f.Get("name"), Kind: f.Get("kind"),
		CounterFrom: f.Int("counter_from", "The counter's first number"),
		UntilOn:     f.MaybeDate("until_on", "The last day of use"), ByHand: f.Get("by_hand") != "",
		CleanDays: f.Int("clean_days", "The days of cleaning"), WaterML: f.Int("water_ml", "The water that it holds"),
		School: f.Get("school"), TurnMinutes: f.Int("turn_minutes", "The minutes between turns"),
		TurnAngle: f.Int("turn_angle", "The angle of the turner"), TurnStops: f.Get("turn_stops") != "",
	}
	if f.Get("counter_started_at") != "" {
		at := f.Moment("counter_started_at", "The counter's start", m.Place)
		machine.CounterStartedAt = &at
	}
	var rooms []snapshot.Room
	for _, k := range m.Offered() {
		rooms = append(rooms, snapshot.Room{Species: k.ID,
			Setting:  f.Int("setting-"+k.ID, "The room for setting "+k.Name),
			Hatching: f.Int("hatching-"+k.ID, "The room for hatching "+k.Name), PerPlace: f.Int(
				"per-"+k.ID, "The eggs in one place, "+k.Name,
			)})
	}
	with := apart(f)
	return x.Save(c, f, "/machines", func() (farm.Done, error) {
		if id == 0 {
			return x.Machines.NameMachine(c.Request().Context(), f.Request(m), machine, rooms, with)
		}
		return x.Machines.SaveMachine(c.Request().Context(), f.Request(m), machine, rooms)
	}, func(meta page.Meta) error { return x.form(c, m, meta) })
}

// apart reads the hatcher that is named with a machine; nil for none.
func apart(f *page.Form) *machines.Hatcher {
	with := &machines.Hatcher{Name: f.Get("hatcher"), Rooms: f.HatchingApart()}
	if with.Name == "" && len(with.Rooms) == 0 {
		return nil
	}
	return with
}

func (x handler) ready(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Machines.MadeReady(c.Request().Context(), f.Request(m), id, f.Values["step"]...)
	return x.Finish(c, done, err, page.Back(c, fmt.Sprintf("/machines/%d", id)))
}

func (x handler) saveTray(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	t := snapshot.Tray{
		ID: f.ID("tray"), MachineID: id, Name: f.Get("tray_name"), TrayRows: f.Int("tray_rows", "The number of rows"),
		TrayColumns: f.Int("tray_columns", "The number of places in a row"),
	}
	if f.Get("gone") != "" {
		today := m.Date(x.Now())
		t.UntilOn = &today
	}
	if f.Problems != nil {
		return x.Finish(c, farm.Done{}, f.Problems, fmt.Sprintf("/machines/%d", id))
	}
	done, err := x.Machines.SaveTray(c.Request().Context(), f.Request(m), t, f.Get("warm"), f.Get("cool"))
	return x.Finish(c, done, err, fmt.Sprintf("/machines/%d", id))
}
