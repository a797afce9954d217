package books

import (
	"bytes"
	"fmt"
	"strconv"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/formats/record"
)

const recordNote = "Batches that are over, eggs on trial left out. Fertile: of those that somebody looked at or that " +
	"hatched. The sums are written with the span in which the true rate lies 95 times in 100."

// record sends the hatch record of a year as PDF.
func (h handler) record(c *echo.Context, m *farm.Member) error {
	year, err := strconv.Atoi(c.QueryParam("year"))
	if err != nil {
		return farm.ErrNone
	}
	r, err := h.Books.HatchRecord(c.Request().Context(), m, year)
	if err != nil {
		return err
	}
	if len(r.Pens) == 0 {
		return farm.ErrNone
	}
	out := record.Record{
		Title: fmt.Sprintf("Hatch record %d", year), Printed: r.Farm + ", written on " + m.Moment(h.Now()), Note: recordNote,
	}
	for _, p := range r.Pens {
		part := record.Pen{Name: p.Name + ", " + p.Kind, Total: lineOf(p.Rates, p.Eggs, true)}
		part.Total.Batch = "In all"
		for _, b := range p.Batches {
			line := lineOf(b.Rates, b.Eggs, false)
			line.Batch, line.Set = b.Code, b.SetAt.In(m.Place).Format("Mon 2 Jan")
			part.Lines = append(part.Lines, line)
		}
		out.Pens = append(out.Pens, part)
	}
	var whole bytes.Buffer
	if err := out.Write(&whole); err != nil {
		return err
	}
	attach(c, "application/pdf", fmt.Sprintf("hatch-record-%d.pdf", year))
	_, err = c.Response().Write(whole.Bytes())
	return err
}

func lineOf(r snapshot.Rates, eggs int, span bool) record.Line {
	return record.Line{
		Eggs: strconv.Itoa(eggs), Fertile: shareOf(r.Fertility, span), OfFertile: shareOf(r.HatchOfFertile, span),
		OfSet: shareOf(r.HatchOfSet, span),
	}
}

// shareOf writes 14 of 20, with its span 46–86 %; "not known" where nothing is.
func shareOf(r snapshot.Rate, span bool) string {
	switch {
	case r.N == 0:
		return "not known"
	case span:
		return fmt.Sprintf("%d of %d: %.0f–%.0f %%", r.K, r.N, 100*r.Low, 100*r.High)
	}
	return fmt.Sprintf("%d of %d", r.K, r.N)
}
