package watering_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"metrogon/core/watering"
)

var start = time.Date(2027, 4, 1, 8, 0, 0, 0, time.UTC)

func at(days float64) time.Time { return start.Add(time.Duration(days * 24 * float64(time.Hour))) }

// By hand: 400 ml in two days and 600 ml in three are 200 ml a day; 900 ml last four and a half.
func TestByAmounts(t *testing.T) {
	log := []watering.Event{
		{At: at(0), Kind: watering.Full}, {At: at(2), Kind: watering.Full, ML: 400},
		{At: at(5), Kind: watering.Full, ML: 600},
	}
	o := watering.Forecast(900, log, at(6))
	assert.True(t, o.Known)
	assert.InDelta(t, 200, o.PerDay, 1e-9)
	assert.Equal(t, at(9.5), o.Dry)
	assert.True(t, o.From.Before(o.Dry) && o.To.After(o.Dry))
	log = append(log, watering.Event{At: at(7), Kind: watering.Some, ML: 100})
	assert.Equal(t, at(10), watering.Forecast(900, log, at(7)).Dry, "half a day more")

	dry := []watering.Event{ // what it holds is learnt
		{At: at(0), Kind: watering.Full}, {At: at(4), Kind: watering.Dry}, {At: at(4), Kind: watering.Full, ML: 800},
		{At: at(6), Kind: watering.Full, ML: 500},
	}
	assert.InDelta(t, 800./250, watering.Forecast(0, dry, at(6)).Lasts, 1e-9, "while it stood dry nothing went")
}

func TestWithoutAmounts(t *testing.T) {
	full := func(days ...float64) (log []watering.Event) {
		for _, d := range days {
			log = append(log, watering.Event{At: at(d), Kind: watering.Full})
		}
		return
	}
	assert.False(t, watering.Forecast(0, nil, at(1)).Known)
	assert.False(t, watering.Forecast(500, full(0), at(1)).Known, "not known before two fillings")
	o := watering.Forecast(0, full(0, 2, 4, 6.5), at(7))
	assert.True(t, o.Habit, "nobody saw it dry: only the habit")
	assert.Equal(t, at(8.5), o.Dry)
	log := append(full(0, 3), watering.Event{At: at(7), Kind: watering.Dry})
	assert.Equal(t, at(7), watering.Forecast(0, log, at(7.1)).Dry, "it is dry")
	log = append(log, full(7)...)
	o = watering.Forecast(0, log, at(8))
	assert.False(t, o.Habit)
	assert.InDelta(t, 3.5, o.Lasts, 1e-9, "it lasts longer than three days, and less than four")
	assert.Equal(t, [2]time.Time{at(10), at(11)}, [2]time.Time{o.From, o.To})
}

// A winter in which the machine stood empty says nothing of how long its water lasts, nor does its last filling
// months later.
func TestAWinterIsNoFilling(t *testing.T) {
	log := []watering.Event{
		{At: at(0), Kind: watering.Full}, {At: at(2), Kind: watering.Full, ML: 400},
		{At: at(200), Kind: watering.Full, ML: 900},
	}
	assert.False(t, watering.Forecast(900, log[:2], at(100)).Known)
	assert.InDelta(t, 200, watering.Forecast(900, log, at(201)).PerDay, 1e-9)
	again := []watering.Event{{At: at(0), Kind: watering.Full}, {At: at(200), Kind: watering.Full}}
	assert.False(t, watering.Forecast(0, again, at(201)).Known, "no habit of twice a year")
}

// Three kinds of machine, simulated: a small still-air box that drinks 90 ml a day, a forced-air one with 350
// and a cabinet with 1,400; the water goes 12 % faster or slower from one filling to the next, and it is
// filled up when somebody comes by, with what was poured in told to the nearest 10 ml. The forecast is right
// within a quarter of the time left, by the middle one of many; and its span holds.
func TestTheForecastOfThreeMachines(t *testing.T) {
	dice := rand.New(rand.NewPCG(7, 28))
	for name, m := range map[string]struct{ holds, perDay float64 }{
		"still-air box": {250, 90}, "forced air": {1500, 350}, "cabinet": {9000, 1400},
	} {
		right, within, n := 0, 0, 400
		for range n {
			now, log := 0.0, []watering.Event{{At: at(0), Kind: watering.Full}}
			rate := func() float64 { return m.perDay * (1 + .12*dice.NormFloat64()) }
			for range 4 + dice.IntN(5) {
				r := rate()
				days := (.4 + .5*dice.Float64()) * m.holds / m.perDay
				now += days
				poured := math.Round(min(r*days, m.holds)/10) * 10
				log = append(log, watering.Event{At: at(now), Kind: watering.Full, ML: poured})
			}
			truth := at(now + m.holds/rate())
			o := watering.Forecast(m.holds, log, at(now))
			left := truth.Sub(at(now))
			if o.Dry.Sub(truth).Abs() <= left/4 {
				right++
			}
			if !truth.Before(o.From) && !truth.After(o.To) {
				within++
			}
		}
		t.Logf("%s: right within a quarter %d, within its span %d of %d", name, right, within, n)
		assert.Greater(t, right, n*85/100, "%s: right within a quarter of the time left", name)
		assert.InDelta(t, .9, float64(within)/float64(n), .09, "%s: its span", name)
	}
}
