// Package report is the report of a batch: one page, for the screen, on paper and as PDF.
package report

import (
	"embed"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/diagnosis"
	"metrogon/farm"
	"metrogon/farm/report"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	report page.Template[sheet]
}

// Routes hangs the page in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[sheet](s, files, "report.html", "why.html")}
	e.GET("/batches/:id/report", s.Signed(page.Fresh(h.show)))
	e.GET("/batches/:id/report.pdf", s.File(h.pdf))
	s.Post(e, "/batches/:id/next", farm.Keeping, h.next)
	s.Post(e, "/batches/:id/next-done", farm.Helping, h.nextDone)
	s.Post(e, "/next/:id/end", farm.Keeping, h.end)
}

// sheet is the report with its drawings.
type sheet struct {
	report.Page
	Strip strip
	Ends  []end
}

// Told are the causes that are worth reading: those of some weight, three at most.
func (s sheet) Told() (all []diagnosis.Cause) {
	for _, c := range s.Diagnosis.Causes {
		if c.ID != diagnosis.Chance && c.Pct >= 10 && len(all) < 3 {
			all = append(all, c)
		}
	}
	return all
}

// Fresh is what may be tried against a cause and is not on the list yet.
func (s sheet) Fresh(c diagnosis.Cause) (all []string) {
	for _, try := range c.Try {
		if !slices.ContainsFunc(s.NextTimes, func(n report.NextTime) bool { return n.Says == try }) {
			all = append(all, try)
		}
	}
	return all
}

// ByChance is how likely it is that nothing went wrong.
func (s sheet) ByChance() diagnosis.Cause {
	for _, c := range s.Diagnosis.Causes {
		if c.ID == diagnosis.Chance {
			return c
		}
	}
	return diagnosis.Cause{}
}

// Evidence writes one thing that the batch says in the reader's units.
func (sheet) Evidence(e diagnosis.Evidence, m *farm.Member) string {
	if m == nil || m.Temperature != "F" {
		return e.Text
	}
	switch r := m.Units(); e.Fact {
	case "temp_offset_c":
		how := map[bool]string{true: "warm", false: "cool"}[e.Value > 0]
		return fmt.Sprintf("held %.1f °F too %s", 1.8*math.Abs(e.Value), how)
	case "temp_swing_c":
		return fmt.Sprintf("temperature swung by %.1f °F", 1.8*e.Value)
	case "storage_temp_c":
		return "the store had " + r.Temp(e.Value)
	}
	return e.Text
}

// end is how some eggs ended, beside what would be usual, as bars.
type end struct {
	report.Loss
	Wide, Usual string // of the bars
	Many        bool   // more than chance brings as a rule
}

func ends(p report.Page) (all []end) {
	most := 1.0
	for _, l := range p.Losses {
		most = math.Max(most, math.Max(float64(l.Eggs), l.Usual))
	}
	for _, l := range p.Losses {
		if l.Eggs == 0 && l.Usual < 1 {
			continue
		}
		e := end{Loss: l, Wide: percent(float64(l.Eggs) / most), Usual: percent(l.Usual / most)}
		e.Many = l.ID != "not_opened" && float64(l.Eggs) > l.Usual+1.5*math.Sqrt(l.Usual)+0.5
		all = append(all, e)
	}
	return all
}

func percent(share float64) string { return strconv.FormatFloat(100*share, 'f', 2, 64) + "%" }

// strip is the hatch on the hours of its usual span.
type strip struct {
	Dots     []dot
	From, To string // of the usual span
	Wide     string
	Middle   string
	Ticks    []tick
}

type dot struct {
	X    string
	R    float64
	Says string
}

type tick struct {
	X     string
	Label string
}

// draw puts the young on the hours from a day before the usual span to a day after it.
func draw(p report.Page, m *farm.Member) (s strip) {
	if len(p.Outs) == 0 {
		return s
	}
	usual := p.Hatch()
	from, to := farm.Earliest(usual.From, p.Outs[0].At), farm.Latest(usual.To, p.Outs[len(p.Outs)-1].At)
	wide := to.Sub(from).Hours()
	from, to = from.Add(-hours(wide*0.06)), to.Add(hours(wide*0.06))
	all := to.Sub(from).Hours()
	x := func(h float64) string { return percent(h / all) }
	s.From, s.Wide = x(usual.From.Sub(from).Hours()), percent(usual.To.Sub(usual.From).Hours()/all)
	s.Middle = x(usual.At.Sub(from).Hours())
	for _, o := range p.Outs {
		s.Dots = append(s.Dots, dot{x(o.At.Sub(from).Hours()), 3 + 2*math.Sqrt(float64(o.Young)),
			fmt.Sprintf("%d out, %s", o.Young, m.Moment(o.At))})
	}
	for day := m.Date(from).AddDate(0, 0, 1); midnight(day, m).Before(to); day = day.AddDate(0, 0, 1) {
		s.Ticks = append(s.Ticks, tick{x(midnight(day, m).Sub(from).Hours()), day.Format("Mon 2")})
	}
	return s
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	p, err := h.Report.Report(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/batches", "Report of "+p.Code
	return h.report.Render(c, meta, m, sheet{p, draw(p, m), ends(p)})
}

func (h handler) next(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	says := append(f.Values["says"], strings.TrimSpace(f.Get("own")))
	return h.Save(c, f, fmt.Sprintf("/batches/%d/report#next", id), func() (farm.Done, error) {
		return h.Report.TryNext(c.Request().Context(), f.Request(m), id, says)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) nextDone(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := h.Report.NextDone(c.Request().Context(), f.Request(m), id, f.ID("next"))
	return h.Finish(c, done, err, page.Back(c, fmt.Sprintf("/batches/%d", id)))
}

func (h handler) end(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := h.Report.EndNext(c.Request().Context(), f.Request(m), id)
	return h.Finish(c, done, err, page.Back(c, "/batches"))
}
