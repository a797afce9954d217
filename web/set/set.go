// Package set is the page on which eggs are picked for a machine, and which
// says at once what comes of it.
package set

import (
	"embed"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

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
	Now time.Time
}

func take(l farm.Lot) string {
	return fmt.Sprintf("take-%d-%s", l.PenID, l.LaidOn.Format("2006-01-02"))
}

// Take names the field of a lot.
func (data) Take(l farm.Lot) string { return take(l) }

// Offer is how many eggs of a lot are picked, empty for none.
func (d data) Offer(l farm.Lot) string {
	for _, p := range d.Setting.Picks {
		if p.PenID == l.PenID && p.LaidOn.Equal(l.LaidOn) {
			return strconv.Itoa(p.Eggs)
		}
	}
	return ""
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
	shell.Nav, shell.Title = "/set", "Set"
	return b.Show(c, b.page, shell, m, data{set, b.Books.Now()})
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
