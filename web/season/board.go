package season

import (
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/days"
	"metrogon/farm/season"
	"metrogon/farm/wishes"
	"metrogon/web/page"
)

type boardHandler struct {
	*page.Site
	board   page.Template[boardData]
	table   page.Template[boardData]
	planned page.Template[ahead.PlannedPage]
	days    page.Template[days.Binds]
}

// boardRoutes hangs the pages in.
func boardRoutes(e *echo.Echo, s *page.Site) {
	own := template.FuncMap{
		"sub": func(a, b int) int { return a - b }, "link": link, "moved": moved,
	}
	x := boardHandler{
		s, page.ParseWith[boardData](s, own, files,
			"board.html", "cures.html", "line.html",
		),
		page.ParseWith[boardData](s, own, files, "table.html"),
		page.ParseWith[ahead.PlannedPage](s, own, files, "planned.html", "cures.html"),
		page.ParseWith[days.Binds](s, own, files, "days.html"),
	}
	e.GET("/board", s.Signed(page.Fresh(x.show)))
	e.GET("/board/sheet.pdf", s.File(x.sheet))
	s.Post(e, "/board/back", farm.Keeping, x.acceptBack)
	s.Post(e, "/batches/:id/hatcher", farm.Keeping, x.changeHatcher)
	e.GET("/planned/:id", s.Signed(page.Fresh(x.one)))
	s.Get(e, "/planned/:id/try", farm.Keeping, x.try)
	s.Post(e, "/planned/:id/move", farm.Keeping, x.move)
	s.Post(e, "/planned/:id/stays", farm.Keeping, x.pin)
	s.Post(e, "/planned/:id/drop", farm.Keeping, x.drop)
	s.Post(e, "/planned/:id/set", farm.Helping, x.set)
	e.GET("/board/days", s.Signed(page.Fresh(x.binds)))
	s.Post(e, "/board/away", farm.Keeping, x.addAway)
	s.Post(e, "/board/closed", farm.Keeping, x.addClosed)
	s.Post(e, "/board/brooders", farm.Keeping, x.saveBrooder)
	s.Post(e, "/board/:list/:id/drop", farm.Keeping, x.dropDays)
}

// link is the page of a bar.
func link(b season.Bar) string {
	switch {
	case b.PlannedID != 0:
		return fmt.Sprintf("/planned/%d", b.PlannedID)
	case b.Proposal != 0:
		return "/plan"
	}
	return fmt.Sprintf("/batches/%d", b.BatchView.ID)
}

// moved is what a cure sends.
func moved(p interface{ Day() time.Time }, k ahead.Cure) map[string]any {
	return map[string]any{
		"set_on": p.Day().AddDate(0, 0, k.Days).Format("2006-01-02"), "setter": k.SetterID, "hatcher": k.HatcherID,
		"eggs": k.Eggs,
	}
}

type boardData struct {
	season.Board
	Back       wishes.Back // what a line asks for
	Drawing    drawing
	Weeks      int
	Ranges     []int
	Prev, Next string // dates
	Middle     string
	Agenda     []agenda
	Address    string
}

// The ranges that can be picked, in weeks: six, a quarter, half a year, a year.
var ranges = []int{6, 13, 26, 52}

// RangeName says how long so many weeks are.
func (boardData) RangeName(weeks int) string {
	return map[int]string{6: "6 weeks", 13: "3 months", 26: "half a year", 52: "a year"}[weeks]
}

// In is the address of the board with another range or around another date.
func (d boardData) In(weeks int, on string) string {
	return fmt.Sprintf("/board?weeks=%d&on=%s", weeks, on)
}

// shown reads which days are to be shown.
func shown(c *echo.Context) (around time.Time, weeks int) {
	around, _ = time.Parse("2006-01-02", c.QueryParam("on"))
	if around.Year() < 1990 || around.Year() > 2200 {
		around = time.Time{}
	}
	weeks, _ = strconv.Atoi(c.QueryParam("weeks"))
	if !slices.Contains(ranges, weeks) {
		weeks = ranges[1]
	}
	return around, weeks
}

func (x boardHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	around, weeks := shown(c)
	line := c.QueryParam("line")
	if meta.Typed != nil {
		line = meta.Typed.Get("line")
	}
	var back wishes.Back
	var also []func(*ahead.Outlook) error
	if line != "" {
		also = append(also, wishes.Asked(page.Short200(line), &back))
	}
	b, err := x.Season.Board(c.Request().Context(), m, around, weeks, also...)
	if err != nil {
		return err
	}
	middle := b.From.AddDate(0, 0, 7*weeks/4)
	d := boardData{
		Board: b, Back: back, Drawing: draw(b, weeks, m), Weeks: weeks, Ranges: ranges, Middle: middle.Format("2006-01-02"),
		Prev: middle.AddDate(0, 0, -7*weeks/2).Format("2006-01-02"),
		Next: middle.AddDate(0, 0, 7*weeks/2).Format("2006-01-02"), Agenda: byDay(b, m),
	}
	if around.IsZero() {
		d.Middle = ""
	}
	d.Address = d.In(weeks, d.Middle)
	meta.Nav, meta.Title = "/board", "Board"
	if c.QueryParam("as") == "table" {
		return x.table.Render(c, meta, m, d)
	}
	return x.board.Render(c, meta, m, d)
}

