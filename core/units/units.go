// Package units says figures as a person reads them. Inside, everything is in SI
// units: °C, g. Conversion happens here, once, in both directions.
package units

import (
	"fmt"
	"math"
	"strconv"
)

// GramsPerOunce is the avoirdupois ounce. Source: international yard and pound
// agreement, 1959: a pound is 0.45359237 kg.
const GramsPerOunce = 453.59237 / 16

// Reader is how a person reads figures; the zero value reads °C and g.
type Reader struct {
	Fahrenheit bool
	Ounces     bool
}

// Number writes a figure with at most one decimal.
func Number(f float64) string { return short(f, 1) }

func short(f float64, decimals int) string {
	scale := math.Pow(10, float64(decimals))
	return strconv.FormatFloat(math.Round(f*scale)/scale+0, 'f', -1, 64)
}

// Degrees gives a temperature in °C as a bare number in the reader's unit.
func (r Reader) Degrees(c float64) string {
	if r.Fahrenheit {
		return Number(c*1.8 + 32)
	}
	return Number(c)
}

// TempUnit is °C or °F.
func (r Reader) TempUnit() string {
	if r.Fahrenheit {
		return "°F"
	}
	return "°C"
}

// Temp writes a temperature in °C.
func (r Reader) Temp(c float64) string { return r.Degrees(c) + " " + r.TempUnit() }

// Width writes how far apart two temperatures are, a figure without a unit.
func (r Reader) Width(c float64) string {
	if r.Fahrenheit {
		c *= 1.8
	}
	return fmt.Sprintf("%.1f", c)
}

// Difference writes it with its sign and unit.
func (r Reader) Difference(c float64) string {
	sign := "+"
	if c < 0 {
		sign, c = "−", -c
	}
	return sign + r.Width(c) + " " + r.TempUnit()
}

// Celsius reads a temperature that was typed in the reader's unit.
func (r Reader) Celsius(typed float64) float64 {
	if r.Fahrenheit {
		return (typed - 32) / 1.8
	}
	return typed
}

// MassUnit is g or oz.
func (r Reader) MassUnit() string {
	if r.Ounces {
		return "oz"
	}
	return "g"
}

// Weight gives a mass in g as a bare number in the reader's unit: to a tenth of a
// gram, or to a hundredth of an ounce (0.28 g).
func (r Reader) Weight(g float64) string {
	if r.Ounces {
		return short(g/GramsPerOunce, 2)
	}
	return fmt.Sprintf("%.1f", g)
}

// Mass writes a mass in g.
func (r Reader) Mass(g float64) string { return r.Weight(g) + " " + r.MassUnit() }

// Grams reads a mass that was typed in the reader's unit.
func (r Reader) Grams(typed float64) float64 {
	if r.Ounces {
		return typed * GramsPerOunce
	}
	return typed
}

// Outside says that a value in a unit is not between two others, in one sentence
// about what it is.
func Outside(what string, value, least, most float64, unit string) string {
	return fmt.Sprintf("%s is %s %s; it may be %s to %s.", what, short(value, 2), unit, Number(least), Number(most))
}

// OutsideTemp is Outside of temperatures in °C, in the reader's unit.
func (r Reader) OutsideTemp(what string, c, least, most float64) string {
	return fmt.Sprintf("%s is %s; it may be %s to %s.", what, r.Temp(c), r.Degrees(least), r.Degrees(most))
}

// OutsideMass is Outside of masses in g, in the reader's unit.
func (r Reader) OutsideMass(what string, g, least, most float64) string {
	if !r.Ounces {
		return Outside(what, g, least, most, "g")
	}
	bound := func(g float64) string { return short(g/GramsPerOunce, 2) }
	return fmt.Sprintf("%s is %s; it may be %s to %s.", what, r.Mass(g), bound(least), bound(most))
}
