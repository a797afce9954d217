package books

import (
	"context"
	"encoding/csv"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/books"
	"metrogon/farm/snapshot"
	"metrogon/formats/lists"
	"metrogon/formats/table"
	"metrogon/web/page"
)

// what is a kind of list.
type what struct {
	ID, Title, Says string
	Example         string // its first lines
	Fields          []lists.Field
	Then            string // the page that shows what came in
	look            func(context.Context, handler, *farm.Member, *opened, sent) (farm.Listing, error)
}

// sent is a list as it came.
type sent struct {
	req     farm.Request
	rows    [][]string
	columns map[string]int
	today   time.Time
	dry     bool // only look
}

// whats are the kinds of list.
var whats = []what{
	{
		"batches", "An old notebook", "Batches of past seasons, a line each: pen, when they were set, how many, how many " +
			"were clear, how many hatched. The program then knows what your pens do from the first day on.",
		"pen,set on,eggs,clear,hatched\nBarred,2026-03-01,20,3,14", lists.OfBatches, "/rates", lookAtBatches,
	},
	{
		"collections", "Collections", "Eggs gathered, a pen’s of one day a line. Those of the last days come into store.",
		"date,pen,eggs,rejected\n2026-03-01,Barred,7,1", lists.OfCollections, "/eggs", lookAtCollections,
	},
	{
		"pens", "Pens", "Your pens, a line each: name, kind, how many females and males.",
		"pen,kind,females,males\nBarred,chicken,8,1", lists.OfPens, "/pens", lookAtPens,
	},
	{
		"machines", "Machines", "Your machines, a line each, with what they hold in hens’ eggs; other kinds are reckoned " +
			"by the room that their eggs take.",
		"machine,kind,turning,hatching\nCabinet,cabinet,180,\nBox,hatcher,,60", lists.OfMachines, "/machines", lookAtMachines,
	},
}

func lookAtBatches(ctx context.Context, h handler, m *farm.Member, o *opened, in sent) (farm.Listing, error) {
	all, found := lists.Batches(in.rows, in.columns)
	o.Assumed = found.Assumed
	if len(found.Bad) > 0 {
		return farm.Listing{Bad: found.Bad}, nil
	}
	out, err := h.Books.Bring(ctx, in.req, books.Notebook{
		Lines: all, MachineID: o.Machine, Stored: o.Stored, Dry: in.dry,
	})
	return out.Listing, err
}

func lookAtCollections(ctx context.Context, h handler, m *farm.Member, o *opened, in sent) (farm.Listing, error) {
	all, found := lists.Collections(in.rows, in.columns)
	o.Assumed = found.Assumed
	if len(found.Bad) > 0 {
		return farm.Listing{Bad: found.Bad}, nil
	}
	out, err := h.Stock.ImportEggs(ctx, in.req, all, in.dry)
	return out.Listing, err
}

func lookAtPens(ctx context.Context, h handler, m *farm.Member, o *opened, in sent) (farm.Listing, error) {
	all, found := lists.Pens(in.rows, in.columns, in.today)
	o.Assumed = found.Assumed
	if len(found.Bad) > 0 {
		return farm.Listing{Bad: found.Bad}, nil
	}
	return h.Flock.BringPens(ctx, in.req, all, in.dry)
}

func lookAtMachines(ctx context.Context, h handler, m *farm.Member, _ *opened, in sent) (farm.Listing, error) {
	all, found := lists.Machines(in.rows, in.columns)
	if len(found.Bad) > 0 {
		return farm.Listing{Bad: found.Bad}, nil
	}
	return h.Machines.BringMachines(ctx, in.req, all, in.dry)
}

// opened is a list on its way in: its first lines, which column holds what, and what would come in.
type opened struct {
	what
	Text     string // of the file, to be sent again
	First    [][]string
	Columns  map[string]int
	Machines []snapshot.Machine
	Machine  int64 // in which most batches were
	Stored   int   // days
	Assumed  string
	Out      *farm.Listing
}

