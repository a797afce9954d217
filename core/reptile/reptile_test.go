package reptile_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/reptile"
	"metrogon/core/species"
	"metrogon/core/units"
)

var laid = time.Date(2027, 3, 1, 18, 0, 0, 0, time.UTC)

func kind(t require.TestingT, id string) *species.Profile {
	p, err := species.Find(id)
	require.NoError(t, err)
	return p
}

func after(days float64) time.Time { return calendar.After(laid, days) }

// minutes integrates the profile's own table minute by minute, by the middle of each: another way to the same. It
// knows nothing of the package but what a temperature is at a moment.
func minutes(p *species.Profile, temp func(day float64) float64) (hatch, meanC float64) {
	const step = 1. / 1440
	pts := p.Duration.Points
	rate := func(c float64) float64 {
		if p.Diapause.BelowC > 0 && c < p.Diapause.BelowC {
			return 0
		}
		c = math.Max(pts[0].TempC, math.Min(pts[len(pts)-1].TempC, c))
		days := pts[0].At
		for i := 1; i < len(pts); i++ {
			if a, b := pts[i-1], pts[i]; c >= a.TempC {
				days = a.At * math.Pow(b.At/a.At, (c-a.TempC)/(b.TempC-a.TempC))
			}
		}
		return 1 / days
	}
	grown, heat, weight := 0.0, 0.0, 0.0
	for day := 0.0; day < 800; day += step {
		c := temp(day + step/2)
		g := rate(c) * step
		if grown >= 1./3 && grown < 2./3 {
			heat, weight = heat+c*g, weight+g
		}
		if grown += g; grown >= 1 {
			return day + step, heat / weight
		}
	}
	return math.NaN(), math.NaN()
}

// read gives readings of a temperature, so many an hour.
func read(temp func(day float64) float64, until float64, every time.Duration) (all []reptile.Reading) {
	for at := laid; !at.After(after(until)); at = at.Add(every) {
		all = append(all, reptile.Reading{At: at, TempC: temp(calendar.Elapsed(laid, at))})
	}
	return all
}

func TestDevelopmentIsTheIntegralOverMinutes(t *testing.T) {
	dice := rand.New(rand.NewPCG(7, 22))
	shapes := map[string]func(day float64) float64{
		"constant":        func(float64) float64 { return 28.7 },
		"day and night":   func(d float64) float64 { return 28 + 2.5*math.Sin(2*math.Pi*d) },
		"a broken heater": func(d float64) float64 { return 29 - 9*math.Exp(-math.Pow(d-18, 2)/3) },
		"too hot for days": func(d float64) float64 {
			return 28 + 5*math.Exp(-math.Pow(d-25, 2)/8) + 0.3*math.Sin(11*d)
		},
	}
	for name, temp := range shapes {
		for _, id := range []string{"leopard-gecko", "corn-snake", "sulcata-tortoise", "panther-chameleon"} {
			p := kind(t, id)
			shift := p.TemperatureC.At - 28
			here := func(d float64) float64 { return temp(d) + shift }
			want, meanC := minutes(p, here)
			c := reptile.Course{Kind: p, LaidAt: laid, Readings: read(here, 420, time.Duration(3+dice.IntN(6))*time.Minute)}
			f, err := c.Forecast(after(20), reptile.Sure{})
			require.NoError(t, err)
			assert.InEpsilon(t, want, calendar.Elapsed(laid, f.HatchAt), 0.001, "%s, %s", p.ID, name)
			if f.Sex != nil {
				assert.InDelta(t, meanC, f.Sex.MeanC, 0.01, "%s, %s", p.ID, name)
				assert.InDelta(t, p.Sex.FemalePct(meanC), f.Sex.FemalePct, 0.5, "%s, %s", p.ID, name)
			}
		}
	}
}

