package machines

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/gauges"
	"metrogon/web/page"
)

// Measured tells whether readings are taken of the machine: of any but a hen.
func (d data) Measured() bool { return d.One.ID != 0 && d.One.Hen == nil }

// Degree writes a difference of temperatures in the reader's units.
func (data) Degree(c float64, m *farm.Member) string { return m.Units().Difference(c) }

// Width writes how sure a temperature is.
func (data) Width(c float64, m *farm.Member) string { return m.Units().Width(c) }

// read keeps what an instrument and the machine's own display showed at one look.
func (x handler) read(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	celsius := func(field string) *float64 {
		typed := f.MaybeFloat(field, "The temperature")
		if typed == nil {
			return nil
		}
		read := page.Celsius(m, *typed)
		return &read
	}
	r := gauges.Reading{
		InstrumentID: f.ID("instrument"), TempC: celsius("gauge_temp"), RHPct: f.MaybeFloat("gauge_rh", "The humidity"),
		WetC:     celsius("wet"),
		DisplayC: celsius("display"), DisplayRHPct: f.MaybeFloat("display_rh", "The humidity"), At: f.When(m),
	}
	return x.Save(c, f, fmt.Sprintf("/machines/%d#reads", id), func() (farm.Done, error) {
		return x.Gauges.TakeReading(c.Request().Context(), f.Request(m), id, r)
	}, func(meta page.Meta) error { return x.form(c, m, meta) })
}
