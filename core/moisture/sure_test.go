package moisture_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/moisture"
)

// By hand: 0.432 · 60^0.78 = 10.53 mg a day and torr, times 7.5006: 79.0 per kPa.
func TestUsualConductance(t *testing.T) {
	assert.InDelta(t, 79.0, moisture.UsualG(60), 0.1)
}

// eggs loses as a lot of so many does at 50 %, read on a scale.
func eggs(n int, step float64, days ...float64) moisture.Lot {
	return moisture.Lot{
		FreshMassG: 60, AirTempC: 37.5, EggTempC: 37.5, RH: held(50), TargetPct: 12, TargetDay: 18,
		ScaleStepG: step, EggsWeighed: n,
		Weighings: func() (all []moisture.Weighing) {
			for _, d := range days {
				all = append(all, moisture.Weighing{Day: d, MassG: 60 - d*0.4})
			}
			return
		}(),
	}
}

// One gram turned "lower to 40 %" into "raise to 61 %": a single egg on a kitchen scale is
// not advised, but told when to weigh again.
func TestAdviceIsOnlyAsSureAsTheScale(t *testing.T) {
	one, err := moisture.Work(eggs(1, 1, 0, 5))
	require.NoError(t, err)
	assert.False(t, one.Sure)
	assert.Less(t, one.RequiredLow, 40.)
	assert.Greater(t, one.RequiredHigh, 61.)
	assert.Greater(t, one.AgainDay, 5.)
	dozen, err := moisture.Work(eggs(12, 1, 0, 7))
	require.NoError(t, err)
	assert.True(t, dozen.Sure, "%+v", dozen.Certainty)
	assert.LessOrEqual(t, dozen.RequiredLow, dozen.RequiredRHPct)
	assert.GreaterOrEqual(t, dozen.RequiredHigh, dozen.RequiredRHPct)
	fine, err := moisture.Work(eggs(1, 0.1, 0, 7))
	require.NoError(t, err)
	assert.True(t, fine.Sure)
}

// Where the scale is off by up to a step, 95 times in 100, the humidity that is truly
// needed lies in the span 95 times in 100 and more.
func TestTheNeededHumidityLiesInItsSpan(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 4))
	inside, tried := 0, 0
	for range 2000 {
		step := []float64{0.1, 0.5, 1}[rng.IntN(3)] / 6
		l := eggs(6, 6*step, 0, 4+4*rng.Float64(), 9+3*rng.Float64())
		l.Weighings = l.Weighings[:2+rng.IntN(2)]
		truth, err := moisture.Work(l)
		require.NoError(t, err)
		read := l
		read.Weighings = append([]moisture.Weighing{}, l.Weighings...)
		for i := range read.Weighings {
			read.Weighings[i].MassG += step / 2 * rng.NormFloat64()
		}
		read.FreshMassG = 0
		o, err := moisture.Work(read)
		require.NoError(t, err)
		tried++
		if o.RequiredLow <= truth.RequiredRHPct && truth.RequiredRHPct <= o.RequiredHigh {
			inside++
		}
	}
	assert.Greater(t, float64(inside)/float64(tried), 0.93)
}

// Ten eggs of 60 g on average; two light ones of 54 g go out. The rest were 61.5 g: without
// their weights it would look as if they had gained.
func TestEggsTakenOutAreChained(t *testing.T) {
	l := moisture.Lot{
		FreshMassG: 60, AirTempC: 37.5, EggTempC: 37.5, RH: held(50), TargetPct: 12, TargetDay: 18,
		Weighings: []moisture.Weighing{
			{Day: 0, MassG: 60, Eggs: 10}, {Day: 9, MassG: 61.5 * 0.94, Eggs: 8, RemovedG: []float64{54, 54}},
		},
	}
	o, err := moisture.Work(l)
	require.NoError(t, err)
	assert.InDelta(t, 6, o.LossPct, 1e-9)
	known := o.RequiredHigh - o.RequiredLow
	l.Weighings[1].RemovedG = nil
	l.Weighings[1].MassG = 60 * 0.94
	blind, err := moisture.Work(l)
	require.NoError(t, err)
	assert.Greater(t, blind.RequiredHigh-blind.RequiredLow, 3*known, "unweighed, they may have been heavier or lighter")
	assert.False(t, blind.Sure)
	require.NotZero(t, blind.AgainDay)
	l.Weighings = append(l.Weighings, moisture.Weighing{Day: 13, MassG: 60 * (0.94 - 4*0.06/9), Eggs: 8})
	again, err := moisture.Work(l)
	require.NoError(t, err)
	assert.InDelta(
		t, 100*(1-(0.94-4*0.06/9)), again.LossPct, 1e-6, "two weighings of the same eggs lead back to the fresh ones",
	)
}

// A hygrometer that shows 30 where 70 % is held makes the shell look twice as tight.
func TestAnOddConductanceAsksForTheHygrometer(t *testing.T) {
	l := eggs(12, 1, 0, 9)
	o, err := moisture.Work(l)
	require.NoError(t, err)
	assert.False(t, o.CheckHygrometer, "%.0f of %.0f", o.G, o.GExpected)
	for i := range l.Weighings {
		l.Weighings[i].MassG = 60 - l.Weighings[i].Day*.15
	}
	o, err = moisture.Work(l)
	require.NoError(t, err)
	assert.True(t, o.CheckHygrometer, "%.0f of %.0f", o.G, o.GExpected)
}