func TestSquareNightsAreTheIntegralOverMinutes(t *testing.T) {
	p := kind(t, "corn-snake")
	want, _ := minutes(p, func(d float64) float64 { // laid at 18:00, night from 21:00 for ten hours
		if h := math.Mod(18+24*d, 24); h >= 21 || h < 7 {
			return 26.2
		}
		return 28
	})
	night := reptile.Wave{
		DayC: 28, NightC: 26.2, NightFrom: calendar.WallTime{Hour: 21}, NightH: 10, Zone: time.UTC,
	}
	c := reptile.Course{Kind: p, LaidAt: laid, Plans: []reptile.Plan{{From: laid, Wave: night}}}
	f, err := c.Forecast(laid, reptile.Sure{})
	require.NoError(t, err)
	assert.InEpsilon(t, want, calendar.Elapsed(laid, f.HatchAt), 0.001)
	assert.InDelta(t, (28*14+26.2*10)/24, night.Mean(), 1e-9)
}

// By hand, from the handbook's table: at 28 °C 57 days, at 30 47; half at each is 28.5 + 23.5. Corn snakes at 27 °C:
// the root of 72.5 × 62.5. Ball pythons 57.5 at 31.5. Hermann's at 30.25: 82.5 × (60 ÷ 82.5)^0.5.
func TestDatesWorkedByHand(t *testing.T) {
	half := reptile.Course{Kind: kind(t, "leopard-gecko"), LaidAt: laid, Plans: []reptile.Plan{
		{From: laid, Wave: reptile.Constant(28)}, {From: after(28.5), Wave: reptile.Constant(30)},
	}}
	for name, c := range map[string]struct {
		course reptile.Course
		days   float64
	}{
		"leopard gecko, half at 28, half at 30": {half, 28.5 + 23.5},
		"corn snake at 27":                      {reptile.Steady(kind(t, "corn-snake"), laid, 27), math.Sqrt(72.5 * 62.5)},
		"ball python at 31.5":                   {reptile.Steady(kind(t, "ball-python"), laid, 31.5), 57.5},
		"Hermann’s tortoise at 30.25": {
			reptile.Steady(kind(t, "hermanns-tortoise"), laid, 30.25), math.Sqrt(82.5 * 60),
		},
	} {
		f, err := c.course.Forecast(laid, reptile.Sure{})
		require.NoError(t, err, name)
		assert.InDelta(t, c.days, calendar.Elapsed(laid, f.HatchAt), 0.02, name)
	}
	f, err := half.Forecast(after(28.5), reptile.Sure{})
	require.NoError(t, err)
	assert.InDelta(t, 0.5, f.Grown, 1e-6)
}

// Handbook 17: leopard geckos nearly all female at 26, a quarter male at 30, half near 31, three quarters male at
// 32.5, females again above 34 [from memory: Viets et al. 1993; Rhen & Crews]; Hermann's half at 31.5, sliders at 29.3.
func TestSharesFollowTheCurve(t *testing.T) {
	for _, c := range []struct {
		id         string
		temp, want float64
	}{
		{"leopard-gecko", 26, 98}, {"leopard-gecko", 30, 75}, {"leopard-gecko", 31, 50}, {"leopard-gecko", 32.5, 25},
		{"leopard-gecko", 34, 92}, {"hermanns-tortoise", 31.5, 50}, {"red-eared-slider", 29.3, 50},
	} {
		f, err := reptile.Steady(kind(t, c.id), laid, c.temp).Forecast(laid, reptile.Sure{})
		require.NoError(t, err)
		assert.InDelta(t, c.want, f.Sex.FemalePct, 1e-6, "%s at %g", c.id, c.temp)
		assert.True(t, f.Sex.LowPct <= c.want-5 || f.Sex.LowPct == 0, "%s at %g: surer than anybody", c.id, c.temp)
		long := f.HatchAt.Sub(laid)
		assert.InDelta(t, 1./3, float64(f.Sex.From.Sub(laid))/float64(long), 1e-6)
		assert.InDelta(t, 2./3, float64(f.Sex.To.Sub(laid))/float64(long), 1e-6)
	}
	f, err := reptile.Steady(kind(t, "corn-snake"), laid, 28).Forecast(laid, reptile.Sure{})
	require.NoError(t, err)
	assert.Nil(t, f.Sex)
	assert.Contains(t, f.Why, "Genetic")
}

