package incubate

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type trayHandler struct {
	*page.Site
	page page.Template[trayData]
}

// trayRoutes hangs the pages in.
func trayRoutes(e *echo.Echo, s *page.Site) {
	r := trayHandler{s, page.Parse[trayData](s, files, "trays.html")}
	e.GET(
		"/batches/:id/trays",
		s.Signed(page.Fresh(r.show)),
	)
	s.Post(e, "/batches/:id/trays", farm.Keeping, r.move)
	s.Post(e, "/batches/:id/trays/by-pen", farm.Keeping, r.byPen)
}

type trayData struct {
	snapshot.TrayPage
	Maps   []Map
	Calls  []page.EggSign // that the map shows, each once
	Others bool           // eggs of other batches lie beside them
}

// Map is a tray as it is drawn.
type Map struct {
	snapshot.TrayView
	Width, Height int
	Rows          []Label
	Columns       []Label
	Spots         []Spot
	Open          bool // there is something in it to see, or to be laid into it
}

// Label names a row or column.
type Label struct {
	X, Y int
	Text string
}

// Spot is a place with the eggs in it.
type Spot struct {
	Place         int
	Name          string
	X, Y          int
	Width, Height int
	Air           string // warm, cool or nothing
	Eggs          []Egg
	Says          string
}

// Egg is one in its place, at its middle.
type Egg struct {
	snapshot.TrayEgg
	X, Y  float64
	Band  string // pattern id; empty for an egg of another batch
	Sign  page.EggSign
	Other bool
}

const (
	left  = 22 // px for the rows' letters
	above = 18 // px for the columns' numbers
)

// side is how many eggs lie beside one another in a place: one, or two by two.
func (d trayData) side() (n int) {
	for n = 1; n*n < d.PerPlace; n++ {
	}
	return n
}

// Cell and High are a place's size in px; several eggs in one are drawn smaller, but
// no code below what can be read.
func (d trayData) Cell() int {
	if d.side() == 1 {
		return 46
	}
	return 36 * d.side()
}

func (d trayData) High() int {
	if d.side() == 1 {
		return 54
	}
	return 44 * d.side()
}

// draw lays a tray out; eggs of other batches are grey.
func (d trayData) draw(t snapshot.TrayView) Map {
	columns, cell, high := t.Layout.Columns, d.Cell(), d.High()
	if t.Layout.Rows == 0 {
		columns = min(columns, 12)
	}
	rows := (t.Layout.Places() + columns - 1) / columns
	m := Map{TrayView: t, Width: left + cell*columns + 2, Height: above + high*rows + 2}
	for place := range t.Layout.Places() {
		row, column := place/columns, place%columns
		s := d.spot(t, place)
		s.X, s.Y = left+cell*column, above+high*row
		s.Width, s.Height = cell-2, high-2
		m.Spots = append(m.Spots, s)
		if t.Layout.Rows > 0 && column == 0 {
			m.Rows = append(m.Rows, Label{left - 6, s.Y + high/2 + 4, strings.TrimRight(s.Name, "0123456789")})
		}
		if t.Layout.Rows > 0 && row == 0 {
			m.Columns = append(m.Columns, Label{s.X + cell/2, above - 5, strconv.Itoa(column + 1)})
		}
	}
	return m
}

// spot is a place with the eggs in it.
func (d trayData) spot(t snapshot.TrayView, place int) Spot {
	s := Spot{Place: place, Name: t.Layout.Name(place)}
	if slices.Contains(t.Warm, place) {
		s.Air = "warm"
	} else if slices.Contains(t.Cool, place) {
		s.Air = "cool"
	}
	var marks []string
	for i, e := range t.Lying[place] {
		egg := Egg{TrayEgg: e, Sign: page.Called(e.Calls), Other: e.BatchID != d.ID}
		egg.X, egg.Y = d.seat(i)
		if !egg.Other {
			egg.Band = d.band(e.PenID)
		}
		s.Eggs = append(s.Eggs, egg)
		marks = append(marks, strings.TrimSpace(egg.Sign.Glyph+" "+e.Mark))
	}
	s.Says = s.Name
	if s.Air != "" {
		s.Says += ", " + s.Air
	}
	if len(marks) == 0 {
		s.Says += ", empty"
	} else {
		s.Says += ": " + strings.Join(marks, ", ")
	}
	return s
}

