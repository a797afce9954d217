// Package set is the page on which eggs are picked for a machine, and which
// says at once what comes of it.
package set

import (
	"cmp"
	"embed"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/storage"
	"metrogon/farm"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type bench struct {
	*page.Site
	page page.Template
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	b := bench{s, page.Parse(s, files)}
	e.GET("/set", s.Signed(func(c *echo.Context, m *farm.Member) error {
		return b.show(c, m, farm.Setting{Species: c.QueryParam("kind")}, page.Shell{})
	}))
	e.POST("/set/answer", s.Signed(b.work(false)))
	e.POST("/set", s.Signed(b.work(true)))
}

type data struct {
	farm.SetPage
	Now   time.Time
	offer map[string]int // what the page proposes to take of each lot
}

func take(l farm.Lot) string {
	return fmt.Sprintf("take-%d-%s", l.PenID, l.LaidOn.Format("2006-01-02"))
}

// Take names the field of a lot.
func (data) Take(l farm.Lot) string { return take(l) }

// Offer is how many eggs of a lot are proposed, empty for none.
func (d data) Offer(l farm.Lot) string {
	if n := d.offer[take(l)]; n > 0 {
		return strconv.Itoa(n)
	}
	return ""
}

// Setter is the machine that is picked, or the one with most room left.
func (d data) Setter(typed string) int64 { return picked(d.Setters, typed) }

// Hatcher is the machine for the hatch that is picked, or the roomiest, rather
// one that is a hatcher only.
func (d data) Hatcher(typed string) int64 {
	only := slices.DeleteFunc(slices.Clone(d.Hatchers), func(p farm.Place) bool { return p.Kind != "hatcher" })
	if len(only) > 0 {
		return picked(only, typed)
	}
	return picked(d.Hatchers, typed)
}

func picked(places []farm.Place, typed string) int64 {
	if id, err := strconv.ParseInt(typed, 10, 64); err == nil {
		return id
	}
	if len(places) == 0 {
		return 0
	}
	return slices.MaxFunc(places, func(a, b farm.Place) int { return cmp.Or(a.Free-b.Free, a.Room-b.Room) }).ID
}

// propose picks the oldest eggs that are not past their days, as many as fit
// the machine and, since some will be taken out at candling, the hatcher.
func (d *data) propose() farm.Setting {
	s := farm.Setting{Species: d.Kind.ID, SetterID: d.Setter(""), HatcherID: d.Hatcher(""), SetAt: d.Now, TempC: d.Kind.TemperatureC.At}
	room := 0
	for _, p := range d.Setters {
		if p.ID == s.SetterID {
			room = p.Free
		}
	}
	for _, p := range d.Hatchers {
		if p.ID == s.HatcherID {
			room = min(room, p.Room*10/9)
		}
	}
	var lots []farm.Lot
	for _, row := range d.Stock {
		lots = append(lots, row.Lots...)
	}
	slices.SortStableFunc(lots, func(a, b farm.Lot) int { return b.Age - a.Age })
	d.offer = map[string]int{}
	for _, l := range lots {
		n := min(room, l.Eggs)
		if n == 0 || l.Keeping == storage.Stale || l.Keeping == storage.Lost {
			continue
		}
		room -= n
		d.offer[take(l)] = n
		s.Picks = append(s.Picks, farm.Pick{PenID: l.PenID, LaidOn: l.LaidOn, Eggs: n})
	}
	return s
}

func (b bench) show(c *echo.Context, m *farm.Member, s farm.Setting, shell page.Shell) error {
	set, err := b.Books.PlanSetting(c.Request().Context(), m, s)
	if p := page.ProblemsOf(err); p != nil {
		if shell.Problems == nil {
			shell.Problems = p
		}
	} else if err != nil {
		return err
	}
	d := data{SetPage: set, Now: b.Books.Now()}
	if shell.Typed == nil && set.Kind != nil && len(set.Setters) > 0 { // a fresh page comes with a proposal
		if d.SetPage, err = b.Books.PlanSetting(c.Request().Context(), m, d.propose()); err != nil && page.ProblemsOf(err) == nil {
			return err
		}
	}
	shell.Nav, shell.Title = "/set", "Set"
	return b.Show(c, b.page, shell, m, d)
}

// work reads the form, and sets the eggs or only works them out.
func (b bench) work(set bool) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		f, err := page.ReadForm(c)
		if err != nil {
			return err
		}
		s := read(f, m)
		shell := page.Shell{Typed: f.Values, Problems: f.Problems}
		if set && f.Problems == nil {
			done, err := b.Books.Set(c.Request().Context(), m, f.Get("key"), s)
			if err == nil {
				return b.Say(c, done, fmt.Sprintf("/batches/%d", done.BatchID))
			}
			if shell.Problems = page.ProblemsOf(err); shell.Problems == nil {
				return err
			}
		}
		return b.show(c, m, s, shell)
	}
}

func read(f *page.Form, m *farm.Member) farm.Setting {
	s := farm.Setting{Species: f.Get("species"), SetterID: f.ID("setter"), HatcherID: f.ID("hatcher"),
		SetAt: f.Moment("set_at", "The moment of setting", m.Place), StartCounter: f.Get("counter") != ""}
	if f.Get("temp") != "" {
		s.TempC = page.Celsius(m, f.Float("temp", "The temperature of the box"))
	}
	for field := range f.Values {
		rest, ok := strings.CutPrefix(field, "take-")
		pen, day, ok2 := strings.Cut(rest, "-")
		if !ok || !ok2 {
			continue
		}
		id, err := strconv.ParseInt(pen, 10, 64)
		on, err2 := time.Parse("2006-01-02", day)
		if n := f.Int(field, "A number of eggs"); n != 0 && err == nil && err2 == nil {
			s.Picks = append(s.Picks, farm.Pick{PenID: id, LaidOn: on, Eggs: n})
		}
	}
	slices.SortFunc(s.Picks, func(a, b farm.Pick) int {
		if a.PenID != b.PenID {
			return int(a.PenID - b.PenID)
		}
		return a.LaidOn.Compare(b.LaidOn)
	})
	return s
}
