package climate_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/climate"
	"metrogon/core/incubator"
)

var monday = time.Date(2027, 3, 1, 0, 0, 0, 0, time.UTC)

// told runs a simulated machine.
func told(r incubator.Run, long, every time.Duration) (all []climate.Told) {
	r.Readings(long, every, func(x incubator.Reading) bool {
		all = append(all, climate.Told{At: monday.Add(x.After), TempC: x.TempC, RHPct: x.RHPct})
		return true
	})
	return all
}

// aMachine is one of those that farms have, in a room of its own.
func aMachine(dice *rand.Rand, seed uint64) incubator.Run {
	r := incubator.Run{
		Box: incubator.Tabletop, SetC: 37.5, Seed: seed, Fill: 24 * time.Hour,
		Room: incubator.Weather{TempC: 14 + 10*dice.Float64(), RHPct: 35 + 30*dice.Float64()},
		Load: incubator.Load{Eggs: dice.IntN(40), EggG: 58, Day: 14 * dice.Float64(), HatchDay: 21},
	}
	if dice.IntN(2) == 0 {
		r.Box, r.Load.Eggs = incubator.Cabinet, 30+dice.IntN(150)
	}
	return r
}

// openings of up to ten minutes, two to six a day, by day.
func openings(dice *rand.Rand, days int) (all []incubator.Cause) {
	for day := range days {
		at := 6 + 2*dice.Float64()
		for at < 22 {
			from := time.Duration((24*float64(day) + at) * float64(time.Hour))
			all = append(all, incubator.Cause{
				Kind: incubator.Opening, From: from, To: from + time.Duration(20+580*dice.Float64())*time.Second,
			})
			at += 2.5 + 5*dice.Float64()
		}
	}
	return all
}

// Fifty simulated weeks: of what was planted at least 95 in 100 is found and told rightly, and at most two are found
// that were none. Lids are opened several times a day, dishes run dry, rooms swing and thermostats drift meanwhile.
func TestPowerCutsAndLidsAjarAreFound(t *testing.T) {
	t.Parallel()
	dice := rand.New(rand.NewPCG(7, 7))
	planted, found, called, none := 0, 0, 0, 0
	for week := range 50 {
		r := aMachine(dice, uint64(week))
		r.Causes = openings(dice, 7)
		switch week % 5 {
		case 1:
			r.Causes = append(r.Causes, incubator.Cause{
				Kind: incubator.Drift, From: 20 * time.Hour, To: 90 * time.Hour, By: -1.5,
			})
		case 2:
			r.Causes = append(r.Causes, incubator.Cause{Kind: incubator.Dry, From: 0, To: 150 * time.Hour})
		case 3:
			r.Causes = append(r.Causes, incubator.Cause{Kind: incubator.RoomSwing, From: 0, To: 168 * time.Hour, By: 5})
		}
		var plants []incubator.Cause
		for day := 1; day < 7; day += 2 { // at night, when nobody opens: 23:00 to 05:00
			from := time.Duration(24*day+23)*time.Hour + time.Duration(60*dice.Float64())*time.Minute
			c := incubator.Cause{From: from}
			switch dice.IntN(4) {
			case 0:
				c.Kind, c.To = incubator.PowerCut, from+time.Duration(30+250*dice.Float64())*time.Minute
			case 1:
				c.Kind, c.To = incubator.DarkCut, from+time.Duration(30+250*dice.Float64())*time.Minute
			default:
				c.Kind, c.To = incubator.Ajar, from+time.Duration(25+240*dice.Float64())*time.Minute
			}
			plants = append(plants, c)
		}
		r.Causes = append(r.Causes, plants...)
		all := climate.Incidents(told(r, 7*24*time.Hour, time.Minute))
		for _, p := range plants {
			planted++
			hit := false
			for i, x := range all {
				from, to := monday.Add(p.From), monday.Add(p.To)
				if x.From.After(to) || !x.To.IsZero() && x.To.Before(from) {
					continue
				}
				hit = true
				if (x.Kind == climate.LidAjar) == (p.Kind == incubator.Ajar) {
					called++
				} else {
					t.Logf("week %d: %s at %v for %v was called %s", week, p.Kind, p.From, p.To-p.From, x.Kind)
				}
				assert.WithinDuration(t, from, x.From, 15*time.Minute, "week %d: %s begins", week, p.Kind)
				assert.WithinDuration(t, to, x.To, 30*time.Minute, "week %d: %s ends", week, p.Kind)
				all = append(all[:i], all[i+1:]...)
				break
			}
			if hit {
				found++
			} else {
				t.Logf("week %d: %s at %v for %v in a room of %.0f was not found", week, p.Kind, p.From, p.To-p.From, r.Room.TempC)
			}
		}
		for _, x := range all {
			none++
			t.Logf("week %d: %s found from %v to %v, down to %.1f, where there was none (%v)", week, x.Kind,
				x.From.Sub(monday), x.To.Sub(monday), x.LowC, r.Box.Litres)
		}
	}
	t.Logf("%d of %d found, %d called rightly; %d found that were none", found, planted, called, none)
	assert.GreaterOrEqual(t, float64(found), 0.95*float64(planted))
	assert.GreaterOrEqual(t, float64(called), 0.95*float64(found))
	assert.LessOrEqual(t, none, 2)
}

