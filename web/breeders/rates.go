package breeders

import (
	"encoding/csv"
	"fmt"
	"maps"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/breeders"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type ratesHandler struct {
	*page.Site
	table  page.Template[tableView]
	behind page.Template[behindView]
	moves  page.Template[movesView]
}

// ratesRoutes hangs the pages in.
func ratesRoutes(e *echo.Echo, s *page.Site) {
	h := ratesHandler{
		s, page.Parse[tableView](s, files, "table.html", "filters.html"), page.Parse[behindView](s, files, "behind.html"),
		page.Parse[movesView](s, files, "moves.html", "filters.html"),
	}
	e.GET("/rates", s.Signed(h.showTable))
	e.GET("/rates.csv", s.File(h.sendCSV))
	e.GET("/rates/eggs", s.Signed(h.showBehind))
	e.GET("/rates/moves", s.Signed(h.showMoves))
}

// address is a view as it stands in the address, so that it can be sent.
type address url.Values

// queryOf reads what is asked for; what cannot be read is as if it were not there.
func queryOf(v url.Values) breeders.Query {
	q := breeders.Query{
		Kind: v.Get("kind"), By: v.Get("by"), Rate: v.Get("rate"), Only: map[string]string{},
		Compare: v["compare"],
	}
	q.From, _ = time.Parse(time.DateOnly, v.Get("from"))
	q.To, _ = time.Parse(time.DateOnly, v.Get("to"))
	for _, d := range breeders.Dimensions {
		if key := v.Get(d.ID); key != "" {
			q.Only[d.ID] = key
		}
	}
	return q
}

// To is the address of a page with this view, changed in pairs of name and value; "" takes one out.
func (a address) To(path string, pairs ...string) string {
	v := url.Values{}
	for name, values := range a {
		v[name] = slices.Clone(values)
	}
	for i := 0; i+1 < len(pairs); i += 2 {
		if v.Del(pairs[i]); pairs[i+1] != "" {
			v.Set(pairs[i], pairs[i+1])
		}
	}
	if len(v) == 0 {
		return path
	}
	return path + "?" + v.Encode()
}

// Hidden lists what a form has to carry on, but for the fields that it has of its own.
func (a address) Hidden(own ...string) (all []struct{ Name, Value string }) {
	for _, name := range slices.Sorted(maps.Keys(a)) {
		if slices.Contains(own, name) {
			continue
		}
		for _, value := range a[name] {
			all = append(all, struct{ Name, Value string }{name, value})
		}
	}
	return all
}

// addressOf keeps of an address what a view is made of.
func addressOf(v url.Values) address {
	known := []string{"kind", "by", "rate", "from", "to", "compare"}
	for _, d := range breeders.Dimensions {
		known = append(known, d.ID)
	}
	a := address{}
	for _, name := range known {
		for _, value := range v[name] {
			if value != "" && len(value) < 100 && len(a[name]) < 60 {
				a[name] = append(a[name], value)
			}
		}
	}
	return a
}

// tableView is a table as its page shows it.
type tableView struct {
	breeders.Table
	Here address
	All  []breeders.Dimension
}

// RateName names the rate that is compared and drawn over time.
func (t tableView) RateName() string { return breeders.RateNames[t.Query.Rate] }

// Picked tells whether a group is one of those compared.
func (t tableView) Picked(key string) bool { return slices.Contains(t.Query.Compare, key) }

// Deadliest is the largest share of deaths of any group, to draw them all on one scale.
func (t tableView) Died(r breeders.Row) deaths { return deathsOf(r) }

func (h ratesHandler) showTable(c *echo.Context, m *farm.Member) error {
	v := c.Request().URL.Query()
	t, err := h.Breeders.Rates(c.Request().Context(), m, queryOf(v))
	if err != nil {
		return err
	}
	view := tableView{t, addressOf(v), breeders.Dimensions}
	return h.table.Render(c, page.Meta{Nav: "/pens", Title: "Rates"}, m, view)
}

func (h ratesHandler) showBehind(c *echo.Context, m *farm.Member) error {
	v := c.Request().URL.Query()
	b, err := h.Breeders.Behind(c.Request().Context(), m, queryOf(v), v.Get("group"))
	if err != nil {
		return err
	}
	return h.behind.Render(c, page.Meta{Nav: "/pens", Title: b.Row.Label}, m, behindView{b, addressOf(v)})
}

// behindView is what stands behind a figure as its page shows it.
type behindView struct {
	breeders.Behind
	Here address
}

// CodeOf names a batch.
func (v behindView) CodeOf(id int64) string {
	for _, b := range v.Batches {
		if b.ID == id {
			return b.Code
		}
	}
	return ""
}