func TestReadingsBetweenBeforeAndAfter(t *testing.T) {
	p := kind(t, "leopard-gecko")
	at := func(day, c float64) reptile.Reading { return reptile.Reading{At: after(day), TempC: c} }
	for name, c := range map[string]struct {
		readings []reptile.Reading
		plan     float64
		like     func(day float64) float64
	}{
		"straight between, the first before": {
			[]reptile.Reading{at(3, 27), at(10, 30)}, 28,
			func(d float64) float64 {
				switch {
				case d < 3:
					return 27
				case d < 10:
					return 27 + 3*(d-3)/7
				}
				return 28
			},
		},
		"the last seven days hold on": {
			[]reptile.Reading{at(0, 30), at(20, 30), at(22, 26), at(29, 26), at(29.5, 27)}, 0,
			func(d float64) float64 {
				switch {
				case d < 20:
					return 30
				case d < 22:
					return 30 - 2*(d-20)
				case d < 29:
					return 26
				case d < 29.5:
					return 26 + 2*(d-29)
				}
				return (6.5*26 + 0.5*26.5) / 7
			},
		},
		"before it was laid does not count": {
			[]reptile.Reading{at(-10, 32), at(-2, 28), at(2, 30)}, 30,
			func(d float64) float64 { return math.Min(30, 29+d/2) },
		},
	} {
		course := reptile.Course{Kind: p, LaidAt: laid, Readings: c.readings}
		if c.plan > 0 {
			course.Plans = []reptile.Plan{{From: laid, Wave: reptile.Constant(c.plan)}}
		}
		want, _ := minutes(p, c.like)
		f, err := course.Forecast(after(12), reptile.Sure{})
		require.NoError(t, err)
		assert.InEpsilon(t, want, calendar.Elapsed(laid, f.HatchAt), 0.001, name)
	}
}

func TestWarmerIsSoonerAndCoolIsRest(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		all := species.All()
		p := all[rapid.IntRange(0, len(all)-1).Draw(r, "kind")]
		if !p.IsReptile() {
			return
		}
		lo, hi := p.TempSpan()
		a := rapid.Float64Range(lo, hi).Draw(r, "temperature")
		by := rapid.Float64Range(0, 2).Draw(r, "warmer by")
		now := after(rapid.Float64Range(0, 20).Draw(r, "now"))
		c := reptile.Steady(p, laid, a)
		f, err := c.Forecast(now, reptile.Sure{Widen: true})
		if err != nil {
			assert.Less(r, a, p.Diapause.BelowC+1e-9)
			return
		}
		g, err := c.Shifted(now, by).Forecast(now, reptile.Sure{})
		require.NoError(r, err)
		assert.False(r, g.HatchAt.After(f.HatchAt.Add(time.Second)), "%g °C warmer is later", by)
		assert.True(r, !f.From.After(f.HatchAt) && !f.To.Before(f.HatchAt))
		assert.InDelta(r, 1, c.Grown(f.HatchAt), 1e-5)
	})
	p := kind(t, "panther-chameleon")
	rested := reptile.Course{Kind: p, LaidAt: laid, Plans: []reptile.Plan{
		{From: laid, Wave: reptile.Constant(26)}, {From: after(45), Wave: reptile.Constant(18)},
		{From: after(90), Wave: reptile.Constant(26)},
	}}
	f, err := rested.Forecast(after(60), reptile.Sure{})
	require.NoError(t, err)
	assert.InDelta(t, 210+45, calendar.Elapsed(laid, f.HatchAt), 0.01, "in the cool nothing grows")
	assert.InDelta(t, 45, f.Rested, 0.01)
	assert.Empty(t, f.Warnings, "its rest is no fault")
	_, err = reptile.Steady(p, laid, 18).Forecast(laid, reptile.Sure{})
	assert.ErrorContains(t, err, "nothing develops")
}