func (x boardHandler) acceptBack(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	var which []int
	for _, v := range f.Values["option"] {
		if n, err := strconv.Atoi(v); err == nil {
			which = append(which, n)
		}
	}
	done, err := x.Wishes.AcceptBack(c.Request().Context(), f.Request(m), page.Short200(f.Get("line")), which)
	return x.Finish(c, done, err, "/board")
}

func (x boardHandler) changeHatcher(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Season.ChangeHatcher(c.Request().Context(), f.Request(m), id, f.ID("hatcher"))
	return x.Finish(c, done, err, page.Back(c, "/board"))
}

// agenda is what happens on one day, for screens on which a board has no room.
type agenda struct {
	On    time.Time
	Items []item
}

type item struct {
	Lane, What, Label, Link string
	Planned                 bool
	Clash                   string
}

// byDay tells what goes in and out on each day from today on.
func byDay(b season.Board, m *farm.Member) (all []agenda) {
	today := m.Date(b.Now)
	by := map[time.Time][]item{}
	latest := today.AddDate(0, 0, 7*ranges[0]) // a phone shows weeks; the strip above them the rest
	if b.To.Before(latest) {
		latest = b.To
	}
	add := func(on time.Time, i item) {
		if !on.Before(today) && on.Before(latest) {
			by[on] = append(by[on], i)
		}
	}
	for _, l := range b.Lanes {
		for _, s := range l.Bars {
			if s.Proposal != 0 || s.ClosedAt != nil {
				continue
			}
			one := item{
				Lane: l.Name, Label: s.Label, Link: link(s), Planned: s.PlannedID != 0, Clash: s.Clash,
			}
			begin, end := one, one
			end.Clash = ""
			switch s.Phase {
			case "lockdown":
				begin.What, end.What = fmt.Sprintf("lockdown of %.0f eggs", s.Stay.Eggs), "pull"
				add(m.Date(s.Stay.To), end)
			default:
				begin.What = fmt.Sprintf("set %.0f eggs", s.Stay.Eggs)
			}
			add(m.Date(s.Stay.From), begin)
		}
	}
	for _, p := range b.Promises {
		_, says := covered(p)
		add(p.ToOn, item{Lane: p.Who, What: p.Thing() + ", " + says, Label: "promised", Link: "/promises"})
	}
	for on, items := range by {
		all = append(all, agenda{on, items})
	}
	slices.SortFunc(all, func(x, y agenda) int { return x.On.Compare(y.On) })
	return all
}

// tried is what a planned batch meets where it is dragged.
type tried struct {
	Says  []string `json:"says"`
	Spots []spot   `json:"spots"`
	Cures []cure   `json:"cures"`
	Means string   `json:"means"`
}

// spot is where on the board something is wrong: in which lane, at which share of the days; lane 0
// is the brooders', -1 all.
type spot struct {
	Lane int64   `json:"lane"`
	X    float64 `json:"x"`
	W    float64 `json:"w"`
}

type cure struct {
	Says    string `json:"says"`
	On      string `json:"on"`
	Setter  int64  `json:"setter"`
	Hatcher int64  `json:"hatcher"`
	Eggs    int    `json:"eggs"`
}

// try answers what a move would meet; nothing is kept.
func (x boardHandler) try(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	around, weeks := shown(c)
	var to season.Move
	to.SetOn, _ = time.Parse("2006-01-02", c.QueryParam("set_on"))
	to.SetterID, _ = strconv.ParseInt(c.QueryParam("setter"), 10, 64)
	to.HatcherID, _ = strconv.ParseInt(c.QueryParam("hatcher"), 10, 64)
	p, err := x.Season.Planned(c.Request().Context(), m, id, &to)
	if err != nil {
		return err
	}
	if around.IsZero() {
		around = m.Date(x.Now())
	}
	from := around.AddDate(0, 0, -7*weeks/4)
	a := axis{days: float64(7 * weeks), start: time.Date(from.Year(), from.Month(), from.Day(), 0, 0, 0, 0, m.Place)}
	out := tried{Says: []string{}, Spots: []spot{}, Cures: []cure{}, Means: fmt.Sprintf(
		"set %s in %s, lockdown %s in %s, out %s.", p.SetOn.Format("Mon 2 Jan"), p.Setter.Name,
		m.ShortDay(p.LockOn()), p.Hatcher.Name, m.ShortDay(p.PullOn()),
	)}
	for _, t := range p.Troubles {
		out.Says = append(out.Says, t.Says)
		lane := t.MachineID
		if t.Reason == "away" {
			lane = -1
		}
		l, r := a.at(t.From), a.at(t.To)
		if r > l {
			out.Spots = append(out.Spots, spot{lane, l, r - l})
		}
	}
	for _, k := range p.Cures {
		out.Cures = append(out.Cures, cure{
			k.Says, p.SetOn.AddDate(0, 0, k.Days).Format("2006-01-02"), k.SetterID, k.HatcherID, k.Eggs,
		})
	}
	return c.JSON(http.StatusOK, out)
}
