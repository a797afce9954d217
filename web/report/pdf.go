package report

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/notes"
	"metrogon/farm/snapshot"
	"metrogon/formats/report"
	"metrogon/web/page"
)

func hours(h float64) time.Duration { return time.Duration(h * float64(time.Hour)) }

// midnight of a date, on the farm's clock.
func midnight(day time.Time, m *farm.Member) time.Time {
	y, mo, d := day.Date()
	return time.Date(y, mo, d, 0, 0, 0, 0, m.Place)
}

// pdf sends the report as PDF.
func (h handler) pdf(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	p, err := h.Report.Report(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	s := sheet{p, draw(p, m), ends(p)}
	var whole bytes.Buffer
	if err := s.paper(m, h.Now()).Write(&whole); err != nil {
		return err
	}
	name := "report-" + strings.ToLower(strings.ReplaceAll(p.Code, " ", "-")) + ".pdf"
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+name+`"`)
	return c.Blob(200, "application/pdf", whole.Bytes())
}

// paper is what stands in the PDF: figures, losses, causes, what was noted; no names of people.
func (s sheet) paper(m *farm.Member, now time.Time) report.Report {
	out := report.Report{
		Title:   "Report of " + s.Code,
		Printed: s.FarmName + ", written on " + m.Moment(now),
		Lead:    fmt.Sprintf("%d hatched of %d set.", s.BatchView.Hatched, s.Eggs),
	}
	out.Facts = append(out.Facts, [2]string{"Kind", s.Kind.Name}, [2]string{"Set", m.Moment(s.SetAt)},
		[2]string{"Hatch expected", m.Moment(s.Hatch().At)})
	if n := len(s.Outs); n > 0 {
		out.Facts = append(out.Facts, [2]string{"First and last young", m.Moment(s.Outs[0].At) + " to " +
			m.Moment(s.Outs[n-1].At)})
	}
	if s.LossPct != nil {
		out.Facts = append(out.Facts, [2]string{"Water lost by lockdown",
			fmt.Sprintf("%.1f %%, goal %.0f %%", *s.LossPct, s.GoalPct)})
	}
	if s.LateH > 0 {
		out.Facts = append(out.Facts, [2]string{"Set back by cold", fmt.Sprintf("%.0f h", s.LateH)})
	}
	for _, r := range []struct {
		name       string
		own, usual snapshot.Rate
	}{
		{"Fertile of set", s.Rates.Fertility, s.Usual.Fertility},
		{"Hatched of fertile", s.Rates.HatchOfFertile, s.Usual.HatchOfFertile},
		{"Hatched of set", s.Rates.HatchOfSet, s.Usual.HatchOfSet},
	} {
		out.Rates = append(out.Rates, [3]string{r.name, rate(r.own), rate(r.usual)})
	}
	for _, e := range s.Ends {
		out.Losses = append(out.Losses, [3]string{e.Name, fmt.Sprint(e.Eggs), fmt.Sprintf("%.1f", e.Loss.Usual)})
	}
	out.Why = s.Diagnosis.Says
	if s.Diagnosis.Enough {
		for _, c := range s.Told() {
			x := report.Cause{Name: fmt.Sprintf("%s, about %.0f in 100", c.Name, c.Pct)}
			for _, e := range c.For {
				x.For = append(x.For, s.Evidence(e, m))
			}
			for _, e := range c.Against {
				x.Against = append(x.Against, s.Evidence(e, m))
			}
			out.Causes = append(out.Causes, x)
		}
	}
	for _, n := range s.Notes {
		out.Notes = append(out.Notes, m.Moment(n.At)+": "+notes.Says(n, m))
	}
	for _, n := range s.NextTimes {
		out.Next = append(out.Next, n.Says)
	}
	return out
}

// rate writes 14 of 20 (46–86 %).
func rate(r snapshot.Rate) string {
	if r.N == 0 {
		return "not known"
	}
	return fmt.Sprintf("%d of %d, %.0f–%.0f %%", r.K, r.N, 100*r.Low, 100*r.High)
}