// Summed up to any moment a course tells the same, with the same ways to go on.
func TestASummedCourseTellsTheSame(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		p := kind(r, rapid.SampledFrom([]string{"leopard-gecko", "corn-snake", "panther-chameleon"}).Draw(r, "kind"))
		c := reptile.Course{Kind: p, LaidAt: laid}
		day := 0.0
		for range rapid.IntRange(0, 40).Draw(r, "readings") {
			day += rapid.Float64Range(0.1, 3).Draw(r, "later")
			c.Readings = append(c.Readings, reptile.Reading{
				At: after(day), TempC: rapid.Float64Range(15, 36).Draw(r, "temperature"),
			})
		}
		now := after(day + 0.2)
		c.Plans = []reptile.Plan{{From: laid, Wave: reptile.Constant(p.TemperatureC.At)}}
		whole, err := c.Shifted(now, 0.3).Forecast(now, reptile.Sure{Widen: true})
		require.NoError(r, err)
		summed, err := c.Until(now).Shifted(now, 0.3).Forecast(now, reptile.Sure{Widen: true})
		require.NoError(r, err)
		assert.InDelta(r, 0, whole.HatchAt.Sub(summed.HatchAt).Seconds(), 1)
		assert.InDelta(r, 0, whole.To.Sub(summed.To).Seconds(), 1)
		assert.InDelta(r, whole.Grown, summed.Grown, 1e-9)
		assert.Equal(r, whole.Warnings, summed.Warnings)
		if whole.Sex != nil {
			assert.InDelta(r, whole.Sex.FemalePct, summed.Sex.FemalePct, 1e-6)
		}
	})
}

// What is not known of the temperatures to come weighs less as there is less to come.
func TestTheSpanNarrows(t *testing.T) {
	c := reptile.Steady(kind(t, "leopard-gecko"), laid, 28)
	last := math.Inf(1)
	for _, day := range []float64{0, 20, 40, 52, 56} {
		f, err := c.Forecast(after(day), reptile.Sure{Widen: true})
		require.NoError(t, err)
		wide := f.To.Sub(f.From).Hours()
		assert.Less(t, wide, last, "on day %g", day)
		last = wide
	}
	plain, err := c.Forecast(laid, reptile.Sure{})
	require.NoError(t, err)
	assert.InDelta(t, 53, calendar.Elapsed(laid, plain.From), 0.01, "the profile's own span at 28 °C")
	assert.InDelta(t, 61, calendar.Elapsed(laid, plain.To), 0.01)
}

func TestWarnings(t *testing.T) {
	p := kind(t, "leopard-gecko")
	warned := func(readings ...float64) (kinds []string) {
		c := reptile.Course{Kind: p, LaidAt: laid}
		for i, temp := range readings {
			c.Readings = append(c.Readings, reptile.Reading{At: after(float64(i)), TempC: temp})
		}
		f, err := c.Forecast(after(float64(len(readings)-1)), reptile.Sure{})
		require.NoError(t, err)
		for _, w := range f.Warnings {
			kinds = append(kinds, w.Kind)
		}
		return kinds
	}
	assert.Empty(t, warned(28, 28, 28))
	assert.Contains(t, warned(28, 35, 28), reptile.TooHot)
	assert.Contains(t, warned(28, 20, 28), reptile.TooCold)
	assert.Contains(t, warned(28, 20, 28), reptile.Outside)
	f, err := reptile.Steady(p, laid, 34.5).Forecast(laid, reptile.Sure{})
	require.NoError(t, err)
	assert.True(t, f.Extrapolated)
	c := reptile.Steady(p, laid, 34.5)
	c.Reader = units.Reader{Fahrenheit: true}
	f, err = c.Forecast(laid, reptile.Sure{})
	require.NoError(t, err)
	assert.Contains(t, f.Warnings[0].Says, "94.1 °F")
}

func TestSteering(t *testing.T) {
	p := kind(t, "leopard-gecko")
	c := reptile.Steady(p, laid, 28)
	for goal, ok := range map[reptile.Goal]func(s reptile.Steps) bool{
		reptile.Females: func(s reptile.Steps) bool { return s.Reached && s.Forecast.Sex.LowPct >= 69.5 },
		// At 32.5 °C, the warmest that is usual, a quarter are females, and more again if it is warmer: not surely few.
		reptile.Males:   func(s reptile.Steps) bool { return !s.Reached && s.Forecast.Sex.FemalePct <= 30 },
		reptile.Both:    func(s reptile.Steps) bool { return s.Reached && math.Abs(s.Forecast.Sex.FemalePct-50) <= 12.6 },
		reptile.Soonest: func(s reptile.Steps) bool { return s.WindowC <= p.DangerC.From-1.5 },
	} {
		best, why := c.Steer(after(5), goal, reptile.Sure{})
		require.Empty(t, why, goal)
		assert.True(t, ok(best), "%s: %+v", goal, best)
		for _, temp := range []float64{best.WindowC, best.LaterC} {
			assert.True(t, temp >= p.TemperatureC.From && temp <= p.TemperatureC.To, "%s at %g °C", goal, temp)
		}
		// No constant temperature of the usual ones that meets the goal is sooner.
		for _, x := range c.Curves(after(5), reptile.Sure{}) {
			if goal == reptile.Females && x.Sex.LowPct >= 70 && x.TempC <= best.LaterC {
				assert.False(t, x.HatchAt.Before(best.Forecast.HatchAt), "%g °C is sooner", x.TempC)
			}
		}
	}
	_, why := c.Steer(after(45), reptile.Females, reptile.Sure{})
	assert.Contains(t, why, "It is decided")
	_, why = reptile.Steady(kind(t, "ball-python"), laid, 31.5).Steer(after(5), reptile.Males, reptile.Sure{})
	assert.Contains(t, why, "Genetic")
}

