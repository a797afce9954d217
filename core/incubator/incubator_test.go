package incubator_test

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/incubator"
)

func all(r incubator.Run, long time.Duration) (read []incubator.Reading) {
	r.Readings(long, time.Minute, func(x incubator.Reading) bool { read = append(read, x); return true })
	return read
}

// Its thermostat holds it, whatever the room and the load, to a quarter of a degree.
func TestTheThermostatHolds(t *testing.T) {
	for _, box := range []incubator.Box{incubator.Tabletop, incubator.Cabinet} {
		for _, room := range []float64{10, 18, 27} {
			for _, x := range all(incubator.Run{
				Box: box, SetC: 37.5, Room: incubator.Weather{TempC: room, RHPct: 50}, Seed: 1,
				Load: incubator.Load{Eggs: 30, EggG: 58, Day: 12, HatchDay: 21}, Fill: 24 * time.Hour,
			}, 48*time.Hour) {
				require.InDelta(t, 37.5, x.TempC, 0.3, "%v l in %v °C after %v", box.Litres, room, x.After)
			}
		}
	}
}

// Without power an empty, dry box cools by Newton’s law, with the time constant of its walls and its leaks.
func TestItCoolsByNewtonsLaw(t *testing.T) {
	box := incubator.Tabletop
	box.DishML = 0
	const room = 15.0
	read := all(incubator.Run{
		Box: box, SetC: 37.5, Room: incubator.Weather{TempC: room, RHPct: 40}, Seed: 1,
		Causes: []incubator.Cause{{Kind: incubator.PowerCut, To: 3 * time.Hour}},
	}, 3*time.Hour)
	leaks := box.VentsAnH * box.Litres * 1.2 / 3600 // W a degree: 1.2 J a litre and degree
	tau := box.HoldsJ / (box.LossW + leaks)
	for _, x := range read[20:] {
		// The room itself swings by 1.2 degrees over the day, coldest at midnight, when this begins.
		want := room - 1.2 + (37.5-room+1.2)*math.Exp(-(x.After.Seconds()-75)/tau)
		assert.InDelta(t, want, x.TempC, 0.5, "after %v", x.After)
	}
}

// The same seed tells the same, another one something else; a silent probe tells nothing.
func TestSeedsAndSilence(t *testing.T) {
	run := incubator.Run{Box: incubator.Tabletop, SetC: 37.5, Room: incubator.Weather{TempC: 18, RHPct: 50}, Seed: 7}
	assert.Equal(t, all(run, time.Hour), all(run, time.Hour))
	other := run
	other.Seed = 8
	assert.NotEqual(t, all(run, time.Hour), all(other, time.Hour))
	run.Causes = []incubator.Cause{{Kind: incubator.Silent, From: 10 * time.Minute, To: 20 * time.Minute}}
	assert.Len(t, all(run, time.Hour), 50)
	for _, name := range incubator.Scenarios {
		causes, ok := incubator.Scenario(name, 2*24*time.Hour, 1)
		assert.True(t, ok, name)
		assert.Equal(t, name == "quiet", causes[len(causes)-1].Kind == incubator.Opening, name)
	}
	_, ok := incubator.Scenario("flood", time.Hour, 1)
	assert.False(t, ok)
}
