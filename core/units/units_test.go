package units_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"metrogon/core/units"
)

func TestFiguresReadInThePersonsUnits(t *testing.T) {
	plain, other := units.Reader{}, units.Reader{Fahrenheit: true, Ounces: true}
	for _, c := range []struct{ got, want string }{
		// From memory: a table of incubation data of US extension services, 100 °F and 99 °F.
		{plain.Temp(37.5), "37.5 °C"}, {other.Temp(37.5), "99.5 °F"}, {other.Temp(37.78), "100 °F"}, {
			other.Temp(37.22), "99 °F",
		},
		{other.Temp(-17.7778), "0 °F"}, {plain.Temp(-0.04), "0 °C"}, {other.Degrees(-40), "-40"},
		{plain.Mass(58), "58.0 g"}, {other.Mass(58), "2.05 oz"}, {other.Mass(56.699046), "2 oz"}, {
			plain.Mass(11.04), "11.0 g",
		},
		{units.Number(17.5), "17.5"}, {units.Number(21), "21"}, {units.Number(104.98), "105"},
		{units.Outside("The humidity", 105, 0, 100, "%"), "The humidity is 105 %; it may be 0 to 100."},
		{plain.OutsideTemp("The box", 5, 18, 38), "The box is 5 °C; it may be 18 to 38."},
		{other.OutsideTemp("The box", -29, 18, 38), "The box is -20.2 °F; it may be 64.4 to 100.4."},
		{plain.OutsideMass("The weight", -3, .3, 400), "The weight is -3 g; it may be 0.3 to 400."},
		{other.OutsideMass("The weight", 28349.523125, .3, 400), "The weight is 1000 oz; it may be 0.01 to 14.11."},
	} {
		assert.Equal(t, c.want, c.got)
	}
	// NIST Handbook 44, appendix C: 1 avoirdupois ounce is 28.349523125 g exactly.
	assert.InDelta(t, 28.349523125, units.GramsPerOunce, 1e-12)
}

func TestWhatIsTypedComesBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := units.Reader{Fahrenheit: rapid.Bool().Draw(t, "f"), Ounces: rapid.Bool().Draw(t, "oz")}
		c := rapid.Float64Range(-40, 60).Draw(t, "typed")
		back := r.Celsius(c)
		if r.Fahrenheit {
			back = back*1.8 + 32
		}
		if math.Abs(back-c) > 1e-9 {
			t.Fatalf("%g came back as %g", c, back)
		}
		g := rapid.Float64Range(0.3, 2000).Draw(t, "mass")
		if grams := r.Grams(g); r.Ounces != (grams != g) {
			t.Fatalf("%g became %g g", g, grams)
		}
	})
}
