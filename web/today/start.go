package today

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/machine"
	"metrogon/core/species"
	"metrogon/core/tray"
	"metrogon/farm"
	"metrogon/farm/machines"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/farm/today"
	"metrogon/web/page"
)

type startHandler struct {
	*page.Site
	page page.Template[startData]
}

// startRoutes hangs the pages in.
func startRoutes(e *echo.Echo, s *page.Site) {
	h := startHandler{s, page.Parse[startData](s, files, "start.html")}
	s.Get(e, "/start", farm.Keeping, page.Fresh(h.show))
	s.Post(e, "/start/pens", farm.Keeping, h.pens)
	s.Post(e, "/start/machine", farm.Keeping, h.machine)
	s.Post(e, "/start/eggs", farm.Keeping, h.eggs)
}

// How many pens the first form offers, and how many more than kinds are kept.
const (
	mostPens = 12
	morePens = 2
)

type startData struct {
	today.Begun
	Today string
	Rows  []penRow
	Kind  machine.Kind   // of machine, whose usual sizes are filled in
	Kinds []machine.Kind // to pick from
	Rooms []roomRow
}

// Layers are the pens of which eggs are stored.
func (d startData) Layers() (all []snapshot.Pen) {
	for _, p := range d.Pens {
		if kind, err := species.Find(p.Species); !p.Supplier && (err != nil || !kind.IsReptile()) {
			all = append(all, p)
		}
	}
	return all
}

// Clutches tells whether some pen keeps reptiles, whose eggs go into their box at once.
func (d startData) Clutches() bool { return len(d.Layers()) < len(d.Pens) }

// penRow is a line of the form of pens.
type penRow struct {
	No            int
	Species, Name string
}

// roomRow is what a machine holds of one kind, as it begins.
type roomRow struct {
	*species.Profile
	Setting, Hatching int
	Apart             int // that a hatcher of its own holds
}

func (h startHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	begun, err := h.Today.Begun(c.Request().Context(), m)
	if err != nil {
		return err
	}
	if begun.Set {
		return c.Redirect(http.StatusSeeOther, "/")
	}
	d := startData{Begun: begun, Today: meta.ISO(m.Date(h.Now()))}
	kept := keeps(m, begun)
	switch {
	case len(begun.Pens) == 0:
		d.Rows = penRows(kept)
	case len(begun.Machines) == 0:
		d.Kinds = fitting(kept)
		d.Kind = d.Kinds[0]
		asked := c.QueryParam("kind")
		if meta.Typed != nil {
			asked = meta.Typed.Get("kind")
		}
		if k, err := machine.Find(asked); err == nil {
			d.Kind = k
		}
		d.Rooms = rooms(d.Kind, kept)
	}
	meta.Nav, meta.Title = "/", "Begin"
	return h.page.Render(c, meta, m, d)
}

// keeps are the kinds that the farm has pens of, or said that it keeps, or chickens.
func keeps(m *farm.Member, begun today.Begun) (kept []*species.Profile) {
	ids := m.Kinds
	for _, p := range begun.Pens {
		ids = append(slices.Clone(ids), p.Species)
	}
	for _, k := range m.Offered() {
		if slices.Contains(ids, k.ID) {
			kept = append(kept, k)
		}
	}
	if len(kept) == 0 {
		if hens, err := species.Find("chicken"); err == nil {
			kept = append(kept, hens)
		}
	}
	return kept
}

func penRows(kept []*species.Profile) (rows []penRow) {
	for i, k := range kept[:min(len(kept), mostPens-morePens)] {
		rows = append(rows, penRow{i, k.ID, k.Name})
	}
	for range morePens {
		rows = append(rows, penRow{len(rows), kept[0].ID, ""})
	}
	return rows
}

// fitting are the kinds of machine for what is kept, those that set before those that hatch alone.
func fitting(kept []*species.Profile) (all []machine.Kind) {
	for _, k := range machine.Kinds() {
		fits := slices.ContainsFunc(kept, func(p *species.Profile) bool {
			setting, _ := k.UsualRoom(p)
			return setting > 0
		})
		if fits {
			all = append(all, k)
		}
	}
	return all
}

func rooms(kind machine.Kind, kept []*species.Profile) (rows []roomRow) {
	apart, _ := machine.Find(string(machine.Hatcher))
	for _, p := range kept {
		row := roomRow{Profile: p}
		row.Setting, row.Hatching = kind.UsualRoom(p)
		_, row.Apart = apart.UsualRoom(p)
		if row.Setting > 0 {
			rows = append(rows, row)
		}
	}
	return rows
}

func (h startHandler) pens(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	var pens []snapshot.Pen
	for i := range mostPens {
		at := func(field string) string { return fmt.Sprintf("%s-%d", field, i) }
		if strings.TrimSpace(f.Get(at("name"))) == "" {
			continue
		}
		pens = append(pens, snapshot.Pen{
			Name: f.Get(at("name")), Species: f.Get(at("species")), Breed: f.Get(at("breed")),
			Females: f.Int(at("females"), "The number of females"), Males: f.Int(at("males"), "The number of males"),
			FromOn: m.Date(h.Now()),
		})
	}
	return h.Save(c, f, "/start", func() (farm.Done, error) {
		return h.Flock.NamePens(c.Request().Context(), f.Request(m), pens)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h startHandler) machine(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	x := snapshot.Machine{Name: f.Get("name"), Kind: f.Get("kind"), CleanDays: 1, ByHand: f.Get("by_hand") != ""}
	var with *machines.Hatcher
	apart := f.Get("hatches") == "apart"
	if apart {
		with = &machines.Hatcher{Name: f.Get("hatcher"), Rooms: f.HatchingApart()}
	}
	var holds []snapshot.Room
	for _, k := range m.Offered() {
		r := snapshot.Room{
			Species: k.ID, Setting: f.Int("setting-"+k.ID, "The room for setting "+k.Name), PerPlace: tray.PerPlace(k),
		}
		if !apart {
			r.Hatching = f.Int("hatching-"+k.ID, "The room for hatching "+k.Name)
		}
		holds = append(holds, r)
	}
	return h.Save(c, f, "/start", func() (farm.Done, error) {
		return h.Machines.NameMachine(c.Request().Context(), f.Request(m), x, holds, with)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h startHandler) eggs(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	begun, err := h.Today.Begun(ctx, m)
	if err != nil {
		return err
	}
	on := f.Date("date", "The day of laying")
	var all []stock.Collected
	for _, p := range begun.Pens {
		if n := f.Int(fmt.Sprintf("eggs-%d", p.ID), "The number of eggs"); n != 0 {
			all = append(all, stock.Collected{PenID: p.ID, LaidOn: on, Eggs: n})
		}
	}
	if len(all) == 0 && f.Problems == nil {
		f.Problems = farm.Problems{{Field: "date", Says: "Say how many eggs there are of at least one pen."}}
	}
	return h.Save(c, f, "/start", func() (farm.Done, error) {
		return h.Stock.Collect(ctx, f.Request(m), all...)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}
