package instrument

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func check(t require.TestingT, how string, of Quantity, day int, shown, truth, sure float64) Check {
	c, err := NewCheck(how, of, time.Date(2027, 1, day, 12, 0, 0, 0, time.UTC), shown, truth, sure)
	require.NoError(t, err)
	return c
}

// By hand: 0.6 in ice and 37.1 where a clinical one has 36.8. At 37.5 it is the upper check's −0.3; half-way, at
// 18.85, the mean of −0.6 and −0.3; in the frost that of ice.
func TestAThermometerIsCorrectedBetweenItsChecks(t *testing.T) {
	k := CorrectionOf(Temperature, []Check{
		check(t, Ice, "", 1, 0.6, 0, 0), check(t, Clinical, "", 2, 37.1, 36.8, 0), check(t, Salt, "", 2, 71, 25, 0),
	})
	require.Len(t, k.Points, 2)
	assert.InDelta(t, 37.2, k.True(37.5), 1e-9)
	assert.InDelta(t, 18.85-0.45, k.True(18.85), 1e-9)
	assert.InDelta(t, -3.6, k.True(-3), 1e-9)
	assert.InDelta(t, 0.1, k.Sure(37), 1e-9)
	due, ok := k.Due()
	assert.True(t, ok)
	assert.Equal(t, time.Date(2028, 1, 2, 12, 0, 0, 0, time.UTC), due)
}

// A later check at the same place takes the place of an earlier one, whatever the order of entry.
func TestTheNewestCheckCounts(t *testing.T) {
	old, fresh := check(t, Clinical, "", 1, 37.4, 36.9, 0), check(t, Clinical, "", 20, 37.2, 37.1, 0)
	for _, all := range [][]Check{{old, fresh}, {fresh, old}} {
		assert.InDelta(t, 37.4, CorrectionOf(Temperature, all).True(37.5), 1e-9)
	}
	none := CorrectionOf(Humidity, []Check{old})
	assert.False(t, none.Known())
	assert.Equal(t, 50., none.True(50))
	assert.Equal(t, 10., none.Sure(50), "it may be off by ten points")
}

// Over wet salt: 75.3 % at 25 °C, 75.5 % at 20 °C [Greenspan 1977, J. Res. NBS 81A]; one that shows 68 there is
// seven points low.
func TestSaltTellsAHygrometer(t *testing.T) {
	for temp, want := range map[float64]float64{
		0: 75.51, 20: 75.47, 22.5: 75.38, 25: 75.29, 30: 75.09, 40: 74.68, 50: 74.68,
	} {
		assert.InDelta(t, want, SaltPct(temp), 0.005, "%g °C", temp)
	}
	c := check(t, Salt, "", 1, 68, 20, 0)
	assert.InDelta(t, 7.47, c.Off(), 0.005)
	assert.InDelta(t, 52.47, CorrectionOf(Humidity, []Check{c}).True(45), 0.005)
}

func TestWhatACheckCannotBe(t *testing.T) {
	now := time.Now()
	for says, c := range map[string]struct {
		how          string
		of           Quantity
		shown, truth float64
	}{
		"how:":                         {"guess", Temperature, 37, 37},
		"of:":                          {Beside, "noise", 37, 37},
		"true: 12":                     {Clinical, "", 37, 12},
		"temp: 60":                     {Salt, "", 70, 60},
		"look whether it is broken":    {Ice, "", 25, 0},
		"shown: 10 lies 65.5":          {Salt, "", 10, 20},
		"shown: 30 lies 10.5 beside t": {Beside, Temperature, 30, 40.5},
	} {
		_, err := NewCheck(c.how, c.of, now, c.shown, c.truth, 0.2)
		assert.ErrorContains(t, err, says)
	}
}

// The display is off by half a degree to the warm: for 37.5 it has to show 38.
func TestWhatTheDisplayMustShow(t *testing.T) {
	assert.InDelta(t, 38.0, DisplayFor(37.5, 37.7, 37.2), 1e-9)
}

// Corrected values rise with what is shown where checks do not cross, and are right at every check.
func TestCorrectionsAreSteady(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		low := check(t, Ice, "", 1, rapid.Float64Range(-2, 2).Draw(t, "ice"), 0, 0)
		high := check(t, Clinical, "", 1, rapid.Float64Range(35, 39).Draw(t, "shown"), 37, 0)
		k := CorrectionOf(Temperature, []Check{high, low})
		for _, c := range k.Points {
			if got := k.True(c.Shown); got < c.True-1e-9 || got > c.True+1e-9 {
				t.Fatalf("at a check: %g is not %g", got, c.True)
			}
		}
		last := k.True(-10)
		for x := -9.5; x < 50; x += 0.5 {
			now := k.True(x)
			if now < last {
				t.Fatalf("%g falls back", x)
			}
			last = now
		}
	})
}