// seat is where in a place its ith egg lies. The script of the page knows the same.
func (d trayData) seat(i int) (x, y float64) {
	side := d.side()
	i %= side * side
	return float64(d.Cell()) * (float64(i%side) + .5) / float64(side),
		float64(d.High()) * (float64(i/side) + .5) / float64(side)
}

// places folds away trays in which nothing lies, as long as the others have room
// for what waits.
func (d *trayData) places() {
	waiting := len(d.Loose)
	for _, t := range d.Trays {
		m := d.draw(t)
		if len(t.Lying) > 0 {
			m.Open, waiting = true, waiting-(t.Layout.Places()-len(t.Lying))*d.PerPlace
		}
		d.Maps = append(d.Maps, m)
	}
	for i := range d.Maps {
		if m := &d.Maps[i]; !m.Open && waiting > 0 {
			m.Open, waiting = true, waiting-m.Layout.Places()*d.PerPlace
		}
	}
}

// shown notes what the legend has to tell: the signs of this batch's eggs, and
// whether others lie beside them.
func (d *trayData) shown() {
	add := func(e snapshot.TrayEgg) {
		s := page.Called(e.Calls)
		d.Others = d.Others || e.BatchID != d.ID
		if e.BatchID == d.ID && s.Glyph != "" && !slices.Contains(d.Calls, s) {
			d.Calls = append(d.Calls, s)
		}
	}
	for _, e := range d.Loose {
		add(e)
	}
	for _, t := range d.Trays {
		for place := range t.Layout.Places() {
			for _, e := range t.Lying[place] {
				add(e)
			}
		}
	}
}

func (d trayData) band(pen int64) string {
	for _, p := range d.Pens {
		if p.ID == pen {
			return "band-" + p.Colour + "-" + p.Pattern
		}
	}
	return ""
}

// Waiting is a loose egg as it is drawn.
func (d trayData) Waiting(e snapshot.TrayEgg) Egg {
	return Egg{TrayEgg: e, Band: d.band(e.PenID), Sign: page.Called(e.Calls)}
}

func (r trayHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	trays, err := r.Incubate.Trays(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	if trays.Kind.IsReptile() {
		return page.ToClutch(c, id)
	}
	d := trayData{TrayPage: trays}
	d.places()
	d.shown()
	meta.Nav, meta.Title = "/batches", trays.Code+", tray map"
	return r.page.Render(c, meta, m, d)
}

// move lays eggs: by code from the form, by id from the script, which reads the
// answer itself.
func (r trayHandler) move(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	mv := incubate.Move{
		TrayID: f.ID("tray"), Place: f.Get("place"),
		Marks: strings.FieldsFunc(f.Get("code"), func(r rune) bool { return r == ' ' || r == ',' || r == ';' }),
	}
	for _, s := range f.Values["egg"] {
		if n, err := strconv.ParseInt(s, 10, 64); err == nil {
			mv.EggIDs = append(mv.EggIDs, n)
		}
	}
	done, err := r.Incubate.MoveEggs(c.Request().Context(), f.Request(m), id, mv)
	if c.Request().Header.Get("X-Map") != "" {
		if p := page.ProblemsOf(err); p != nil {
			return c.String(http.StatusUnprocessableEntity, p.Error())
		}
		if err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	}
	if p := page.ProblemsOf(err); p != nil {
		return r.show(c, m, page.Meta{Typed: f.Values, Problems: p})
	}
	return r.Finish(c, done, err, fmt.Sprintf("/batches/%d/trays", id))
}

func (r trayHandler) byPen(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := r.Incubate.ArrangeByPen(c.Request().Context(), f.Request(m), id)
	return r.Finish(c, done, err, fmt.Sprintf("/batches/%d/trays", id))
}
