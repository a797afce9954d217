package climate_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"metrogon/core/climate"
)

// By hand: a hen's egg of 58 g has G = 0.432 · 58^0.78 · 7.5006 = 76.9 mg/(d kPa); at 37.5 °C Psat is 6.456
// kPa (ASHRAE Fundamentals' table: 6.2823 at 37, 6.6331 at 38 °C). Over 18 days a point of humidity is
// 76.9 · 6.456 · 18 / 58,000 = 0.154 points of loss: ten points are a point and a half.
func TestAPointOfHumidity(t *testing.T) {
	assert.InDelta(t, 0.154, climate.PerPoint(58, 0, 37.5, 18, 0), 0.001)
	assert.InDelta(t, 2*0.154, climate.PerPoint(58, 2*76.9, 37.5, 18, 0), 0.002, "a thin shell")
	assert.Zero(t, climate.PerPoint(58, 0, 37.5, -1, 0), "past lockdown nothing moves it")
	assert.Greater(t, climate.PerPoint(11, 0, 37.5, 14, 0), climate.PerPoint(80, 0, 37.5, 14, 0), "small eggs lose more")
}

// A cabinet by hand: 40 hens' eggs that can be moved by 0.10 points a point and need 46 %, 20 ducks' that can
// be moved by 0.15 and need 23 %, 10 turkeys' two days before lockdown, 0.02, that would need 110 %: they come
// to more than their target whatever is held. (40·0.01·46 + 20·0.0225·23 + 10·0.0004·110) / (0.4 + 0.45 + 0.004)
// = 29.19 / 0.854 = 34.18.
func TestTheCompromiseOfACabinet(t *testing.T) {
	wants := []climate.Want{
		{Name: "hens", Eggs: 40, From: 45, To: 55, TempC: 37.5, Needs: 46, PerPoint: .10, Target: 12, Least: 11, Most: 14},
		{Name: "ducks", Eggs: 20, From: 50, To: 60, TempC: 37.5, Needs: 23, PerPoint: .15, Target: 13, Least: 12, Most: 14},
		{Eggs: 10, From: 50, To: 60, TempC: 37.4, Needs: 110, PerPoint: .02, Target: 12, Least: 11, Most: 14},
	}
	c := climate.Compromised(wants)
	assert.InDelta(t, 34.18, c.RH, .01)
	assert.InDelta(t, 37.486, c.TempC, .001, "by eggs: (60 · 37.5 + 10 · 37.4) / 70")
	assert.InDelta(t, -11.82, c.Effects[0].Off, .01)
	assert.InDelta(t, +1.18, c.Effects[0].LossOff, .01, "drier than the hens' eggs would have it")
	assert.InDelta(t, -1.68, c.Effects[1].LossOff, .01)
	assert.Equal(t, []bool{false, true, false}, []bool{c.Effects[0].Outside, c.Effects[1].Outside, c.Effects[2].Outside})
	assert.InDelta(t, +1.52, c.Effects[2].LossOff, .01, "(110 - 34.18) · 0.02")
	assert.InDelta(t, 85, c.Effects[2].Wish(), 1e-9, "the most that a machine can hold")
	alone := climate.Compromised(wants[2:])
	assert.InDelta(t, 85, alone.RH, 1e-9)
	assert.InDelta(t, +.5, alone.Effects[0].LossOff, 1e-9, "it cannot be reached any more")
}

func TestLockdownGoesFirst(t *testing.T) {
	c := climate.Compromised([]climate.Want{
		{Eggs: 100, From: 45, To: 55, TempC: 37.5, PerPoint: .1, Target: 12, Least: 11, Most: 14},
		{Eggs: 10, From: 65, To: 75, TempC: 37.2, Locked: true},
	})
	assert.InDelta(t, 70, c.RH, 1e-9)
	assert.InDelta(t, 37.2, c.TempC, 1e-9)
	assert.InDelta(t, -2, c.Effects[0].LossOff, 1e-9)
	assert.Zero(t, c.Effects[1].LossOff)
}

func TestWhatDoesNotGoTogether(t *testing.T) {
	wet := climate.Want{From: 45, To: 55, TempC: 37.5}
	dry := climate.Want{From: 15, To: 35, TempC: 37.5}
	duck := climate.Want{From: 50, To: 60, TempC: 37.5}
	misted := duck
	misted.Care = true
	locked := climate.Want{From: 65, To: 75, TempC: 37.2, Locked: true}
	still := climate.Want{From: 45, To: 55, TempC: 38.6}
	for name, c := range map[string]struct {
		a, b climate.Want
		why  []climate.Reason
	}{
		"two that agree":          {wet, duck, nil},
		"wet beside dry":          {wet, dry, []climate.Reason{climate.Humidity}},
		"dry beside ducks":        {dry, duck, []climate.Reason{climate.Humidity}},
		"misted beside others":    {wet, misted, []climate.Reason{climate.Care}},
		"lockdown beside turning": {wet, locked, []climate.Reason{climate.Phase}},
		"still-air figures":       {wet, still, []climate.Reason{climate.Warmth}},
		"two loads in lockdown":   {locked, locked, nil},
		"two clutches on a shelf": {climate.Want{TempC: 28, Resting: true}, climate.Want{TempC: 29, Resting: true}, nil},
		"a clutch beside hens": {
			wet, climate.Want{From: 75, To: 90, TempC: 28, Resting: true}, []climate.Reason{"phase", "warmth", "humidity"},
		},
	} {
		assert.Equal(t, c.why, climate.Apart(c.a, c.b), name)
		assert.Equal(t, c.why, climate.Apart(c.b, c.a), "%s, the other way round", name)
	}
}

// The compromise lies between the wishes, and no other air strays less from the targets, over all eggs.
func TestNoOtherAirIsBetter(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var wants []climate.Want
		least, most := math.Inf(1), math.Inf(-1)
		for range rapid.IntRange(1, 5).Draw(t, "batches") {
			w := climate.Want{
				Eggs: rapid.IntRange(1, 100).Draw(t, "eggs"), Needs: rapid.Float64Range(1, 120).Draw(t, "needs"),
				PerPoint: rapid.Float64Range(.001, .3).Draw(t, "per point"), Target: 12, Least: 11, Most: 14,
			}
			least, most = min(least, w.Wish()), max(most, w.Wish())
			wants = append(wants, w)
		}
		cost := func(c climate.Compromise) (sum float64) {
			for _, e := range c.Effects {
				sum += float64(e.Eggs) * e.LossOff * e.LossOff
			}
			return
		}
		best := climate.Compromised(wants)
		if best.RH < least-1e-9 || best.RH > most+1e-9 {
			t.Fatalf("%g is not within %g to %g", best.RH, least, most)
		}
		other := rapid.Float64Range(15, 85).Draw(t, "other")
		if cost(climate.At(wants, other)) < cost(best)-1e-9 {
			t.Fatalf("%g is better than %g", other, best.RH)
		}
	})
}
