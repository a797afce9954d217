package season

import (
	"bytes"
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	planner "metrogon/core/season"
	"metrogon/farm"
	"metrogon/farm/season"
	"metrogon/formats/wall"
)

// sheet is the board for the wall of the shed.
func (x boardHandler) sheet(c *echo.Context, m *farm.Member) error {
	around, weeks := shown(c)
	b, err := x.Season.Board(c.Request().Context(), m, around, weeks)
	if err != nil {
		return err
	}
	size := wall.A4
	if c.QueryParam("size") == string(wall.A3) {
		size = wall.A3
	}
	s := wallSheet(b, weeks, m)
	var pdf bytes.Buffer
	if err := s.Write(&pdf, size); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("inline; filename=%q", s.Name(size)))
	return c.Blob(http.StatusOK, "application/pdf", pdf.Bytes())
}

// wallSheet lays the same out as the drawing does, in rows by the days alone. Names of those to
// whom something is promised stay off it: it hangs where visitors come.
func wallSheet(b season.Board, weeks int, m *farm.Member) wall.Sheet {
	x := axis{days: float64(7 * weeks), wide: wide(weeks)}
	x.start = time.Date(b.From.Year(), b.From.Month(), b.From.Day(), 0, 0, 0, 0, m.Place)
	s := wall.Sheet{
		Title:   fmt.Sprintf("%s, %s to %s", m.FarmName, b.From.Format("2 Jan"), b.To.Format("2 Jan 2006")),
		Printed: "as of " + m.Moment(b.Now), From: b.From, Days: 7 * weeks,
	}
	span := func(from, to time.Time, says string) wall.Span {
		return wall.Span{From: x.at(x.day(from)), To: x.at(x.day(to.AddDate(0, 0, 1))), Says: says}
	}
	for _, p := range b.Promises {
		if !p.ToOn.Before(b.From) && p.FromOn.Before(b.To) {
			s.Promises = append(s.Promises, span(p.FromOn, p.ToOn, p.Thing()))
		}
	}
	for _, a := range b.Away {
		s.Away = append(s.Away, span(a.FromOn, a.ToOn, a.Why))
	}
	for _, l := range b.Lanes {
		out := wall.Lane{Name: l.Name}
		for _, k := range l.Shut {
			to := b.To
			if k.ToOn != nil {
				to = *k.ToOn
			}
			out.Shut = append(out.Shut, span(k.FromOn, to, k.Why))
		}
		drawn := lane{}
		rows := drawn.bars(l, x, m)
		out.Rows = make([][]wall.Bar, rows)
		for i, one := range drawn.Bars {
			st := drawn.of[i]
			if st.Proposal != 0 {
				continue
			}
			bar := wall.Bar{
				Span:   wall.Span{From: x.at(st.From), To: x.at(st.Stay.To), Says: st.Label},
				Locked: st.Phase == planner.Locked, Planned: st.PlannedID != 0,
			}
			if st.Phase != planner.Turning {
				bar.Hatch = x.at(st.Hatch().From)
			}
			out.Rows[one.Y/barStep] = append(out.Rows[one.Y/barStep], bar)
		}
		s.Lanes = append(s.Lanes, out)
	}
	return s
}
