package books

import (
	"encoding/csv"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/books"
	"metrogon/formats/notebook"
	"metrogon/formats/table"
	"metrogon/web/page"
)

// opened is a notebook's file on its way in: its first lines, which column holds what, and what would come
// in.
type opened struct {
	Text     string // of the file, to be sent again
	First    [][]string
	Columns  map[string]int
	Fields   []notebook.Field
	Machines []farm.Machine
	Machine  int64
	Stored   int
	Assumed  string
	Out      *books.Brought
	Ready    bool // nothing is wrong: it can come in
}

// Holds is the field that a column is taken for.
func (o opened) Holds(column int, field string) bool {
	at, ok := o.Columns[field]
	return ok && at == column
}

const firstLines = 6

func (h handler) openNotebook(c *echo.Context, m *farm.Member, meta page.Meta) error {
	return h.showNotebook(c, m, meta, opened{Stored: 4})
}

func (h handler) showNotebook(c *echo.Context, m *farm.Member, meta page.Meta, o opened) error {
	all, err := h.Machines.List(c.Request().Context(), m)
	if err != nil {
		return err
	}
	for _, x := range all {
		o.Machines = append(o.Machines, x.Machine)
	}
	o.Fields = notebook.Fields
	meta.Nav, meta.Title = "/settings", "An old notebook"
	return h.Render(c, h.notebook, meta, m, o)
}

// bring looks at a file, and brings it in once it was looked at.
func (h handler) bring(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	o := opened{Stored: f.Int("stored", "The days that eggs waited"), Machine: f.ID("machine")}
	refused := func(says string) error {
		return h.showNotebook(c, m, page.Meta{Problems: farm.Problems{{Field: "file", Says: says}}}, o)
	}
	file := []byte(f.Get("text"))
	if sent, err := c.FormFile("file"); err == nil && sent.Size > 0 {
		in, err := sent.Open()
		if err != nil {
			return err
		}
		defer in.Close()
		if file, err = io.ReadAll(io.LimitReader(in, table.MaxBytes+1)); err != nil {
			return refused("The file did not arrive whole; send it again.")
		}
	}
	rows, err := table.Read(file)
	if err != nil {
		return refused("Nothing came in: " + err.Error() + ".")
	}
	o.First, o.Text = rows[:min(len(rows), firstLines)], asText(rows)
	ctx := c.Request().Context()
	if o.Columns, err = h.columns(c, m, f, rows[0]); err != nil {
		return err
	}
	for _, x := range notebook.Fields {
		if _, ok := o.Columns[x.ID]; x.Needed && !ok {
			return refused(fmt.Sprintf("Say which column holds: %s.", strings.ToLower(x.Name)))
		}
	}
	lines, bad, assumed := notebook.Lines(rows, o.Columns)
	o.Assumed = assumed
	if len(bad) > 0 {
		o.Out = &books.Brought{Bad: bad}
		return h.showNotebook(c, m, page.Meta{}, o)
	}
	dry := f.Get("bring") == ""
	out, err := h.Books.Bring(ctx, m, f.Get("key"), books.Notebook{
		Lines: lines, MachineID: o.Machine, Stored: o.Stored, Dry: dry,
	})
	if p := page.ProblemsOf(err); p != nil {
		return h.showNotebook(c, m, page.Meta{Problems: p}, o)
	}
	if err != nil {
		return err
	}
	if !dry && len(out.Bad) == 0 {
		return h.RedirectWith(c, out.Done, "/books/notebook")
	}
	o.Out, o.Ready = &out, len(out.Bad) == 0 && out.Batches > 0
	return h.showNotebook(c, m, page.Meta{}, o)
}

// columns are which column holds what: as it was said, as it was the last time, or as their names sound.
func (h handler) columns(c *echo.Context, m *farm.Member, f *page.Form, head []string) (map[string]int, error) {
	ctx := c.Request().Context()
	said := map[string]int{}
	any := false
	for i := range head {
		name := fmt.Sprintf("column-%d", i)
		if !f.Has(name) {
			continue
		}
		any = true
		if field := f.Get(name); field != "" {
			said[field] = i
		}
	}
	if any {
		return h.Books.Columns(ctx, m, "batches", head, said)
	}
	kept, err := h.Books.Columns(ctx, m, "batches", head, nil)
	if kept == nil && err == nil {
		kept = notebook.Guess(head)
	}
	maps.DeleteFunc(kept, func(_ string, at int) bool { return at < 0 || at >= len(head) })
	return kept, err
}

func asText(rows [][]string) string {
	var b strings.Builder
	out := csv.NewWriter(&b)
	for _, row := range rows {
		_ = out.Write(slices.Clone(row)) // a builder takes everything
	}
	out.Flush()
	return b.String()
}