func TestKindsOnOneShelf(t *testing.T) {
	of := func(id string) reptile.Wanted {
		p := kind(t, id)
		return reptile.Wanted{Name: p.Name, FromC: p.TemperatureC.From, ToC: p.TemperatureC.To}
	}
	corn, gecko, ball := of("corn-snake"), of("leopard-gecko"), of("ball-python")
	assert.Empty(t, reptile.Apart([]reptile.Wanted{corn, gecko}, units.Reader{}))
	assert.Contains(t, reptile.Apart([]reptile.Wanted{corn, gecko, ball}, units.Reader{}),
		"Ball python eggs want 31 °C at least, corn snake eggs 29 °C at most")
}

func TestWhatTheBoxLost(t *testing.T) {
	w := func(day, mass, gave float64, anew bool) reptile.Weighed {
		return reptile.Weighed{At: after(day), MassG: mass, GaveG: gave, Anew: anew}
	}
	for name, c := range map[string]struct {
		all  []reptile.Weighed
		give float64
		says string
	}{
		"never weighed": {nil, 0, "Weigh it"},
		"once":          {[]reptile.Weighed{w(0, 800, 0, false)}, 0, "the weight to hold"},
		"a little":      {[]reptile.Weighed{w(0, 800, 0, false), w(7, 797, 0, false)}, 0, "Leave it"},
		"what it lost": {
			[]reptile.Weighed{w(0, 800, 0, false), w(7, 782, 0, false)}, 18, "Give back 18.0 g, only that",
		},
		"much: in halves": {[]reptile.Weighed{w(0, 800, 0, false), w(7, 720, 0, false)}, 40, "Give back half"},
		"given already":   {[]reptile.Weighed{w(0, 800, 0, false), w(7, 782, 18, false)}, 0, "were given back"},
		"lost since it was done": {
			[]reptile.Weighed{w(0, 800, 0, false), w(7, 782, 18, false), w(14, 790, 0, false)}, 10, "Give back 10.0 g",
		},
		"heavier":           {[]reptile.Weighed{w(0, 800, 0, false), w(7, 830, 0, false)}, 0, "more than it should"},
		"eggs came between": {[]reptile.Weighed{w(0, 800, 0, false), w(7, 830, 0, true)}, 0, "the weight to hold"},
	} {
		got := reptile.Give(c.all, 200, units.Reader{})
		assert.InDelta(t, c.give, got.GiveG, 1e-9, name)
		assert.Contains(t, got.Says, c.says, name)
	}
	steady := reptile.Give([]reptile.Weighed{
		w(0, 800, 0, false), w(10, 780, 20, false), w(20, 780, 0, false),
	}, 200, units.Reader{})
	assert.InDelta(t, 2, steady.PerDayG, 1e-9)
	assert.Equal(t, after(30), steady.WeighOn, "a tenth of its water in ten days")
}

