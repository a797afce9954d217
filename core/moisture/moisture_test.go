package moisture_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/air"
	"metrogon/core/moisture"
	"metrogon/core/units"
)

func held(rh float64) []moisture.Period { return []moisture.Period{{FromDay: 0, ToDay: 30, RHPct: rh}} }

func work(t require.TestingT, l moisture.Lot) moisture.Outlook {
	if l.AirTempC == 0 {
		l.AirTempC = 37.6
	}
	if l.EggTempC == 0 {
		l.EggTempC = l.AirTempC
	}
	o, err := moisture.Work(l)
	require.NoError(t, err)
	return o
}

// Made with R 4.2.2 and PsychroLib 2.5.0 for the saturation pressures.
func TestAgainstRAndPsychroLib(t *testing.T) {
	o := work(t, moisture.Lot{
		FreshMassG: 62.4, Weighings: []moisture.Weighing{{Day: 0, MassG: 62.4}, {Day: 10, MassG: 58.1}}, RH: held(50),
		TargetPct: 12, TargetDay: 18,
	})
	assert.InDelta(t, 132.52585337362, o.G, .005)
	assert.Equal(t, [2]float64{o.G, o.G}, [2]float64{o.GLow, o.GHigh}, "two weighings have no scatter")

	o = work(t, moisture.Lot{
		FreshMassG: 62.4, Weighings: []moisture.Weighing{{Day: 9, MassG: 58.9}}, RH: held(50), TargetPct: 13,
		TargetDay: 18, KnownG: 120,
	})
	assert.InDelta(t, 34.193665400609, o.RequiredRHPct, .01)
	assert.True(t, o.Attainable)
	assert.InDelta(t, 13, o.BestLossPct, 1e-9)

	o = work(t, moisture.Lot{
		FreshMassG: 55, Weighings: []moisture.Weighing{{Day: 10, MassG: 54.1}}, AirTempC: 37.5, RH: held(60),
		TargetPct: 13, TargetDay: 18, KnownG: 90,
	})
	assert.InDelta(t, -34.495274388237, o.RequiredRHPct, .01)
	assert.False(t, o.Attainable, "drier than dry air can do")
	assert.Equal(t, moisture.Driest, o.BestRHPct)
	assert.Less(t, o.BestLossPct, 13.0)

	o = work(t, moisture.Lot{FreshMassG: 60, AirTempC: 37.5, RH: held(52), TargetPct: 12, TargetDay: 18, KnownG: 125})
	assert.InDelta(t, 11.61750854896, o.ProjectedPct, .001)
	assert.Zero(t, o.LossPct)

	assert.InDelta(t, 51.27948, moisture.Volume(57, 42), 1e-9)
	assert.InDelta(t, 55.100304, moisture.FreshMass(57, 42), 1e-9)

	o = work(t, moisture.Lot{FreshMassG: 60, RH: held(50), TargetPct: 12, TargetDay: 18, KnownG: 125, AltitudeM: 1600})
	assert.InDelta(t, 151.64152419111, o.G, .001)
	assert.InDelta(t, 125, o.GSeaLevel, 1e-9)
}

func TestEachPeriodHasItsOwnHumidity(t *testing.T) {
	// Worked by hand: 5 days at 40 % and 5 at 60 % drive like 10 at 50 %.
	two := []moisture.Period{{FromDay: 0, ToDay: 5, RHPct: 40}, {FromDay: 5, ToDay: 10, RHPct: 60}}
	l := moisture.Lot{
		FreshMassG: 62.4, Weighings: []moisture.Weighing{{Day: 0, MassG: 62.4}, {Day: 10, MassG: 58.1}}, RH: two,
		TargetPct: 12, TargetDay: 18,
	}
	assert.InDelta(t, 132.52585337362, work(t, l).G, .005)
	// What goes on unchanged is the last humidity.
	psat := air.Saturation(37.6)
	assert.InDelta(t, 100*(4.3+132.52585337362*psat*.4*8/1000)/62.4, work(t, l).ProjectedPct, .001)
}

