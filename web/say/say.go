// Package say writes figures, dates and hours on pages as the person who reads them
// wants them: in their units, counted their way, on their farm's clock.
package say

import (
	"math"
	"strconv"
	"time"

	"metrogon/core/calendar"
	"metrogon/farm"
)

// Reader is the person for whom a page is written; nobody on the pages before the door.
type Reader struct {
	Member *farm.Member
	Now    time.Time // zero: dates are written without their year
}

// Clock writes the hour as the person reads it.
func (r Reader) Clock(t time.Time) string { return r.Member.Hours(t) }

// Day writes the date of a moment on the farm.
func (r Reader) Day(t time.Time) string { return r.Date(r.Member.Date(t)) }

// Moment writes day and hour.
func (r Reader) Moment(t time.Time) string { return r.Day(t) + ", " + r.Clock(t) }

// Span writes when a milestone falls: a chore to the minute, the usual span of
// an event by its days.
func (r Reader) Span(m calendar.Milestone) string {
	switch {
	case m.From.Equal(m.To):
		return r.Moment(m.At)
	case r.Day(m.From) == r.Day(m.To):
		return r.Day(m.From)
	}
	return r.Day(m.From) + " – " + r.Day(m.To)
}

// Date writes a calendar date, with the year where it is not the running one.
func (r Reader) Date(on time.Time) string {
	if r.Now.IsZero() || on.Year() == r.Now.In(r.Member.Place).Year() {
		return on.Format("Mon 2 Jan")
	}
	return on.Format("Mon 2 Jan 2006")
}

// ISO writes a calendar date for a form.
func (Reader) ISO(t time.Time) string { return t.Format("2006-01-02") }

// LocalISO writes a moment for a form, on the farm's clock.
func (r Reader) LocalISO(t time.Time) string { return t.In(r.Member.Place).Format("2006-01-02T15:04") }

// Temp writes a temperature in the person's unit.
func (r Reader) Temp(c float64) string { return r.Member.Units().Temp(c) }

// Degrees gives a temperature as a bare number in the person's unit.
func (r Reader) Degrees(c float64) string { return r.Member.Units().Degrees(c) }

// Mass writes a mass in the person's unit.
func (r Reader) Mass(g float64) string { return r.Member.Units().Mass(g) }

// Weight gives a mass as a bare number in the person's unit.
func (r Reader) Weight(g float64) string { return r.Member.Units().Weight(g) }

// MassUnit is g or oz.
func (r Reader) MassUnit() string { return r.Member.Units().MassUnit() }

// UnitGrams is how many grams one of them is.
func (r Reader) UnitGrams() float64 { return r.Member.Units().Grams(1) }

// Position says on which day of how many eggs stand, counted the person's way.
func (r Reader) Position(days, hatchDay float64) string {
	return r.Member.Counting().Position(days, hatchDay)
}

// Count numbers elapsed days the person's way.
func (r Reader) Count(days float64) int { return r.Member.Counting().Count(days) }

// InUnit writes a mass as a bare number in the person's unit, as it is typed.
func (r Reader) InUnit(g *float64) string {
	return strconv.FormatFloat(math.Round(*g/r.UnitGrams()*100)/100, 'f', -1, 64)
}
