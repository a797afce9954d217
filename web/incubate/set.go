package incubate

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/choice"
	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
	"metrogon/web/say"
)

type setHandler struct {
	*page.Site
	page page.Template[setData]
}

// setRoutes hangs the pages in.
func setRoutes(e *echo.Echo, s *page.Site) {
	b := setHandler{s, page.Parse[setData](s, files, "set.html")}
	s.Get(e, "/set", farm.Helping, func(c *echo.Context, m *farm.Member) error {
		return b.show(c, m, incubate.Setting{Species: c.QueryParam("kind")}, page.Meta{})
	})
	s.Post(e, "/set/answer", farm.Helping, b.work(false))
	s.Post(e, "/set", farm.Helping, b.work(true))
}

type setData struct {
	incubate.SetPage
	Now     time.Time
	Singles map[string][]snapshot.StoredEgg // of lots that are shown egg by egg
	Ticked  map[int64]bool
}

// Single lists a lot's eggs one by one, if it is shown so.
func (d setData) Single(l snapshot.Lot) []snapshot.StoredEgg { return d.Singles[keyOf(l)] }

// Key names a lot.
func (setData) Key(l snapshot.Lot) string { return keyOf(l) }

func keyOf(l snapshot.Lot) string {
	return lotKey(incubate.Pick{PenID: l.PenID, LaidOn: l.LaidOn, Trial: l.Trial})
}

func lotKey(p incubate.Pick) string {
	key := fmt.Sprintf("%d-%s", p.PenID, p.LaidOn.Format("2006-01-02"))
	if p.Trial {
		key += "-trial"
	}
	return key
}

func readKey(key string) (p incubate.Pick, ok bool) {
	id, rest, _ := strings.Cut(key, "-")
	rest, p.Trial = strings.CutSuffix(rest, "-trial")
	var err, err2 error
	p.PenID, err = strconv.ParseInt(id, 10, 64)
	p.LaidOn, err2 = time.Parse("2006-01-02", rest)
	return p, err == nil && err2 == nil
}

// ages is the stock of one kind on one ruler: a column an age, a row a pen.
type ages struct {
	Days []age
	Rows []ageRow
}

type age struct {
	Days int
	Laid time.Time
}

// ageRow is what one pen has in store; cells without eggs are nil.
type ageRow struct {
	snapshot.StockRow
	Trial bool
	Cells []*snapshot.Lot
}

// Ages puts the stock on the ruler, oldest first; eggs on trial have their own rows.
func (d setData) Ages() (a ages) {
	laid := map[int]time.Time{}
	for _, row := range d.Stock {
		for _, l := range row.Lots {
			laid[l.Age] = l.LaidOn
		}
	}
	for _, days := range slices.SortedFunc(maps.Keys(laid), func(a, b int) int { return b - a }) {
		a.Days = append(a.Days, age{days, laid[days]})
	}
	for _, row := range d.Stock {
		for _, trial := range []bool{false, true} {
			r := ageRow{StockRow: row, Trial: trial, Cells: make([]*snapshot.Lot, len(a.Days))}
			any := false
			for i, l := range row.Lots {
				if l.Trial == trial {
					at := slices.IndexFunc(a.Days, func(x age) bool { return x.Days == l.Age })
					r.Cells[at], any = &row.Lots[i], true
				}
			}
			if any {
				a.Rows = append(a.Rows, r)
			}
		}
	}
	return a
}

// Change is a cure as its button sends it.
func (setData) Change(c incubate.Cure) string {
	return fmt.Sprintf("%d %d %d %d", c.SetterID, c.HatcherID, c.Eggs, c.Days)
}

// cured does what a cure's button says, in the form too.
func cured(f *page.Form, s incubate.Setting, m *farm.Member) incubate.Setting {
	var c incubate.Cure
	if _, err := fmt.Sscanf(f.Get("cure"), "%d %d %d %d", &c.SetterID, &c.HatcherID, &c.Eggs, &c.Days); err != nil {
		return s
	}
	s = c.On(s)
	f.Set("setter", strconv.FormatInt(s.SetterID, 10))
	f.Set("hatcher", strconv.FormatInt(s.HatcherID, 10))
	f.Set("set_at", say.Reader{Member: m}.LocalISO(s.SetAt))
	if c.Eggs > 0 {
		for field := range f.Values {
			if strings.HasPrefix(field, "take-") || strings.HasPrefix(field, "egg-") {
				f.Del(field)
			}
		}
		for _, p := range s.Picks {
			f.Set("take-"+lotKey(p), strconv.Itoa(p.Eggs))
			for _, id := range p.Only {
				f.Add("egg-"+lotKey(p), strconv.FormatInt(id, 10))
			}
		}
	}
	return s
}

// Take names the field of a lot.
func (setData) Take(l snapshot.Lot) string { return "take-" + keyOf(l) }