func TestScatterWidensTheBounds(t *testing.T) {
	exact := []moisture.Weighing{{Day: 0, MassG: 60}, {Day: 5, MassG: 58}, {Day: 10, MassG: 56}}
	rough := []moisture.Weighing{{Day: 0, MassG: 60}, {Day: 5, MassG: 58.3}, {Day: 10, MassG: 56}}
	a := work(t, moisture.Lot{FreshMassG: 60, Weighings: exact, RH: held(50), TargetPct: 12, TargetDay: 18})
	b := work(t, moisture.Lot{FreshMassG: 60, Weighings: rough, RH: held(50), TargetPct: 12, TargetDay: 18})
	assert.InDelta(t, a.GLow, a.GHigh, 1e-6)
	// By hand: residuals −.1, .2, −.1 g, so s² = .06 / 1; Sxx = 50 drives²; t at
	// .975 with one degree of freedom is 12.7062: 400 ± 440.15 mg per drive.
	drive := air.Saturation(37.6) / 2
	assert.InDelta(t, 400/drive, b.G, 1e-6)
	assert.InDelta(t, 840.15/drive, b.GHigh, .01)
	assert.Zero(t, b.GLow, "never below nothing")
}

// The more the eggs have lost so far, the more humidity is advised.
func TestAdviceIsMonotone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		fresh := rapid.Float64Range(8, 160).Draw(t, "fresh")
		day := rapid.Float64Range(2, 15).Draw(t, "day")
		loss := rapid.Float64Range(.5, 14).Draw(t, "loss")
		more := loss + rapid.Float64Range(.01, 5).Draw(t, "more")
		rh := rapid.Float64Range(15, 80).Draw(t, "rh")
		advise := func(lossPct float64) moisture.Outlook {
			return work(t, moisture.Lot{
				FreshMassG: fresh,
				Weighings:  []moisture.Weighing{{Day: 0, MassG: fresh}, {Day: day, MassG: fresh * (1 - lossPct/100)}},
				RH:         held(rh), TargetPct: 12, TargetDay: 18,
			})
		}
		a, b := advise(loss), advise(more)
		if b.RequiredRHPct < a.RequiredRHPct-1e-9 || b.BestRHPct < a.BestRHPct-1e-9 {
			t.Fatalf("%.2f %% lost: %.2f %% humidity; %.2f %% lost: %.2f", loss, a.RequiredRHPct, more, b.RequiredRHPct)
		}
		if a.Attainable && (a.BestLossPct < 12-1e-6 || a.BestLossPct > 12+1e-6) {
			t.Fatalf("the advice leads to %g", a.BestLossPct)
		}
	})
}

func TestTheAirCellGrowsByTheWaterLost(t *testing.T) {
	o := work(t, moisture.Lot{
		FreshMassG: 55.1, VolumeCM3: 51.28,
		Weighings: []moisture.Weighing{{Day: 0, MassG: 55.1}, {Day: 10, MassG: 51.1}}, RH: held(50), TargetPct: 12,
		TargetDay: 18,
	})
	assert.InDelta(t, .0075*51.28+4, o.AirCellCM3, 1e-9)
	// Without measures the volume is the mass by Hoyt's two formulas: 60 · 0.51/0.548 cm³.
	o = work(t, moisture.Lot{FreshMassG: 60, RH: held(50), TargetPct: 12, TargetDay: 18, KnownG: 125})
	assert.InDelta(t, .0075*55.83942, o.AirCellCM3, 1e-6)
}

func TestMistakesNameTheField(t *testing.T) {
	good := func() moisture.Lot {
		return moisture.Lot{
			FreshMassG: 60, AirTempC: 37.5, EggTempC: 37.5,
			Weighings: []moisture.Weighing{{Day: 0, MassG: 60}, {Day: 7, MassG: 57}}, RH: held(50), TargetPct: 12,
			TargetDay: 18,
		}
	}
	for says, spoil := range map[string]func(*moisture.Lot){
		"fresh_mass_g: -1":             func(l *moisture.Lot) { l.FreshMassG = -1 },
		"more than the fresh egg's 60": func(l *moisture.Lot) { l.Weighings[1].MassG = 70 },
		"gained weight, from 58 to 59": func(l *moisture.Lot) {
			l.Weighings = []moisture.Weighing{{Day: 1, MassG: 58}, {Day: 7, MassG: 59}}
		},
		"target_day: 18 is not after":  func(l *moisture.Lot) { l.Weighings[1].Day = 18 },
		"weighings[1].day: 0 is given": func(l *moisture.Lot) { l.Weighings[1].Day = 0 },
		"rh_pct: missing":              func(l *moisture.Lot) { l.RH = nil },
		"rh[0].rh_pct: 500":            func(l *moisture.Lot) { l.RH[0].RHPct = 500 },
		"one after the set day":        func(l *moisture.Lot) { l.Weighings = l.Weighings[:1] },
		"air_temp_c: 99":               func(l *moisture.Lot) { l.AirTempC = 99 },
	} {
		l := good()
		spoil(&l)
		_, err := moisture.Work(l)
		assert.ErrorContains(t, err, says)
	}
}