// farmsAlarms are what a farm starts with.
var farmsAlarms = []climate.Alarm{
	{What: climate.Cool, Bound: 36.8, Delay: 30 * time.Minute}, {What: climate.Warm, Bound: 38.2, Delay: 15 * time.Minute},
	{What: climate.Parched, Bound: 30, Delay: 90 * time.Minute},
	{What: climate.Falls, Bound: 1, Delay: 30 * time.Minute}, {What: climate.Silent, Delay: 30 * time.Minute},
}

// A month in which lids are opened for up to ten minutes wakes nobody, in any of twelve machines.
func TestOpenedLidsWakeNobody(t *testing.T) {
	t.Parallel()
	dice := rand.New(rand.NewPCG(3, 3))
	for seed := range uint64(12) {
		r := aMachine(dice, seed)
		r.Causes = openings(dice, 30)
		all := told(r, 30*24*time.Hour, time.Minute)
		for _, a := range farmsAlarms {
			rings := a.Rings(all, monday.AddDate(0, 0, 30), nil)
			assert.Empty(t, rings, "%s, %v in a room of %.0f", a.What, r.Box.Litres, r.Room.TempC)
		}
	}
}

// What comes back by itself keeps an alarm waiting as long again as its delay, no longer; what stands still does not.
func TestAnAlarmWaitsTwiceItsDelayAtTheMost(t *testing.T) {
	a := climate.Alarm{What: climate.Cool, Bound: 37, Delay: 30 * time.Minute}
	for perMinute, rang := range map[float64]time.Duration{0: 30 * time.Minute, 0.06: time.Hour} {
		var all []climate.Told
		for m := range 90 {
			at := monday.Add(time.Duration(m) * time.Minute)
			all = append(all, climate.Told{At: at, TempC: 30 + perMinute*float64(m)})
		}
		rings := a.Rings(all, monday.Add(2*time.Hour), nil)
		require.Len(t, rings, 1)
		assert.Equal(t, monday.Add(rang), rings[0].Rang, "%g °C a minute", perMinute)
	}
}