// Holds is the field that a column is taken for.
func (o opened) Holds(column int, field string) bool {
	at, ok := o.Columns[field]
	return ok && at == column
}

// Ready tells whether something would come in, and nothing is wrong.
func (o opened) Ready() bool { return o.Out != nil && len(o.Out.Bad) == 0 && len(o.Out.Holds) > 0 }

// Batches tells whether this is a notebook, of which more is asked.
func (o opened) Batches() bool { return o.ID == "batches" }

const firstLines = 6

func kindOfList(c *echo.Context) (o opened, err error) {
	i := slices.IndexFunc(whats, func(w what) bool { return w.ID == c.Param("what") })
	if i < 0 {
		return o, farm.ErrNone
	}
	return opened{what: whats[i], Stored: 4}, nil
}

func (h handler) openList(c *echo.Context, m *farm.Member, meta page.Meta) error {
	o, err := kindOfList(c)
	if err != nil {
		return err
	}
	return h.showList(c, m, meta, o)
}

func (h handler) showList(c *echo.Context, m *farm.Member, meta page.Meta, o opened) error {
	if o.Batches() {
		all, err := h.Machines.List(c.Request().Context(), m)
		if err != nil {
			return err
		}
		for _, x := range all {
			o.Machines = append(o.Machines, x.Machine)
		}
	}
	meta.Nav, meta.Title = "/settings", o.Title
	return h.list.Render(c, meta, m, o)
}

// bring looks at a list, and brings it in once it was looked at.
func (h handler) bring(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	o, err := kindOfList(c)
	if err != nil {
		return err
	}
	if o.Batches() {
		o.Stored, o.Machine = f.Int("stored", "The days that eggs waited"), f.ID("machine")
	}
	refused := func(says string) error {
		return h.showList(c, m, page.Meta{Problems: farm.Problems{{Field: "file", Says: says}}}, o)
	}
	file, err := page.File(c, f)
	if err != nil {
		return refused(err.Error())
	}
	rows, err := table.Read(file)
	if err != nil {
		return refused("Nothing came in: " + err.Error() + ".")
	}
	o.Text = asText(rows)
	for _, row := range rows {
		if len(row) > 0 && len(o.First) < firstLines {
			o.First = append(o.First, row)
		}
	}
	if o.Columns, err = h.columns(c, m, f, o.what, rows[0]); err != nil {
		return err
	}
	if missing := lists.Missing(o.Fields, o.Columns); missing != nil {
		return refused(fmt.Sprintf("Say which column holds: %s.", strings.ToLower(missing.Name)))
	}
	out, err := o.look(c.Request().Context(), h, m, &o, sent{
		f.Request(m), rows, o.Columns, m.Date(h.Now()), f.Get("bring") == "",
	})
	if p := page.ProblemsOf(err); p != nil {
		return h.showList(c, m, page.Meta{Problems: p}, o)
	}
	if err != nil {
		return err
	}
	if out.Done.Said != "" {
		return h.RedirectWith(c, out.Done, o.Then)
	}
	o.Out = &out
	return h.showList(c, m, page.Meta{}, o)
}

// columns are which column holds what: as it was said, as it was the last time, or as their names sound.
func (h handler) columns(
	c *echo.Context, m *farm.Member, f *page.Form, w what, head []string,
) (map[string]int, error) {
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
		return h.Books.Columns(ctx, m, w.ID, head, said)
	}
	kept, err := h.Books.Columns(ctx, m, w.ID, head, nil)
	if kept == nil && err == nil {
		kept = lists.Guess(w.Fields, head)
	}
	maps.DeleteFunc(kept, func(_ string, at int) bool { return at < 0 || at >= len(head) })
	return kept, err
}

func asText(rows [][]string) string {
	var b strings.Builder
	out := csv.NewWriter(&b)
	for _, row := range rows {
		_ = out.Write(row) // a builder takes everything
	}
	out.Flush()
	return b.String()
}