func TestOddWeighingsAreAskedAbout(t *testing.T) {
	for _, c := range []struct {
		name         string
		mass         float64
		eggs         int
		before, days float64
		says         string
	}{
		{"a usual loss", 57.1 * 20, 20, 60, 7, ""}, {"nothing lost yet", 60 * 20, 20, 60, .2, ""}, {
			"nothing lost in three days, on a coarse scale", 60 * 20, 20, 60, 3, "",
		},
		{"nothing lost in a week", 60 * 4, 4, 60, 7, "no loss in 7 days is unusual"}, {
			"the first, usual", 61 * 20, 20, 0, 0, "",
		},
		{"weight up", 60.9 * 20, 20, 60, .5, "60.9 g an egg, after 60.0 g: eggs only lose"},
		{"ounces", 57.1 * 20 / 28.35, 20, 60, 7, "was it 40.28 ounces?"},
		{"ounces at first", 60 * 20 / 28.35, 20, 0, 0, "was it 42.33 ounces?"},
		{"two eggs fewer than typed", 57.1 * 18, 20, 60, 7, "weighs like 18 eggs, not 20"},
		{"one egg more than typed", 57.1 * 21, 20, 60, 7, "weighs like 21 eggs, not 20"},
		{"far off", 20 * 20, 20, 0, 0, "is the number of eggs right"},
	} {
		got := moisture.Odd(c.mass, c.eggs, c.before, c.days, 58, units.Reader{})
		if c.says == "" {
			assert.Empty(t, got, c.name)
		} else {
			assert.Contains(t, got, c.says, c.name)
		}
	}
}

// Twenty eggs on a scale that shows whole ounces: 42 oz on both days.
func TestNoLossIsPossibleAndAdvisesNothing(t *testing.T) {
	for name, l := range map[string]moisture.Lot{
		"two equal weighings": {Weighings: []moisture.Weighing{{Day: 0, MassG: 55.1}, {Day: 3, MassG: 55.1}}},
		"equal to the fresh":  {FreshMassG: 55.1, Weighings: []moisture.Weighing{{Day: 3, MassG: 55.1}}},
		"up and down to equal": {
			Weighings: []moisture.Weighing{{Day: 0, MassG: 55.1}, {Day: 1, MassG: 54}, {Day: 3, MassG: 55.1}},
		},
	} {
		l.RH, l.TargetPct, l.TargetDay = held(50), 12, 18
		l.AirTempC, l.EggTempC = 37.5, 37.5
		o, err := moisture.Work(l)
		require.NoError(t, err, name)
		assert.True(t, o.NoLoss || o.G > 0, name)
		if o.NoLoss {
			assert.Equal(t, [4]float64{}, [4]float64{o.G, o.GLow, o.RequiredRHPct, o.BestRHPct}, name)
		}
		assert.False(t, math.IsNaN(o.LossPct) || math.IsInf(o.ProjectedPct, 0), name)
	}
	o, err := moisture.Work(moisture.Lot{FreshMassG: 55.1, AirTempC: 37.5, EggTempC: 37.5, RH: held(50), TargetPct: 12,
		TargetDay: 18,
		Weighings: []moisture.Weighing{{Day: 0, MassG: 55.1}, {Day: 3, MassG: 55.1}}})
	require.NoError(t, err)
	assert.True(t, o.NoLoss)
	assert.Zero(t, o.LossPct)
	assert.Zero(t, o.ProjectedPct)
}

func TestFreshMassIsFoundByGoingBack(t *testing.T) {
	o := work(t, moisture.Lot{
		Weighings: []moisture.Weighing{{Day: 2, MassG: 59.2}, {Day: 7, MassG: 57.2}}, RH: held(50), TargetPct: 12,
		TargetDay: 18,
	})
	assert.InDelta(t, 100*2.8/60, o.LossPct, 1e-9, "0.4 g a day, so 60 g on the set day")
}