func TestWaterForSubstrate(t *testing.T) {
	s, ok := reptile.SubstrateOf("vermiculite")
	require.True(t, ok)
	assert.InDelta(t, 160, reptile.WaterFor(200, s.Least), 1e-9, "0.8 : 1 [common practice]")
	assert.InDelta(t, 200, reptile.WaterFor(200, s.At), 1e-9)
	wet, err := reptile.RatioAt(-150)
	require.NoError(t, err)
	assert.InDelta(t, 1.1, wet, 1e-9, "337 g to 300 g of vermiculite [from memory: Packard and co-workers]")
	dry, err := reptile.RatioAt(-600)
	require.NoError(t, err)
	assert.Less(t, dry, wet)
	_, err = reptile.RatioAt(-5)
	assert.ErrorContains(t, err, "-1000 to -100")
}

func TestWeightsOfSoftAndHardShells(t *testing.T) {
	soft, hard := kind(t, "leopard-gecko"), kind(t, "hermanns-tortoise")
	least, most := reptile.Corridor(soft, 0.75)
	assert.Equal(t, [2]float64{1.25, 1.6}, [2]float64{least, most})
	least, most = reptile.Corridor(hard, 0.75)
	assert.InDelta(t, 0.88, least, 1e-9)
	assert.InDelta(t, 0.95, most, 1e-9)
	assert.Contains(t, reptile.Weight(soft, 0.5, 0.95), "too dry")
	assert.Contains(t, reptile.Weight(soft, 0.5, 1.9), "too wet")
	assert.Contains(t, reptile.Weight(hard, 0.5, 0.8), "air is too dry")
	assert.Contains(t, reptile.Weight(soft, 0.5, 1.3), "usual")
	assert.Contains(t, reptile.Weight(soft, 0.95, 0.9), "say little")
}

func TestSignsByStage(t *testing.T) {
	p := kind(t, "leopard-gecko")
	assert.Contains(t, reptile.Means(p, reptile.Dented, 0.3).Says, "Too dry")
	assert.Contains(t, reptile.Means(p, reptile.Dented, 0.95).Says, "Normal")
	assert.True(t, reptile.Means(p, reptile.Dented, 0.3).Weigh)
	for _, c := range []struct {
		grown float64
		signs []reptile.Sign
		want  candling.Call
	}{
		{0.3, []reptile.Sign{reptile.Veins, reptile.Mouldy}, candling.Live},
		{0.3, []reptile.Sign{reptile.Mouldy}, ""},
		{0.3, []reptile.Sign{reptile.Caved}, candling.Unsure},
		{0.4, []reptile.Sign{reptile.Caved, reptile.Mouldy, reptile.Pale}, candling.Bad},
		{0.95, []reptile.Sign{reptile.Caved, reptile.Mouldy}, candling.Unsure},
		{0.95, []reptile.Sign{reptile.Caved, reptile.Opaque}, candling.Live},
		{0.95, []reptile.Sign{reptile.Caved, reptile.Smelly, reptile.Pale}, candling.Bad},
		{0.95, []reptile.Sign{reptile.Caved, reptile.Smelly}, candling.Unsure},
		{0.3, []reptile.Sign{reptile.Pale}, candling.Unsure},
		{0.7, []reptile.Sign{reptile.Opaque}, candling.Live},
		{0.5, []reptile.Sign{reptile.Fine}, ""},
	} {
		assert.Equal(t, c.want, reptile.Judge(p, c.signs, c.grown), "%v at %g", c.signs, c.grown)
	}
	for _, n := range reptile.Signs {
		assert.NotEmpty(t, reptile.NameOf(n.Sign))
		assert.NotEmpty(t, reptile.Means(p, n.Sign, 0.4).Says, n.Name)
	}
}

func TestWhyOneDidNotHatch(t *testing.T) {
	share, over := 0.5, 30.0
	first := func(stage candling.Stage, k reptile.Kept) reptile.Cause {
		all := reptile.Why(stage, k, units.Reader{})
		if len(all) == 0 {
			return ""
		}
		return all[0].Cause
	}
	assert.Equal(t, reptile.Slug, first(candling.Infertile, reptile.Kept{}))
	assert.Equal(t, reptile.TooDry, first(candling.Middle, reptile.Kept{LostShare: &share}))
	assert.Equal(t, reptile.TooWet, first(candling.Late, reptile.Kept{OverG: &over}))
	assert.Equal(t, reptile.Hot, first(candling.Early, reptile.Kept{HotH: 5, LostShare: &share}))
	assert.Empty(t, first(candling.Late, reptile.Kept{}), "of what is not known nothing is said")
}
