// Package books is where records leave for other programs, and where a whole farm leaves and returns.
package books

import (
	"bytes"
	"context"
	"embed"
	"fmt"
	"math"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/books"
	"metrogon/farm/breeders"
	"metrogon/formats/archive"
	"metrogon/formats/sheet"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	page page.Template[data]
	list page.Template[opened]
}

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[data](s, files, "books.html"), page.Parse[opened](s, files, "lists.html")}
	e.GET("/books", s.Signed(page.Fresh(h.show)))
	e.GET("/books/:sheet", s.File(h.send))
	e.GET("/books/hatch-record.pdf", s.File(h.record))
	s.Get(e, "/books/archive.zip", farm.Owning, h.archive)
	s.Get(e, "/books/lists/:what", farm.Keeping, page.Fresh(h.openList))
	s.Post(e, "/books/lists/:what", farm.Keeping, h.bring)
	s.Post(e, "/books/restore", farm.Owning, h.restore)
}

type data struct {
	Sheets []books.Sheet
	Lists  []what
	Years  []int // of which there is a hatch record
	Backup *page.Backup
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) (err error) {
	d := data{Sheets: books.Sheets, Lists: whats}
	if d.Years, err = h.Books.RecordYears(c.Request().Context(), m); err != nil {
		return err
	}
	if h.LastBackup != nil && m.Owner() {
		last := h.LastBackup()
		d.Backup = &last
	}
	meta.Nav, meta.Title = "/settings", "Books"
	return h.page.Render(c, meta, m, d)
}

func attach(c *echo.Context, kind, name string) {
	c.Response().Header().Set("Content-Type", kind)
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
}

// send sends a sheet: NAME.csv or NAME.xlsx.
func (h handler) send(c *echo.Context, m *farm.Member) error {
	name := c.Param("sheet")
	id, kind, _ := strings.Cut(name, ".")
	ctx, out := c.Request().Context(), c.Response()
	var to sheet.Writer
	var err error
	var whole bytes.Buffer
	switch kind {
	case "csv":
		to = sheet.CSV(&whole)
	case "xlsx":
		if to, err = sheet.XLSX(&whole, id); err != nil {
			return err
		}
	default:
		return farm.ErrNone
	}
	if id == books.Rates {
		err = h.rates(ctx, m, to)
	} else {
		err = h.Books.Sheet(ctx, m, id, to.Head, to.Row)
	}
	if err != nil {
		return err
	}
	if err := to.Close(); err != nil {
		return err
	}
	types := map[string]string{
		"csv": "text/csv; charset=utf-8", "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	}
	attach(c, types[kind], name)
	_, err = out.Write(whole.Bytes())
	return err
}

// rates writes what each pen's eggs did in each batch, as the page of rates adds it up.
func (h handler) rates(ctx context.Context, m *farm.Member, to sheet.Writer) error {
	lots, err := h.Breeders.Lots(ctx, m)
	if err != nil {
		return err
	}
	if err := to.Head([]string{
		"pen", "kind", "batch", "set_at", "done", "eggs_set", "fertile", "fertile_of", "hatched_of_fertile",
		"fertile_hatch_of",
		"hatched", "hatched_of", "died_early", "died_middle", "died_late", "pipped_died", "died_later_not_opened",
		"died_not_told",
	}); err != nil {
		return err
	}
	for _, l := range lots {
		row := []any{
			l.Pen.Name, l.Pen.Species, l.Batch().Code, l.Batch().SetAt.In(m.Place).Format("2006-01-02 15:04"), l.Batch().Closed,
			l.Eggs,
		}
		for _, rate := range []string{breeders.Fertility, breeders.HatchOfFertile, breeders.HatchOfSet} {
			c := l.Count(rate)
			row = append(row, round(c.K), round(c.N))
		}
		d := l.Deaths
		row = append(row, d.Early, d.Middle, d.Late, d.Pipped, d.Later, d.NotTold)
		if err := to.Row(row); err != nil {
			return err
		}
	}
	return nil
}

func round(n float64) float64 { return math.Round(100*n) / 100 }

func (h handler) archive(c *echo.Context, m *farm.Member) error {
	var whole bytes.Buffer // sent only once it is whole
	if err := archive.Write(farm.ForFile(c.Request().Context()), &whole, h.Books, m, h.Now()); err != nil {
		return err
	}
	attach(c, "application/zip", "farm-"+m.Date(h.Now()).Format("2006-01-02")+".zip")
	_, err := c.Response().Write(whole.Bytes())
	return err
}

func (h handler) restore(c *echo.Context, m *farm.Member) error {
	again := func(says string) error {
		return h.show(c, m, page.Meta{Problems: farm.Problems{{Field: "file", Says: says}}})
	}
	file, err := c.FormFile("file")
	if err != nil || file.Size == 0 {
		return again("Pick the archive of a farm.")
	}
	from, err := file.Open()
	if err != nil {
		return err
	}
	defer from.Close()
	in, contents, err := archive.Read(from, file.Size)
	if err != nil {
		return again("Nothing was restored: " + err.Error() + ".")
	}
	if err := h.Restore(c.Request().Context(), m, in); page.ProblemsOf(err) != nil {
		return again(err.Error())
	} else if err != nil {
		return err
	}
	return h.RedirectWith(c, farm.Done{Said: contents.Farm + " is restored."}, "/")
}