// The bounds of a slope by the textbook: days 0, 4, 8, 12 at 60, 58.5, 56.7, 55.3 g give
// −0.3975 g a day with a standard error of 0.0129904; Student's t of two degrees of
// freedom is 4.30265 at 97.5 %.
func TestBoundsOfASlopeWorkedByHand(t *testing.T) {
	o := work(t, moisture.Lot{FreshMassG: 60, RH: held(50), TargetPct: 12, TargetDay: 18,
		Weighings: []moisture.Weighing{
			{Day: 8, MassG: 56.7}, {Day: 0, MassG: 60}, {Day: 12, MassG: 55.3}, {Day: 4, MassG: 58.5},
		}})
	assert.InEpsilon(t, 1-4.30265*0.0129904/0.3975, o.GLow/o.G, 1e-5)
	assert.InEpsilon(t, 1+4.30265*0.0129904/0.3975, o.GHigh/o.G, 1e-5)
	assert.InDelta(t, 100*4.7/60, o.LossPct, 1e-9, "at the last, in whatever order they came")
}

// Five days at 40 % and five at 60 % lose as 3 to 2: 3 g and 2 g lead back to 60 g.
func TestGoingBackKeepsToEachPeriodsHumidity(t *testing.T) {
	o := work(t, moisture.Lot{Weighings: []moisture.Weighing{{Day: 5, MassG: 57}, {Day: 10, MassG: 55}}, TargetPct: 12,
		TargetDay: 18,
		RH:        []moisture.Period{{FromDay: 0, ToDay: 5, RHPct: 40}, {FromDay: 5, ToDay: 10, RHPct: 60}}})
	assert.InDelta(t, 100*5/60.0, o.LossPct, 1e-9)
}

func TestBoundsAreStillPossible(t *testing.T) {
	good := moisture.Lot{
		FreshMassG: 60, AirTempC: 37.5, EggTempC: 37.5, RH: held(50), TargetPct: 12, TargetDay: 18, KnownG: 125,
	}
	for name, c := range map[string]struct {
		change func(*moisture.Lot)
		ok     bool
	}{
		"loss of 40 %":     {func(l *moisture.Lot) { l.TargetPct = 40 }, true},
		"loss of 1 %":      {func(l *moisture.Lot) { l.TargetPct = 1 }, true},
		"air of 10 °C":     {func(l *moisture.Lot) { l.AirTempC = 10 }, true},
		"air of 45.1 °C":   {func(l *moisture.Lot) { l.AirTempC = 45.1 }, false},
		"a tiny egg":       {func(l *moisture.Lot) { l.FreshMassG = .3 }, true},
		"an egg of 2.5 kg": {func(l *moisture.Lot) { l.FreshMassG = 2500 }, true},
		"weighed 2 % too heavy": {
			func(l *moisture.Lot) { l.Weighings = []moisture.Weighing{{Day: 5, MassG: 61.2}} }, true,
		},
		"weighed on the target": {
			func(l *moisture.Lot) { l.Weighings = []moisture.Weighing{{Day: 18, MassG: 55}} }, false,
		},
		"a period of no length": {
			func(l *moisture.Lot) { l.RH = []moisture.Period{{FromDay: 3, ToDay: 3, RHPct: 50}} }, false,
		},
		"a day weighed twice": {
			func(l *moisture.Lot) { l.Weighings = []moisture.Weighing{{Day: 5, MassG: 58}, {Day: 5, MassG: 58}} },
			false,
		},
		"only on the set day": {
			func(l *moisture.Lot) { l.KnownG, l.Weighings = 0, []moisture.Weighing{{Day: 0, MassG: 60}} }, false,
		},
		"nothing, G being known": {func(*moisture.Lot) {}, true},
	} {
		l := good
		c.change(&l)
		_, err := moisture.Work(l)
		assert.Equal(t, c.ok, err == nil, "%s: %v", name, err)
	}
	// Kinds vary twofold: an egg of exactly half or twice the usual is not odd.
	for _, g := range []float64{29, 116} {
		assert.Empty(t, moisture.Odd(g, 1, 0, 0, 58, units.Reader{}), "%g g", g)
	}
}