// Every planted fault rings within its delay of when it came to be so.
func TestFaultsRingWithinTheirDelay(t *testing.T) {
	dice := rand.New(rand.NewPCG(5, 5))
	for seed := range uint64(12) {
		for _, c := range []struct {
			fault incubator.Cause
			rings climate.Alert
		}{
			{incubator.Cause{Kind: incubator.PowerCut, To: 90 * time.Hour}, climate.Cool},
			{incubator.Cause{Kind: incubator.PowerCut, To: 90 * time.Hour}, climate.Falls},
			{incubator.Cause{Kind: incubator.DarkCut, To: 90 * time.Hour}, climate.Silent},
			{incubator.Cause{Kind: incubator.Ajar, To: 90 * time.Hour}, climate.Cool},
			{incubator.Cause{Kind: incubator.Drift, To: 80 * time.Hour, By: 1.5}, climate.Warm},
			{incubator.Cause{Kind: incubator.Drift, To: 80 * time.Hour, By: -1.5}, climate.Cool},
			{incubator.Cause{Kind: incubator.Silent, To: 90 * time.Hour}, climate.Silent},
		} {
			t.Run(fmt.Sprintf("%s %s %d", c.fault.Kind, c.rings, seed), func(t *testing.T) {
				r := aMachine(dice, seed)
				c.fault.From = time.Duration(23+20*dice.Float64()) * time.Hour
				r.Causes = []incubator.Cause{c.fault}
				all := told(r, 100*time.Hour, time.Minute)
				i := 0
				for farmsAlarms[i].What != c.rings {
					i++
				}
				a := farmsAlarms[i]
				rings := a.Rings(all, monday.Add(100*time.Hour), nil)
				require.NotEmpty(t, rings)
				assert.LessOrEqual(t, rings[0].Rang.Sub(rings[0].Began), a.Delay+time.Minute)
				assert.False(t, rings[0].Began.Before(monday.Add(c.fault.From-2*time.Minute)), "not before it began")
			})
		}
	}
}

// A lid that is up for five minutes is warm again within the half hour that is usual; what was ajar is not counted.
func TestRecoveriesAreOfOpenings(t *testing.T) {
	r := incubator.Run{
		Box: incubator.Tabletop, SetC: 37.5, Room: incubator.Weather{TempC: 19, RHPct: 50}, Seed: 2,
		Load: incubator.Load{Eggs: 20, EggG: 58, HatchDay: 21}, Causes: []incubator.Cause{
			{Kind: incubator.Ajar, From: 20 * time.Hour, To: 21 * time.Hour},
		},
	}
	for _, h := range []time.Duration{4, 9, 14} {
		r.Causes = append(r.Causes, incubator.Cause{
			Kind: incubator.Opening, From: h * time.Hour, To: h*time.Hour + 5*time.Minute,
		})
	}
	took := climate.Recoveries(told(r, 30*time.Hour, time.Minute))
	require.Len(t, took, 3)
	for _, d := range took {
		assert.Greater(t, d, 5*time.Minute)
		assert.Less(t, d, 30*time.Minute, "common practice: back in about half an hour")
	}
}

// A dish that nobody fills rings once the air is drier than the farm wants.
func TestADryDishRings(t *testing.T) {
	dice := rand.New(rand.NewPCG(9, 9))
	for seed := range uint64(12) {
		r := aMachine(dice, seed)
		r.Box, r.Load.Eggs = incubator.Tabletop, int(seed) // a hundred eggs in a cabinet keep its air moist by themselves
		r.Causes = []incubator.Cause{{Kind: incubator.Dry, From: 30 * time.Hour, To: 500 * time.Hour}}
		all := told(r, 500*time.Hour, 5*time.Minute)
		usual := all[24*12].RHPct
		a := climate.Alarm{What: climate.Parched, Bound: usual - 8, Delay: 90 * time.Minute}
		rings := a.Rings(all, monday.Add(500*time.Hour), nil)
		require.Len(t, rings, 1, "%v l, usually %.0f %%", r.Box.Litres, usual)
		assert.Equal(t, a.Delay, rings[0].Rang.Sub(rings[0].Began).Truncate(5*time.Minute))
		assert.True(t, rings[0].Began.After(monday.Add(30*time.Hour)) && rings[0].Ended.IsZero())
	}
}
