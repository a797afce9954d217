// Package eggs is the egg room: collecting, the stock by pen and age, and
// files of collections.
package eggs

import (
	"embed"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/formats/eggcsv"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type room struct {
	*page.Site
	page page.Template
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	r := room{s, page.Parse(s, files)}
	e.GET("/eggs", s.Signed(func(c *echo.Context, m *farm.Member) error { return r.show(c, m, page.Shell{}) }))
	e.POST("/eggs", s.Signed(r.collect))
	e.POST("/eggs/cast-out", s.Signed(r.castOut))
	e.GET("/eggs/import", s.Signed(func(c *echo.Context, m *farm.Member) error { return r.importing(c, m, upload{}) }))
	e.POST("/eggs/import", s.Signed(r.bring))
}

type data struct {
	farm.EggRoom
	Import *upload
}

func (r room) show(c *echo.Context, m *farm.Member, shell page.Shell) error {
	eggs, err := r.Books.EggRoom(c.Request().Context(), m)
	if err != nil {
		return err
	}
	shell.Nav, shell.Title = "/eggs", "Eggs"
	return r.Show(c, r.page, shell, m, data{EggRoom: eggs})
}

func (r room) collect(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	in := farm.Collected{PenID: f.ID("pen"), LaidOn: f.Date("date", "The day of laying"), Eggs: f.Int("eggs", "The number of sound eggs"),
		Rejected: f.Int("rejected", "The number of rejects"), Note: f.Get("note")}
	problems := f.Problems
	if problems == nil {
		done, err := r.Books.Collect(c.Request().Context(), m, f.Get("key"), in)
		if err == nil {
			return r.Say(c, done, fmt.Sprintf("/eggs?pen=%d", in.PenID))
		}
		if problems = page.ProblemsOf(err); problems == nil {
			return err
		}
	}
	return r.show(c, m, page.Shell{Typed: f.Values, Problems: problems})
}

func (r room) castOut(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	pen, day, n := f.ID("pen"), f.Date("date", "The day of laying"), f.Int("eggs", "The number of eggs")
	if f.Problems != nil {
		return r.Tell(c, farm.Done{}, f.Problems, "/eggs")
	}
	done, err := r.Books.CastOut(c.Request().Context(), m, f.Get("key"), pen, day, n)
	return r.Tell(c, done, err, "/eggs")
}

type upload struct {
	Text    string
	Assumed []string
	Done    *farm.Imported
	Lines   int
	Says    string
}

func (r room) importing(c *echo.Context, m *farm.Member, u upload) error {
	shell := page.Shell{Nav: "/eggs", Title: "Bring in a file"}
	if u.Says != "" {
		shell.Problems = farm.Problems{{Field: "file", Says: u.Says}}
	} else if u.Done != nil && len(u.Done.Bad) > 0 {
		shell.Problems = farm.Problems{{Field: "file", Says: "Nothing was brought in: some lines have to be put right first."}}
	}
	return r.Show(c, r.page, shell, m, data{Import: &u})
}

func (r room) bring(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	u := upload{Text: f.Get("text")}
	if file, err := c.FormFile("file"); err == nil && file.Size > 0 {
		in, err := file.Open()
		if err != nil {
			return err
		}
		defer in.Close()
		text, err := io.ReadAll(io.LimitReader(in, eggcsv.MaxBytes+1))
		if err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "The file did not arrive whole; send it again.")
		}
		u.Text = string(text)
	}
	if strings.TrimSpace(u.Text) == "" {
		u.Says = "Pick a file, or paste its lines."
		return r.importing(c, m, u)
	}
	read, err := eggcsv.Read(strings.NewReader(u.Text))
	if err != nil {
		u.Says, u.Text = err.Error(), ""
		return r.importing(c, m, u)
	}
	u.Assumed, u.Lines = read.Assumed, len(read.Lines)
	if len(read.Bad) > 0 {
		u.Done = &farm.Imported{Bad: read.Bad}
		return r.importing(c, m, u)
	}
	done, err := r.Books.ImportEggs(c.Request().Context(), m, read.Lines, f.Get("make_pens") != "")
	if p := page.ProblemsOf(err); p != nil {
		u.Says = p.Error()
	} else if err != nil {
		return err
	} else {
		u.Done = &done
	}
	return r.importing(c, m, u)
}