// Offer is how many eggs of a lot are picked, empty for none.
func (d setData) Offer(l snapshot.Lot) string {
	for _, p := range d.Setting.Picks {
		if p.PenID == l.PenID && p.Trial == l.Trial && p.LaidOn.Equal(l.LaidOn) {
			return strconv.Itoa(p.Eggs)
		}
	}
	return ""
}

func (b setHandler) show(c *echo.Context, m *farm.Member, s incubate.Setting, meta page.Meta) error {
	set, err := b.Incubate.Plan(c.Request().Context(), m, s)
	if p := page.ProblemsOf(err); p != nil {
		if meta.Problems == nil {
			meta.Problems = p
		}
	} else if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/set", "Set"
	d := setData{SetPage: set, Now: b.Now(), Singles: map[string][]snapshot.StoredEgg{}, Ticked: map[int64]bool{}}
	for _, key := range meta.Typed["open"] {
		if p, ok := readKey(key); ok && d.Singles[key] == nil && len(d.Singles) < 20 {
			d.Singles[key], err = b.Incubate.SingleEggs(c.Request().Context(), m, p.PenID, p.LaidOn, p.Trial)
			if err != nil {
				return err
			}
		}
	}
	if meta.Typed != nil && set.Setting.Propose { // the proposal stands in the form
		for _, p := range set.Setting.Picks {
			meta.Typed.Set("take-"+lotKey(p), strconv.Itoa(p.Eggs))
		}
	}
	d.tick(set.Setting.Picks)
	return b.page.Render(c, meta, m, d)
}

// tick marks the single eggs that are picked.
func (d setData) tick(picks []incubate.Pick) {
	for _, p := range picks {
		for _, id := range p.Only {
			d.Ticked[id] = true
		}
		if len(p.Only) > 0 {
			continue
		}
		left := p.Eggs // shown for the first time: those that the number means
		for _, egg := range d.Singles[lotKey(p)] {
			if left > 0 && !egg.Resting {
				d.Ticked[egg.ID] = true
				left--
			}
		}
	}
}

// work reads the form, and sets the eggs or only works them out.
func (b setHandler) work(set bool) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		f, err := page.ReadForm(c)
		if err != nil {
			return err
		}
		s := cured(f, read(f, m), m)
		if f.Get("propose") != "" {
			s.Propose = true
			for field := range f.Values { // the proposal takes their place
				if strings.HasPrefix(field, "take-") || strings.HasPrefix(field, "egg-") || field == "open" {
					f.Del(field)
				}
			}
		}
		meta := page.Meta{Typed: f.Values, Problems: f.Problems}
		if set && len(s.Picks) == 0 && s.Wish.Young > 0 { // what is wished for is proposed first, and seen
			s.Propose, set = true, false
		}
		if set && f.Problems == nil {
			done, err := b.Incubate.Set(c.Request().Context(), f.Request(m), s)
			if err == nil {
				return b.RedirectWith(c, done, fmt.Sprintf("/batches/%d", done.Of(journal.Batch)))
			}
			if meta.Problems = page.ProblemsOf(err); meta.Problems == nil {
				return err
			}
		}
		meta.Live = !set && !s.Propose && f.Get("cure") == "" && f.Get("open") == ""
		return b.show(c, m, s, meta)
	}
}

func read(f *page.Form, m *farm.Member) incubate.Setting {
	s := incubate.Setting{Species: f.Get("species"), SetterID: f.ID("setter"), HatcherID: f.ID("hatcher"),
		SetAt: f.Moment("set_at", "The moment of setting", m.Place), StartCounter: f.Get("counter") != "",
		Unrested: f.Get("unrested") != "",
		Wish: incubate.Wish{
			Young: f.Int("young", "The number of young"), CertaintyPct: f.Int("certainty", "The certainty"),
			Order: choice.Order(f.Get("order")), EveryPen: f.Get("pens") == "every",
		}}
	if pen, err := strconv.ParseInt(f.Get("pens"), 10, 64); err == nil {
		s.Wish.PenID = pen
	}
	for field := range f.Values {
		key, ok := strings.CutPrefix(field, "take-")
		pick, ok2 := readKey(key)
		if !ok || !ok2 {
			continue
		}
		pick.Eggs = f.Int(field, "A number of eggs")
		for _, id := range f.Values["egg-"+key] { // single eggs win over the number
			if n, err := strconv.ParseInt(id, 10, 64); err == nil {
				pick.Only = append(pick.Only, n)
				pick.Eggs = len(pick.Only)
			}
		}
		if pick.Eggs != 0 {
			s.Picks = append(s.Picks, pick)
		}
	}
	slices.SortFunc(s.Picks, func(a, b incubate.Pick) int {
		if a.PenID != b.PenID {
			return int(a.PenID - b.PenID)
		}
		return a.LaidOn.Compare(b.LaidOn)
	})
	return s
}