// End says how an egg ended.
func (behindView) End(e breeders.Egg) string {
	words := "in the machine"
	if e.Fate != nil {
		words = *e.Fate
	}
	for _, more := range []*string{e.Stage, e.Opened} {
		if more != nil && *more != "" {
			words += ", " + *more
		}
	}
	return words
}

// sendCSV sends what the table shows, one line a group.
func (h ratesHandler) sendCSV(c *echo.Context, m *farm.Member) error {
	t, err := h.Breeders.Rates(c.Request().Context(), m, queryOf(c.Request().URL.Query()))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Type", "text/csv; charset=utf-8")
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="rates-%s.csv"`, t.Dimension.ID))
	c.Response().WriteHeader(http.StatusOK)
	w := csv.NewWriter(c.Response())
	head := []string{t.Dimension.Name, "eggs", "batches"}
	for _, name := range []string{"fertility", "hatch_of_fertile", "hatch_of_set"} {
		for _, of := range []string{
			"k", "n", "pct", "low_pct", "high_pct", "pooled_pct", "pooled_low_pct", "pooled_high_pct",
		} {
			head = append(head, name+"_"+of)
		}
	}
	head = append(head, "died_early", "died_middle", "died_late", "pipped_died", "quit_not_opened", "died_not_told")
	if err := w.Write(head); err != nil {
		return err
	}
	for _, r := range t.Rows {
		line := []string{safeCell(r.Label), strconv.Itoa(r.Eggs), strconv.Itoa(r.Batches)}
		for _, rate := range []snapshot.Rate{r.Fertility, r.HatchOfFertile, r.HatchOfSet} {
			line = append(line, rateCells(rate)...)
		}
		for _, n := range []int{
			r.Deaths.Early, r.Deaths.Middle, r.Deaths.Late, r.Deaths.Pipped, r.Deaths.Later, r.Deaths.NotTold,
		} {
			line = append(line, strconv.Itoa(n))
		}
		if err := w.Write(line); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// rateCells writes a rate; one of no eggs is left empty.
func rateCells(r snapshot.Rate) []string {
	cells := make([]string, 8)
	if r.N == 0 {
		cells[0], cells[1] = "0", "0"
		return cells
	}
	pct := func(share float64) string { return strconv.FormatFloat(100*share, 'f', 2, 64) }
	cells[0], cells[1] = strconv.Itoa(r.K), strconv.Itoa(r.N)
	cells[2], cells[3], cells[4] = pct(r.Rate), pct(r.Low), pct(r.High)
	if r.Pooled != nil {
		cells[5], cells[6], cells[7] = pct(r.Pooled.Rate), pct(r.Pooled.Low), pct(r.Pooled.High)
	}
	return cells
}

// safeCell keeps a name from being taken for a formula.
func safeCell(s string) string {
	if strings.ContainsAny(s[:min(1, len(s))], "=+-@\t\r") {
		return "'" + s
	}
	return s
}

// movesView is what moves hatch as its page shows it.
type movesView struct {
	breeders.Moves
	Here address
	All  []breeders.Dimension
}

// RateName names the rate that is moved.
func (v movesView) RateName() string { return breeders.RateNames[v.Rate] }

// Asked tells whether something is looked at.
func (v movesView) Asked(id string) bool { return slices.Contains(v.On, id) }

func (h ratesHandler) showMoves(c *echo.Context, m *farm.Member) error {
	v := c.Request().URL.Query()
	on := v["on"]
	if len(on) == 0 {
		on = []string{"age", "machine", "pen"}
	}
	what := &breeders.WhatIf{On: v.Get("change"), From: v.Get("before"), To: v.Get("after")}
	what.Eggs, _ = strconv.Atoi(v.Get("eggs"))
	what.Eggs = min(max(what.Eggs, 0), 10000)
	if what.Eggs == 0 {
		what.Eggs = 60
	}
	all, err := h.Breeders.Moved(c.Request().Context(), m, queryOf(v), on, what)
	if err != nil {
		return err
	}
	here := addressOf(v)
	here["on"] = all.On
	return h.moves.Render(c, page.Meta{Nav: "/pens", Title: "What moves hatch"}, m,
		movesView{all, here, breeders.Dimensions})
}

// Signed writes a change with its sign.
func (movesView) Signed(x float64, digits int) string {
	return strings.Replace(fmt.Sprintf("%+.*f", digits, x), "-", "−", 1)
}

// OddsX is where odds stand on an axis from a quarter to four times, in percent of its width; beyond
// its ends they stand at the end.
func (movesView) OddsX(odds float64) string {
	share := (math.Log2(max(odds, 1e-9)) + 2) / 4
	return page.Percent(min(max(share, 0), 1))
}

// OddsWide is how wide a span of odds is on that axis.
func (v movesView) OddsWide(low, high float64) string {
	at := func(odds float64) float64 { return min(max((math.Log2(max(odds, 1e-9))+2)/4, 0), 1) }
	return page.Percent(at(high) - at(low))
}
